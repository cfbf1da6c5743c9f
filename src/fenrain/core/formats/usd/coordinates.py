"""Texture coordinates on a stage for meshes that have none, as their materials ask for it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from pxr import Sdf, Usd, UsdGeom, UsdShade, Vt

from fenrain.core.formats.usd.meshes import Z_UP
from fenrain.core.formats.usd.stage import bound_material, uv_names
from fenrain.core.material import Material
from fenrain.core.projections import Projection, ProjectionKind, corner_coordinates, lay_out

NAME = "st"
"""What texture coordinates are called (common practice)."""


def lay_coordinates(stage: Any, materials: Sequence[Material], places: Sequence[UsdShade.Material]) -> None:
    """Lay them on every mesh whose faces carry such a material; of its parts, by the material of each."""
    wanted = {
        made.GetPath(): material.geometry.projection
        for material, made in zip(materials, places, strict=True)
        if material.geometry.projection is not None
    }
    if not wanted:
        return
    cache, turn = UsdGeom.XformCache(), Z_UP if UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.z else np.eye(3)
    for prim in stage.Traverse():
        if prim.IsA(UsdGeom.Mesh) and not uv_names(prim):
            _lay_on(prim, np.array(cache.GetLocalToWorldTransform(prim), float), turn, wanted)


def _lay_on(prim: Usd.Prim, world: np.ndarray, turn: np.ndarray, wanted: dict[Sdf.Path, Projection]) -> None:
    mesh = UsdGeom.Mesh(prim)
    counts = np.asarray(mesh.GetFaceVertexCountsAttr().Get() or (), np.int64)
    indices = np.asarray(mesh.GetFaceVertexIndicesAttr().Get() or (), np.int64)
    points = np.asarray(mesh.GetPointsAttr().Get() or np.zeros((0, 3)), float).reshape(-1, 3)
    placed = ((np.c_[points, np.ones(len(points))] @ world)[:, :3] @ turn)[indices]
    faces = np.repeat(np.arange(len(counts)), counts)
    uvs = np.zeros((len(indices), 2))
    laid = False
    for projection, own in _shares(prim, len(counts), wanted):
        of_corner = own[faces]
        if of_corner.any():
            _, renumbered = np.unique(faces[of_corner], return_inverse=True)
            uvs[of_corner] = _coordinates(placed[of_corner], renumbered, projection)
            laid = True
    if laid:
        primvar = UsdGeom.PrimvarsAPI(prim).CreatePrimvar(NAME, Sdf.ValueTypeNames.TexCoord2fArray, UsdGeom.Tokens.faceVarying)
        primvar.Set(Vt.Vec2fArray.FromNumpy((uvs * [1.0, -1.0] + [0.0, 1.0]).astype(np.float32)))


def _shares(prim: Usd.Prim, count: int, wanted: dict[Sdf.Path, Projection]) -> list[tuple[Projection, np.ndarray]]:
    """(projection, which faces) of the material of the whole and of each part."""
    whole, found = np.ones(count, bool), []
    for subset in UsdShade.MaterialBindingAPI(prim).GetMaterialBindSubsets():
        chosen = np.asarray(subset.GetIndicesAttr().Get() or (), np.int64)
        own = np.zeros(count, bool)
        own[chosen[(chosen >= 0) & (chosen < count)]] = True
        whole &= ~own
        found.append((bound_material(subset.GetPrim()), own))
    found.append((bound_material(prim), whole))
    return [(wanted[made.GetPath()], own) for made, own in found if made is not None and made.GetPath() in wanted]


def _coordinates(places: np.ndarray, faces: np.ndarray, projection: Projection) -> np.ndarray:
    """Of every corner. Faces that unwrapping would tear are cut into triangles for it, and keep what their first one gives a corner."""
    if projection.kind is not ProjectionKind.UNWRAP:
        return corner_coordinates(places, faces, projection)
    points, welded = np.unique(np.round(places, 9), axis=0, return_inverse=True)
    first = np.r_[0, np.flatnonzero(np.diff(faces)) + 1] if len(faces) else np.zeros(0, np.int64)
    fans = [
        (begin, corner, corner + 1)
        for begin, end in zip(first, np.r_[first[1:], len(faces)], strict=True)
        for corner in range(begin + 1, end - 1)
    ]
    corners = np.array(fans, np.int64).reshape(-1, 3)
    layout = lay_out(points, welded.ravel()[corners], projection)
    uvs = np.zeros((len(places), 2))
    # Backwards, so that the first triangle of a face has the last word.
    uvs[corners[::-1].ravel()] = layout.uvs[layout.triangles[::-1].ravel()]
    return uvs
