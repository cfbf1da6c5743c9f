"""The one module that knows the rendering engine: our lobes as a BSDF, scenes from rigs and stands, pictures as arrays.

Import it only in a process that may render (see `probe`): the engine must not be loaded in the web server, nor used from two threads.
"""

from __future__ import annotations

import gc
import math
import os
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cache
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import drjit as dr
import mitsuba as mi
import numpy as np

from fenrain.core.convert.engine import convert
from fenrain.core.lobes.look import Look
from fenrain.core.looks.library import find_llvm
from fenrain.core.looks.ply import write_ply
from fenrain.core.looks.rigs import rig_of
from fenrain.core.looks.stands import stand_of
from fenrain.core.maps.mean import mean_look
from fenrain.core.maps.texels import Grid, Texels, grid_of
from fenrain.core.material import Computed, Constant, Map, Material, UvTransform, Value
from fenrain.core.models.parameter import Parameter
from fenrain.core.models.registry import HUB, Model, as_operand, model_of
from fenrain.core.optics.arrays import is_colour

find_llvm()
mi.set_variant("llvm_ad_rgb")
mi.set_log_level(mi.LogLevel.Error)
dr.set_thread_count(int(os.environ.get("FENRAIN_ENGINE_THREADS", os.cpu_count() or 1)))

MOST_BOUNCES = 3


@dataclass(frozen=True)
class View:
    """What a picture is taken of: rig, how far it is turned (degrees about the vertical), stand, edge in pixels, and the aspects
    shown (all where empty)."""

    rig: str = "soft_studio"
    stand: str = "sphere"
    turn: float = 0.0
    size: int = 256
    aspects: tuple[str, ...] = ()


def render(material: Material, view: View, samples: int, seed: int) -> np.ndarray:
    """The material by its own model's equations, (size, size, 3) float32, linear Rec.709, display white at 1.

    samples: per pixel. The same arguments give the same picture bit for bit on one machine.
    """
    return pictures(material, view, [(samples, seed)])[0]


def pictures(material: Material, view: View, takes: Sequence[tuple[int, int]]) -> list[np.ndarray]:
    """The same for several (samples, seed), from one scene."""
    scene = mi.load_dict(_scene(material, view))
    try:
        return [
            np.ascontiguousarray(np.array(mi.render(scene, spp=samples, seed=seed))[..., :3], dtype=np.float32) for samples, seed in takes
        ]
    finally:
        scene = None
        gc.collect()


@cache
def coverage(stand_id: str, size: int) -> np.ndarray:
    """Where the stand, not its ground, is seen: (size, size) bool."""
    scene = mi.load_dict({"type": "scene", "sensor": _sensor(stand_id, size), "object": _shape(stand_id, {"type": "diffuse"})})
    index = dr.arange(mi.UInt32, size * size)
    across, down = (mi.Float(index % size) + 0.5) / size, (mi.Float(index // size) + 0.5) / size
    ray, _ = scene.sensors()[0].sample_ray(0.0, 0.5, mi.Point2f(across, down), mi.Point2f(0.5))
    return np.array(scene.ray_test(ray)).reshape(size, size)


class LookBsdf(mi.BSDF):
    """A thin shell around a model's look. `surface` names an entry of `_SURFACES`.

    A clear body's absorption is taken where light reaches its boundary from inside, over the length of that stretch. Where light wanders
    inside a scattering body, it enters and leaves straight (a null interaction), and the engine's medium does the rest.
    """

    def __init__(self, props: Any) -> None:
        mi.BSDF.__init__(self, props)
        self.surface = _SURFACES[str(props["surface"])]
        flags = mi.BSDFFlags.GlossyReflection | mi.BSDFFlags.DiffuseReflection | mi.BSDFFlags.FrontSide
        if self.surface.transmits or self.surface.wanders:
            flags |= mi.BSDFFlags.GlossyTransmission | mi.BSDFFlags.BackSide
        components = [flags, mi.BSDFFlags.Null | mi.BSDFFlags.FrontSide | mi.BSDFFlags.BackSide] if self.surface.wanders else [flags]
        self.m_components = components
        self.m_flags = components[0] | components[-1]
        self._warm_tables()

    def _warm_tables(self) -> None:
        """Evaluate once outside of any recorded loop, so that tables are on the engine's side before one begins."""
        direction = mi.Vector3f(0.0, 0.6, 0.8)
        si = dr.zeros(mi.SurfaceInteraction3f)
        dr.eval(_as_colour(self._look(si, mi.Bool(True)).evaluate(direction, direction)))

    def _look(self, si: Any, active: Any) -> Look:
        look = self.surface.operands.look(si, active)
        return look.only(self.surface.aspects) if self.surface.aspects else look

    def _value(self, look: Look, si: Any, light: Any, view: Any) -> Any:
        """BSDF × cosine of all that does not wander, after the way through the body."""
        if self.surface.wanders:
            look = replace(look, parts=tuple(part for part in look.parts if not part.wanders) or (replace(look.parts[0], weight=0.0),))
        value = _as_colour(look.evaluate(light, view))
        if look.volume is None or not self.surface.absorbs:
            return value
        return dr.select(view.z < 0.0, value * _as_colour(look.volume.passes(si.t)), value)

    def _straight(self, look: Look, view: Any) -> tuple[Any, Any]:
        """What enters or leaves unbent where light wanders, and the share of samples that do."""
        if not self.surface.wanders:
            return mi.Color3f(0.0), mi.Float(0.0)
        passed = mi.Color3f(0.0)
        for part in look.parts:
            if part.wanders:
                passed += _as_colour(part.straight(dr.abs(view.z)))
        return passed, dr.select(view.z < 0.0, 1.0, dr.clip(dr.mean(passed), 0.05, 0.95))

    def sample(self, ctx: Any, si: Any, sample1: Any, sample2: Any, active: Any = True) -> Any:
        view, look = mi.Vector3f(si.wi), self._look(si, active)
        passed, share = self._straight(look, view)
        choice = dr.clip((sample1 - share) / dr.maximum(1.0 - share, 1e-6), 0.0, 1.0)
        light = look.sample(view, choice, sample2.x, sample2.y)
        density = look.density(light, view) * (1.0 - share)
        value = self._value(look, si, light, view) / dr.maximum(density, 1e-9)
        kept = active & (density > 1e-9) & (light.z != 0.0) & (self.surface.transmits | ((light.z > 0.0) & (view.z > 0.0)))
        result: Any = mi.BSDFSample3f()
        result.wo, result.pdf, result.eta = light, dr.select(kept, density, 0.0), mi.Float(1.0)
        result.sampled_type, result.sampled_component = mi.UInt(+mi.BSDFFlags.GlossyReflection), mi.UInt(0)
        value = dr.select(kept, value, 0.0)
        if self.surface.wanders:
            enters = active & (sample1 < share)
            result.wo = dr.select(enters, -view, result.wo)
            result.pdf = dr.select(enters, share, result.pdf)
            result.sampled_type = dr.select(enters, mi.UInt(+mi.BSDFFlags.Null), result.sampled_type)
            result.sampled_component = dr.select(enters, mi.UInt(1), mi.UInt(0))
            value = dr.select(enters, passed / dr.maximum(share, 1e-6), value)
        return result, value

    def eval_null_transmission(self, si: Any, active: Any = True) -> Any:
        passed, _ = self._straight(self._look(si, active), mi.Vector3f(si.wi))
        return dr.select(active, passed, 0.0)

    def eval(self, ctx: Any, si: Any, wo: Any, active: Any = True) -> Any:
        return self._value(self._look(si, active), si, mi.Vector3f(wo), mi.Vector3f(si.wi)) & active

    def pdf(self, ctx: Any, si: Any, wo: Any, active: Any = True) -> Any:
        return self.eval_pdf(ctx, si, wo, active)[1]

    def eval_pdf(self, ctx: Any, si: Any, wo: Any, active: Any = True) -> Any:
        light, view, look = mi.Vector3f(wo), mi.Vector3f(si.wi), self._look(si, active)
        density = look.density(light, view)
        if self.surface.wanders:
            density *= 1.0 - self._straight(look, view)[1]
        return self._value(look, si, light, view) & active, dr.select(active, density, 0.0)

    def to_string(self) -> str:
        return f"LookBsdf[{self.surface.operands.model.id}]"


mi.register_bsdf("fenrain_look", LookBsdf)


@dataclass(frozen=True)
class Operands:
    """The values of a material as the engine holds them; of a mix, those of its parts too."""

    model: Model
    constants: dict[str, Any]
    textures: dict[str, Any]
    parts: tuple[Operands, ...]

    def look(self, si: Any, active: Any) -> Look:
        values = {**self.constants, "up": si.sh_frame.n.y, "parts": tuple(part.look(si, active) for part in self.parts)}
        for name, (texture, channels) in self.textures.items():
            values[name] = texture.eval(si, active) if channels == 3 else texture.eval_1(si, active)
        return self.model.look(SimpleNamespace(**values))


@dataclass(frozen=True)
class Surface:
    """What a `LookBsdf` is made from. absorbs: its volume takes light without scattering it; wanders: light enters a scattering body."""

    operands: Operands
    aspects: tuple[str, ...]
    transmits: bool
    absorbs: bool
    wanders: bool


_SURFACES: dict[str, Surface] = {}


def bsdf_of(material: Material) -> Any:
    """The material's own lobes as a BSDF of the engine, with cut-out around them."""
    return _bsdf(material, convert(material, HUB).material, (), map_edge(256))


def map_edge(size: int) -> int:
    """Texels on the edge of a map that a picture of this size can show."""
    return max(256, 2 * size)


def _scene(material: Material, view: View) -> dict[str, Any]:
    stand = stand_of(view.stand)
    hub, edge = convert(material, HUB).material, map_edge(view.size)
    inside = mean_look(material)
    carrier = _shape(view.stand, _bsdf(material, hub, view.aspects, edge))
    if _scatters(inside):
        carrier["interior"] = _medium(inside)
    emitter = _own_light(material, hub, view.aspects, edge)
    if emitter is not None:
        carrier["emitter"] = emitter
    transform = mi.ScalarTransform4f()
    checker = {"type": "checkerboard", "color0": {"type": "rgb", "value": 0.17}, "color1": {"type": "rgb", "value": 0.25}}
    return {
        "type": "scene",
        "integrator": _integrator(inside),
        "sensor": _sensor(view.stand, view.size),
        "object": carrier,
        "sky": {"type": "envmap", "bitmap": mi.Bitmap(rig_of(view.rig).sky()), "to_world": transform.rotate([0, 1, 0], view.turn)},
        "ground": {
            "type": "rectangle",
            "to_world": transform.translate([0, stand.floor, 0]).rotate([1, 0, 0], -90).scale(14),
            "bsdf": {"type": "diffuse", "reflectance": {**checker, "to_uv": mi.ScalarTransform3f().scale([28, 28])}},
        },
    }


def _integrator(inside: Look) -> dict[str, Any]:
    """As many bounces as the look needs: a few where light stays outside, more where it goes through, many where it scatters inside."""
    if _scatters(inside):
        return {"type": "volpath", "max_depth": 64, "rr_depth": 6}
    return {"type": "path", "max_depth": 12 if inside.transmits else MOST_BOUNCES, "rr_depth": 12}


def _scatters(inside: Look) -> bool:
    return inside.volume is not None and bool(np.any(np.asarray(inside.volume.scattering) > 0.0))


def _medium(inside: Look) -> dict[str, Any]:
    """The body's volume as a homogeneous medium of the engine, by its mean values."""
    assert inside.volume is not None
    absorption, scattering = (
        np.broadcast_to(np.asarray(part).reshape(-1), 3) for part in (inside.volume.absorption, inside.volume.scattering)
    )
    extinction = absorption + scattering
    albedo = scattering / np.maximum(extinction, 1e-9)
    scale = float(extinction.max())
    return {
        "type": "homogeneous",
        "scale": scale,
        "sigma_t": {"type": "rgb", "value": [float(part) for part in extinction / scale]},
        "albedo": {"type": "rgb", "value": [float(part) for part in np.clip(albedo, 0.0, 1.0)]},
        "phase": {"type": "hg", "g": float(np.clip(np.mean(inside.volume.anisotropy), -0.99, 0.99))},
    }


def _sensor(stand_id: str, size: int) -> dict[str, Any]:
    stand = stand_of(stand_id)
    origin, target = stand.camera
    return {
        "type": "perspective",
        "fov": stand.field_of_view,
        "to_world": mi.ScalarTransform4f().look_at(origin=list(origin), target=list(target), up=[0, 1, 0]),
        "film": {
            "type": "hdrfilm",
            "width": size,
            "height": size,
            "pixel_format": "rgb",
            "component_format": "float32",
            "rfilter": {"type": "box"},
        },
        "sampler": {"type": "multijitter"},
    }


def _shape(stand_id: str, bsdf: Any) -> dict[str, Any]:
    return {"type": "ply", "filename": str(_ply(stand_id)), "bsdf": bsdf}


@cache
def _ply(stand_id: str) -> Path:
    return write_ply(stand_of(stand_id).mesh())


def _bsdf(material: Material, hub: Material, aspects: Sequence[str], edge: int) -> Any:
    """The lobes of the material's own model, with the relief and the opacity that its hub form states around them."""
    inside = mean_look(material)
    wanders = _scatters(inside) and any(part.wanders for part in inside.parts)
    key = f"surface {len(_SURFACES)}"
    _SURFACES.clear()
    _SURFACES[key] = Surface(_operands(material, edge), tuple(aspects), inside.transmits, not _scatters(inside), wanders)
    bsdf: Any = mi.load_dict({"type": "fenrain_look", "surface": key})
    normal = hub.value("geometry_normal")
    if isinstance(normal, (Map, Computed)):
        texels, grid = _sampled(normal, 3, edge)
        bsdf = {"type": "normalmap", "normalmap": _bitmap(texels * 0.5 + 0.5, grid), "bsdf": bsdf}
    opacity = _opacity(hub, edge)
    if opacity is None:
        return bsdf
    both_sides = bsdf if inside.transmits or wanders else {"type": "twosided", "bsdf": bsdf}
    return {"type": "mask", "opacity": opacity, "bsdf": both_sides}


def _operands(material: Material, edge: int) -> Operands:
    model = model_of(material.model)
    constants: dict[str, Any] = {}
    textures: dict[str, Any] = {}
    for parameter in model.parameters:
        value = material.value(parameter.name)
        if parameter.kind == "normal":
            continue
        if isinstance(value, Constant):
            constants[parameter.name] = _opaque(parameter, value)
        else:
            textures[parameter.name] = (_texture(value, parameter.channels, edge), parameter.channels)
    return Operands(model, constants, textures, tuple(_operands(part, edge) for part in material.parts))


def _opaque(parameter: Parameter, value: Constant) -> Any:
    """A constant as a value that the engine does not compile in, so that another number needs no new kernel. 0, 1 and black
    stay plain, so that a look leaves out what is not there."""
    if parameter.is_plain:
        return value.value
    if value.value in (0, 1) and parameter.kind == "number":
        return float(value.value)
    if value.value == (0.0, 0.0, 0.0):
        return mi.Color3f(0.0)
    held = mi.Color3f(*value.value) if isinstance(value.value, tuple) else mi.Float(float(value.value))
    dr.make_opaque(held)
    return held


def _opacity(hub: Material, edge: int) -> Any:
    """What a mask takes: nothing where the surface is closed."""
    value = hub.value("geometry_opacity")
    if isinstance(value, Constant):
        return None if value.value == 1.0 else float(value.value)  # type: ignore[arg-type]
    texels, grid = _sampled(value, 1, edge)
    return _bitmap(texels, grid)


def _own_light(material: Material, hub: Material, aspects: Sequence[str], edge: int) -> dict[str, Any] | None:
    """The surface's own light, as its own model states it, on the texels of its maps."""
    if hub.value("emission_luminance") == Constant(0.0) or (aspects and "glow" not in aspects):
        return None
    grid = grid_of(list(material.all_values()), edge)
    with Texels(grid) as texels:
        emission = np.asarray(_texel_look(material, texels).emission, dtype=np.float32)
    if not emission.any():
        return None
    flat = np.broadcast_to(emission if is_colour(emission) else emission.reshape(1, -1), (3, grid.height * grid.width))
    return {"type": "area", "radiance": _bitmap(flat.T.reshape(grid.height, grid.width, 3), grid)}


def _texel_look(material: Material, texels: Texels) -> Look:
    """The look over all texels, in NumPy."""
    model = model_of(material.model)
    operands = {p.name: _operand(p, material.value(p.name), texels) for p in model.parameters if p.kind != "normal"}
    return model.look(SimpleNamespace(**operands, parts=tuple(_texel_look(part, texels) for part in material.parts)))


def _operand(parameter: Parameter, value: Value, texels: Texels) -> Any:
    """A value over all texels as lobes take it in NumPy: components first, texels in a row."""
    if isinstance(value, Constant):
        return as_operand(parameter, value.value)
    whole = texels.full(value, 0, texels.grid.height, parameter.channels)
    columns = np.moveaxis(whole, -1, 0).reshape(parameter.channels, -1)
    return columns if parameter.channels == 3 else columns[0]


def _texture(value: Value, channels: int, edge: int) -> Any:
    texels, grid = _sampled(value, channels, edge)
    return mi.load_dict(_bitmap(texels, grid))


def _sampled(value: Value, channels: int, edge: int) -> tuple[np.ndarray, Grid]:
    grid = grid_of([value], edge)
    with Texels(grid) as texels:
        return np.array(texels.full(value, 0, grid.height, channels), dtype=np.float32), grid


def _bitmap(texels: np.ndarray, grid: Grid) -> dict[str, Any]:
    return {
        "type": "bitmap",
        "bitmap": mi.Bitmap(np.array(texels, dtype=np.float32, order="C")),
        "raw": True,
        "wrap_mode": "repeat",
        "to_uv": _uv_matrix(grid.transform),
    }


def _uv_matrix(transform: UvTransform) -> Any:
    c, s = math.cos(transform.rotation), math.sin(transform.rotation)
    (ou, ov), (su, sv) = transform.offset, transform.scale
    return mi.ScalarTransform3f([[c * su, s * sv, ou], [-s * su, c * sv, ov], [0.0, 0.0, 1.0]])


def _as_colour(value: Any) -> Any:
    return value if isinstance(value, mi.Color3f) else mi.Color3f(value)
