"""The triangles of a USD stage, as they lie in the world, with y up."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
from pxr import Usd, UsdGeom, UsdShade

from fenrain.core.errors import BrokenFileError
from fenrain.core.formats.usd.shapes import mesh_of_shape
from fenrain.core.formats.usd.stage import Opened, bound_name, told_as_broken, uv_names
from fenrain.core.geometry import Mesh, smooth_normals

MOST_CORNERS = 50_000_000
"""Of one mesh."""
Z_UP = np.array([[1.0, 0.0, 0.0], [0.0, 0.0, -1.0], [0.0, 1.0, 0.0]])
"""Turns what is upright along z upright along y, for rows from the right."""


def read_usd_meshes(path: Path, root: Path) -> list[Mesh]:
    """One mesh for each part of each mesh that carries a material, and for each of USD's own shapes. Raises BrokenFileError,
    UnsafePathError."""
    found: list[Mesh] = []
    with told_as_broken(path):
        opened = Opened(path, root)
        turn = Z_UP if UsdGeom.GetStageUpAxis(opened.stage) == UsdGeom.Tokens.z else np.eye(3)
        cache = UsdGeom.XformCache()
        for prim in opened.prims():
            if not prim.IsA(UsdGeom.Gprim):
                continue
            world = np.array(cache.GetLocalToWorldTransform(prim), float)
            if prim.IsA(UsdGeom.Mesh):
                found += _parts(opened, prim, world, turn)
            elif (shape := mesh_of_shape(prim)) is not None:
                found.append(_placed(shape, world, turn, bound_name(opened, prim)))
    return found


def _in_world(points: np.ndarray, world: np.ndarray, turn: np.ndarray) -> np.ndarray:
    return (np.c_[points, np.ones(len(points))] @ world)[:, :3] @ turn


def _placed(shape: Mesh, world: np.ndarray, turn: np.ndarray, material: str) -> Mesh:
    """A shape where it lies; mirrored ones are turned round again."""
    linear = world[:3, :3] @ turn
    normals = shape.normals @ np.linalg.pinv(linear).T
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
    triangles = shape.triangles if np.linalg.det(linear) >= 0.0 else shape.triangles[:, ::-1]
    return replace(shape, positions=_in_world(shape.positions, world, turn), normals=normals, triangles=triangles, material=material)


def _parts(opened: Opened, prim: Usd.Prim, world: np.ndarray, turn: np.ndarray) -> list[Mesh]:
    mesh = UsdGeom.Mesh(prim)
    points = np.asarray(mesh.GetPointsAttr().Get() or np.zeros((0, 3)), float).reshape(-1, 3)
    counts = np.asarray(mesh.GetFaceVertexCountsAttr().Get() or (), np.int64)
    indices = np.asarray(mesh.GetFaceVertexIndicesAttr().Get() or (), np.int64)
    where = str(prim.GetPath())
    fits = counts.sum() == len(indices) <= MOST_CORNERS and (counts >= 0).all()
    if not fits or (len(indices) and not 0 <= indices.min() <= indices.max() < len(points)):
        raise BrokenFileError(f"The faces of “{where}” do not fit its points.", place=opened.path.name, remedy="Export the mesh again.")
    corners, faces = _triangles(counts)
    if str(mesh.GetOrientationAttr().Get()) == "leftHanded":
        corners = corners[:, ::-1]
    positions = _in_world(points, world, turn)
    uvs = _uvs(prim, len(points), indices)
    owners = np.full(len(counts), -1)
    bound = [bound_name(opened, prim)]
    for subset in UsdShade.MaterialBindingAPI(prim).GetMaterialBindSubsets():
        chosen = np.asarray(subset.GetIndicesAttr().Get() or (), np.int64)
        owners[chosen[(chosen >= 0) & (chosen < len(counts))]] = len(bound) - 1
        bound.append(bound_name(opened, subset.GetPrim()))
    parts = []
    for number, name in enumerate(bound):
        mine = corners[owners[faces] == number - 1]
        if len(mine):
            parts.append(_mesh(prim.GetName(), positions, indices, uvs, mine, name))
    return parts


def _triangles(counts: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """(corners of triangles, as places in the list of corners; the face that each belongs to), faces fanned from their first corner."""
    fans = np.maximum(counts - 2, 0)
    faces = np.repeat(np.arange(len(counts)), fans)
    within = np.arange(len(faces)) - (np.cumsum(fans) - fans)[faces]
    first = (np.cumsum(counts) - counts)[faces]
    return np.stack([first, first + within + 1, first + within + 2], axis=-1), faces


def _uvs(prim: Usd.Prim, points: int, indices: np.ndarray) -> np.ndarray | None:
    """Of every corner, v downwards; None where the mesh has none."""
    names = uv_names(prim)
    if not names:
        return None
    primvar = UsdGeom.PrimvarsAPI(prim).GetPrimvar(names[0])
    values = np.asarray(primvar.ComputeFlattened() or np.zeros((0, 2)), float).reshape(-1, 2)
    of_corners = values if primvar.GetInterpolation() == "faceVarying" else values[indices] if len(values) == points else values
    if len(of_corners) != len(indices):
        return None
    return of_corners * [1.0, -1.0] + [0.0, 1.0]


def _mesh(name: str, positions: np.ndarray, indices: np.ndarray, given: np.ndarray | None, corners: np.ndarray, material: str) -> Mesh:
    """Corners that lie at one point with the same UVs are one vertex."""
    uvs = np.zeros((len(indices), 2)) if given is None else given
    used, places = np.unique(np.c_[indices[corners.ravel()], uvs[corners.ravel()]], axis=0, return_inverse=True)
    points = positions[used[:, 0].astype(np.int64)]
    triangles = places.reshape(-1, 3)
    at_points, of_points = np.unique(used[:, 0], return_inverse=True)
    normals = smooth_normals(positions[at_points.astype(np.int64)], of_points[triangles])[of_points]
    return Mesh(name, points, normals, used[:, 1:], triangles, material, given is not None)
