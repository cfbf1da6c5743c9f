"""The meshes of Wavefront OBJ, read and written."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from functools import lru_cache
from math import isfinite
from pathlib import Path

import numpy as np

from fenrain.core.errors import BrokenFileError
from fenrain.core.files import write_whole
from fenrain.core.formats.text import encoding_of
from fenrain.core.geometry import Mesh, smooth_normals

LARGEST = float(np.finfo(np.float32).max)


def default_name(path: Path) -> str:
    """What the material of a mesh is called that names none."""
    return path.stem


def read_meshes(path: Path) -> list[Mesh]:
    """One mesh for each material used, faces cut into triangles. Raises BrokenFileError naming the line."""
    state = path.stat()
    return list(_read_meshes(path, state.st_mtime_ns, state.st_size))


@lru_cache(maxsize=1)
def _read_meshes(path: Path, modified: int, size: int) -> tuple[Mesh, ...]:
    """The same of a file as it was at a time: text is slow to read, and several writers ask for the meshes of one asset."""
    positions: list[list[float]] = []
    uvs: list[list[float]] = []
    normals: list[list[float]] = []
    faces: dict[str, list[tuple[tuple[int, int, int], ...]]] = {}
    known: dict[str, tuple[int, int, int]] = {}  # corners that were read before, but for those that count from the end
    material = ""
    with path.open(encoding=encoding_of(path), errors="replace") as stream:
        for number, line in enumerate(stream, 1):
            keyword, *words = line.split() or [""]
            try:
                if keyword == "v":
                    positions.append(_numbers(words, 3))
                elif keyword == "vt":
                    uvs.append(_numbers([*words, "0"], 2))
                elif keyword == "vn":
                    normals.append(_numbers(words, 3))
                elif keyword == "usemtl":
                    material = " ".join(words)
                elif keyword == "f":
                    if len(words) < 3:
                        raise ValueError(line)
                    for word in words:
                        if word not in known or "-" in word:
                            known[word] = _corner(word, len(positions), len(uvs), len(normals))
                    corners = [known[word] for word in words]
                    faces.setdefault(material, []).extend((corners[0], b, c) for b, c in itertools.pairwise(corners[1:]))
            except (ValueError, IndexError) as reason:
                raise BrokenFileError(
                    f"“{path.name}”, line {number}: “{line.strip()[:60]}” cannot be read.",
                    place=f"{path.name}, line {number}",
                    remedy="Export the mesh again.",
                ) from reason
    return tuple(_mesh(name, triangles, positions, uvs, normals) for name, triangles in faces.items())


def _numbers(words: list[str], count: int) -> list[float]:
    """So many finite numbers. Raises ValueError."""
    numbers = [float(word) for word in words[:count]]
    if len(numbers) < count or not isfinite(sum(numbers)) or max(map(abs, numbers)) > LARGEST:
        raise ValueError(words)
    return numbers


def _corner(word: str, positions: int, uvs: int, normals: int) -> tuple[int, int, int]:
    """Zero-based indices of position, UV and normal, −1 where there is none; counts from the end are resolved."""
    parts = ([*word.split("/"), "", ""])[:3]
    corner = []
    for part, count in zip(parts, (positions, uvs, normals), strict=True):
        index = int(part) if part else 0
        resolved = index - 1 if index > 0 else count + index if index < 0 else -1
        if resolved >= count or (part and resolved < 0):
            raise IndexError(word)
        corner.append(resolved)
    return corner[0], corner[1], corner[2]


def _mesh(
    material: str,
    triangles: list[tuple[tuple[int, int, int], ...]],
    positions: list[list[float]],
    uvs: list[list[float]],
    normals: list[list[float]],
) -> Mesh:
    """One mesh of corners (position, UV, normal), each corner once; normals that are missing are averaged over faces."""
    corners = np.array(triangles, dtype=np.int64).reshape(-1, 3)
    unique, indices = np.unique(corners, axis=0, return_inverse=True)
    points = np.array(positions, dtype=np.float32)[unique[:, 0]]
    faces = indices.reshape(-1, 3).astype(np.uint32)
    placed = np.zeros((len(unique), 2), np.float32)
    known = unique[:, 1] >= 0
    if uvs:
        placed[known] = np.array(uvs, dtype=np.float32)[unique[known, 1]] * [1, -1] + [0, 1]
    outward = smooth_normals(points, faces)
    if normals:
        shaded = unique[:, 2] >= 0
        outward[shaded] = np.array(normals, dtype=np.float32)[unique[shaded, 2]]
    lengths = np.linalg.norm(outward, axis=1, keepdims=True)
    outward = (outward / np.maximum(lengths, 1e-12)).astype(np.float32)
    return Mesh(material or "mesh", points, outward, placed, faces, material, bool(known.any()))


def write_meshes(path: Path, meshes: Sequence[Mesh], library: str = "") -> None:
    """Write meshes, each as an object of its name that uses its material. library: the MTL file that defines these. Raises StorageError."""
    lines, first = [f"mtllib {library}"] if library else [], 1
    for mesh in meshes:
        lines.append(f"o {mesh.name}")
        lines += [f"v {x:.7g} {y:.7g} {z:.7g}" for x, y, z in mesh.positions]
        lines += [f"vt {u:.7g} {1.0 - v:.7g}" for u, v in mesh.uvs]
        lines += [f"vn {x:.7g} {y:.7g} {z:.7g}" for x, y, z in mesh.normals]
        lines.append(f"usemtl {mesh.material}")
        lines += ["f " + " ".join(f"{corner}/{corner}/{corner}" for corner in triangle) for triangle in mesh.triangles + first]
        first += len(mesh.positions)
    write_whole(path, "\n".join([*lines, ""]))
