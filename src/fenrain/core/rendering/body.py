"""A material where a path meets it: its surface, the frame that its relief bends, and what lies inside, as the engine holds them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from fenrain.core.lobes.aspects import ASPECTS
from fenrain.core.lobes.leaning import Leaning
from fenrain.core.lobes.surface import Part, Surface
from fenrain.core.material import Material
from fenrain.core.optics.arrays import is_absent
from fenrain.core.rendering.engine import dr, held, held_table, mi
from fenrain.core.rendering.stands.registry import WHOLE, Spans
from fenrain.core.rendering.textures import Operands, Texture, counted_in, opens, operands_of, reliefs_of
from fenrain.core.surfaces import mean_surface

CHOICE_COSINES = 16
"""Cosines to the viewer at which a table of chances is kept, 0…1."""


@dataclass(frozen=True)
class Medium:
    """The inside of a body that scatters: absorption and scattering (1/scene unit) and the mean cosine of a scattering event."""

    absorption: Any
    scattering: Any
    anisotropy: Any

    @property
    def extinction(self) -> Any:
        return self.absorption + self.scattering


class Body:
    """A material as paths need it.

    chances: how often each aspect is picked, by its cosines to the viewer (see `chances`); spans: what its lengths are measured by;
    shallow: light that would scatter inside comes out where it went in. What a kernel is made for stands in `transmits`, `subsurface`,
    `opens`, `glows`, `sheet`, `tells_lamps`, `bends` and whether there is a medium or a relief.
    """

    def __init__(
        self,
        material: Material,
        edge: int,
        aspects: Sequence[str] = (),
        chances: Mapping[str, np.ndarray] | None = None,
        spans: Spans = WHOLE,
        *,
        shallow: bool = False,
    ) -> None:
        self._operands: Operands = operands_of(material, edge, spans)
        self._aspects = tuple(aspects)
        normals, apart = reliefs_of(material, edge, spans)
        self._normals = Texture(*normals) if normals is not None else None
        self._apart = {name: None if own is None else Texture(*own) for name, own in apart.items()}
        mean = counted_in(mean_surface(material), spans.unit)
        self.medium = _medium(mean) if mean.scatters and not shallow else None
        self._chances = {aspect: held_table(table) for aspect, table in (chances or {}).items()}
        place = dr.zeros(mi.SurfaceInteraction3f)
        surface = self.surface(place, mi.Bool(True))
        self.transmits, self.sheet = surface.transmits, surface.thin_walled
        self.subsurface = self.medium is not None and any(part.subsurface for part in surface.parts)
        self.opens, self.glows = opens(material, edge), not is_absent(mean.emission)
        self.tells_lamps, self.bends = surface.tells_lamps, self.opens and not is_absent(surface.bending)
        self._keep_tables(surface)

    @property
    def changes_ground(self) -> bool:
        """Whether light on the ground depends on the material by more than what bounces off it."""
        return self.transmits or self.subsurface or self.opens or self.glows

    def surface(self, place: Any, active: Any) -> Surface:
        """The surface at a place of the scene."""
        surface = self._operands.surface(place, active)
        surface = surface.only(self._aspects) if self._aspects else surface
        return self._with_leaning_parts(surface, place, active) if self._apart else surface

    def _with_leaning_parts(self, surface: Surface, place: Any, active: Any) -> Surface:
        """The surface with lobes about their own normals, where these are not the surface's."""
        whole = self.frame(place, active)
        frames = {name: _frame(normals, place, active) for name, normals in self._apart.items()}

        def leaning(parts: Sequence[Part]) -> tuple[Part, ...]:
            return tuple(
                replace(part, lobe=Leaning(part.lobe, frames[part.bent_by], whole)) if part.bent_by in frames else part for part in parts
            )

        answers = surface.answers
        if answers is not None:
            answers = replace(answers, to_surroundings=leaning(answers.to_surroundings), to_lamps=leaning(answers.to_lamps))
        return replace(surface, parts=leaning(surface.parts), answers=answers)

    def frame(self, place: Any, active: Any) -> Any:
        """The frame that the relief bends, within that of the mesh; None where there is no relief. A normal that would face away from a
        viewer who sees the surface leans the other way instead, so that rims are not black."""
        return _frame(self._normals, place, active)

    def value(self, surface: Surface, light: Any, view: Any) -> Any:
        """BSDF × cosine of all that is not subsurface scattering."""
        if self.subsurface:
            rest = tuple(part for part in surface.parts if not part.subsurface)
            surface = replace(surface, parts=rest or (replace(surface.parts[0], weight=0.0),))
        value = as_colour(surface.evaluate(light, view))
        return value if self.transmits else dr.select((light.z > 0.0) & (view.z > 0.0), value, 0.0)

    def pdf(self, surface: Surface, light: Any, view: Any) -> Any:
        density = surface.pdf(light, view, self._shares(surface, view))
        return density if self.transmits else dr.select((light.z > 0.0) & (view.z > 0.0), density, 0.0)

    def sample(self, surface: Surface, view: Any, choice: Any, numbers: Any) -> Any:
        return surface.sample(view, choice, numbers.x, numbers.y, self._shares(surface, view))

    def straight(self, surface: Surface, cosine: Any) -> Any:
        """What enters or leaves unbent where there is subsurface scattering."""
        passed = mi.Color3f(0.0)
        for part in surface.parts:
            if part.subsurface:
                passed += as_colour(part.straight(dr.abs(cosine)))
        return passed

    def _shares(self, surface: Surface, view: Any) -> list[Any]:
        """The surface's own, but each aspect as often as the table says, so that both looks of a pair pick the same aspect by the same
        number. An aspect that the table does not know keeps its own share of the rest."""
        seen = view * dr.select(view.z < 0.0, -1.0, 1.0) if surface.thin_walled else view
        own = surface.shares(seen)
        if not self._chances:
            return own
        of_aspect: dict[str, Any] = {}
        for part, share in zip(surface.parts, own, strict=True):
            of_aspect[part.aspect] = of_aspect[part.aspect] + share if part.aspect in of_aspect else share
        wanted = {aspect: self._chance(aspect, seen.z) for aspect in of_aspect}
        rest = mi.Float(1.0)
        for chance in wanted.values():
            rest -= chance
        rest = dr.maximum(rest, 0.0)
        return [
            dr.select(seen.z > 0.0, share * (wanted[part.aspect] / dr.maximum(of_aspect[part.aspect], 1e-6) + rest), share)
            for part, share in zip(surface.parts, own, strict=True)
        ]

    def _chance(self, aspect: str, cosine: Any) -> Any:
        table = self._chances.get(aspect)
        if table is None:
            return mi.Float(0.0)
        at = dr.clip(cosine, 0.0, 1.0) * (CHOICE_COSINES - 1)
        lower = mi.UInt32(dr.minimum(at, CHOICE_COSINES - 1.001))
        return dr.lerp(dr.gather(mi.Float, table, lower), dr.gather(mi.Float, table, lower + 1), at - mi.Float(lower))

    def _keep_tables(self, surface: Surface) -> None:
        """Evaluate once outside of any recorded loop, so that tables are on the engine's side before one begins."""
        direction = mi.Vector3f(0.0, 0.6, 0.8)
        dr.eval(
            as_colour(surface.evaluate(direction, direction)),
            surface.pdf(direction, direction),
            as_colour(surface.emission),
            self.straight(surface, mi.Float(0.8)),
        )


def chances(first: Surface, second: Surface) -> dict[str, np.ndarray]:
    """How often each aspect is to be picked in either of two looks, by the cosine to the viewer: the mean of what each would do alone."""
    cosines = np.maximum(np.linspace(0.0, 1.0, CHOICE_COSINES), 0.02)
    view = np.stack([np.sqrt(1.0 - cosines**2), 0.0 * cosines, cosines])
    found: dict[str, np.ndarray] = {}
    for surface in (first, second):
        for part, share in zip(surface.parts, surface.shares(view), strict=True):
            found[part.aspect] = found.get(part.aspect, np.zeros(CHOICE_COSINES)) + 0.5 * np.broadcast_to(share, (CHOICE_COSINES,))
    return {aspect: found[aspect] for aspect in ASPECTS if aspect in found}


def _frame(normals: Texture | None, place: Any, active: Any) -> Any:
    if normals is None:
        return None
    normal = dr.normalize(mi.Vector3f(normals.eval_3(place, active) * 2.0 - 1.0))
    away = (place.wi.z > 0.0) & (dr.dot(place.wi, normal) <= 0.0)
    normal = dr.select(away, mi.Vector3f(-normal.x, -normal.y, normal.z), normal)
    along = dr.normalize(mi.Vector3f(1.0, 0.0, 0.0) - normal * normal.x)
    return mi.Frame3f(along, dr.cross(normal, along), normal)


def as_colour(value: Any) -> Any:
    return value if isinstance(value, mi.Color3f) else mi.Color3f(value)


def _medium(surface: Surface) -> Medium:
    assert surface.interior is not None
    inside = surface.interior
    absorption, scattering = (
        mi.Color3f(*(float(part) for part in np.broadcast_to(np.asarray(value).reshape(-1), 3)))
        for value in (inside.absorption, inside.scattering)
    )
    dr.make_opaque(absorption, scattering)
    return Medium(absorption, scattering, held(float(np.clip(np.mean(inside.anisotropy), -0.99, 0.99))))
