"""Takes the picture of a kit."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from fenrain.core.colour import linear_to_srgb
from fenrain.core.errors import InputError
from fenrain.core.formats.gltf.container import open_container
from fenrain.core.formats.reading import read, read_meshes
from fenrain.core.geometry import Mesh, uv_spans
from fenrain.core.maps.image import write_linear, write_png
from fenrain.core.material import Material
from fenrain.core.models.registry import model_of
from fenrain.core.outside.cards import PAINTS
from fenrain.core.outside.kit import CONVERTED, LIGHT, ORIGINAL, Kit, open_kit
from fenrain.core.outside.picture import read_picture
from fenrain.core.outside.scene import prop_name
from fenrain.core.rendering.engine import mi
from fenrain.core.rendering.stage import engine_mesh
from fenrain.core.rendering.stands.registry import TILES, Spans
from fenrain.core.values import Constant
from fenrain.standin.bsdf import bsdf_of, glow_of
from fenrain.standin.habits import Habits

Z_UP = np.array([[1.0, 0.0, 0.0, 0.0], [0.0, 0.0, -1.0, 0.0], [0.0, 1.0, 0.0, 0.0], [0.0, 0.0, 0.0, 1.0]])
"""From a world with y up to its own."""
DEPTH = 12


def take_picture(folder: Path, path: Path, shows: str, habits: Habits, width: int = 0) -> None:
    """Render a kit's scene and write the picture, OpenEXR or PNG. shows: original or converted; width: in pixels, the kit's own where 0.
    Raises InputError, and what `open_kit` raises."""
    kit = open_kit(folder)
    size = (width, round(width / kit.layout.frame.aspect)) if width else (kit.stated.width, kit.stated.height)
    picture = _rendered(kit, shows, habits, size) * 2.0**habits.exposure * np.asarray(habits.white)
    if habits.curve:
        picture = linear_to_srgb(picture)
    if path.suffix.lower() == ".exr":
        write_linear(path, picture)
    else:
        write_png(path, picture if habits.curve else linear_to_srgb(picture))


def _rendered(kit: Kit, shows: str, habits: Habits, size: tuple[int, int]) -> np.ndarray:
    # Read here: the engine's own reader waits for ever where it has a single thread.
    light = mi.Bitmap(read_picture(kit.folder / LIGHT).pixels)
    scene: dict[str, Any] = {
        "type": "scene",
        "integrator": {"type": "path", "max_depth": DEPTH},
        "sensor": _camera(kit, habits, size),
        "light": {"type": "envmap", "bitmap": light, "to_world": mi.ScalarTransform4f(_light_frame(habits))},
    }
    materials = dict(zip(kit.names, _materials(kit, shows, habits), strict=True))
    paints = {paint.name: (paint.reflectance, paint.glow) for paint in PAINTS}
    paints |= {name: (reflectance, (0.0,) * 3) for name, reflectance in zip(("ground_dark", "ground_light"), TILES, strict=True)}
    paints |= {prop_name(at): (reflectance, (glow,) * 3) for at, (reflectance, glow) in enumerate(kit.stated.stand.props)}
    for index, mesh in enumerate(read_meshes(kit.folder / "scene.glb", kit.folder)):
        if mesh.material in materials:
            material = materials[mesh.material]
            along_u, along_v = uv_spans(mesh)
            metres = kit.stated.stand.metres
            bsdf = bsdf_of(material, f"body {index}", Spans(metres * along_u, metres * along_v, kit.stated.stand.unit))
            scene[f"shape{index}"] = _shape(mesh, bsdf, glow_of(material, habits.glow))
        else:
            reflectance, glow = paints[mesh.material]
            matt = {"type": "twosided", "bsdf": {"type": "diffuse", "reflectance": {"type": "rgb", "value": [reflectance] * 3}}}
            own = {"type": "rgb", "value": [float(part) for part in glow]} if any(glow) else None
            scene[f"shape{index}"] = _shape(mesh, matt, own)
    loaded = mi.load_dict(scene, optimize=False)
    return np.asarray(mi.render(loaded, spp=habits.samples, seed=habits.seed), dtype=np.float32)[..., :3]


def _shape(mesh: Mesh, bsdf: Any, glow: Any) -> Any:
    """glow: own light, a texture, or None."""
    props = mi.Properties()
    held = bsdf if not isinstance(bsdf, dict) else mi.load_dict(bsdf)
    props["bsdf"] = held
    if glow is not None:
        props["emitter"] = mi.load_dict({"type": "area", "radiance": glow})
    upright = replace(mesh, positions=mesh.positions @ Z_UP[:3, :3].T, normals=mesh.normals @ Z_UP[:3, :3].T)
    return engine_mesh(upright, props)


def _materials(kit: Kit, shows: str, habits: Habits) -> list[Material]:
    if shows not in (ORIGINAL, CONVERTED):
        raise InputError(f"A picture shows “{ORIGINAL}” or “{CONVERTED}”, not “{shows}”.", place="--shows")
    found = []
    written = _written(kit) if shows == CONVERTED else {}
    for pair in kit.pairs:
        material = pair.original if shows == ORIGINAL else written.get(pair.original.name, pair.converted)
        if material is None:
            raise InputError("This kit holds no converted materials.", place="--shows", remedy=f"Render “{ORIGINAL}”.")
        known = model_of(material.model).by_name
        wrong = {name: Constant(value) for (of, name), value in habits.values.items() if of == material.name and name in known}
        found.append(material.having(**wrong))
    return found


def _written(kit: Kit) -> dict[str, Material]:
    """The converted materials as the kit's file of them holds them, by name."""
    paths = sorted((kit.folder / CONVERTED).glob(f"{CONVERTED}.*"))
    return {material.name: material for path in paths if path.suffix != ".obj" for material in read(path)}


def _camera(kit: Kit, habits: Habits, size: tuple[int, int]) -> dict[str, Any]:
    """From the camera of the kit's GLB."""
    document = open_container(kit.folder / "scene.glb", kit.folder).document
    node = next(node for node in document["nodes"] if "camera" in node)
    view = np.array(node["matrix"], dtype=float).reshape(4, 4).T
    field_of_view = 2.0 * np.arctan(np.tan(0.5 * document["cameras"][0]["perspective"]["yfov"]) / habits.scale)
    # glTF looks along −z with x to the right; the engine along +z with x to the left.
    about = np.diag([-1.0, 1.0, -1.0, 1.0])
    c, s = np.cos(np.radians(habits.roll)), np.sin(np.radians(habits.roll))
    roll = np.array([[c, s, 0.0, 0.0], [-s, c, 0.0, 0.0], [0.0, 0.0, 1.0, 0.0], [0.0, 0.0, 0.0, 1.0]])
    return {
        "type": "perspective",
        "fov": float(np.degrees(field_of_view)),
        "fov_axis": "y",
        "principal_point_offset_x": -habits.shift[0] / size[0],
        "principal_point_offset_y": -habits.shift[1] / size[1],
        "to_world": mi.ScalarTransform4f(Z_UP @ view @ about @ roll),
        "film": {
            "type": "hdrfilm",
            "width": size[0],
            "height": size[1],
            "pixel_format": "rgb",
            "rfilter": {"type": "gaussian", "stddev": 0.4},
        },
        "sampler": {"type": "multijitter"},
    }


def _light_frame(habits: Habits) -> np.ndarray:
    """How its light lies in its world."""
    c, s = np.cos(np.radians(habits.turn_light)), np.sin(np.radians(habits.turn_light))
    turn = np.array([[c, 0.0, s, 0.0], [0.0, 1.0, 0.0, 0.0], [-s, 0.0, c, 0.0], [0.0, 0.0, 0.0, 1.0]])
    mirror = np.diag([-1.0 if habits.mirror_light else 1.0, 1.0, 1.0, 1.0])
    return Z_UP @ turn @ mirror
