"""Surfaces as the rendering engine traces them, and the engine's own pictures of our rigs and stands, as a witness from outside."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

import mitsuba as mi
import numpy as np

from fenrain.core import Material
from fenrain.core.geometry import Mesh
from fenrain.core.rendering.body import Body
from fenrain.core.rendering.engine import dr
from fenrain.core.rendering.rigs.registry import rig_of
from fenrain.core.rendering.stage import View, engine_mesh
from fenrain.core.rendering.stands.registry import stand_of


def vectors(directions: np.ndarray) -> Any:
    return mi.Vector3f(*(mi.Float(axis) for axis in directions.astype(np.float32)))


def traced_values(material: Material, wi: np.ndarray, wo: np.ndarray) -> np.ndarray:
    """BSDF × cosine of directions (3, n), evaluated by the engine, (n, 3)."""
    body = Body(material, 64)
    place = dr.zeros(mi.SurfaceInteraction3f, wi.shape[1])
    return np.array(body.value(body.surface(place, mi.Bool(True)), vectors(wi), vectors(wo))).T


def engine_values(bsdf: Any, wi: np.ndarray, wo: np.ndarray) -> np.ndarray:
    """The same of one of the engine's own materials."""
    si = dr.zeros(mi.SurfaceInteraction3f, wi.shape[1])
    si.sh_frame, si.n = mi.Frame3f(mi.Normal3f(0, 0, 1)), mi.Normal3f(0, 0, 1)
    si.wi = vectors(wo)
    return np.array(bsdf.eval(mi.BSDFContext(), si, vectors(wi), mi.Bool(True))).T


def ply_of(mesh: Mesh) -> dict[str, Any]:
    """A mesh as the engine reads it from a file, so that it can be given the engine's own materials."""
    path = Path(tempfile.mkdtemp(prefix="fenrain-tests-")) / "mesh.ply"
    engine_mesh(mesh).write_ply(str(path))
    return {"type": "ply", "filename": str(path)}


def engine_pictures(
    body: dict[str, Any], view: View, samples: int, passes: int, *, integrator: dict[str, Any], mesh: Mesh | None = None
) -> np.ndarray:
    """Pictures by the engine's own integrator, materials and emitters, (passes, size, size, 3). body: what the stand's mesh is given (its
    `bsdf`, `interior` or `emitter`); mesh: in place of the stand's."""
    stand = stand_of(view.stand)
    origin, target = stand.camera
    transform = mi.ScalarTransform4f()
    checker = {"type": "checkerboard", "color0": {"type": "rgb", "value": 0.17}, "color1": {"type": "rgb", "value": 0.25}}
    film = {"type": "hdrfilm", "width": view.size, "height": view.size, "pixel_format": "rgb", "rfilter": {"type": "box"}}
    described = {
        "type": "scene",
        "integrator": integrator,
        "sensor": {
            "type": "perspective",
            "fov": stand.field_of_view,
            "to_world": transform.look_at(origin=list(origin), target=list(target), up=[0, 1, 0]),
            "film": film,
        },
        "body": {**ply_of(mesh or stand.mesh()), **body},
        "sky": {"type": "envmap", "bitmap": mi.Bitmap(rig_of(view.rig).sky()), "to_world": transform.rotate([0, 1, 0], view.turn)},
        "ground": {
            "type": "rectangle",
            "to_world": transform.translate([0, stand.floor, 0]).rotate([1, 0, 0], -90).scale(14),
            "bsdf": {"type": "diffuse", "reflectance": {**checker, "to_uv": mi.ScalarTransform3f().scale([28, 28])}},
        },
    }
    scene = mi.load_dict(described)
    return np.stack([np.array(mi.render(scene, spp=samples, seed=seed))[..., :3] for seed in range(passes)])
