"""Triangle meshes: what stands are made of and what assets carry."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class Mesh:
    """positions, normals (n, 3); uvs (n, 2), v downwards as in glTF; triangles (m, 3); material: name or ""."""

    name: str
    positions: np.ndarray
    normals: np.ndarray
    uvs: np.ndarray
    triangles: np.ndarray
    material: str = ""


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
