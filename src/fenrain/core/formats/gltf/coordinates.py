"""Texture coordinates for a primitive of glTF that has none: its vertices parted at seams, with all that they carry (glTF 2.0 §3.7.2)."""

from __future__ import annotations

from typing import Any

import numpy as np

from fenrain.core.formats.gltf.container import Container
from fenrain.core.formats.gltf.geometry import PACKED, TRIANGLES, numbers_of, primitive_mesh
from fenrain.core.formats.gltf.glb_file import GlbFile
from fenrain.core.projections import Projection, lay_out

SAID = ("componentType", "type", "normalized", "name", "min", "max", "extras")
"""By an accessor beside where its rows lie and how many they are."""


def lay_coordinates(glb: GlbFile, container: Container, primitive: dict[str, Any], projection: Projection, world: np.ndarray) -> None:
    """Lay them in place, where the primitive is made of triangles that are not compressed. world: where its mesh lies in the scene, (4, 4),
    by which it is drawn as well."""
    attributes = primitive.get("attributes", {})
    if "TEXCOORD_0" in attributes or any(name in primitive.get("extensions", {}) for name in PACKED):
        return
    mesh = primitive_mesh(container, primitive, "meshes")
    if mesh is None:
        return
    attributes.pop("TANGENT", None)  # runs along texture coordinates, of which there were none
    layout = lay_out(mesh.positions @ world[:3, :3].T + world[:3, 3], mesh.triangles, projection)
    for holder in (attributes, *primitive.get("targets", [])):
        for name, index in holder.items():
            holder[name] = _parted(glb, container, index, layout.vertices)
    attributes["TEXCOORD_0"] = glb.places(layout.uvs)
    primitive["indices"] = glb.indices(layout.triangles)
    primitive["mode"] = TRIANGLES


def _parted(glb: GlbFile, container: Container, index: int, vertices: np.ndarray) -> int:
    """Index of an accessor that holds the rows of another one, those of parted vertices as often as they are needed."""
    stated = container.item("accessors", index, "accessors")
    rows = numbers_of(container, index, f"accessors/{index}")[vertices]
    return glb.rows(rows, {key: stated[key] for key in SAID if key in stated})
