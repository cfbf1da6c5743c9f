"""Surfaces that are moved: a stand's mesh, made fine, with every place where the material puts it.

Heights (scene units) move along the normal, vectors along the axes of the mesh; between texels they are blended.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from fenrain.core.geometry import Mesh, smooth_normals, subdivided
from fenrain.core.lobes.aspects import RELIEF
from fenrain.core.maps.texels import Grid, sampled, transformed
from fenrain.core.material import Material
from fenrain.core.models.parameter import Role
from fenrain.core.models.registry import model_of
from fenrain.core.rendering.stage import Stage, stage_of
from fenrain.core.rendering.stands.registry import spans_of, stand_of
from fenrain.core.rendering.textures import image_of, over_texels

FINEST = 400_000
"""Triangles of a mesh that is fine enough to be moved."""
LARGEST_EDGE = 1024
"""Texels on the edge of a map that places are read from."""
LEAST = 1e-6
MOST_KEPT = 4


@dataclass(frozen=True)
class Offsets:
    """How far places are moved, over a grid: (h, w, 1) along the normal, or (h, w, 3)."""

    texels: np.ndarray
    grid: Grid


def offsets_of(material: Material, unit: float = 1.0) -> Offsets | None:
    """None where nothing is moved. unit: scene units to which one of the material's comes."""
    if not _may_move(material):
        return None
    surface, grid = over_texels(material, LARGEST_EDGE, (RELIEF,))
    found = image_of(surface.displacement, grid) * unit
    texels = np.broadcast_to(found, (grid.height, grid.width, found.shape[-1]))
    return None if float(np.abs(texels).max()) < LEAST else Offsets(texels, grid)


def _may_move(material: Material) -> bool:
    parameter = model_of(material.model).by_role.get(Role.DISPLACEMENT)
    return (parameter is not None and parameter.name in material.values) or any(map(_may_move, material.parts))


def displace_mesh(mesh: Mesh, offsets: Offsets) -> Mesh:
    """A finer mesh with its places moved, and the normals that this makes."""
    while len(mesh.triangles) * 4 <= FINEST:
        mesh = subdivided(mesh)
    found = _at(offsets, mesh.uvs)
    along = mesh.normals * found if found.shape[1] == 1 else found
    positions = _closed(mesh.positions, mesh.positions + along)
    return replace(mesh, positions=positions, normals=_normals(positions, mesh.triangles))


def stages(materials: Sequence[Material], stand: str, size: int, dressed: tuple[str, ...] = ()) -> list[Stage]:
    """The stage of each look: the stand's own, but where its surface is moved. dressed: see `Stage`."""
    return [_stage(material, stand, size, dressed) for material in materials]


_KEPT: dict[tuple[str, str, int, tuple[str, ...]], Stage] = {}


def _stage(material: Material, stand: str, size: int, dressed: tuple[str, ...]) -> Stage:
    offsets = offsets_of(material, spans_of(stand, material.geometry.unit).unit)
    if offsets is None:
        return stage_of(stand, size, dressed)
    key = (material.digest, stand, size, dressed)
    if key not in _KEPT:
        while len(_KEPT) >= MOST_KEPT:
            del _KEPT[next(iter(_KEPT))]
        _KEPT[key] = Stage(stand, size, displace_mesh(stand_of(stand).mesh(), offsets), dressed)
    return _KEPT[key]


def _at(offsets: Offsets, uvs: np.ndarray) -> np.ndarray:
    """Offsets at places of the surface, (n, 1) or (n, 3)."""
    return sampled(offsets.texels, offsets.grid.placement, *transformed(offsets.grid.placement, uvs[:, 0], uvs[:, 1]))


def _closed(before: np.ndarray, after: np.ndarray) -> np.ndarray:
    """Places that were one before the move, on the two sides of a seam, stay one."""
    _, which, count = np.unique(np.round(before, 6), axis=0, return_inverse=True, return_counts=True)
    which = which.ravel()
    sums = np.zeros((len(count), 3))
    np.add.at(sums, which, after)
    return np.asarray((sums / count[:, None])[which])


def _normals(positions: np.ndarray, triangles: np.ndarray) -> np.ndarray:
    """Smooth ones, across seams too."""
    _, which = np.unique(np.round(positions, 6), axis=0, return_inverse=True)
    which = which.ravel()
    first = np.zeros(which.max() + 1, dtype=int)
    first[which] = np.arange(len(which))
    return smooth_normals(positions[first], which[triangles])[which]
