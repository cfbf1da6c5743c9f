"""Files read and written, and files that are wrong or hostile.

The short suite misses: how a file of a million lines is read.
"""

from __future__ import annotations

import json
import struct
import subprocess
import time
import zlib
from pathlib import Path
from typing import Any

import MaterialX as mx
import numpy as np
import pytest
from pytest import approx

from fenrain.core import Material, Profile, read, write
from fenrain.core.conversion.engine import convert
from fenrain.core.errors import BrokenFileError, FenrainError, TooLargeError, UnknownFormatError
from fenrain.core.formats.materialx.reading import libraries
from fenrain.core.maps.image import write_png
from fenrain.core.maps.texels import transformed
from fenrain.core.values import Constant, Map
from fenrain.demo.heron_lode import ENGINE_HOUSE, SLUICE_YARD
from tests.sizes import sized

WEB = Path(__file__).parents[2] / "web"
VALIDATE = """
const validator = require("gltf-validator");
validator.validateBytes(new Uint8Array(require("fs").readFileSync(process.argv[1]))).then(
  (report) => console.log(JSON.stringify(report.issues)));
"""


def validator_issues(path: Path) -> dict[str, Any]:
    """What the Khronos glTF validator says of a file."""
    run = subprocess.run(["node", "-e", VALIDATE, str(path)], cwd=WEB, capture_output=True, text=True, check=True)
    return dict(json.loads(run.stdout))


def glb(document: dict[str, Any], binary: bytes = b"") -> bytes:
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    chunks = struct.pack("<II", len(text), 0x4E4F534A) + text
    if binary:
        chunks += struct.pack("<II", len(binary), 0x004E4942) + binary
    return b"glTF" + struct.pack("<II", 2, 12 + len(chunks)) + chunks


def asset(*materials: dict[str, Any], **rest: Any) -> dict[str, Any]:
    return {"asset": {"version": "2.0"}, "materials": list(materials), **rest}


def codes(material: Material) -> set[str]:
    return {finding.code for finding in material.findings}


# Whole assets


def test_every_material_map_and_mesh_of_a_glb_is_listed(engine_house: list[Material]) -> None:
    assert [material.name for material in engine_house] == [
        "engine-green enamel", "gauge-brass bezel", "sluice cast iron", "limewashed brick", "amber lamp lens", "oiled drive belt",
    ]  # fmt: skip
    assert {material.model for material in engine_house} == {"spec_gloss"}
    enamel = engine_house[0]
    gloss = enamel.values["glossiness"]
    assert isinstance(gloss, Map)
    assert (gloss.channels, gloss.encoding) == ("a", "linear")
    assert enamel.geometry.meshes == ("engine-green enamel",)


def test_every_statement_of_an_mtl_is_taken(sluice_yard: list[Material]) -> None:
    rail, dial, _, tarpaulin = sluice_yard
    assert rail.values["ambient"] == Constant((0.2, 0.2, 0.2))
    narrowness = rail.values["exponent"]
    assert isinstance(narrowness, Map)
    assert narrowness.scale == 1000.0
    assert dial.values["exponent"] == Constant(160.0)
    bump = tarpaulin.values["bump"]
    assert isinstance(bump, Map)
    assert bump.scale == approx(0.6)


@pytest.mark.parametrize("profile", [None, Profile("core")], ids=["extensions", "core"])
@pytest.mark.parametrize("name", [ENGINE_HOUSE, SLUICE_YARD])
def test_written_glb_passes_the_khronos_validator(heron_lode: Path, tmp_path: Path, name: str, profile: Profile | None) -> None:
    materials = [convert(material, "metal_rough", profile).material for material in read(heron_lode / name)]
    written = write(materials, tmp_path / "out.glb", "gltf", heron_lode / name, profile)
    issues = validator_issues(written[0])
    assert issues["numErrors"] == 0, issues["messages"]
    assert all(message["code"] == "MESH_PRIMITIVE_GENERATED_TANGENT_SPACE" for message in issues["messages"] if message["severity"] == 1)
    back = read(written[0])
    assert [material.name for material in back] == [material.name for material in materials]
    if profile is not None:
        assert b"KHR_" not in written[0].read_bytes()[:20000]


def test_materials_without_a_mesh_are_written_on_spheres(tmp_path: Path) -> None:
    materials = [Material.of(name, "metal_rough", {"metallic": 0.0}) for name in ("a/b", "żółw", "same", "same")]
    assert validator_issues(write(materials, tmp_path / "out.glb", "gltf")[0])["numErrors"] == 0


@pytest.mark.parametrize("target", ["open_pbr", "metal_rough"])
def test_written_materialx_passes_the_standards_validation(
    engine_house: list[Material], sluice_yard: list[Material], tmp_path: Path, target: str
) -> None:
    materials = [convert(one, target).material for one in (*engine_house[::2], *sluice_yard)]
    written = write(materials, tmp_path / "out.mtlx", "materialx")
    document = mx.createDocument()
    mx.readFromXmlFile(document, str(written[0]))
    document.setDataLibrary(libraries())
    valid, message = document.validate()
    assert valid, message
    assert len(document.getMaterialNodes()) == len(materials)
    for node in document.getNodes("image"):
        assert (tmp_path / node.getInputValue("file")).is_file()
    back = read(written[0])
    assert {material.model for material in back} == {target}
    assert not any(finding.severity == "problem" for material in back for finding in material.findings)


def test_mtl_comes_back_as_it_was(sluice_yard: list[Material], tmp_path: Path) -> None:
    back = {material.name: material for material in read(write(sluice_yard, tmp_path / "out.mtl", "mtl")[0])}
    for material in sluice_yard:
        for name, value in material.values.items():
            if isinstance(value, Constant):
                assert back[material.name].value(name) == value
    assert isinstance(back["tarpaulin"].values["bump"], Map)


def test_constants_survive_materialx(tmp_path: Path) -> None:
    values = {"base_color": (0.1, 0.2, 0.3), "specular_roughness": 0.4, "coat_weight": 1.0, "coat_ior": 1.7, "geometry_thin_walled": True}
    back = read(write([Material.of("m", "open_pbr", values)], tmp_path / "m.mtlx", "materialx")[0])[0]
    for name, value in values.items():
        assert back.parameters()[name] == approx(value, abs=1e-6)


# Wrong and hostile files


@pytest.mark.parametrize(("name", "data", "error", "place"), [
    ("notes.txt", b"hello", UnknownFormatError, "notes.txt"),
    ("cut.glb", glb(asset({}))[:-10], BrokenFileError, "ends before"),
    ("short.glb", b"glTF", BrokenFileError, "ends before"),
    ("old.glb", b"glTF" + struct.pack("<II", 1, 12), BrokenFileError, "version 1"),
    ("noise.glb", b"\x00\xff" * 400, BrokenFileError, "JSON"),
    ("deep.gltf", b'{"asset":{"version":"2.0"},"x":' + b"[" * 200_000, BrokenFileError, "JSON"),
    ("list.gltf", b"[1, 2]", BrokenFileError, "not a glTF"),
    ("one.gltf", b'{"asset": {"version": "1.0"}}', BrokenFileError, "asset/version"),
    ("odd.gltf", b'{"asset": {"version": "2.0"}, "materials": 7}', BrokenFileError, "materials"),
    ("empty.mtl", b"# nothing\n", BrokenFileError, "newmtl"),
    ("mesh.mtl", b"v 0 0 0\n", BrokenFileError, "line 1"),
    ("bad.mtlx", b"<materialx version='1.39'><nope", BrokenFileError, "XML"),
    ("entity.mtlx", b'<!DOCTYPE x [<!ENTITY a "b">]><materialx version="1.39">&a;</materialx>', BrokenFileError, "DOCTYPE"),
    ("include.mtlx", b'<materialx version="1.39" xmlns:xi="http://www.w3.org/2001/XInclude"><xi:include href="/etc/passwd"/></materialx>',
     BrokenFileError, "includes"),
    ("none.mtlx", b'<materialx version="1.39"/>', BrokenFileError, "no material"),
])  # fmt: skip
def test_wrong_files_are_refused_with_the_place(tmp_path: Path, name: str, data: bytes, error: type[FenrainError], place: str) -> None:
    (tmp_path / name).write_bytes(data)
    with pytest.raises(error) as refused:
        read(tmp_path / name)
    assert place in str(refused.value)


@pytest.mark.parametrize(
    "reference", ["../../etc/passwd", "/etc/passwd", "file:///etc/passwd", "http://example.org/a.png", "..\\..\\a.png"]
)
def test_references_that_leave_the_upload_are_not_followed(tmp_path: Path, reference: str) -> None:
    (tmp_path / "m.mtl").write_text(f"newmtl a\nmap_Kd {reference}\n")
    images = {"images": [{"uri": reference}], "textures": [{"source": 0}]}
    (tmp_path / "m.gltf").write_text(json.dumps(asset({"pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}, **images)))
    for name, parameter in (("m.mtl", "diffuse"), ("m.gltf", "base_color")):
        material = read(tmp_path / name)[0]
        assert codes(material) == {"unsafe-path"}
        assert material.findings[0].parameter == parameter
        assert not material.images()


def test_buffer_outside_the_upload_is_refused(tmp_path: Path) -> None:
    document = asset({"normalTexture": {"index": 0}}, images=[{"bufferView": 0, "mimeType": "image/png"}], textures=[{"source": 0}],
                     bufferViews=[{"buffer": 0, "byteLength": 10}], buffers=[{"uri": "../secret.bin", "byteLength": 10}])  # fmt: skip
    (tmp_path / "m.gltf").write_text(json.dumps(document))
    assert codes(read(tmp_path / "m.gltf")[0]) == {"unsafe-path", "meshes-not-usable"}


def test_buffer_view_beyond_its_buffer_is_named(tmp_path: Path) -> None:
    document = asset({"normalTexture": {"index": 0}}, images=[{"bufferView": 0, "mimeType": "image/png"}], textures=[{"source": 0}],
                     bufferViews=[{"buffer": 0, "byteLength": 10_000}], buffers=[{"byteLength": 8}])  # fmt: skip
    (tmp_path / "m.glb").write_bytes(glb(document, b"\x00" * 8))
    finding = read(tmp_path / "m.glb")[0].findings[0]
    assert "bufferViews/0" in finding.message
    assert finding.parameter == "normal"


def png_header(width: int, height: int) -> bytes:
    header = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + struct.pack(">I", 13) + b"IHDR" + header + struct.pack(">I", zlib.crc32(b"IHDR" + header))


def test_image_bomb_is_refused_by_its_header(tmp_path: Path) -> None:
    (tmp_path / "big.png").write_bytes(png_header(60_000, 60_000) + struct.pack(">I", 0) + b"IDAT" + struct.pack(">I", zlib.crc32(b"IDAT")))
    (tmp_path / "m.mtl").write_text("newmtl a\nmap_Kd big.png\n")
    finding = read(tmp_path / "m.mtl")[0].findings[0]
    assert finding.code in ("map-too-large", "broken-map")
    assert "big.png" in finding.message


def test_damaged_map_is_a_finding(tmp_path: Path) -> None:
    (tmp_path / "a.png").write_bytes(b"not an image")
    (tmp_path / "m.mtl").write_text("newmtl a\nmap_Kd a.png\nmap_Ks gone.png\n")
    assert codes(read(tmp_path / "m.mtl")[0]) == {"broken-map", "missing-map"}


def test_map_cut_off_in_the_middle_fails_when_it_is_worked_out(tmp_path: Path) -> None:
    write_png(tmp_path / "a.png", np.random.default_rng(0).random((256, 256, 3)))
    data = (tmp_path / "a.png").read_bytes()
    (tmp_path / "a.png").write_bytes(data[: len(data) // 2])
    (tmp_path / "m.mtl").write_text("newmtl a\nKs 0.1 0.1 0.1\nmap_Kd a.png\n")
    converted = convert(read(tmp_path / "m.mtl")[0], "open_pbr").material
    with pytest.raises(FenrainError, match=r"a\.png"):
        write([converted], tmp_path / "out" / "m.mtlx", "materialx")
    assert not list((tmp_path / "out").rglob("*.png"))
    assert not (tmp_path / "out" / "m.mtlx").exists()


@pytest.mark.parametrize(("statement", "code"), [
    ("Ns nan", "not-finite"), ("Ns inf", "not-finite"), ("Kd -1 0 0", "out-of-range"), ("d 3", "out-of-range"), ("Ns many", "bad-value"),
    ("illum 42", "bad-value"), ("illum bright", "bad-value"), ("Pz 0.5", "not-read"), ("Kd spectral a.rfl", "not-read"),
])  # fmt: skip
def test_odd_values_are_findings_that_name_the_line(tmp_path: Path, statement: str, code: str) -> None:
    (tmp_path / "m.mtl").write_text(f"newmtl a\n\n{statement}\n")
    findings = read(tmp_path / "m.mtl")[0].findings
    assert code in {finding.code for finding in findings}
    assert any("line 3" in finding.message for finding in findings)


@pytest.mark.parametrize("statement", ["Kd 0.3 red 0.1", "Kd nan 0 0"])
def test_a_colour_that_cannot_be_used_is_a_problem_not_a_remark(tmp_path: Path, statement: str) -> None:
    (tmp_path / "m.mtl").write_text(f"newmtl a\n{statement}\n")
    assert [finding.severity for finding in read(tmp_path / "m.mtl")[0].findings] == ["problem"]


def test_not_a_number_in_gltf_is_a_finding(tmp_path: Path) -> None:
    (tmp_path / "m.gltf").write_text(
        '{"asset":{"version":"2.0"},"materials":[{"pbrMetallicRoughness":{"roughnessFactor":NaN,"metallicFactor":1e999}}]}'
    )
    material = read(tmp_path / "m.gltf")[0]
    assert codes(material) == {"not-finite"}
    assert not material.values


def test_materials_of_one_name_are_kept_apart(tmp_path: Path) -> None:
    (tmp_path / "m.mtl").write_text("newmtl a b/c\nKd 1 0 0\nnewmtl a b/c\nKd 0 1 0\nnewmtl ツタ\nKd 0 0 1\n")
    materials = read(tmp_path / "m.mtl")
    assert [material.name for material in materials] == ["a b/c", "a b/c", "ツタ"]
    assert codes(materials[0]) == {"shared-name"}
    for target, name in (("open_pbr", "o.mtlx"), ("metal_rough", "o.glb")):
        written = write(
            [convert(material, target).material for material in materials], tmp_path / name, {"o.mtlx": "materialx", "o.glb": "gltf"}[name]
        )
        assert len(read(written[0])) == 3


@pytest.mark.population
def test_million_line_mtl_is_read_in_seconds_or_refused(tmp_path: Path) -> None:
    (tmp_path / "long.mtl").write_text("newmtl a\n" + "Kd 0.5 0.5 0.5\n" * sized(100_000, 1_000_000))
    started = time.monotonic()
    assert len(read(tmp_path / "long.mtl")) == 1
    assert time.monotonic() - started < 120
    (tmp_path / "many.mtl").write_text("".join(f"newmtl m{index}\n" for index in range(60_000)))
    with pytest.raises(TooLargeError, match="50,000"):
        read(tmp_path / "many.mtl")


def test_map_options_become_a_transform(tmp_path: Path) -> None:
    write_png(tmp_path / "my map.png", np.full((4, 4, 3), 0.5))
    (tmp_path / "m.mtl").write_text("newmtl a\nKd 0.5 1 1\nmap_Kd -s 2 3 1 -o 0.25 0.5 0 -mm 0 0.5 my map.png\n")
    value = read(tmp_path / "m.mtl")[0].values["diffuse"]
    assert isinstance(value, Map)
    assert value.scale == approx((0.25, 0.5, 0.5))
    # MTL runs v upwards: v' = 3 v + 0.5 there is v' = 3 v + (1 − 3 − 0.5) downwards.
    assert (value.placement.scale, value.placement.offset) == ((2.0, 3.0), (0.25, -2.5))


# OBJ: what is odd about its material files never stops the rest.


def test_a_mesh_without_a_material_file_gives_its_groups_one_default(tmp_path: Path) -> None:
    (tmp_path / "alone.obj").write_text("v 0 0 0\nv 1 0 0\nv 0 1 0\ng left\nf 1 2 3\ng right\nf 1 2 3\n")
    (material,) = read(tmp_path / "alone.obj")
    assert (material.name, material.model, material.geometry.meshes) == ("alone", "exponent", ("left", "right"))
    assert [finding.code for finding in material.findings] == ["default-material"]
    written = write([convert(material, "metal_rough").material], tmp_path / "o.glb", "gltf", tmp_path / "alone.obj")
    assert [found.geometry.meshes for found in read(written[0])] == [("alone",)] or read(written[0])[0].geometry.meshes


@pytest.mark.parametrize(("library", "said"), [("gone.mtl", "line 1"), ("../../etc/passwd", "outside")])
def test_a_material_file_that_cannot_be_read_is_a_finding(tmp_path: Path, library: str, said: str) -> None:
    (tmp_path / "lost.obj").write_text(f"mtllib {library}\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl paint\nf 1 2 3\n")
    (material,) = read(tmp_path / "lost.obj")
    assert material.name == "paint"
    found = {finding.code: finding for finding in material.findings}
    assert {"undefined-material", "material-file"} == found.keys()
    assert said in found["material-file"].evidence + found["material-file"].message


def test_one_statement_may_name_two_material_files_or_one_with_a_space(tmp_path: Path) -> None:
    for name in ("a.mtl", "b.mtl", "c d.mtl"):
        (tmp_path / name).write_text(f"newmtl {name[0]}\nKd 0.5 0.5 0.5\nKs x\n")
    (tmp_path / "m.obj").write_text("mtllib a.mtl b.mtl\nmtllib c d.mtl\n")
    materials = read(tmp_path / "m.obj")
    assert [material.name for material in materials] == ["a", "b", "c"]
    # A place names the file where the line stands.
    assert [material.findings[0].message.split(":")[0] for material in materials] == [
        f"{name}, line 3, Ks" for name in ("a.mtl", "b.mtl", "c d.mtl")
    ]


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "cp1252"])
def test_names_in_other_encodings_are_decoded(tmp_path: Path, encoding: str) -> None:
    (tmp_path / "m.mtl").write_bytes("newmtl Grün é\nKd 0.1 0.2 0.3\n".encode(encoding))
    (material,) = read(tmp_path / "m.mtl")
    assert material.name == "Grün é"
    assert ("encoding" in {finding.code for finding in material.findings}) == (encoding == "cp1252")


# MaterialX: graphs as the standard's own library has them.


def mtlx(folder: Path, nodes: str, inputs: str) -> Material:
    write_png(folder / "p.png", np.random.default_rng(0).random((8, 8, 4)))
    (folder / "m.mtlx").write_text(
        f'<?xml version="1.0"?><materialx version="1.39">{nodes}<open_pbr_surface name="s" type="surfaceshader">{inputs}</open_pbr_surface>'
        '<surfacematerial name="m" type="material" uiname="Grüner Lack"><input name="surfaceshader" type="surfaceshader" nodename="s"/>'
        "</surfacematerial></materialx>"
    )
    return read(folder / "m.mtlx")[0]


IMAGE = '<image name="i" type="color3"><input name="file" type="filename" value="p.png"/>{}</image>'


@pytest.mark.parametrize(("output", "channel"), [("outr", "r"), ("outg", "g"), ("outb", "b")])
def test_each_output_of_separate3_is_its_channel(tmp_path: Path, output: str, channel: str) -> None:
    nodes = IMAGE.format("") + '<separate3 name="t" type="multioutput"><input name="in" type="color3" nodename="i"/></separate3>'
    material = mtlx(tmp_path, nodes, f'<input name="specular_roughness" type="float" nodename="t" output="{output}"/>')
    value = material.value("specular_roughness")
    assert isinstance(value, Map)
    assert value.channels == channel
    assert material.name == "Grüner Lack"


@pytest.mark.parametrize("order", [0, 1])
@pytest.mark.parametrize("rotate", [0.0, 30.0, -75.0])
def test_place2d_lies_as_its_own_nodes_say(tmp_path: Path, order: int, rotate: float) -> None:
    # NG_place2d_vector2 of the standard's library, node by node: subtract pivot, then scale, rotate, offset, or the other way round.
    scale, offset, pivot = (0.5, 0.5 if order else 0.25), np.array([0.3, -0.2]), np.array([0.5, 0.25])
    inputs = (
        f'<input name="scale" type="vector2" value="{scale[0]}, {scale[1]}"/><input name="rotate" type="float" value="{rotate}"/>'
        f'<input name="offset" type="vector2" value="{offset[0]}, {offset[1]}"/>'
        f'<input name="pivot" type="vector2" value="{pivot[0]}, {pivot[1]}"/>'
        f'<input name="operationorder" type="integer" value="{order}"/><input name="texcoord" type="vector2" nodename="t"/>'
    )
    nodes = (
        '<texcoord name="t" type="vector2"><input name="index" type="integer" value="1"/></texcoord>'
        f'<place2d name="p" type="vector2">{inputs}</place2d>' + IMAGE.format('<input name="texcoord" type="vector2" nodename="p"/>')
    )
    value = mtlx(tmp_path, nodes, '<input name="base_color" type="color3" nodename="i"/>').value("base_color")
    assert isinstance(value, Map)
    assert value.uv_set == 1
    turn = np.radians(rotate)

    def rotated(p: np.ndarray) -> np.ndarray:
        # mx_rotate_vector2 of the standard's library.
        return np.array([np.cos(turn) * p[0] + np.sin(turn) * p[1], -np.sin(turn) * p[0] + np.cos(turn) * p[1]])

    for uv in np.random.default_rng(1).random((5, 2)):
        moved = uv - pivot
        placed = (rotated(moved - offset) / scale if order else rotated(moved / scale) - offset) + pivot
        u, v = transformed(value.placement, uv[0], 1.0 - uv[1])
        assert (u, 1.0 - v) == approx(tuple(placed), abs=1e-6)


def test_a_namesake_that_stands_for_a_file_is_said(tmp_path: Path) -> None:
    (tmp_path / "elsewhere").mkdir()
    write([Material.of("m", "metal_rough", {"metallic": 0.0})], tmp_path / "a.glb", "gltf")
    data = (tmp_path / "a.glb").read_bytes()
    length = struct.unpack("<I", data[12:16])[0]
    document = json.loads(data[20 : 20 + length])
    document["buffers"][0]["uri"] = "old/a.bin"
    (tmp_path / "elsewhere" / "a.bin").write_bytes(data[28 + length :])
    (tmp_path / "a.gltf").write_text(json.dumps(document))
    (tmp_path / "elsewhere" / "m.mtl").write_text("newmtl paint\nKd 3 0 0\nd 3\n")
    (tmp_path / "m.obj").write_text("mtllib m.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl paint\nf 1 2 3\n")
    assert [finding.code for finding in read(tmp_path / "a.gltf")[0].findings] == ["buffer-found-elsewhere"]
    findings = {finding.code: finding for finding in read(tmp_path / "m.obj")[0].findings}
    assert findings["material-file-found-elsewhere"].evidence == "elsewhere/m.mtl"
    # A value that was set to the nearest allowed says what the file said, and where.
    assert "m.mtl, line 3, d is 3.0" in findings["out-of-range"].message


def test_a_missing_buffer_is_said_at_the_door(tmp_path: Path) -> None:
    document = {"asset": {"version": "2.0"}, "materials": [{}], "buffers": [{"byteLength": 4, "uri": "gone.bin"}]}
    (tmp_path / "a.gltf").write_text(json.dumps(document | {"bufferViews": [{"buffer": 0, "byteLength": 4}]}))
    (finding,) = read(tmp_path / "a.gltf")[0].findings
    assert finding.code == "meshes-not-usable"
    assert "gone.bin" in finding.message
