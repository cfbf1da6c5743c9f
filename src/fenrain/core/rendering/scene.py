"""Scenes from rigs and stands, and pictures of a material as arrays. Import it only in a process that may render (see `probe`)."""

from __future__ import annotations

import gc
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np

from fenrain.core.lobes.aspects import GLOW
from fenrain.core.lobes.surface import Surface
from fenrain.core.material import Material
from fenrain.core.rendering.bsdf import bsdf_of, scatters
from fenrain.core.rendering.engine import dr, mi
from fenrain.core.rendering.ply import write_ply
from fenrain.core.rendering.rigs.registry import rig_of
from fenrain.core.rendering.stands.registry import stand_of
from fenrain.core.rendering.textures import emission_of
from fenrain.core.surfaces import mean_surface

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


def map_edge(size: int) -> int:
    """Texels on the edge of a map that a picture of this size can show."""
    return max(256, 2 * size)


def _scene(material: Material, view: View) -> dict[str, Any]:
    stand = stand_of(view.stand)
    edge, mean = map_edge(view.size), mean_surface(material)
    carrier = _shape(view.stand, bsdf_of(material, view.aspects, edge))
    if scatters(mean):
        carrier["interior"] = _medium(mean)
    radiance = emission_of(material, edge) if not view.aspects or GLOW in view.aspects else None
    if radiance is not None:
        carrier["emitter"] = {"type": "area", "radiance": radiance}
    transform = mi.ScalarTransform4f()
    checker = {"type": "checkerboard", "color0": {"type": "rgb", "value": 0.17}, "color1": {"type": "rgb", "value": 0.25}}
    return {
        "type": "scene",
        "integrator": _integrator(mean),
        "sensor": _sensor(view.stand, view.size),
        "object": carrier,
        "sky": {"type": "envmap", "bitmap": mi.Bitmap(rig_of(view.rig).sky()), "to_world": transform.rotate([0, 1, 0], view.turn)},
        "ground": {
            "type": "rectangle",
            "to_world": transform.translate([0, stand.floor, 0]).rotate([1, 0, 0], -90).scale(14),
            "bsdf": {"type": "diffuse", "reflectance": {**checker, "to_uv": mi.ScalarTransform3f().scale([28, 28])}},
        },
    }


def _integrator(surface: Surface) -> dict[str, Any]:
    """As many bounces as the surface needs: a few where light stays outside, more where it goes through, many where it scatters inside."""
    if scatters(surface):
        return {"type": "volpath", "max_depth": 64, "rr_depth": 6}
    return {"type": "path", "max_depth": 12 if surface.transmits else MOST_BOUNCES, "rr_depth": 12}


def _medium(surface: Surface) -> dict[str, Any]:
    """The body's interior as a homogeneous medium of the engine, by its mean values."""
    assert surface.interior is not None
    absorption, scattering = (
        np.broadcast_to(np.asarray(part).reshape(-1), 3) for part in (surface.interior.absorption, surface.interior.scattering)
    )
    extinction = absorption + scattering
    albedo = scattering / np.maximum(extinction, 1e-9)
    scale = float(extinction.max())
    return {
        "type": "homogeneous",
        "scale": scale,
        "sigma_t": {"type": "rgb", "value": [float(part) for part in extinction / scale]},
        "albedo": {"type": "rgb", "value": [float(part) for part in np.clip(albedo, 0.0, 1.0)]},
        "phase": {"type": "hg", "g": float(np.clip(np.mean(surface.interior.anisotropy), -0.99, 0.99))},
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
