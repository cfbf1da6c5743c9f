"""A GLB under construction: its document and its binary chunk."""

from __future__ import annotations

import json
import struct
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from fenrain.core.formats.gltf.container import BINARY_CHUNK, GLB_MAGIC, JSON_CHUNK
from fenrain.core.formats.gltf.samplers import sampler_for
from fenrain.core.geometry import Mesh
from fenrain.core.values import IDENTITY, Placement

FLOAT, UNSIGNED_INT, ARRAY_BUFFER, ELEMENT_ARRAY_BUFFER = 5126, 5125, 34962, 34963
MESHOPT, TEXTURE_TRANSFORM = "EXT_meshopt_compression", "KHR_texture_transform"


@dataclass
class GlbFile:
    """used: names of extensions; unpacked: bytes that compressed views unpack to."""

    document: dict[str, Any] = field(default_factory=lambda: {"asset": {"version": "2.0", "generator": "Fenrain"}})
    binary: bytearray = field(default_factory=bytearray)
    used: set[str] = field(default_factory=set)
    unpacked: int = 0

    def add_meshes(self, carried: Sequence[tuple[Mesh, int | None, tuple[float, float, float]]]) -> None:
        """Add meshes, each with the index of its material or None, at a place in the scene."""
        meshes: list[dict[str, Any]] = []
        nodes: list[dict[str, Any]] = []
        for mesh, material, translation in carried:
            attributes = {
                "POSITION": self._accessor(mesh.positions, "VEC3", ARRAY_BUFFER, limits=True),
                "NORMAL": self._accessor(mesh.normals, "VEC3", ARRAY_BUFFER),
                "TEXCOORD_0": self._accessor(mesh.uvs, "VEC2", ARRAY_BUFFER),
            }
            primitive: dict[str, Any] = {"attributes": attributes, "indices": self.indices(mesh.triangles)}
            if material is not None:
                primitive["material"] = material
            nodes.append({"mesh": len(meshes), "name": mesh.name, **({"translation": list(translation)} if any(translation) else {})})
            meshes.append({"name": mesh.name, "primitives": [primitive]})
        self.document |= {"meshes": meshes, "nodes": nodes, "scenes": [{"nodes": list(range(len(nodes)))}], "scene": 0}

    def places(self, uvs: np.ndarray) -> int:
        """Index of an accessor over places on a texture, (n, 2)."""
        return self._accessor(uvs, "VEC2", ARRAY_BUFFER)

    def _accessor(self, values: np.ndarray, kind: str, target: int, *, limits: bool = False) -> int:
        """Index of an accessor over floats; limits: with the least and largest of each component."""
        data = np.ascontiguousarray(values, dtype="<f4")
        entry = {"bufferView": self.view(data.tobytes(), target=target), "componentType": FLOAT, "count": len(data), "type": kind}
        if limits:
            entry |= {"min": [float(part) for part in data.min(axis=0)], "max": [float(part) for part in data.max(axis=0)]}
        return self.add("accessors", entry)

    def rows(self, rows: np.ndarray, stated: Mapping[str, Any]) -> int:
        """Index of an accessor over rows as they are. stated: what it says beside its count."""
        stride = rows.shape[1] * rows.dtype.itemsize
        padded = np.zeros((len(rows), stride + -stride % 4), np.uint8)
        padded[:, :stride] = np.ascontiguousarray(rows).view(np.uint8).reshape(len(rows), stride)
        extra = {"byteStride": padded.shape[1]} if padded.shape[1] != stride else {}
        view = self.view(padded.tobytes(), target=ARRAY_BUFFER, **extra)
        return self.add("accessors", {"bufferView": view, "count": len(rows), **stated})

    def indices(self, triangles: np.ndarray) -> int:
        data = np.ascontiguousarray(triangles.ravel(), dtype="<u4")
        view = self.view(data.tobytes(), target=ELEMENT_ARRAY_BUFFER)
        return self.add("accessors", {"bufferView": view, "componentType": UNSIGNED_INT, "count": len(data), "type": "SCALAR"})

    def texture(self, data: bytes, mime: str, name: str) -> int:
        return self.add("textures", {"source": self.image(data, mime, name), "sampler": self.sampler(IDENTITY)})

    def sampler(self, placement: Placement) -> int:
        """Index of the sampler that lays an image so."""
        wanted, samplers = sampler_for(placement), self.document.setdefault("samplers", [])
        return samplers.index(wanted) if wanted in samplers else self.add("samplers", wanted)

    def image(self, data: bytes, mime: str, name: str) -> int:
        return self.add("images", {"bufferView": self.view(data), "mimeType": mime, **({"name": name} if name else {})})

    def reference(self, texture: int, placement: Placement, uv_set: int) -> dict[str, Any]:
        """A texture reference with its UV set and, where it is placed, its transform."""
        reference: dict[str, Any] = {"index": texture}
        if uv_set:
            reference["texCoord"] = uv_set
        if placement.moves:
            self.used.add(TEXTURE_TRANSFORM)
            block = {"offset": list(placement.offset), "rotation": placement.rotation, "scale": list(placement.scale)}
            reference["extensions"] = {TEXTURE_TRANSFORM: block}
        return reference

    def add(self, key: str, entry: dict[str, Any]) -> int:
        entries = self.document.setdefault(key, [])
        entries.append(entry)
        return len(entries) - 1

    def view(self, data: bytes, **extra: Any) -> int:
        return self.add("bufferViews", {"buffer": 0, "byteOffset": self.lay(data), "byteLength": len(data), **extra})

    def lay(self, data: bytes) -> int:
        """Where in the binary chunk the data was put."""
        self.binary.extend(b"\x00" * (-len(self.binary) % 4))
        offset = len(self.binary)
        self.binary.extend(data)
        return offset

    def packed(self) -> bytes:
        """The whole file (glTF 2.0 §4.4)."""
        self.binary.extend(b"\x00" * (-len(self.binary) % 4))
        if self.binary:
            self.document["buffers"] = [{"byteLength": len(self.binary)}]
        if self.unpacked:
            self.document["buffers"].append({"byteLength": self.unpacked, "extensions": {MESHOPT: {"fallback": True}}})
        text = json.dumps({key: value for key, value in self.document.items() if value != []}, ensure_ascii=False, allow_nan=False).encode()
        text += b" " * (-len(text) % 4)
        chunks = struct.pack("<II", len(text), JSON_CHUNK) + text
        if self.binary:
            chunks += struct.pack("<II", len(self.binary), BINARY_CHUNK) + bytes(self.binary)
        return GLB_MAGIC + struct.pack("<II", 2, 12 + len(chunks)) + chunks

    def state_extensions(self) -> None:
        """List the extensions that the document mentions."""
        used = sorted(self.used | {name for name in self.document.get("extensionsUsed", []) if is_mentioned(self.document, name)})
        for key, names in (("extensionsUsed", used), ("extensionsRequired", self.document.get("extensionsRequired", []))):
            self.document.pop(key, None)
            if names:
                self.document[key] = [name for name in names if name in used]


WITHOUT_OBJECT = {"KHR_mesh_quantization": "meshes"}
"""Extensions that allow more kinds of numbers and are mentioned nowhere else: kept with what they are about."""


def is_mentioned(document: Mapping[str, Any], extension: str) -> bool:
    if extension in WITHOUT_OBJECT:
        return bool(document.get(WITHOUT_OBJECT[extension]))
    return any(_mentions(value, extension) for key, value in document.items() if key not in ("extensionsUsed", "extensionsRequired"))


def _mentions(node: Any, name: str) -> bool:
    if isinstance(node, dict):
        return name in node or any(_mentions(child, name) for child in node.values())
    return isinstance(node, list) and any(_mentions(child, name) for child in node)
