"""Meshes that get texture coordinates where their file gives none, as their materials ask for it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from fenrain.core.geometry import Mesh
from fenrain.core.material import Material
from fenrain.core.projections import Projection, projected


def projections_of(materials: Iterable[Material]) -> dict[str, Projection]:
    """By the names of materials; of several of one name the first."""
    found: dict[str, Projection] = {}
    for material in materials:
        if material.geometry.projection is not None:
            found.setdefault(material.name, material.geometry.projection)
    return found


def with_coordinates(meshes: Sequence[Mesh], projections: Mapping[str, Projection], bare: str = "") -> list[Mesh]:
    """bare: name of the material of meshes that name none."""
    return [
        projected(mesh, projections[mesh.material or bare]) if not mesh.has_uvs and (mesh.material or bare) in projections else mesh
        for mesh in meshes
    ]
