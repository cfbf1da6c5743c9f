"""Triangle meshes: what stands are made of and what assets carry."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np


@dataclass(frozen=True)
class Mesh:
    """positions, normals (n, 3); uvs (n, 2), v downwards as in glTF; triangles (m, 3); material: name or ""; has_uvs: False where the file
    gives none, so that all of them are 0."""

    name: str
    positions: np.ndarray
    normals: np.ndarray
    uvs: np.ndarray
    triangles: np.ndarray
    material: str = ""
    has_uvs: bool = True


def smooth_normals(positions: np.ndarray, triangles: np.ndarray) -> np.ndarray:
    """Normals averaged over the faces around each vertex, weighted by their area."""
    corners = positions[triangles]
    faces = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    summed = np.zeros_like(positions)
    for corner in range(3):
        np.add.at(summed, triangles[:, corner], faces)
    lengths = np.linalg.norm(summed, axis=1, keepdims=True)
    return np.where(lengths > 0, summed / np.maximum(lengths, 1e-12), [0.0, 0.0, 1.0])


def revolved(name: str, profile: np.ndarray, segments: int) -> Mesh:
    """A profile (n, 2) of radius and height, turned about the vertical axis y; u runs round, v down the profile."""
    steps = np.linspace(0.0, 1.0, segments + 1)
    angle = 2.0 * np.pi * steps
    radius, height = profile[:, 0][:, None], profile[:, 1][:, None]
    positions = np.stack([radius * np.sin(angle), height + 0.0 * angle, radius * np.cos(angle)], axis=-1)
    lengths = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(profile, axis=0), axis=1))])
    along = (lengths / lengths[-1])[:, None] + 0.0 * angle
    uvs = np.stack([steps + 0.0 * along, along], axis=-1)
    tangent = np.gradient(profile, lengths, axis=0)
    outward = np.stack([-tangent[:, 1], tangent[:, 0]], axis=-1)
    outward /= np.maximum(np.linalg.norm(outward, axis=1, keepdims=True), 1e-12)
    normals = np.stack([outward[:, :1] * np.sin(angle), outward[:, 1:] + 0.0 * angle, outward[:, :1] * np.cos(angle)], axis=-1)
    rows, columns = profile.shape[0], segments + 1
    first = (np.arange(rows - 1)[:, None] * columns + np.arange(segments)).ravel()
    triangles = np.concatenate(
        [np.stack([first, first + columns, first + 1], axis=-1), np.stack([first + 1, first + columns, first + columns + 1], axis=-1)]
    )
    return Mesh(name, positions.reshape(-1, 3), normals.reshape(-1, 3), uvs.reshape(-1, 2), triangles)


def sphere(name: str = "sphere", rings: int = 48, segments: int = 96) -> Mesh:
    """A unit sphere about the origin."""
    angle = np.linspace(0.0, np.pi, rings + 1)
    mesh = revolved(name, np.stack([np.sin(angle), np.cos(angle)], axis=-1), segments)
    return Mesh(name, mesh.positions, mesh.positions / np.linalg.norm(mesh.positions, axis=1, keepdims=True), mesh.uvs, mesh.triangles)


def height_field(
    name: str, height: Callable[[np.ndarray, np.ndarray], np.ndarray], half_width: float, cells: int, *, up: bool = True
) -> Mesh:
    """A square about the origin, `height` above places x, z of it; u along x, v along z. up: whether it is seen from above, or below."""
    steps = np.linspace(-half_width, half_width, cells + 1)
    x, z = (axis.ravel() for axis in np.meshgrid(steps, steps))
    positions = np.stack([x, height(x, z), z], axis=-1)
    first = (np.arange(cells)[:, None] * (cells + 1) + np.arange(cells)).ravel()
    below = first + cells + 1
    triangles = np.concatenate([np.stack([first, below, first + 1], axis=-1), np.stack([first + 1, below, below + 1], axis=-1)])
    triangles = triangles if up else triangles[:, ::-1]
    uvs = np.stack([x, z], axis=-1) / (2.0 * half_width) + 0.5
    return Mesh(name, positions, smooth_normals(positions, triangles), uvs, triangles)


def prism(name: str, outline: np.ndarray, depth: float) -> Mesh:
    """An outline (n, 2) of x, y, anticlockwise and convex, drawn out along z to so much before and behind the origin; flat faces, each with
    its own u, v of 0…1."""
    front, back = (np.column_stack([outline, np.full(len(outline), z)]) for z in (depth, -depth))
    following = np.roll(np.arange(len(outline)), -1)
    sides = [np.stack([front[after], front[at], back[at], back[after]]) for at, after in enumerate(following)]
    faces = [_flat(corners) for corners in (front, back[::-1], *sides)]
    return joined(name, faces)


def box(name: str, low: tuple[float, float, float], high: tuple[float, float, float]) -> Mesh:
    """Between two corners."""
    (left, bottom, back), (right, top, front) = low, high
    outline = np.array([(left, bottom), (right, bottom), (right, top), (left, top)])
    mesh = prism(name, outline, 0.5 * (front - back))
    return replace(mesh, positions=mesh.positions + np.array([0.0, 0.0, 0.5 * (front + back)]))


def uv_spans(mesh: Mesh) -> tuple[float, float]:
    """How far one goes on the surface for a whole step of u, and of v: on half of its area further, on half less; units of length."""
    corners, uvs = mesh.positions[mesh.triangles], mesh.uvs[mesh.triangles]
    along, across = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    (du1, dv1), (du2, dv2) = (uvs[:, 1] - uvs[:, 0]).T, (uvs[:, 2] - uvs[:, 0]).T
    turn = du1 * dv2 - du2 * dv1
    flat = np.abs(turn) > 1e-12
    safe = np.where(flat, turn, 1.0)[:, None]
    of_u, of_v = (along * dv2[:, None] - across * dv1[:, None]) / safe, (across * du1[:, None] - along * du2[:, None]) / safe
    area = np.where(flat, np.linalg.norm(np.cross(along, across), axis=1), 0.0)
    return _median(np.linalg.norm(of_u, axis=1), area), _median(np.linalg.norm(of_v, axis=1), area)


def mean_depth(meshes: Sequence[Mesh]) -> float:
    """How far light goes through some bodies on average, 4 V/A: the mean chord of a convex body (Cauchy 1841). 0 where they are not closed.

    >>> round(mean_depth([box("cube", (0.0, 0.0, 0.0), (1.0, 1.0, 1.0))]), 6)
    0.666667
    """
    volume = area = 0.0
    for mesh in meshes:
        if not _is_closed(mesh):
            return 0.0
        a, b, c = np.moveaxis(mesh.positions[mesh.triangles], 1, 0)
        volume += float((a * np.cross(b, c)).sum()) / 6.0
        area += float(np.linalg.norm(np.cross(b - a, c - a), axis=1).sum()) / 2.0
    return 4.0 * abs(volume) / area if area > 0.0 else 0.0


def _is_closed(mesh: Mesh) -> bool:
    """Whether every edge lies between two triangles, corners at one place taken as one."""
    if not len(mesh.triangles):
        return False
    size = max(float(np.ptp(mesh.positions, axis=0).max()), 1e-12)
    _, welded = np.unique(np.round(mesh.positions / size, 6), axis=0, return_inverse=True)
    corners = welded.reshape(-1)[mesh.triangles]
    corners = corners[(corners != np.roll(corners, 1, axis=1)).all(axis=1)]
    edges = np.sort(np.concatenate([corners[:, [0, 1]], corners[:, [1, 2]], corners[:, [2, 0]]]), axis=1)
    _, counts = np.unique(edges, axis=0, return_counts=True)
    return bool(len(edges)) and bool((counts == 2).all())


def _median(values: np.ndarray, weights: np.ndarray) -> float:
    order = np.argsort(values)
    reached = np.cumsum(weights[order])
    return float(values[order][np.searchsorted(reached, 0.5 * reached[-1])])


def subdivided(mesh: Mesh) -> Mesh:
    """Each triangle as four, through the middles of its edges."""
    edges = np.sort(np.concatenate([mesh.triangles[:, [0, 1]], mesh.triangles[:, [1, 2]], mesh.triangles[:, [2, 0]]]), axis=1)
    ends, which = np.unique(edges, axis=0, return_inverse=True)
    middle = len(mesh.positions) + which.reshape(3, -1)
    a, b, c = mesh.triangles.T
    triangles = np.concatenate(
        [
            np.stack(corners, axis=-1)
            for corners in ((a, middle[0], middle[2]), (middle[0], b, middle[1]), (middle[2], middle[1], c), tuple(middle))
        ]
    )
    positions, normals, uvs = (np.concatenate([part, part[ends].mean(axis=1)]) for part in (mesh.positions, mesh.normals, mesh.uvs))
    normals = normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
    return replace(mesh, positions=positions, normals=normals, uvs=uvs, triangles=triangles)


def joined(name: str, meshes: Sequence[Mesh]) -> Mesh:
    """Several as one."""
    firsts = np.cumsum([0, *(len(mesh.positions) for mesh in meshes)])
    triangles = np.concatenate([mesh.triangles + first for mesh, first in zip(meshes, firsts, strict=False)])
    positions, normals, uvs = (np.concatenate([getattr(mesh, part) for mesh in meshes]) for part in ("positions", "normals", "uvs"))
    return Mesh(name, positions, normals, uvs, triangles)


def inside_out(mesh: Mesh) -> Mesh:
    """The same surface, seen from its other side."""
    return replace(mesh, normals=-mesh.normals, triangles=mesh.triangles[:, ::-1])


def _flat(corners: np.ndarray) -> Mesh:
    """A convex face; anticlockwise where it is seen."""
    normal = np.cross(corners[1] - corners[0], corners[2] - corners[0])
    normal /= np.linalg.norm(normal)
    along = (corners[1] - corners[0]) / np.linalg.norm(corners[1] - corners[0])
    flat = np.stack([corners @ along, -(corners @ np.cross(normal, along))], axis=-1)
    low, high = flat.min(axis=0), flat.max(axis=0)
    fan = np.arange(1, len(corners) - 1)
    triangles = np.stack([np.zeros_like(fan), fan, fan + 1], axis=-1)
    return Mesh("face", corners, np.tile(normal, (len(corners), 1)), (flat - low) / (high - low), triangles)
