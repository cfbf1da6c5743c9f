"""Our lobes as a BSDF of the rendering engine."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from fenrain.core.lobes.surface import Surface
from fenrain.core.material import Material
from fenrain.core.rendering.engine import dr, mi
from fenrain.core.rendering.textures import Operands, normal_map, opacity_of, operands_of
from fenrain.core.surfaces import mean_surface


@dataclass(frozen=True)
class Drawn:
    """What a `SurfaceBsdf` is made from. absorbs: its interior takes light without scattering it; subsurface: light enters a scattering
    body."""

    operands: Operands
    aspects: tuple[str, ...]
    transmits: bool
    absorbs: bool
    subsurface: bool


_DRAWN: dict[str, Drawn] = {}


class SurfaceBsdf(mi.BSDF):
    """A thin shell around a model's surface. `drawn` names an entry of `_DRAWN`.

    A transmissive body's absorption is taken where light reaches its boundary from inside, over the length of that stretch. Where there
    is subsurface scattering, light enters and leaves straight (a null interaction), and the engine's medium does the rest.
    """

    def __init__(self, props: Any) -> None:
        mi.BSDF.__init__(self, props)
        self.drawn = _DRAWN[str(props["drawn"])]
        flags = mi.BSDFFlags.GlossyReflection | mi.BSDFFlags.DiffuseReflection | mi.BSDFFlags.FrontSide
        if self.drawn.transmits or self.drawn.subsurface:
            flags |= mi.BSDFFlags.GlossyTransmission | mi.BSDFFlags.BackSide
        components = [flags, mi.BSDFFlags.Null | mi.BSDFFlags.FrontSide | mi.BSDFFlags.BackSide] if self.drawn.subsurface else [flags]
        self.m_components = components
        self.m_flags = components[0] | components[-1]
        self._warm_tables()

    def _warm_tables(self) -> None:
        """Evaluate once outside of any recorded loop, so that tables are on the engine's side before one begins."""
        direction = mi.Vector3f(0.0, 0.6, 0.8)
        si = dr.zeros(mi.SurfaceInteraction3f)
        dr.eval(_as_colour(self._surface(si, mi.Bool(True)).evaluate(direction, direction)))

    def _surface(self, si: Any, active: Any) -> Surface:
        surface = self.drawn.operands.surface(si, active)
        return surface.only(self.drawn.aspects) if self.drawn.aspects else surface

    def _value(self, surface: Surface, si: Any, light: Any, view: Any) -> Any:
        """BSDF × cosine of all that is not subsurface scattering, after the way through the body."""
        if self.drawn.subsurface:
            surface = replace(
                surface, parts=tuple(part for part in surface.parts if not part.subsurface) or (replace(surface.parts[0], weight=0.0),)
            )
        value = _as_colour(surface.evaluate(light, view))
        if surface.interior is None or not self.drawn.absorbs:
            return value
        return dr.select(view.z < 0.0, value * _as_colour(surface.interior.passes(si.t)), value)

    def _straight(self, surface: Surface, view: Any) -> tuple[Any, Any]:
        """What enters or leaves unbent where there is subsurface scattering, and the share of samples that do."""
        if not self.drawn.subsurface:
            return mi.Color3f(0.0), mi.Float(0.0)
        passed = mi.Color3f(0.0)
        for part in surface.parts:
            if part.subsurface:
                passed += _as_colour(part.straight(dr.abs(view.z)))
        return passed, dr.select(view.z < 0.0, 1.0, dr.clip(dr.mean(passed), 0.05, 0.95))

    def sample(self, ctx: Any, si: Any, sample1: Any, sample2: Any, active: Any = True) -> Any:
        view, surface = mi.Vector3f(si.wi), self._surface(si, active)
        passed, share = self._straight(surface, view)
        choice = dr.clip((sample1 - share) / dr.maximum(1.0 - share, 1e-6), 0.0, 1.0)
        light = surface.sample(view, choice, sample2.x, sample2.y)
        pdf = surface.pdf(light, view) * (1.0 - share)
        value = self._value(surface, si, light, view) / dr.maximum(pdf, 1e-9)
        kept = active & (pdf > 1e-9) & (light.z != 0.0) & (self.drawn.transmits | ((light.z > 0.0) & (view.z > 0.0)))
        result: Any = mi.BSDFSample3f()
        result.wo, result.pdf, result.eta = light, dr.select(kept, pdf, 0.0), mi.Float(1.0)
        result.sampled_type, result.sampled_component = mi.UInt(+mi.BSDFFlags.GlossyReflection), mi.UInt(0)
        value = dr.select(kept, value, 0.0)
        if self.drawn.subsurface:
            enters = active & (sample1 < share)
            result.wo = dr.select(enters, -view, result.wo)
            result.pdf = dr.select(enters, share, result.pdf)
            result.sampled_type = dr.select(enters, mi.UInt(+mi.BSDFFlags.Null), result.sampled_type)
            result.sampled_component = dr.select(enters, mi.UInt(1), mi.UInt(0))
            value = dr.select(enters, passed / dr.maximum(share, 1e-6), value)
        return result, value

    def eval_null_transmission(self, si: Any, active: Any = True) -> Any:
        passed, _ = self._straight(self._surface(si, active), mi.Vector3f(si.wi))
        return dr.select(active, passed, 0.0)

    def eval(self, ctx: Any, si: Any, wo: Any, active: Any = True) -> Any:
        return self._value(self._surface(si, active), si, mi.Vector3f(wo), mi.Vector3f(si.wi)) & active

    def pdf(self, ctx: Any, si: Any, wo: Any, active: Any = True) -> Any:
        return self.eval_pdf(ctx, si, wo, active)[1]

    def eval_pdf(self, ctx: Any, si: Any, wo: Any, active: Any = True) -> Any:
        light, view, surface = mi.Vector3f(wo), mi.Vector3f(si.wi), self._surface(si, active)
        pdf = surface.pdf(light, view)
        if self.drawn.subsurface:
            pdf *= 1.0 - self._straight(surface, view)[1]
        return self._value(surface, si, light, view) & active, dr.select(active, pdf, 0.0)

    def to_string(self) -> str:
        return f"SurfaceBsdf[{self.drawn.operands.model.id}]"


mi.register_bsdf("fenrain_surface", SurfaceBsdf)


def bsdf_of(material: Material, aspects: Sequence[str] = (), edge: int = 512) -> Any:
    """The lobes of the material's own model, with its relief and its opacity around them. aspects: those shown, all where empty; edge:
    largest of a texture, in texels."""
    mean = mean_surface(material)
    subsurface = scatters(mean) and any(part.subsurface for part in mean.parts)
    key = f"drawn {len(_DRAWN)}"
    _DRAWN.clear()
    _DRAWN[key] = Drawn(operands_of(material, edge), tuple(aspects), mean.transmits, not scatters(mean), subsurface)
    bsdf: Any = mi.load_dict({"type": "fenrain_surface", "drawn": key})
    normals = normal_map(material, edge)
    if normals is not None:
        bsdf = {"type": "normalmap", "normalmap": normals, "bsdf": bsdf}
    opacity = opacity_of(material, edge)
    if opacity is None:
        return bsdf
    both_sides = bsdf if mean.transmits or subsurface else {"type": "twosided", "bsdf": bsdf}
    return {"type": "mask", "opacity": opacity, "bsdf": both_sides}


def scatters(surface: Surface) -> bool:
    """Whether light is scattered inside the body."""
    return surface.interior is not None and bool(np.any(np.asarray(surface.interior.scattering) > 0.0))


def _as_colour(value: Any) -> Any:
    return value if isinstance(value, mi.Color3f) else mi.Color3f(value)
