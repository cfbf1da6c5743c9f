"""Looks where a path stands: what a body sends, lets through and where it sends a path on; one body, or one of several by its number."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from fenrain.core.lobes.surface import BENDING, Surface
from fenrain.core.rendering.body import Body, as_colour
from fenrain.core.rendering.engine import dr, mi


@dataclass(frozen=True)
class SurfaceInteraction:
    """A body where a path stands: its surface, the frame that relief bends (None for none), −1 where its back shows the same as its front,
    the direction to the viewer in that frame, and how often the path goes on straight."""

    body: Body
    surface: Surface
    frame: Any
    turned: Any
    view: Any
    share: Any

    def begun(self, at: Any, solid: Any) -> tuple[Any, Any]:
        """(what the way here through the inside leaves, own light towards the viewer), None where there is nothing of it."""
        passed, own = None, None
        if self.surface.interior is not None and self.body.medium is None and not self.body.sheet:
            passed = dr.select(solid & (at.wi.z < 0.0), as_colour(self.surface.interior.passes(at.t)), 1.0)
        if self.body.glows:
            own = dr.select(solid & (at.wi.z > 0.0), as_colour(self.surface.emission) * as_colour(self.surface.opacity), 0.0)
        return passed, own

    def straight(self, at: Any, solid: Any, open_number: Any, choice: Any) -> tuple[Any, Any]:
        """(whether the path goes on straight, what it is multiplied with then)."""
        straight, unbent = mi.Bool(False), mi.Color3f(1.0)
        if self.body.subsurface:
            straight = solid & (choice < self.share)
            unbent = self.body.straight(self.surface, at.wi.z) / dr.maximum(self.share, 1e-6)
        if self.body.opens:
            through = solid & (open_number >= dr.mean(as_colour(self.surface.opacity)))
            straight, unbent = straight | through, dr.select(through, 1.0, unbent)
        return straight, unbent

    def through(self, at: Any) -> Any:
        """What goes straight on of light that comes to it: through openings, and through boundaries that do not bend."""
        opacity = as_colour(self.surface.opacity)
        through = 1.0 - opacity
        if self.body.subsurface:
            through += opacity * self.body.straight(self.surface, at.wi.z)
        return through

    def onwards(self, at: Any) -> Any:
        """Where a path goes that goes straight on: what lies behind an opening may be seen from a little beside."""
        ahead = -at.to_world(at.wi)
        if not self.body.bends:
            return ahead
        normal = at.to_world(mi.Vector3f(0.0, 0.0, 1.0) if self.frame is None else mi.Vector3f(self.frame.n))
        aside = normal - ahead * dr.dot(normal, ahead)
        return dr.normalize(ahead + aside * (BENDING * dr.mean(as_colour(self.surface.bending))))

    def values_and_pdf(self, at: Any, direction: Any, *, apart: bool) -> tuple[list[Any], Any]:
        """BSDF × cosine, and density of a direction of the scene. apart: two values, for surroundings, dimmed by their occlusion, and for
        lamps."""
        local = at.to_local(direction)
        light = (local if self.frame is None else self.frame.to_local(local)) * self.turned
        seen_by = [self.surface.to_surroundings, self.surface.to_lamps] if apart else [self.surface]
        values = [self.body.value(surface, light, self.view) for surface in seen_by]
        pdf = self.body.pdf(self.surface, light, self.view) * (1.0 - self.share)
        if apart:
            values[0] = values[0] * as_colour(self.surface.occlusion)
        if self.frame is not None:
            leaks = light.z * local.z * self.turned <= 0.0
            values, pdf = [dr.select(leaks, 0.0, value) for value in values], dr.select(leaks, 0.0, pdf)
        return [mi.Color3f(value) for value in values], mi.Float(pdf)

    def drawn(self, choice: Any, numbers: Any) -> Any:
        """A direction in the frame of the mesh, where the path does not go straight on."""
        left = dr.clip((choice - self.share) / dr.maximum(1.0 - self.share, 1e-6), 0.0, 1.0)
        drawn = self.body.sample(self.surface, self.view, left, numbers) * self.turned
        return drawn if self.frame is None else self.frame.to_world(drawn)


def surface_interaction(body: Body, at: Any, solid: Any) -> SurfaceInteraction:
    surface, frame = body.surface(at, solid), body.frame(at, solid)
    turned: Any = mi.Float(1.0)
    if body.opens and not body.transmits and not body.subsurface:
        turned = dr.select(at.wi.z < 0.0, -1.0, 1.0)
    seen = at.wi if frame is None else frame.to_local(at.wi)
    share: Any = mi.Float(0.0)
    if body.subsurface:
        passed = dr.mean(body.straight(surface, at.wi.z))
        share = dr.select(solid, dr.select(at.wi.z < 0.0, 1.0, dr.clip(passed, 0.05, 0.95)), 0.0)
    return SurfaceInteraction(body, surface, frame, turned, seen * turned, share)


class SurfaceInteractions:
    """The same of several bodies, each path at the one of its number: a call by number on the engine's side."""

    def __init__(self, bodies: Sequence[Body], which: Any, at: Any, solid: Any) -> None:
        self._bodies, self._which, self._at, self._solid = bodies, which, at, solid

    def begun(self, at: Any, solid: Any) -> tuple[Any, Any]:
        def of(met: SurfaceInteraction, at: Any, solid: Any) -> tuple[Any, Any]:
            passed, own = met.begun(at, solid)
            return mi.Color3f(1.0 if passed is None else passed), mi.Color3f(0.0 if own is None else own)

        found: tuple[Any, Any] = self._asked(of)
        return found

    def straight(self, at: Any, solid: Any, open_number: Any, choice: Any) -> tuple[Any, Any]:
        found: tuple[Any, Any] = self._asked(lambda met, at, solid, *rest: _plain(met.straight(at, solid, *rest)), open_number, choice)
        return found

    def through(self, at: Any) -> Any:
        return self._asked(lambda met, at, solid: mi.Color3f(met.through(at)))

    def onwards(self, at: Any) -> Any:
        return self._asked(lambda met, at, solid: mi.Vector3f(met.onwards(at)))

    def values_and_pdf(self, at: Any, direction: Any, *, apart: bool) -> tuple[list[Any], Any]:
        found: tuple[list[Any], Any] = self._asked(
            lambda met, at, solid, direction: met.values_and_pdf(at, direction, apart=apart), direction
        )
        return found

    def drawn(self, choice: Any, numbers: Any) -> Any:
        return self._asked(lambda met, at, solid, choice, numbers: mi.Vector3f(met.drawn(choice, numbers)), choice, numbers)

    def _asked(self, question: Callable[..., Any], *given: Any) -> Any:
        """The answer of each path's own body."""

        def asked(body: Body) -> Callable[..., Any]:
            return lambda solid, at, *rest: question(surface_interaction(body, at, solid), at, solid, *rest)

        # The engine takes a mask that stands last for the lanes that ask at all: `solid` must stand first.
        return dr.switch(self._which, [asked(body) for body in self._bodies], self._solid, self._at, *given)


def _plain(found: tuple[Any, Any]) -> tuple[Any, Any]:
    """As kinds that are the same for every body."""
    return mi.Bool(found[0]), mi.Color3f(found[1])
