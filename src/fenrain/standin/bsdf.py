"""A material as a BSDF of the engine's own integrators."""

from __future__ import annotations

from typing import Any

import numpy as np

from fenrain.core.lobes.aspects import CUT_OUT, GLOW
from fenrain.core.material import Material
from fenrain.core.optics.arrays import is_absent
from fenrain.core.rendering.body import Body, as_colour
from fenrain.core.rendering.engine import dr, mi
from fenrain.core.rendering.stands.registry import Spans
from fenrain.core.rendering.textures import as_bitmap, image_of, normal_texels, over_texels
from fenrain.core.surfaces import mean_surface

EDGE = 512
"""Texels on an edge of a map."""
_BODIES: dict[str, Body] = {}


class StandInBsdf(mi.BSDF):
    """`body` names an entry of `_BODIES`. Absorption inside a body is taken where light comes to its boundary from within, over the length
    of that stretch; what would scatter inside comes out where it went in."""

    def __init__(self, props: Any) -> None:
        mi.BSDF.__init__(self, props)
        self.body = _BODIES[str(props["body"])]
        flags = mi.BSDFFlags.GlossyReflection | mi.BSDFFlags.DiffuseReflection | mi.BSDFFlags.FrontSide
        if self.body.transmits:
            flags |= mi.BSDFFlags.GlossyTransmission | mi.BSDFFlags.BackSide
        self.m_components, self.m_flags = [flags], flags

    def _value(self, si: Any, light: Any, active: Any) -> Any:
        surface, view = self.body.surface(si, active), mi.Vector3f(si.wi)
        value = self.body.value(surface, light, view)
        if surface.interior is not None and not self.body.sheet:
            value = dr.select(view.z < 0.0, value * as_colour(surface.interior.passes(si.t)), value)
        return value

    def sample(self, ctx: Any, si: Any, sample1: Any, sample2: Any, active: Any = True) -> Any:
        view, surface = mi.Vector3f(si.wi), self.body.surface(si, active)
        light = mi.Vector3f(self.body.sample(surface, view, sample1, sample2))
        pdf = self.body.pdf(surface, light, view)
        kept = active & (pdf > 1e-9) & (light.z != 0.0)
        result: Any = mi.BSDFSample3f()
        result.wo, result.pdf, result.eta = light, dr.select(kept, pdf, 0.0), mi.Float(1.0)
        result.sampled_type, result.sampled_component = mi.UInt32(+mi.BSDFFlags.GlossyReflection), mi.UInt32(0)
        return result, dr.select(kept, self._value(si, light, active) / dr.maximum(pdf, 1e-9), 0.0)

    def eval(self, ctx: Any, si: Any, wo: Any, active: Any = True) -> Any:
        return dr.select(active, self._value(si, mi.Vector3f(wo), active), 0.0)

    def pdf(self, ctx: Any, si: Any, wo: Any, active: Any = True) -> Any:
        return dr.select(active, self.body.pdf(self.body.surface(si, active), mi.Vector3f(wo), mi.Vector3f(si.wi)), 0.0)

    def eval_pdf(self, ctx: Any, si: Any, wo: Any, active: Any = True) -> Any:
        return self.eval(ctx, si, wo, active), self.pdf(ctx, si, wo, active)

    def to_string(self) -> str:
        return "StandInBsdf"


mi.register_bsdf("fenrain_stand_in", StandInBsdf)


def bsdf_of(material: Material, name: str, spans: Spans) -> Any:
    """The material with its relief and its openings. name: different for each material of a scene."""
    body = Body(material, EDGE, spans=spans, shallow=True)
    _BODIES[name] = body
    made: Any = mi.load_dict({"type": "fenrain_stand_in", "body": name})
    normals = normal_texels(material, EDGE, spans)
    if normals is not None:
        made = {"type": "normalmap", "normalmap": as_bitmap(*normals), "bsdf": made}
    if not body.transmits:
        made = {"type": "twosided", "bsdf": made}
    if body.opens:
        made = {"type": "mask", "opacity": _texture(material, CUT_OUT), "bsdf": made}
    return made


def glow_of(material: Material, strength: float) -> Any:
    """Its own light as a texture, so many times as strong; None where there is none."""
    return None if is_absent(mean_surface(material).emission) else _texture(material, GLOW, strength)


def _texture(material: Material, aspect: str, strength: float = 1.0) -> Any:
    """The opening or the own light of a surface, over its texels."""
    surface, grid = over_texels(material, EDGE, (aspect,))
    found = image_of(surface.opacity if aspect == CUT_OUT else surface.emission, grid) * strength
    if found.ndim == 3:
        return as_bitmap(found, grid)
    if aspect == CUT_OUT:
        return float(found.mean())
    return {"type": "rgb", "value": [float(part) for part in np.broadcast_to(found, 3)]}
