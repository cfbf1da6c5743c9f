"""Meshes that somebody brings as stands: brought to the size of a stand, with one material in its place and all else around it in grey."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np

from fenrain.core.errors import InputError
from fenrain.core.formats.reading import read_meshes
from fenrain.core.geometry import Mesh, joined
from fenrain.core.projections import Projection, ProjectionKind, projected
from fenrain.core.rendering.stands.registry import METRES, OPENED, Prop, Stand

PREFIX = "mesh-"
"""How ids of such stands begin; the digest of the file, and of the material's name, follow."""
RADIUS = 1.15
"""Of the sphere that the mesh is brought into."""
ROOM = 1.25
"""How much wider than the look the picture is."""
Place = tuple[float, float, float]
BOX = Projection(ProjectionKind.BOX)
AROUND = 0.3
"""Reflectance of what carries other materials."""


def mesh_key(digest: str) -> str:
    """How the ids of all stands begin that a file of this digest makes."""
    return f"{PREFIX}{digest[:16]}"


def mesh_stand_id(digest: str, material: str, unit: float, projection: Projection | None = None) -> str:
    """Of the stand that it makes for a material, of a file with this unit of length and this projection."""
    said = f"{material} {unit:g}" if projection is None else f"{material} {unit:g} {projection}"
    return f"{mesh_key(digest)}-{hashlib.sha256(said.encode()).hexdigest()[:8]}"


def open_mesh(path: Path, root: Path, title: str, material: str, unit: float = 0.0, projection: Projection | None = None) -> Stand:
    """The stand of a file with meshes, on which lengths of a material count as in the file. material: the one whose triangles carry the
    look, all of them where the file names it nowhere; unit: metres of the file's unit of length, 0 where nobody knows; projection: how
    meshes without texture coordinates get some, by a box where nobody said.

    Raises UnknownFormatError, BrokenFileError, MissingFileError, UnsafePathError, InputError for a file without triangles.
    """
    laid = [mesh if mesh.has_uvs else projected(mesh, projection or BOX) for mesh in read_meshes(path, root) if len(mesh.triangles)]
    meshes, scale = _fitted(laid, path)
    own = [mesh for mesh in meshes if mesh.material == material]
    others = [mesh for mesh in meshes if mesh.material != material] if own else []
    body = joined(title, own or meshes)
    props = tuple(Prop(mesh, AROUND) for mesh in others)
    floor = float(min(mesh.positions[:, 1].min() for mesh in meshes)) - 0.004
    says = f"own mesh, {len(body.triangles):,} triangles with this material" if own else "own mesh, the material on all of it"
    camera = _camera(body)
    stand_id = mesh_stand_id(hashlib.sha256(path.read_bytes()).hexdigest(), material, unit, projection)
    metres = unit / scale if unit else METRES
    return OPENED.keep(Stand(stand_id, title, says, lambda: body, floor, camera, 100, props=lambda: props, unit=scale, metres=metres))


def _camera(body: Mesh) -> tuple[Place, Place]:
    """(eye, target): on the look, from the side on which it lies, so that what lies around it seldom stands before it."""
    places = body.positions[np.unique(body.triangles)]
    low, high = places.min(axis=0), places.max(axis=0)
    target, radius = 0.5 * (low + high), 0.5 * float(np.linalg.norm(high - low))
    away = np.array([target[0], 0.0, target[2]])
    length = float(np.linalg.norm(away))
    away = away / length if length > 0.1 * radius else np.array([0.0, 0.0, 1.0])
    distance = float(np.clip(ROOM * radius / np.tan(np.radians(13.0)), 0.8, 5.2))
    eye = target + distance * (away + np.array([0.0, 0.6, 0.0]))
    return (float(eye[0]), float(eye[1]), float(eye[2])), (float(target[0]), float(target[1]), float(target[2]))


def _fitted(meshes: Sequence[Mesh], path: Path) -> tuple[list[Mesh], float]:
    """About the origin and as large as a stand, without triangles that are none; and by how much they are scaled."""
    kept = [mesh for mesh in meshes if len(mesh.triangles) and np.isfinite(mesh.positions).all()]
    if not kept:
        raise InputError(f"“{path.name}” has no triangles.", place=path.name, remedy="Upload a file with meshes.")
    places = np.concatenate([mesh.positions[np.unique(mesh.triangles)] for mesh in kept])
    low, high = places.min(axis=0), places.max(axis=0)
    middle, radius = 0.5 * (low + high), max(0.5 * float(np.linalg.norm(high - low)), 1e-9)
    scale = RADIUS / radius
    return [replace(mesh, positions=(mesh.positions - middle) * scale) for mesh in kept], scale
