"""Texture coordinates for meshes that have none: by a plane, a box, a cylinder, a sphere, or the mesh unwrapped."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import lru_cache

import numpy as np

from fenrain.core.geometry import Mesh, uv_spans


class ProjectionKind(StrEnum):
    """How coordinates are found: by the thinnest side, by the side that each face looks to, round an upright axis, by longitude and
    latitude, or by cutting the mesh and laying it flat."""

    PLANE = "plane"
    BOX = "box"
    CYLINDER = "cylinder"
    SPHERE = "sphere"
    UNWRAP = "unwrap"


@dataclass(frozen=True)
class Projection:
    """size: length of a step of u and of v, in the unit of the mesh; 0 where an image covers the mesh once."""

    kind: ProjectionKind
    size: float = 0.0

    def __str__(self) -> str:
        return f"{self.kind}:{self.size:g}" if self.size else str(self.kind)


@dataclass(frozen=True)
class Layout:
    """A mesh with coordinates, of which seams part some vertices. vertices: of the mesh, which each new one was; uvs (n, 2), v downwards;
    triangles (m, 3) of new vertices."""

    vertices: np.ndarray
    uvs: np.ndarray
    triangles: np.ndarray


def projected(mesh: Mesh, projection: Projection) -> Mesh:
    """The mesh with these coordinates."""
    layout = lay_out(mesh.positions, mesh.triangles, projection)
    return replace(
        mesh,
        positions=mesh.positions[layout.vertices],
        normals=mesh.normals[layout.vertices],
        uvs=layout.uvs,
        triangles=layout.triangles,
        has_uvs=True,
    )


def lay_out(positions: np.ndarray, triangles: np.ndarray, projection: Projection) -> Layout:
    """positions (n, 3), y upwards; triangles (m, 3)."""
    if projection.kind is ProjectionKind.UNWRAP:
        return _unwrapped(positions, triangles, projection.size)
    corners = triangles.ravel().astype(np.int64)
    faces = np.repeat(np.arange(len(triangles)), 3)
    uvs = corner_coordinates(positions[corners], faces, projection)
    kept, places = np.unique(np.c_[corners, np.round(uvs, 7)], axis=0, return_inverse=True)
    return Layout(kept[:, 0].astype(np.int64), kept[:, 1:], places.reshape(-1, 3))


def corner_coordinates(places: np.ndarray, faces: np.ndarray, projection: Projection) -> np.ndarray:
    """Of every corner of some faces, (k, 2), v downwards. places (k, 3): where they lie; faces (k,): which face each is of, the corners of
    one after the other. Not for unwrapping."""
    low, high = places.min(axis=0), places.max(axis=0)
    return BY_KIND[projection.kind](places - 0.5 * (low + high), high - low, faces, projection.size)


RIGHT = np.array([[0, 0, -1], [0, 0, 1], [1, 0, 0], [1, 0, 0], [1, 0, 0], [-1, 0, 0]], float)
UP = np.array([[0, 1, 0], [0, 1, 0], [0, 0, -1], [0, 0, 1], [0, 1, 0], [0, 1, 0]], float)
"""Seen from without, of the sides +x, −x, +y, −y, +z, −z: what runs to the right, and what runs up."""


def _by_side(places: np.ndarray, sides: np.ndarray, step: float) -> np.ndarray:
    across, up = (np.einsum("kc,kc->k", places, table[sides]) for table in (RIGHT, UP))
    return np.stack([0.5 + across / step, 0.5 - up / step], axis=-1)


def _plane(places: np.ndarray, extent: np.ndarray, faces: np.ndarray, size: float) -> np.ndarray:
    # Of sides that are equally thin, the one that looks to the front.
    axis = 2 - int(np.argmin(extent[::-1]))
    step = size or max(float(np.delete(extent, axis).max()), 1e-12)
    return _by_side(places, np.full(len(places), 2 * axis), step)


def _box(places: np.ndarray, extent: np.ndarray, faces: np.ndarray, size: float) -> np.ndarray:
    normals = _face_normals(places, faces)
    axis = np.argmax(np.abs(normals), axis=1)
    behind = normals[np.arange(len(normals)), axis] < 0.0
    return _by_side(places, (2 * axis + behind)[faces], size or max(float(extent.max()), 1e-12))


def _cylinder(places: np.ndarray, extent: np.ndarray, faces: np.ndarray, size: float) -> np.ndarray:
    radius = 0.25 * float(extent[0] + extent[2])
    times = max(1, round(2.0 * np.pi * radius / size)) if size else 1
    down = 0.5 - places[:, 1] / (size or max(float(extent[1]), 1e-12))
    return np.stack([_round_axis(places, faces) * times, down], axis=-1)


def _sphere(places: np.ndarray, extent: np.ndarray, faces: np.ndarray, size: float) -> np.ndarray:
    radius = 0.5 * float(extent.max())
    times = max(1, round(2.0 * np.pi * radius / size)) if size else 1
    latitude = np.arctan2(places[:, 1], np.hypot(places[:, 0], places[:, 2]))
    down = 0.5 - latitude / np.pi
    return np.stack([_round_axis(places, faces) * times, down * (np.pi * radius / size if size else 1.0)], axis=-1)


BY_KIND: dict[ProjectionKind, Callable[[np.ndarray, np.ndarray, np.ndarray, float], np.ndarray]] = {
    ProjectionKind.PLANE: _plane,
    ProjectionKind.BOX: _box,
    ProjectionKind.CYLINDER: _cylinder,
    ProjectionKind.SPHERE: _sphere,
}


def _round_axis(places: np.ndarray, faces: np.ndarray) -> np.ndarray:
    """Turns about the upright axis, ½ at the front (+z), to the right as seen from without; of corners of a face that lies across the back,
    on one side of it. What lies on the axis turns with its face."""
    counts = np.bincount(faces)
    middle = np.stack([np.bincount(faces, places[:, axis]) for axis in (0, 2)], axis=-1) / np.maximum(counts, 1)[:, None]
    of_face = np.arctan2(middle[:, 0], middle[:, 1])[faces]
    angle = np.arctan2(places[:, 0], places[:, 2])
    angle = of_face + np.remainder(angle - of_face + np.pi, 2.0 * np.pi) - np.pi
    near = np.hypot(places[:, 0], places[:, 2]) <= 1e-6 * max(float(np.abs(places).max()), 1e-12)
    return 0.5 + np.where(near, of_face, angle) / (2.0 * np.pi)


def _face_normals(places: np.ndarray, faces: np.ndarray) -> np.ndarray:
    """Newell's sums over the edges of each face, (faces, 3)."""
    following = np.arange(1, len(faces) + 1)
    last = np.r_[faces[1:] != faces[:-1], True] if len(faces) else np.zeros(0, bool)
    first = np.r_[0, following[last][:-1]] if len(faces) else np.zeros(0, int)
    following[last] = first
    crossed = np.cross(places, places[following])
    return np.stack([np.bincount(faces, crossed[:, axis]) for axis in range(3)], axis=-1)


def _unwrapped(positions: np.ndarray, triangles: np.ndarray, size: float) -> Layout:
    vertices, uvs, corners = _charts(
        np.ascontiguousarray(positions, np.float32).tobytes(), np.ascontiguousarray(triangles, np.uint32).tobytes()
    )
    if size:
        flat = Mesh("", positions[vertices], positions[vertices], uvs, corners)
        uvs = uvs * np.array(uv_spans(flat)) / size
    return Layout(vertices, uvs, corners)


@lru_cache(maxsize=4)
def _charts(positions: bytes, triangles: bytes) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """(vertices, uvs, triangles) of a mesh cut into charts that lie beside one another in the unit square."""
    import xatlas  # loads a library that is seldom needed

    vertices, corners, uvs = xatlas.parametrize(
        np.frombuffer(positions, np.float32).reshape(-1, 3), np.frombuffer(triangles, np.uint32).reshape(-1, 3)
    )
    return vertices.astype(np.int64), uvs.astype(float), corners.astype(np.int64)
