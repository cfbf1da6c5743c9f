"""What carries the materials of a GLB: the meshes of the asset that they came with, or a sphere each."""

from __future__ import annotations

import copy
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from fenrain.core.formats.coordinates import projections_of, with_coordinates
from fenrain.core.formats.gltf.container import Container, open_container
from fenrain.core.formats.gltf.coordinates import lay_coordinates
from fenrain.core.formats.gltf.geometry import worlds_of_meshes
from fenrain.core.formats.gltf.glb_file import MESHOPT, GlbFile, is_mentioned
from fenrain.core.formats.gltf.meshes import require_meshes
from fenrain.core.formats.obj_meshes import default_name
from fenrain.core.formats.reading import read_meshes
from fenrain.core.formats.registry import mesh_readers
from fenrain.core.geometry import sphere
from fenrain.core.material import Material, unit_of
from fenrain.core.projections import Projection

VARIANTS = "KHR_materials_variants"


@dataclass(frozen=True)
class CarriedAsset:
    """indices: the new index of each of a glTF asset's materials by its old one; extras: what it says beside them, by the old one."""

    indices: Mapping[int, int]
    extras: Mapping[int, Any]


def lay_meshes(glb: GlbFile, materials: Sequence[Material], places: Sequence[int], asset: Path | None) -> CarriedAsset:
    """Lay the asset's own meshes, or a sphere for each material where it has none, or none with a face. places: of each of the materials in
    the file."""
    if asset is not None and asset.suffix.lower() in (".glb", ".gltf"):
        projections = {one.source.index: one.geometry.projection for one in materials if one.geometry.projection is not None}
        extras = _take_over(glb, asset, projections)
        indices = {material.source.index: place for place, material in reversed(list(zip(places, materials, strict=True)))}
        return CarriedAsset(indices, extras)  # of an original and its variants, the first carries the meshes
    names = {material.name: place for place, material in reversed(list(zip(places, materials, strict=True)))}
    meshes = read_meshes(asset, asset.parent) if asset is not None and asset.suffix.lower() in mesh_readers() else []
    if asset is not None and meshes:
        metres = unit_of(materials)
        laid = with_coordinates(meshes, projections_of(materials), default_name(asset))
        scaled = [replace(mesh, positions=mesh.positions * metres) for mesh in laid]
        glb.add_meshes([(mesh, names.get(mesh.material or default_name(asset)), (0.0, 0.0, 0.0)) for mesh in scaled])
    else:
        spheres = enumerate(zip(places, materials, strict=True))
        glb.add_meshes([(sphere(material.name), place, (2.4 * index, 0.0, 0.0)) for index, (place, material) in spheres])
    return CarriedAsset({}, {})


def _take_over(glb: GlbFile, asset: Path, projections: Mapping[int, Projection]) -> dict[int, Any]:
    """The asset's document without its materials and images; what it says beside them stays as it is, and only the buffer views that
    something still uses are copied. projections: how meshes without texture coordinates get some, by the index of their material. Returns
    the extras of its materials, by their index."""
    container = open_container(asset, asset.parent)
    require_meshes(container)
    document = copy.deepcopy(dict(container.document))
    extras = {
        index: entry["extras"]
        for index, entry in enumerate(container.list_of("materials"))
        if isinstance(entry, dict) and "extras" in entry
    }
    for key in ("materials", "textures", "images", "samplers", "buffers", "bufferViews"):
        document.pop(key, None)
    kept: dict[int, int] = {}
    document["bufferViews"] = []
    glb.document = document

    def keep(index: int) -> int:
        if index not in kept:
            kept[index] = _copy_view(glb, container, index)
        return kept[index]

    for key in list(document):
        if key != "bufferViews":
            _replace_key(document[key], "bufferView", keep)
    worlds = worlds_of_meshes(container) if projections else {}
    for index, mesh in enumerate(document.get("meshes", []) if projections else []):
        for primitive in mesh["primitives"]:
            projection = projections.get(primitive.get("material", -1))
            if projection is not None:
                lay_coordinates(glb, container, primitive, projection, worlds.get(index, np.eye(4)))
    document["extensionsUsed"] = [name for name in document.get("extensionsUsed", []) if is_mentioned(document, name)]
    document["extensionsRequired"] = [name for name in document.get("extensionsRequired", []) if name in document["extensionsUsed"]]
    return extras


def _copy_view(glb: GlbFile, container: Container, index: int) -> int:
    """A buffer view of the asset with its bytes and all that it says; one that is compressed stays so (EXT_meshopt_compression)."""
    place = f"bufferViews/{index}"
    view = dict(container.item("bufferViews", index, place))
    said = {key: view[key] for key in view.keys() - {"buffer", "byteOffset", "byteLength"}}
    packed = view.get("extensions", {}).get(MESHOPT) if isinstance(view.get("extensions"), dict) else None
    if packed is None:
        return glb.view(container.bytes_of(index, place), **said)
    offset = glb.lay(container.bytes_of_buffer(packed, f"{place}/{MESHOPT}"))
    said["extensions"] = {**view["extensions"], MESHOPT: {**packed, "buffer": 0, "byteOffset": offset}}
    # What it unpacks to needs no bytes here: it lies in a buffer that only says how large it is.
    entry = {"buffer": 1, "byteOffset": glb.unpacked, "byteLength": view["byteLength"], **said}
    glb.unpacked += view["byteLength"] + -view["byteLength"] % 4
    return glb.add("bufferViews", entry)


def point_meshes(glb: GlbFile, asset: CarriedAsset) -> None:
    """Point the meshes at the new materials, those of variants too, and give these what the asset said beside the old ones."""
    if not asset.indices:
        return
    for mesh in glb.document.get("meshes", []):
        for primitive in mesh.get("primitives", []):
            new = asset.indices.get(primitive.pop("material", -1))
            if new is not None:
                primitive["material"] = new
            _point_variants(primitive, asset.indices)
    for old, extras in asset.extras.items():
        if old in asset.indices:
            entry = glb.document["materials"][asset.indices[old]]
            own = entry.get("extras", {})
            entry["extras"] = {**extras, **own} if isinstance(extras, dict) else own or extras


def _point_variants(primitive: dict[str, Any], indices: Mapping[int, int]) -> None:
    """Point a primitive's variants at the new materials; one whose material is not written is shown as without it."""
    block = primitive.get("extensions", {}).get(VARIANTS)
    if not isinstance(block, dict) or not isinstance(block.get("mappings"), list):
        return
    known = [one for one in block["mappings"] if isinstance(one, dict) and one.get("material") in indices]
    block["mappings"] = [{**one, "material": indices[one["material"]]} for one in known]
    if not known:
        del primitive["extensions"][VARIANTS]
        if not primitive["extensions"]:
            del primitive["extensions"]


def _replace_key(node: Any, key: str, change: Callable[[int], int]) -> None:
    """Change every whole number that stands under a key, anywhere below a node of the document but in extras, which are nobody's but their
    writer's."""
    if isinstance(node, dict):
        for name, child in node.items():
            if name == "extras":
                continue
            if name == key and isinstance(child, int):
                node[name] = change(child)
            else:
                _replace_key(child, key, change)
    elif isinstance(node, list):
        for child in node:
            _replace_key(child, key, change)
