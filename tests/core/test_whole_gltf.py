"""What a glTF asset says beside its materials comes home as it went out (glTF 2.0, and the extensions that are named)."""

from __future__ import annotations

import struct
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from pytest import approx

from fenrain.core import Material, convert, read, write
from fenrain.core.errors import BrokenFileError
from fenrain.core.formats.gltf.container import Container, open_container
from fenrain.core.formats.reading import read_meshes
from tests.core.test_formats import codes, glb, validator_issues

PLACES = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], "<f4")
JOINTS, WEIGHTS = np.zeros((3, 4), "u1"), np.tile(np.array([1, 0, 0, 0], "<f4"), (3, 1))
TIMES, TURNS = np.array([0.0, 0.7], "<f4"), np.array([[0, 0, 0, 1], [0, 0.6, 0, 0.8]], "<f4")
MATRIX = np.eye(4, dtype="<f4")[None]
PACKED = bytes(range(48))
"""Bytes that stand for a compressed mesh; nothing here unpacks them."""
DRACO = "KHR_draco_mesh_compression"
FLOAT, BYTE, SHORT = 5126, 5121, 5123


class Assembled:
    """A document whose buffer grows view by view."""

    def __init__(self) -> None:
        self.binary = b""
        self.views: list[dict[str, Any]] = []
        self.accessors: list[dict[str, Any]] = []

    def view(self, data: bytes, **said: Any) -> int:
        self.binary += b"\0" * (-len(self.binary) % 4)
        self.views.append({"buffer": 0, "byteOffset": len(self.binary), "byteLength": len(data), **said})
        self.binary += data
        return len(self.views) - 1

    def accessor(self, data: np.ndarray, kind: str, component: int, **said: Any) -> int:
        entry = {"bufferView": self.view(data.tobytes()), "componentType": component, "count": len(data), "type": kind, **said}
        self.accessors.append(entry)
        return len(self.accessors) - 1


@pytest.fixture
def walker(tmp_path: Path) -> Path:
    """A skinned, animated triangle with a sparse shape, variants, a camera, extras, and an extension that nobody knows."""
    made = Assembled()
    limits = {"min": [0.0, 0.0, 0.0], "max": [1.0, 1.0, 0.0]}
    positions = made.accessor(PLACES, "VEC3", FLOAT, **limits)
    joints, weights = made.accessor(JOINTS, "VEC4", BYTE), made.accessor(WEIGHTS, "VEC4", FLOAT)
    times = made.accessor(TIMES, "SCALAR", FLOAT, min=[0.0], max=[float(TIMES[1])])
    turns, matrix = made.accessor(TURNS, "VEC4", FLOAT), made.accessor(MATRIX, "MAT4", FLOAT)
    shape = len(made.accessors)
    made.accessors.append({
        "componentType": FLOAT, "count": 3, "type": "VEC3", "min": [0.0, 0.0, 0.0], "max": [0.0, 0.0, 0.5],
        "sparse": {
            "count": 1,
            "indices": {"bufferView": made.view(struct.pack("<H", 2)), "componentType": SHORT},
            "values": {"bufferView": made.view(np.array([[0, 0, 0.5]], "<f4").tobytes())},
        },
    })  # fmt: skip
    mapped = {"mappings": [{"material": 1, "variants": [0]}, {"material": 0, "variants": [1]}]}
    document = {
        "asset": {"version": "2.0", "copyright": "Heron Lode, invented"},
        "extensionsUsed": ["KHR_materials_variants", "LODE_tides"],
        "extensions": {
            "KHR_materials_variants": {"variants": [{"name": "wet"}, {"name": "dry"}]}, "LODE_tides": {"height": 3.25, "of": [1, 2.0]},
        },
        "materials": [{"name": "hide", "extras": {"sewn": True}}, {"name": "wet hide", "pbrMetallicRoughness": {"roughnessFactor": 0.2}}],
        "meshes": [{
            "name": "walker", "weights": [0.5], "extras": {"bufferView": 3},
            "primitives": [{
                "attributes": {"POSITION": positions, "JOINTS_0": joints, "WEIGHTS_0": weights}, "targets": [{"POSITION": shape}],
                "material": 0, "extensions": {"KHR_materials_variants": mapped},
            }],
        }],
        "nodes": [{"mesh": 0, "skin": 0, "name": "walker"}, {"name": "bone", "extras": [1, "two", None]}, {"camera": 0, "name": "eye"}],
        "skins": [{"joints": [1], "inverseBindMatrices": matrix}],
        "cameras": [{"type": "perspective", "perspective": {"yfov": 0.7, "znear": 0.01}}],
        "animations": [{"name": "nod", "channels": [{"sampler": 0, "target": {"node": 1, "path": "rotation"}}],
                        "samplers": [{"input": times, "output": turns}]}],
        "scenes": [{"nodes": [0, 1, 2]}], "scene": 0,
        "accessors": made.accessors, "bufferViews": made.views, "buffers": [{"byteLength": len(made.binary)}],
    }  # fmt: skip
    (tmp_path / "walker.glb").write_bytes(glb(document, made.binary))
    return tmp_path / "walker.glb"


def home(path: Path, *, only: int | None = None) -> Container:
    """The asset as it is written with its converted materials, opened again."""
    materials = [convert(one, "metal_rough").material for one in read(path)]
    written = write(materials if only is None else materials[only : only + 1], path.parent / "home" / "out.glb", "gltf", path)[0]
    return open_container(written, written.parent)


def bytes_of(container: Container, accessor: dict[str, Any]) -> list[bytes]:
    views = [accessor.get("bufferView"), *(accessor.get("sparse", {}).get(part, {}).get("bufferView") for part in ("indices", "values"))]
    return [container.bytes_of(view, "here") for view in views if view is not None]


def without_views(accessor: dict[str, Any]) -> Any:
    return {key: value for key, value in accessor.items() if key not in ("bufferView", "sparse")}


def test_everything_beside_the_materials_stays_as_it_is(walker: Path) -> None:
    before, after = open_container(walker, walker.parent), home(walker)
    for key in ("nodes", "skins", "cameras", "animations", "scenes", "scene", "asset", "extensions"):
        assert after.document[key] == before.document[key], key
    assert after.document["meshes"][0]["extras"] == {"bufferView": 3}
    for ours, theirs in zip(after.document["accessors"], before.document["accessors"], strict=True):
        assert without_views(ours) == without_views(theirs)
        assert bytes_of(after, ours) == bytes_of(before, theirs)
    assert after.document["materials"][0]["extras"] == {"sewn": True}
    assert validator_issues(after.path)["numErrors"] == validator_issues(walker)["numErrors"] == 0


def test_variants_follow_their_materials(walker: Path) -> None:
    primitive = home(walker).document["meshes"][0]["primitives"][0]
    assert primitive["extensions"]["KHR_materials_variants"]["mappings"] == [
        {"material": 1, "variants": [0]}, {"material": 0, "variants": [1]},
    ]  # fmt: skip
    # Of a material that is not written, its variant goes too, and the others point at where theirs now stands.
    alone = home(walker, only=1).document["meshes"][0]["primitives"][0]
    assert "material" not in alone
    assert alone["extensions"]["KHR_materials_variants"]["mappings"] == [{"material": 0, "variants": [0]}]


def test_sparse_places_are_read(tmp_path: Path) -> None:
    made = Assembled()
    base = made.accessor(PLACES, "VEC3", FLOAT, min=[0, 0, 0], max=[1, 1, 0])
    moved = np.array([[5.0, 6.0, 7.0]], "<f4")
    made.accessors[base]["sparse"] = {
        "count": 1,
        "indices": {"bufferView": made.view(bytes([1])), "componentType": BYTE},
        "values": {"bufferView": made.view(moved.tobytes())},
    }
    document = {
        "asset": {"version": "2.0"}, "meshes": [{"primitives": [{"attributes": {"POSITION": base}}]}], "nodes": [{"mesh": 0}],
        "accessors": made.accessors, "bufferViews": made.views, "buffers": [{"byteLength": len(made.binary)}],
    }  # fmt: skip
    (tmp_path / "s.glb").write_bytes(glb(document, made.binary))
    assert read_meshes(tmp_path / "s.glb", tmp_path)[0].positions == approx(np.array([PLACES[0], moved[0], PLACES[2]]))
    made.accessors[base]["sparse"]["count"] = 9
    (tmp_path / "s.glb").write_bytes(glb(document, made.binary))
    with pytest.raises(BrokenFileError, match="sparse"):
        read_meshes(tmp_path / "s.glb", tmp_path)


def test_compressed_meshes_are_carried_as_they_are_and_not_drawn(tmp_path: Path) -> None:
    made = Assembled()
    stretch = {"buffer": 0, "byteOffset": 0, "byteLength": 48, "byteStride": 12, "count": 3, "mode": "ATTRIBUTES"}
    packed = made.view(PACKED)
    view = {"buffer": 1, "byteLength": 36, "byteStride": 12, "target": 34962, "extensions": {"EXT_meshopt_compression": stretch}}
    made.views = [view, made.views[packed]]
    document = {
        "asset": {"version": "2.0"}, "extensionsUsed": ["EXT_meshopt_compression", DRACO],
        "extensionsRequired": ["EXT_meshopt_compression"], "materials": [{"name": "m"}],
        "meshes": [
            {"primitives": [{"attributes": {"POSITION": 0}, "material": 0}]},
            {"primitives": [{"attributes": {"POSITION": 0}, "extensions": {DRACO: {"bufferView": 1, "attributes": {}}}}]},
        ],
        "nodes": [{"mesh": 0}, {"mesh": 1}], "scenes": [{"nodes": [0, 1]}],
        "accessors": [{"bufferView": 0, "componentType": FLOAT, "count": 3, "type": "VEC3", "min": [0, 0, 0], "max": [1, 1, 1]}],
        "bufferViews": made.views,
        "buffers": [{"byteLength": 48}, {"byteLength": 36, "extensions": {"EXT_meshopt_compression": {"fallback": True}}}],
    }  # fmt: skip
    path = tmp_path / "packed.glb"
    path.write_bytes(glb(document, made.binary))
    assert "meshes-not-usable" not in codes(read(path)[0])
    after = home(path)
    carried = after.document["bufferViews"][after.document["accessors"][0]["bufferView"]]
    block = carried["extensions"]["EXT_meshopt_compression"]
    assert after.bytes_of_buffer(block, "here") == PACKED
    assert {key: block[key] for key in ("byteStride", "count", "mode")} == {"byteStride": 12, "count": 3, "mode": "ATTRIBUTES"}
    assert (carried["byteLength"], carried["byteStride"], carried["target"]) == (36, 12, 34962)
    assert after.document["buffers"][carried["buffer"]]["extensions"] == {"EXT_meshopt_compression": {"fallback": True}}
    draco = after.document["meshes"][1]["primitives"][0]["extensions"][DRACO]
    assert after.bytes_of(draco["bufferView"], "here") == PACKED
    assert after.document["extensionsRequired"] == ["EXT_meshopt_compression"]
    with pytest.raises(BrokenFileError, match="needs EXT_meshopt_compression"):
        read_meshes(path, tmp_path)


def test_textures_packed_for_graphics_hardware_are_refused_with_the_reason(tmp_path: Path) -> None:
    document = {
        "asset": {"version": "2.0"}, "extensionsUsed": ["KHR_texture_basisu"], "images": [{"uri": "a.ktx2"}],
        "textures": [{"extensions": {"KHR_texture_basisu": {"source": 0}}}],
        "materials": [{"name": "m", "pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}],
    }  # fmt: skip
    (tmp_path / "k.glb").write_bytes(glb(document))
    (material,) = read(tmp_path / "k.glb")
    (finding,) = [one for one in material.findings if one.code == "broken-map"]
    assert "KTX2" in finding.message
    assert finding.remedy
    assert isinstance(material, Material)


QUANTIZED = "KHR_mesh_quantization"


def test_quantized_meshes_come_home_as_they_went_out(tmp_path: Path) -> None:
    # KHR_mesh_quantization: positions of 16 bits are valid only where the extension is required.
    made = Assembled()
    places = np.array([[0, 0, 0, 0], [30000, 0, 0, 0], [0, 30000, 0, 0]], "<i2")
    outward, corners = np.array([[0, 0, 127, 0]] * 3, "<i1"), np.array([[0, 0], [65535, 0], [0, 65535]], "<u2")
    position = made.accessor(places, "VEC3", 5122, min=[0, 0, 0], max=[30000, 30000, 0], normalized=True)
    normal = made.accessor(outward, "VEC3", 5120, normalized=True)
    corner = made.accessor(corners, "VEC2", SHORT, normalized=True)
    for accessor, stride in ((position, 8), (normal, 4)):
        made.views[made.accessors[accessor]["bufferView"]] |= {"byteStride": stride, "target": 34962}
    attributes = {"POSITION": position, "NORMAL": normal, "TEXCOORD_0": corner}
    document = {
        "asset": {"version": "2.0"}, "extensionsUsed": [QUANTIZED], "extensionsRequired": [QUANTIZED], "bufferViews": made.views,
        "accessors": made.accessors, "buffers": [{"byteLength": len(made.binary)}], "materials": [{"name": "gate"}],
        "meshes": [{"primitives": [{"attributes": attributes, "material": 0}]}], "nodes": [{"mesh": 0}], "scenes": [{"nodes": [0]}],
    }  # fmt: skip
    before = tmp_path / "gate.glb"
    before.write_bytes(glb(document, made.binary))
    (material,) = read(before)
    (after,) = write([convert(material, "metal_rough").material], tmp_path / "out.glb", "gltf", before)
    assert validator_issues(after)["numErrors"] == validator_issues(before)["numErrors"] == 0
    written = open_container(after, tmp_path).document
    assert written["extensionsUsed"] == written["extensionsRequired"] == [QUANTIZED]
    (ours,), (theirs,) = (read_meshes(path, tmp_path) for path in (after, before))
    assert ours.positions[:, 0] == approx(np.array([0.0, 30000 / 32767, 0.0]))
    assert (ours.positions == theirs.positions).all()


def test_meshes_stay_with_the_original_beside_its_variant(walker: Path, tmp_path: Path) -> None:
    originals = [convert(material, "metal_rough").material for material in read(walker)]
    worn = replace(originals[0], name=f"{originals[0].name} worn")
    after = write([*originals, worn], tmp_path / "out.glb", "gltf", walker)[0]
    carried = {one.name: one.geometry.meshes for one in read(after)}
    assert carried[originals[0].name]
    assert carried[worn.name] == ()
    alone = write([worn], tmp_path / "alone.glb", "gltf", walker)[0]
    assert read(alone)[0].geometry.meshes == carried[originals[0].name]
