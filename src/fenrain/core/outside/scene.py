"""The scene of a kit as files: meshes with the names of their materials, the camera, and the light where a format carries it."""

from __future__ import annotations

import json
import math
import struct
import tempfile
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from pxr import Gf, Sdf, Usd, UsdGeom, UsdLux

from fenrain.core.conversion.engine import convert
from fenrain.core.files import write_whole
from fenrain.core.formats.format import Format
from fenrain.core.formats.gltf.container import BINARY_CHUNK, GLB_MAGIC, JSON_CHUNK, open_container
from fenrain.core.formats.obj_meshes import write_meshes
from fenrain.core.formats.writing import write
from fenrain.core.geometry import Mesh
from fenrain.core.material import Material
from fenrain.core.models.target import Profile
from fenrain.core.outside.cards import PAINTS, Paint, card_meshes
from fenrain.core.outside.layout import Frame, Layout, Tile
from fenrain.core.rendering.stands.registry import GROUND_REACH, TILES, Stand

HALF_TILE = 0.5
"""Edge of a tile of the ground, scene units."""
GREY = 0.5
"""Reflectance of what stands for a material in the bare scene."""


@dataclass(frozen=True)
class Scene:
    """meshes: all there is, named and with the names of their materials; paints: what is matt and belongs to no material under check, by
    those names; bodies: names of the materials under check, in the order of the tiles."""

    meshes: tuple[Mesh, ...]
    paints: tuple[Paint, ...]
    bodies: tuple[str, ...]


def scene_of(stand: Stand, layout: Layout, names: Sequence[str]) -> Scene:
    """names: of the materials, one for each tile, all different."""
    body = stand.mesh()
    bodies = [
        replace(body, name=body_name(index), positions=body.positions + np.array(tile.offset), material=name)
        for index, (tile, name) in enumerate(zip(layout.tiles, names, strict=True))
    ]
    meshes, paints = [*bodies, *card_meshes(layout.cards, layout.frame)], list(PAINTS) if layout.cards else []
    if layout.has_ground:
        meshes += _ground(stand.floor)
        paints += [Paint(_tile_name(index), reflectance, (0.0, 0.0, 0.0)) for index, reflectance in enumerate(TILES)]
        for index, prop in enumerate(stand.props()):
            paint = Paint(prop_name(index), prop.reflectance, (prop.glow,) * 3)
            meshes.append(replace(prop.mesh, name=paint.name, material=paint.name))
            paints.append(paint)
    return Scene(tuple(meshes), tuple(paints), tuple(names))


def body_name(index: int) -> str:
    return f"body_{index + 1:02}"


def prop_name(index: int) -> str:
    return f"prop_{index + 1:02}"


def _tile_name(index: int) -> str:
    return ("ground_dark", "ground_light")[index]


def _ground(floor: float) -> list[Mesh]:
    """The tiles of each reflectance as one mesh."""
    steps = np.arange(-GROUND_REACH, GROUND_REACH, HALF_TILE)
    x, z = (axis.ravel() for axis in np.meshgrid(steps, steps))
    is_even = (np.mod(x, 1.0) >= HALF_TILE) != (np.mod(z, 1.0) >= HALF_TILE)
    found = []
    for index, chosen in enumerate((is_even, ~is_even)):
        left, back = x[chosen], z[chosen]
        corners = np.stack(
            [np.stack([left + dx, np.full(len(left), floor), back + dz], axis=-1) for dx, dz in ((0, 0), (0, 1), (1, 1), (1, 0))], axis=1
        )
        corners[..., 0] = left[:, None] + HALF_TILE * np.array([0, 0, 1, 1])
        corners[..., 2] = back[:, None] + HALF_TILE * np.array([0, 1, 1, 0])
        positions = corners.reshape(-1, 3)
        first = 4 * np.arange(len(left))[:, None]
        triangles = np.concatenate([first + np.array(corner) for corner in ((0, 1, 2), (0, 2, 3))])
        normals, uvs = np.tile([0.0, 1.0, 0.0], (len(positions), 1)), np.tile([(0.0, 0.0), (0, 1), (1, 1), (1, 0)], (len(left), 1))
        found.append(Mesh(_tile_name(index), positions, normals, uvs, triangles, _tile_name(index)))
    return found


def painted(paint: Paint, model: str, profile: Profile | None = None) -> Material:
    """A paint as a material of any model that can be converted to."""
    glows = any(paint.glow)
    values = {"base_color": (paint.reflectance,) * 3, "specular_weight": 0.0, "emission_luminance": float(glows)}
    material = Material.of(paint.name, "open_pbr", {**values, "emission_color": paint.glow if glows else (1.0, 1.0, 1.0)})
    return convert(material, model, profile).material


def write_scene(folder: Path, scene: Scene, frame: Frame, light: str) -> list[Path]:
    """The bare scene as OBJ, GLB and USD, grey where materials belong. light: the file of the light beside it."""
    obj, glb, usd = (folder / f"scene.{suffix}" for suffix in ("obj", "glb", "usda"))
    write_meshes(obj, scene.meshes)
    grey = [Paint(name, GREY, (0.0, 0.0, 0.0)) for name in scene.bodies]
    for path, model, format_id in ((glb, "metal_rough", "gltf"), (usd, "preview", "usd")):
        write([painted(paint, model) for paint in (*scene.paints, *grey)], path, format_id, obj)
    add_camera_to_glb(glb, frame)
    add_camera_to_usd(usd, frame, light)
    return [obj, glb, usd]


def write_materials(
    folder: Path, stem: str, materials: Sequence[Material], scene: Scene, chosen: Format, frame: Frame, profile: Profile
) -> list[Path]:
    """Materials of one model in a format of their own; on the scene's meshes where the format carries meshes."""
    path, obj = folder / f"{stem}{chosen.suffixes[0]}", folder.parent / "scene.obj"
    model = materials[0].model
    if chosen.meshes is None and path.suffix != ".mtl":
        return write(materials, path, chosen.id, None, profile)
    around = [painted(paint, model, profile) for paint in scene.paints]
    missing = [
        painted(Paint(name, GREY, (0.0, 0.0, 0.0)), model, profile) for name in scene.bodies if name not in {one.name for one in materials}
    ]
    written = write([*materials, *around, *missing], path, chosen.id, obj if chosen.meshes is not None else None, profile)
    if path.suffix == ".mtl":
        write_meshes(path.with_suffix(".obj"), scene.meshes, path.name)
        return [path.with_suffix(".obj"), *written]
    if path.suffix == ".glb":
        add_camera_to_glb(path, frame)
    elif chosen.id == "usd":
        add_camera_to_usd(path, frame, "../light.exr")
    return written


def write_on_stand(path: Path, material: Material, stand: Stand, profile: Profile) -> None:
    """Write a material on a stand as a GLB with the stand's camera, as a web viewer shows it beside our square pictures."""
    frame = Frame(*stand.camera, stand.field_of_view, 1.0)
    scene = scene_of(stand, Layout(frame, (Tile((0.0, 0.0, 0.0), (0.0, 0.0), 1.0),), (), True), [material.name])
    with tempfile.TemporaryDirectory(prefix="fenrain-scene-") as scratch:
        obj = Path(scratch) / "scene.obj"
        write_meshes(obj, scene.meshes)
        around = [painted(paint, material.model, profile) for paint in scene.paints]
        write([material, *around], path, "gltf", obj, profile)
    add_camera_to_glb(path, frame)


def add_camera_to_glb(path: Path, frame: Frame) -> None:
    """Put the camera into a GLB (glTF 2.0 §3.10), with what it looks at beside it."""
    container = open_container(path, path.parent)
    document, data = dict(container.document), path.read_bytes()
    assert container.binary is not None
    begin, length = container.binary
    forward, right, up = frame.axes
    turn = np.eye(4)
    turn[:3, :3], turn[:3, 3] = np.stack([right, up, -forward], axis=-1), frame.eye
    perspective = {"yfov": math.radians(frame.field_of_view), "aspectRatio": frame.aspect, "znear": 0.01, "zfar": 10_000.0}
    document["cameras"] = [{"name": "camera", "type": "perspective", "perspective": perspective}]
    node = {"name": "camera", "camera": 0, "matrix": turn.T.ravel().tolist(), "extras": {"target": list(frame.target)}}
    nodes = [*document.get("nodes", []), node]
    scenes = [dict(one) for one in document["scenes"]]
    scenes[0]["nodes"] = [*scenes[0].get("nodes", []), len(nodes) - 1]
    document |= {"nodes": nodes, "scenes": scenes}
    text = json.dumps(document, separators=(",", ":")).encode()
    text += b" " * (-len(text) % 4)
    chunks = struct.pack("<II", len(text), JSON_CHUNK) + text + struct.pack("<II", length, BINARY_CHUNK) + data[begin : begin + length]
    write_whole(path, GLB_MAGIC + struct.pack("<II", 2, 12 + len(chunks)) + chunks)


def add_camera_to_usd(path: Path, frame: Frame, light: str) -> None:
    """Put the camera and a dome that carries the light into a USD file. The vertical aperture is 24 mm, as of a small-format camera."""
    stage = Usd.Stage.Open(str(path))
    root = stage.GetDefaultPrim().GetPath() if stage.GetDefaultPrim() else Sdf.Path.absoluteRootPath
    camera = UsdGeom.Camera.Define(stage, root.AppendChild("camera"))
    aperture = 24.0
    camera.CreateVerticalApertureAttr(aperture)
    camera.CreateHorizontalApertureAttr(aperture * frame.aspect)
    camera.CreateFocalLengthAttr(aperture / (2.0 * frame.slope))
    camera.CreateClippingRangeAttr(Gf.Vec2f(0.01, 10_000.0))
    forward, right, up = frame.axes
    rows = [(*axis, 0.0) for axis in (right, up, -forward)] + [(*frame.eye, 1.0)]
    UsdGeom.Xformable(camera).AddTransformOp().Set(Gf.Matrix4d(*(float(number) for row in rows for number in row)))
    dome = UsdLux.DomeLight.Define(stage, root.AppendChild("light"))
    dome.CreateTextureFileAttr(light)
    dome.CreateTextureFormatAttr(UsdLux.Tokens.latlong)
    stage.GetRootLayer().Save()


def format_for_scene(material: Material, chosen: Sequence[Format]) -> Format | None:
    """The first format that writes the material's model as it is; what carries meshes goes first."""
    able = [one for one in chosen if one.write is not None and material.model in one.models]
    return min(able, key=lambda one: one.meshes is None, default=None)
