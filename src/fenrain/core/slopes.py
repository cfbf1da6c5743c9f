"""What only the mesh that carries a material says: how far it faces up at each place, which becomes the mask of a mix by slope; and how
long a step of its UVs is, for maps that have a size."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from fenrain.core.findings import note
from fenrain.core.geometry import Mesh, joined, uv_spans
from fenrain.core.maps.image import png_bytes
from fenrain.core.maps.on_mesh import drawn_in_uvs
from fenrain.core.material import SIZES_OF_MAPS, Material
from fenrain.core.models.mix.parameters import EVENLY, SLOPE, Mix
from fenrain.core.models.mix.surface import slope_share
from fenrain.core.models.registry import model_of
from fenrain.core.values import Computed, Constant, Image, Map, Value

EDGE = 1024
"""Texels on the edge of the mask; a target profile makes it smaller."""


def follows_slope(material: Material) -> bool:
    """Whether a mix, or one of its parts, is blended by slope."""
    own = material.model == "mix" and material.value("blend_by") == Constant(SLOPE)
    return own or any(follows_slope(part) for part in material.parts)


def drawn_on_meshes(materials: Sequence[Material], meshes: Sequence[Mesh], edge: int = EDGE) -> list[Material]:
    """The materials, with masks in place of slopes where a mesh carries a mix by its name, which each says among its findings; and with the
    length of a step of its UVs where maps have a size."""
    carriers = [[mesh for mesh in meshes if mesh.material == material.name] for material in materials]
    return [_on_mesh(_spanned(material, own), own, edge) for material, own in zip(materials, carriers, strict=True)]


def has_size(material: Material) -> bool:
    """Whether it, or a part of it, states how large its maps are in metres."""
    by_role = model_of(material.model).by_role
    own = any(role in by_role and by_role[role].name in material.values for role in SIZES_OF_MAPS)
    return own or any(has_size(part) for part in material.parts)


def _spanned(material: Material, carriers: Sequence[Mesh]) -> Material:
    laid = [mesh for mesh in carriers if mesh.has_uvs and len(mesh.triangles)]
    if not laid or not has_size(material):
        return material
    metres = material.geometry.unit or 1.0
    along_u, along_v = uv_spans(joined(material.name, laid))
    return replace(material, geometry=replace(material.geometry, spans=(along_u * metres, along_v * metres)))


def _on_mesh(material: Material, carriers: Sequence[Mesh], edge: int) -> Material:
    if not carriers or not follows_slope(material):
        return material
    mesh = joined(material.name, carriers)
    said = note(
        "slopes-drawn",
        f"Its mix by slope is a mask now, drawn on {', '.join(sorted({one.name for one in carriers}))}.",
        parameter="amount",
        evidence=f"{len(mesh.triangles):,} triangles, {edge} × {edge} texels",
        remedy="It holds for this mesh alone.",
    )
    return replace(_masked(material, mesh, edge), findings=(*material.findings, said))


def _masked(material: Material, mesh: Mesh, edge: int) -> Material:
    parts = tuple(_masked(part, mesh, edge) for part in material.parts)
    if material.model != "mix" or material.value("blend_by") != Constant(SLOPE):
        return replace(material, parts=parts)
    mask = _mask(material, mesh, edge)
    return replace(material.having(amount=_times(material.value("amount"), mask), blend_by=Constant(EVENLY)), parts=parts)


def _mask(material: Material, mesh: Mesh, edge: int) -> Map:
    ends = {name: np.asarray(material.value(name).value, dtype=float) for name in ("slope_from", "slope_to")}  # type: ignore[union-attr]
    upward = drawn_in_uvs(mesh, mesh.normals, edge)
    upward = upward[..., 1:2] / np.maximum(np.linalg.norm(upward, axis=-1, keepdims=True), 1e-9)
    view = Mix(ends)
    view.up = upward
    data = png_bytes(np.asarray(slope_share(view)))
    return Map(Image(f"{material.name} slopes {hashlib.sha256(data).hexdigest()[:8]}.png", data=data), "r")


def _times(amount: Value, mask: Map) -> Value:
    if isinstance(amount, Constant):
        return replace(mask, scale=float(amount.value))  # type: ignore[arg-type]
    return Computed("nodes.multiply", "out", (("in1", amount), ("in2", mask)))
