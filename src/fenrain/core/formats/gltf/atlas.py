"""Many flat colours in one small texture: their meshes are given places on it, and are drawn together (common practice)."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

import numpy as np

from fenrain.core.colour import linear_to_srgb
from fenrain.core.formats.gltf.glb_file import GlbFile
from fenrain.core.maps.image import write_png

CELL = 4
"""Texels on an edge of a colour: a renderer that blends neighbours never reaches the next one."""
FLAT_KEYS = {"name", "pbrMetallicRoughness", "extras"}
FLAT_FACTORS = {"baseColorFactor", "metallicFactor", "roughnessFactor"}


def lay_on_atlas(glb: GlbFile, scratch: Path) -> None:
    """Put the materials that are one opaque colour, roughness and metallic each into one material with a texture, where there are several;
    the others keep their order behind it. `extras` of the one names them."""
    materials: list[dict[str, Any]] = glb.document.get("materials", [])
    flat = [index for index, entry in enumerate(materials) if _is_flat(entry) and index not in _in_variants(glb.document)]
    if len(flat) < 2:
        return
    columns = 1 << math.ceil(math.log2(math.ceil(math.sqrt(len(flat)))))
    colours, packed = (np.zeros((columns * CELL, columns * CELL, 3)) for _ in range(2))
    places: dict[int, tuple[float, float]] = {}
    for cell, index in enumerate(flat):
        row, column = divmod(cell, columns)
        block = np.s_[row * CELL : (row + 1) * CELL, column * CELL : (column + 1) * CELL]
        factors = materials[index].get("pbrMetallicRoughness", {})
        colours[block] = linear_to_srgb(np.array(factors.get("baseColorFactor", (1.0, 1.0, 1.0, 1.0))[:3]))
        packed[block] = 1.0, factors.get("roughnessFactor", 1.0), factors.get("metallicFactor", 1.0)
        places[index] = (column + 0.5) / columns, (row + 0.5) / columns
    core = {}
    for key, texels in (("baseColorTexture", colours), ("metallicRoughnessTexture", packed)):
        file = scratch / f"{key}.png"
        write_png(file, texels)
        core[key] = {"index": glb.texture(file.read_bytes(), "image/png", "atlas")}
    names = [str(materials[index].get("name", "")) for index in flat]
    atlas = {"name": f"{len(flat)} colours", "pbrMetallicRoughness": core, "extras": {"colours": names}}
    kept = [index for index in range(len(materials)) if index not in places]
    new = dict.fromkeys(places, 0) | {index: at for at, index in enumerate(kept, 1)}
    glb.document["materials"] = [atlas, *(materials[index] for index in kept)]
    _point_meshes(glb, new, places)


def _is_flat(entry: dict[str, Any]) -> bool:
    factors = entry.get("pbrMetallicRoughness", {})
    adjustable = isinstance(entry.get("extras"), dict) and "adjustable" in entry["extras"]
    return (
        not adjustable
        and entry.keys() <= FLAT_KEYS
        and factors.keys() <= FLAT_FACTORS
        and factors.get("baseColorFactor", [1.0] * 4)[3] == 1.0
    )


def _in_variants(document: dict[str, Any]) -> set[int]:
    """The materials that variants show, which stay apart."""
    return {mapping["material"] for _, mapping in _mappings(document)}


def _mappings(document: dict[str, Any]) -> list[tuple[dict[str, Any], dict[str, Any]]]:
    """(primitive, mapping) of every variant."""
    return [
        (primitive, mapping)
        for mesh in document.get("meshes", [])
        for primitive in mesh["primitives"]
        for mapping in primitive.get("extensions", {}).get("KHR_materials_variants", {}).get("mappings", [])
    ]


def _point_meshes(glb: GlbFile, new: dict[int, int], places: dict[int, tuple[float, float]]) -> None:
    made: dict[tuple[int, int], int] = {}
    for _, mapping in _mappings(glb.document):
        mapping["material"] = new[mapping["material"]]
    for mesh in glb.document.get("meshes", []):
        for primitive in mesh["primitives"]:
            old = primitive.get("material")
            if old is None:
                continue
            primitive["material"] = new[old]
            if old in places:
                count = glb.document["accessors"][primitive["attributes"]["POSITION"]]["count"]
                if (old, count) not in made:
                    made[old, count] = glb.places(np.tile(places[old], (count, 1)))
                primitive["attributes"] = {**primitive["attributes"], "TEXCOORD_0": made[old, count]}
