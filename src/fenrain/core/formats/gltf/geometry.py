"""The triangles of a glTF asset as its scene places them (glTF 2.0 §3.5, §3.6, §3.7)."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from fenrain.core.errors import BrokenFileError
from fenrain.core.formats.gltf.container import Container, open_container
from fenrain.core.formats.gltf.meshes import require_meshes
from fenrain.core.geometry import Mesh, smooth_normals

COMPONENTS = {5120: "<i1", 5121: "<u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
TRIANGLES, STRIP, FAN = 4, 5, 6
MOST_PLACES = 50_000_000
"""Of one accessor."""
FURTHEST = 1e12
PACKED = ("KHR_draco_mesh_compression", "EXT_meshopt_compression")


def read_gltf_meshes(path: Path, root: Path) -> list[Mesh]:
    """One mesh for each primitive of each node that shows it, with the name of its material; morphs and skins stand as they are.

    Raises BrokenFileError, MissingFileError, UnsafePathError; and BrokenFileError for compressed meshes, which are not read.
    """
    container = open_container(path, root)
    packed = [name for name in PACKED if name in container.list_of("extensionsRequired")]
    if packed:
        raise BrokenFileError(f"“{path.name}” needs {packed[0]}.", place=path.name, remedy="Export the meshes without compression.")
    require_meshes(container)
    found: list[Mesh] = []
    for node, world, place in _placed_nodes(container):
        if "mesh" in node:
            mesh = container.item("meshes", node["mesh"], place)
            for at, primitive in enumerate(mesh.get("primitives", [])):
                part = primitive_mesh(container, container.mapping(primitive, place), f"meshes/{node['mesh']}/primitives/{at}")
                if part is not None:
                    found.append(_moved(part, world))
    return found


def worlds_of_meshes(container: Container) -> dict[int, np.ndarray]:
    """By the index of a mesh, where the first node that shows it lies in the scene. Raises BrokenFileError."""
    found: dict[int, np.ndarray] = {}
    for node, world, _ in _placed_nodes(container):
        if "mesh" in node:
            found.setdefault(node["mesh"], world)
    return found


def _placed_nodes(container: Container) -> Iterator[tuple[dict[str, Any], np.ndarray, str]]:
    """Every node of the scene with where it lies in the world, and its place in the file. Raises BrokenFileError, also where a node has two
    parents: they are strict trees (glTF 2.0 §3.5.2), and else a small file could show one node any number of times."""
    visited: set[int] = set()
    waiting = [(index, np.eye(4)) for index in reversed(_roots(container))]
    while waiting:
        index, above = waiting.pop()
        node, place = container.item("nodes", index, "nodes"), f"nodes/{index}"
        if index in visited:
            raise container.broken("a node lies in two others, or in itself", place)
        visited.add(index)
        world = above @ _placed(container, node, place)
        yield node, world, place
        waiting += [(child, world) for child in reversed(_listed(container, node, "children", place))]


def _roots(container: Container) -> list[Any]:
    scenes = container.list_of("scenes")
    if scenes:
        scene = container.item("scenes", container.document.get("scene", 0), "scene")
        return _listed(container, scene, "nodes", "scene")
    children = {child for node in container.list_of("nodes") for child in _listed(container, node, "children", "nodes")}
    return [index for index in range(len(container.list_of("nodes"))) if index not in children]


def _listed(container: Container, entry: dict[str, Any], key: str, place: str) -> list[int]:
    """A list of indices. Raises BrokenFileError."""
    found = entry.get(key, [])
    if not isinstance(found, list) or not all(isinstance(index, int) for index in found):
        raise container.broken(f"“{key}” is no list of indices", place)
    return found


def _placed(container: Container, node: dict[str, Any], place: str) -> np.ndarray:
    """A node's own matrix."""
    try:
        if "matrix" in node:
            return np.array(node["matrix"], dtype=float).reshape(4, 4).T
        x, y, z, w = (float(part) for part in node.get("rotation", (0.0, 0.0, 0.0, 1.0)))
        matrix = np.eye(4)
        matrix[:3, :3] = np.array(
            [
                [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
                [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
                [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
            ]
        ) * np.array(node.get("scale", (1.0, 1.0, 1.0)), dtype=float)
        matrix[:3, 3] = np.array(node.get("translation", (0.0, 0.0, 0.0)), dtype=float)
    except (TypeError, ValueError) as reason:
        raise container.broken("the node is placed by something else than numbers", place) from reason
    if not np.isfinite(matrix).all() or np.abs(matrix).max() > FURTHEST:
        raise container.broken("the node is placed beyond all measure", place)
    return matrix


def primitive_mesh(container: Container, primitive: dict[str, Any], place: str) -> Mesh | None:
    """The triangles of a primitive; None for points and lines. Raises BrokenFileError."""
    mode = primitive.get("mode", TRIANGLES)
    if mode not in (TRIANGLES, STRIP, FAN):
        return None
    attributes = container.mapping(primitive.get("attributes"), f"{place}/attributes")
    positions = _numbers(container, attributes.get("POSITION"), 3, f"{place}/POSITION").astype(float)
    corners = np.arange(len(positions))
    if "indices" in primitive:
        corners = _numbers(container, primitive["indices"], 1, f"{place}/indices").ravel().astype(np.int64)
    if len(corners) and int(corners.max()) >= len(positions):
        raise container.broken("a corner lies beyond the last place", place)
    triangles = _triangles(corners, mode)
    if len(triangles) == 0:
        return None
    normals = smooth_normals(positions, triangles)
    if "NORMAL" in attributes:
        normals = _as_long(_numbers(container, attributes["NORMAL"], 3, f"{place}/NORMAL"), normals)
    uvs, has_uvs = np.zeros((len(positions), 2)), "TEXCOORD_0" in attributes
    if has_uvs:
        uvs = _as_long(_numbers(container, attributes["TEXCOORD_0"], 2, f"{place}/TEXCOORD_0"), uvs)
    material = primitive.get("material")
    entry = container.item("materials", material, place) if material is not None else {}
    name = str(entry.get("name") or (f"material {material + 1}" if material is not None else ""))
    return Mesh(place, positions, normals, uvs, triangles, name, has_uvs)


def _as_long(given: np.ndarray, other: np.ndarray) -> np.ndarray:
    """What is given, where there is one for every place."""
    return given.astype(float) if given.shape == other.shape else other


def _triangles(corners: np.ndarray, mode: int) -> np.ndarray:
    if mode == TRIANGLES:
        return corners[: len(corners) // 3 * 3].reshape(-1, 3)
    if mode == FAN:
        return np.stack([np.full(max(len(corners) - 2, 0), corners[0]), corners[1:-1], corners[2:]], axis=-1)
    strip = np.stack([corners[:-2], corners[1:-1], corners[2:]], axis=-1)
    strip[1::2] = strip[1::2][:, [1, 0, 2]]
    return strip


def _numbers(container: Container, index: Any, width: int, place: str) -> np.ndarray:
    """An accessor's values, (n, width); integers that are normalised as 0…1 or −1…1."""
    accessor, rows = container.item("accessors", index, place), numbers_of(container, index, place)
    if rows.shape[1] != width:
        raise container.broken("the accessor holds something else than is wanted here", place)
    if not accessor.get("normalized") or rows.dtype.kind == "f":
        return rows
    return np.maximum(rows / np.iinfo(rows.dtype).max, -1.0)


def numbers_of(container: Container, index: Any, place: str) -> np.ndarray:
    """An accessor's rows as they are stored. Raises BrokenFileError."""
    accessor = container.item("accessors", index, place)
    kind, count, width = accessor.get("componentType"), accessor.get("count"), WIDTHS.get(str(accessor.get("type")))
    if not isinstance(kind, int) or kind not in COMPONENTS or width is None or type(count) is not int or not 0 <= count <= MOST_PLACES:
        raise container.broken("the accessor holds something else than is wanted here", place)
    number = np.dtype(COMPONENTS[kind])
    rows = np.zeros((count, width), number)
    if "bufferView" in accessor:
        rows = _rows(container, accessor, number, count, width, place)
    if "sparse" in accessor:
        rows = _with_sparse(container, container.mapping(accessor["sparse"], place), rows, place)
    return np.array(rows)


def _with_sparse(container: Container, sparse: dict[str, Any], rows: np.ndarray, place: str) -> np.ndarray:
    """The rows with those replaced that a sparse accessor names (glTF 2.0 §3.6.2.3)."""
    count, indices, values = sparse.get("count"), sparse.get("indices"), sparse.get("values")
    indices, values = container.mapping(indices, f"{place}/sparse/indices"), container.mapping(values, f"{place}/sparse/values")
    kind = indices.get("componentType")
    if type(count) is not int or not 0 <= count <= len(rows) or kind not in (5121, 5123, 5125):
        raise container.broken("the sparse accessor counts by something else than indices", place)
    at = _rows(container, indices, np.dtype(COMPONENTS[kind]), count, 1, place).ravel()
    if count and int(at.max()) >= len(rows):
        raise container.broken("the sparse accessor replaces what is not there", place)
    changed = np.array(rows)
    changed[at] = _rows(container, values, rows.dtype, count, rows.shape[1], place)
    return changed


def _rows(container: Container, entry: dict[str, Any], number: np.dtype[Any], count: int, width: int, place: str) -> np.ndarray:
    """Rows of numbers as they lie in a buffer view. entry: names the view and where in it they begin."""
    view = container.item("bufferViews", entry.get("bufferView"), place)
    data = container.bytes_of(entry["bufferView"], place)
    begin, stride = entry.get("byteOffset", 0), view.get("byteStride", width * number.itemsize)
    if not isinstance(begin, int) or not isinstance(stride, int) or begin < 0 or stride < number.itemsize:
        raise container.broken("offset or stride is no count", place)
    if count and begin + (count - 1) * stride + width * number.itemsize > len(data):
        raise container.broken("the accessor reaches beyond its buffer view", place)
    return np.ndarray((count, width), number, data, begin, (stride, number.itemsize))


def _moved(mesh: Mesh, world: np.ndarray) -> Mesh:
    turned = np.linalg.inv(world[:3, :3]).T if abs(np.linalg.det(world[:3, :3])) > 1e-12 else world[:3, :3]
    normals = mesh.normals @ turned.T
    normals = normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
    triangles = mesh.triangles[:, ::-1] if np.linalg.det(world[:3, :3]) < 0.0 else mesh.triangles
    return replace(mesh, positions=mesh.positions @ world[:3, :3].T + world[:3, 3], normals=normals, triangles=triangles)
