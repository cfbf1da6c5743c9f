"""Every statement of a source, misspelt or broken in turn, and every file that one refers to, taken away: each is said to be unread.

The statements are those of hand-written files, one a format, that use all that the format has for a look; what is expected is the
format's own text: a name that it does not define, a value of another type, a reference to nothing. A statement that is left out altogether
makes another whole file, of which nobody can say that something is missing.
"""

from __future__ import annotations

import copy
import json
import re
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from fenrain.core import Material, read
from fenrain.core.checking.input_findings.registry import with_findings
from fenrain.core.checking.undrawn import find_unread_statements
from fenrain.core.dialects.dialect import SIDES, Dialect, Spelling, shipped
from fenrain.core.errors import FenrainError
from fenrain.core.maps.image import write_png
from fenrain.core.models.parameter import Kind
from fenrain.core.models.registry import model_of

MAPS = ("body.png", "gloss.png", "lean.png")


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    for name in MAPS:
        write_png(tmp_path / name, np.random.default_rng(0).random((8, 8, 4)) * 0.2 + 0.7)
    return tmp_path


def is_said(path: Path) -> bool:
    """Whether a file is refused, or each of its materials but whole ones says what of it was not read."""
    try:
        return any(find_unread_statements(material) for material in read(path))
    except FenrainError:
        return True


def silent(path: Path, versions: Iterator[tuple[str, str | bytes]]) -> list[str]:
    """Which of some versions of a file are read without a word."""
    found = []
    for what, content in versions:
        path.write_bytes(content.encode() if isinstance(content, str) else content)
        if not is_said(path):
            found.append(what)
    return found


def whole(path: Path, content: str) -> list[Material]:
    """The materials of the file as it should be, of which nothing is unread."""
    path.write_text(content)
    materials = read(path)
    assert [find_unread_statements(material) for material in materials] == [()] * len(materials)
    return materials


def without_a_map(folder: Path, path: Path) -> list[str]:
    """Which maps may be missing without a word."""
    found = []
    for name in MAPS:
        (folder / name).rename(folder / "elsewhere")
        if name in path.read_text() and not is_said(path):
            found.append(name)
        (folder / "elsewhere").rename(folder / name)
    return found


# MTL (MTL material file format, Advanced Visualizer, 1995)

MTL = """newmtl gate
Ka 0.1 0.1 0.1
Kd 0.4 0.3 0.2
Ks 0.3 0.3 0.3
Ke 0.0 0.1 0.0
Tf 0.9 1.0 0.9
Ns 60
Ni 1.5
d 0.9
illum 2
map_Kd -s 2 2 1 -o 0.1 0.2 0 body.png
map_Ks -mm 0.1 0.8 body.png
map_Ns -imfchan g gloss.png
map_bump -bm 0.5 gloss.png
norm lean.png
"""

PHYSICAL = """newmtl gate
Kd 0.4 0.3 0.2
Ke 0.0 0.1 0.0
Ni 1.5
d 0.9
Pr 0.4
Pm 0.1
Ps 0.1
Pc 0.5
Pcr 0.1
aniso 0.3
anisor 0.2
map_Kd body.png
map_Pr gloss.png
map_bump -bm 0.5 gloss.png
norm lean.png
"""


def mtl_versions(text: str) -> Iterator[tuple[str, str]]:
    lines = text.splitlines()
    for index, line in enumerate(lines):
        keyword, _, rest = line.partition(" ")
        if keyword == "newmtl":
            continue
        for changed in (f"{keyword}x {rest}", f"{keyword} about 60", f"{keyword} ", *(f"{keyword} {one}" for one in broken_options(rest))):
            yield changed, "\n".join([*lines[:index], changed, *lines[index + 1 :]])


def broken_options(rest: str) -> list[str]:
    words = rest.split()
    return [
        " ".join([*words[:at], changed, *words[at + 1 :]])
        for at, word in enumerate(words)
        if word.startswith("-")
        for changed in (f"{word}x", f"{word} much")
    ]


@pytest.mark.parametrize("text", [MTL, PHYSICAL], ids=["highlights", "physically based"])
def test_of_mtl(text: str, folder: Path) -> None:
    path = folder / "gate.mtl"
    whole(path, text)
    assert without_a_map(folder, path) == []
    assert silent(path, mtl_versions(text)) == []


# glTF 2.0 and its extensions

TEXTURE = {"index": 0, "texCoord": 0, "extensions": {"KHR_texture_transform": {"offset": [0.1, 0.2], "rotation": 0.0, "scale": [2.0, 2.0]}}}
GLTF: dict[str, Any] = {
    "asset": {"version": "2.0"},
    "images": [{"uri": name} for name in MAPS],
    "samplers": [{"wrapS": 10497, "wrapT": 10497}],
    "textures": [{"source": index, "sampler": 0} for index in range(3)],
    "materials": [
        {
            "name": "gate",
            "doubleSided": True,
            "alphaMode": "MASK",
            "alphaCutoff": 0.4,
            "emissiveFactor": [0.1, 0.1, 0.1],
            "emissiveTexture": TEXTURE,
            "normalTexture": {"index": 2, "scale": 0.8},
            "occlusionTexture": {"index": 1, "strength": 0.7},
            "pbrMetallicRoughness": {
                "baseColorFactor": [0.9, 0.8, 0.7, 0.9],
                "baseColorTexture": TEXTURE,
                "metallicFactor": 0.5,
                "roughnessFactor": 0.6,
                "metallicRoughnessTexture": {"index": 1},
            },
            "extensions": {
                "KHR_materials_ior": {"ior": 1.4},
                "KHR_materials_specular": {
                    "specularFactor": 0.8, "specularTexture": {"index": 1}, "specularColorFactor": [1.0, 0.9, 0.8],
                    "specularColorTexture": {"index": 0},
                },
                "KHR_materials_clearcoat": {
                    "clearcoatFactor": 0.5, "clearcoatTexture": {"index": 1}, "clearcoatRoughnessFactor": 0.1,
                    "clearcoatRoughnessTexture": {"index": 1}, "clearcoatNormalTexture": {"index": 2, "scale": 0.5},
                },
                "KHR_materials_sheen": {
                    "sheenColorFactor": [0.1, 0.1, 0.1], "sheenColorTexture": {"index": 0}, "sheenRoughnessFactor": 0.3,
                    "sheenRoughnessTexture": {"index": 1},
                },
                "KHR_materials_anisotropy": {"anisotropyStrength": 0.4, "anisotropyRotation": 0.3},
                "KHR_materials_transmission": {"transmissionFactor": 0.2, "transmissionTexture": {"index": 1}},
                "KHR_materials_volume": {
                    "thicknessFactor": 0.1, "thicknessTexture": {"index": 1}, "attenuationDistance": 0.5,
                    "attenuationColor": [0.9, 0.8, 0.7],
                },
                "KHR_materials_iridescence": {
                    "iridescenceFactor": 0.2, "iridescenceTexture": {"index": 1}, "iridescenceIor": 1.4, "iridescenceThicknessMinimum": 100,
                    "iridescenceThicknessMaximum": 300, "iridescenceThicknessTexture": {"index": 1},
                },
                "KHR_materials_emissive_strength": {"emissiveStrength": 2.0},
                "KHR_materials_dispersion": {"dispersion": 0.1},
                "KHR_materials_diffuse_transmission": {
                    "diffuseTransmissionFactor": 0.2, "diffuseTransmissionTexture": {"index": 1},
                    "diffuseTransmissionColorFactor": [0.9, 0.8, 0.7], "diffuseTransmissionColorTexture": {"index": 0},
                },
            },
        },
    ],
}  # fmt: skip
ARCHIVED = copy.deepcopy(GLTF)
ARCHIVED["materials"][0] = {
    "name": "gate",
    "alphaMode": "BLEND",
    "normalTexture": {"index": 2},
    "extensions": {
        "KHR_materials_pbrSpecularGlossiness": {
            "diffuseFactor": [0.5, 0.4, 0.3, 0.9], "diffuseTexture": {"index": 0}, "specularFactor": [0.1, 0.1, 0.1],
            "glossinessFactor": 0.7, "specularGlossinessTexture": {"index": 1},
        },
    },
}  # fmt: skip


def places(node: Any, path: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """Where each statement of a document stands."""
    if isinstance(node, dict):
        for key, child in node.items():
            yield (*path, key)
            yield from places(child, (*path, key))


def gltf_versions(document: dict[str, Any]) -> Iterator[tuple[str, str]]:
    for place in places(document["materials"][0]):
        *above, key = place
        if key == "name":
            continue
        for how in ("misspelt", "broken"):
            changed = copy.deepcopy(document)
            holder = changed["materials"][0]
            for step in above:
                holder = holder[step]
            value = holder[key]
            if how == "misspelt":
                holder[f"{key}x"] = holder.pop(key)
            elif not isinstance(value, dict):
                holder[key] = 999 if key == "index" else "about 60"
            yield f"{'/'.join(place)} {how}", json.dumps(changed)


@pytest.mark.parametrize("document", [GLTF, ARCHIVED], ids=["metallic-roughness", "specular-glossiness"])
def test_of_gltf(document: dict[str, Any], folder: Path) -> None:
    path = folder / "gate.gltf"
    whole(path, json.dumps(document))
    assert without_a_map(folder, path) == []
    unchanged = json.dumps(document)
    assert silent(path, ((what, text) for what, text in gltf_versions(document) if text != unchanged)) == []


# MaterialX 1.39

MTLX = """<?xml version="1.0"?>
<materialx version="1.39">
  <nodegraph name="maps">
    <texcoord name="uv" type="vector2"/>
    <place2d name="placed" type="vector2">
      <input name="texcoord" type="vector2" nodename="uv"/>
      <input name="scale" type="vector2" value="0.5, 0.5"/>
    </place2d>
    <image name="body" type="color3">
      <input name="file" type="filename" value="body.png" colorspace="srgb_texture"/>
      <input name="texcoord" type="vector2" nodename="placed"/>
    </image>
    <multiply name="tinted" type="color3">
      <input name="in1" type="color3" nodename="body"/>
      <input name="in2" type="color3" value="0.9, 0.8, 0.7"/>
    </multiply>
    <image name="gloss" type="float">
      <input name="file" type="filename" value="gloss.png"/>
    </image>
    <image name="lean" type="vector3">
      <input name="file" type="filename" value="lean.png"/>
    </image>
    <normalmap name="leaning" type="vector3">
      <input name="in" type="vector3" nodename="lean"/>
      <input name="scale" type="float" value="0.8"/>
    </normalmap>
    <output name="colour" type="color3" nodename="tinted"/>
    <output name="roughness" type="float" nodename="gloss"/>
    <output name="normal" type="vector3" nodename="leaning"/>
  </nodegraph>
  <{node} name="surface" type="surfaceshader">
{inputs}
  </{node}>
  <surfacematerial name="gate" type="material">
    <input name="surfaceshader" type="surfaceshader" nodename="surface"/>
  </surfacematerial>
</materialx>
"""
CONNECTED = '    <input name="{name}" type="{type}" nodegraph="maps" output="{output}"/>'
SURFACES = {
    "open_pbr_surface": ("base_color", "specular_roughness", "geometry_normal", "specular_ior", "coat_color"),
    "standard_surface": ("base_color", "specular_roughness", "normal", "specular_IOR", "coat_color"),
    "gltf_pbr": ("base_color", "roughness", "normal", "ior", "specular_color"),
    "UsdPreviewSurface": ("diffuseColor", "roughness", "normal", "ior", "emissiveColor"),
}


def materialx(node: str) -> str:
    body, gloss, normal, number, colour = SURFACES[node]
    inputs = [
        CONNECTED.format(name=body, type="color3", output="colour"),
        CONNECTED.format(name=gloss, type="float", output="roughness"),
        CONNECTED.format(name=normal, type="vector3", output="normal"),
        f'    <input name="{number}" type="float" value="1.4"/>',
        f'    <input name="{colour}" type="color3" value="0.9, 0.8, 0.7"/>',
    ]
    return MTLX.format(node=node, inputs="\n".join(inputs))


def materialx_versions(text: str) -> Iterator[tuple[str, str]]:
    """Names and values of inputs, references and categories of nodes, one after the other."""
    for found in re.finditer(r'(?<=<input name=")\w+|(?<=nodename=")\w+|(?<=nodegraph=")\w+|(?<=output=")\w+|(?<=value=")[^"]+', text):
        if found[0] != "surfaceshader":
            for changed in (f"{found[0]}x", "about60"):
                yield f"{found[0]} → {changed}", text[: found.start()] + changed + text[found.end() :]
    for category in ("image", "multiply", "normalmap", "place2d", "texcoord"):
        yield category, re.sub(rf"(</?){category}\b", r"\1unheard_of", text)


@pytest.mark.parametrize("node", SURFACES)
def test_of_materialx(node: str, folder: Path) -> None:
    path = folder / "gate.mtlx"
    text = materialx(node)
    whole(path, text)
    assert without_a_map(folder, path) == []
    assert silent(path, materialx_versions(text)) == []


# USD: UsdPreviewSurface 2.6

USDA = """#usda 1.0
(
    metersPerUnit = 1
)
def Material "gate"
{
    token outputs:surface.connect = </gate/surface.outputs:surface>
    def Shader "surface"
    {
        uniform token info:id = "UsdPreviewSurface"
        color3f inputs:diffuseColor.connect = </gate/body.outputs:rgb>
        float inputs:roughness.connect = </gate/gloss.outputs:r>
        normal3f inputs:normal.connect = </gate/lean.outputs:rgb>
        float inputs:metallic = 0.5
        float inputs:ior = 1.4
        color3f inputs:emissiveColor = (0.1, 0.1, 0.1)
        int inputs:useSpecularWorkflow = 0
        token outputs:surface
    }
    def Shader "uv"
    {
        uniform token info:id = "UsdPrimvarReader_float2"
        string inputs:varname = "st"
        float2 outputs:result
    }
    def Shader "placed"
    {
        uniform token info:id = "UsdTransform2d"
        float2 inputs:in.connect = </gate/uv.outputs:result>
        float2 inputs:scale = (2, 2)
        float inputs:rotation = 10
        float2 inputs:translation = (0.1, 0.2)
        float2 outputs:result
    }
    def Shader "body"
    {
        uniform token info:id = "UsdUVTexture"
        asset inputs:file = @body.png@
        float2 inputs:st.connect = </gate/placed.outputs:result>
        token inputs:sourceColorSpace = "sRGB"
        float4 inputs:scale = (0.9, 0.8, 0.7, 1)
        float4 inputs:bias = (0.01, 0.02, 0.03, 0)
        float3 outputs:rgb
    }
    def Shader "gloss"
    {
        uniform token info:id = "UsdUVTexture"
        asset inputs:file = @gloss.png@
        token inputs:sourceColorSpace = "raw"
        float outputs:r
    }
    def Shader "lean"
    {
        uniform token info:id = "UsdUVTexture"
        asset inputs:file = @lean.png@
        token inputs:sourceColorSpace = "raw"
        float4 inputs:scale = (2, 2, 2, 1)
        float4 inputs:bias = (-1, -1, -1, 0)
        float3 outputs:rgb
    }
}
"""


def usd_versions() -> Iterator[tuple[str, str]]:
    """But for the name of a UV set: without a mesh nobody can say which there are."""
    lines = USDA.splitlines()
    for index, line in enumerate(lines):
        changes = [re.sub(r"(inputs:\w+)", r"\1x", line), re.sub(r"</gate/(\w+)", r"</gate/\1x", line)]
        changes += [re.sub(r"(outputs:\w+)>", r"\1x>", line), re.sub(r'"([A-Za-z_0-9]+)"$', r'"\1x"', line)]
        changes += [re.sub(r"= [\d(].*$", '= "about 60"', line)]
        for changed in changes:
            if changed != line and not line.lstrip().startswith("def") and "varname = " not in changed:
                yield f"{changed.strip()} (line {index + 1})", "\n".join([*lines[:index], changed, *lines[index + 1 :]])


def test_of_usd(folder: Path) -> None:
    path = folder / "gate.usda"
    whole(path, USDA)
    assert without_a_map(folder, path) == []
    assert silent(path, usd_versions()) == []


# Parameter sheets, by every dialect that is shipped

DIALECTS = [dialect for dialect in shipped().values() if dialect.model != "mix"]


def typed(spelling: Spelling, kind: Kind) -> Any:
    """Something that a person may type into a column."""
    if kind is Kind.SPECTRUM:
        return "copper"
    if kind is Kind.FLAG:
        return "yes"
    if kind is Kind.NORMAL:
        return "lean.png"
    choices = next((step.choose for step in spelling.steps if step.choose is not None), None)
    if choices is not None:
        return next(iter(choices))
    low, high = spelling.range or (0.0, 1.0)
    number = low + 0.5 * (high - low)
    return [number] * 3 if kind is Kind.COLOUR else number


def sheet_row(dialect: Dialect) -> dict[str, Any]:
    model = model_of(dialect.model)
    row: dict[str, Any] = {"dialect": dialect.id, dialect.name_column: "gate"}
    for spelling in dialect.parameters:
        kind = Kind.FLAG if spelling.feeds == SIDES else model.parameter(spelling.feeds).kind
        row[spelling.name] = typed(spelling, kind)
        if spelling.map:
            row[spelling.map] = "body.png"
    return row


def sheet_versions(dialect: Dialect) -> Iterator[tuple[str, str]]:
    row = sheet_row(dialect)
    for column, value in row.items():
        if column in ("dialect", dialect.name_column):
            continue
        yield f"{column} misspelt", json.dumps([{f"{column}x" if name == column else name: one for name, one in row.items()}])
        for broken in ("about 60", "gone.png", "https://elsewhere/body.png", [value, value]):
            yield f"{column}: {broken}", json.dumps([{**row, column: broken}])


@pytest.mark.parametrize("dialect", DIALECTS, ids=lambda dialect: dialect.id)
def test_of_sheets(dialect: Dialect, folder: Path) -> None:
    path = folder / "gate.json"
    whole(path, json.dumps([sheet_row(dialect)]))
    assert silent(path, sheet_versions(dialect)) == []


@pytest.mark.parametrize("digits", [20, 309, 400, 5000])
@pytest.mark.parametrize("suffix", [".json", ".yaml"])
def test_of_numbers_that_no_float_holds(digits: int, suffix: str, tmp_path: Path) -> None:
    # IEEE 754: the largest double is about 1.8e308; Python reads no integer of more than 4,300 digits.
    number = "1" + "0" * digits
    row = {
        ".json": f'[{{"dialect": "osier", "Label": "gate", "Bend": {number}}}]',
        ".yaml": f"- {{dialect: osier, Label: gate, Bend: {number}}}\n",
    }
    path = tmp_path / f"gate{suffix}"
    path.write_text(row[suffix])
    if (digits, suffix) == (5000, ".yaml"):
        with pytest.raises(FenrainError, match="too long"):
            read(path)
        return
    (material,) = read(path)
    told = [finding.code for finding in material.findings]
    assert "out-of-range" in told if digits == 20 else "not-finite" in told


def test_of_gltf_numbers_that_no_float_holds(tmp_path: Path) -> None:
    path = tmp_path / "gate.gltf"
    document = {"asset": {"version": "2.0"}, "materials": [{"pbrMetallicRoughness": {"roughnessFactor": 0.5}}]}
    path.write_text(json.dumps(document).replace("0.5", "1" + "0" * 400))
    assert [finding.code for finding in read(path)[0].findings] == ["not-finite"]


# How images are laid


def codes(path: Path, content: str) -> set[str]:
    path.write_text(content)
    (material,) = read(path)
    return {finding.code for finding in material.findings if finding.unread}


@pytest.mark.parametrize(
    ("corners", "expected"), [("1 2 3", {"missing-uv-set"}), ("1//1 2//1 3//1", {"missing-uv-set"}), ("1/1 2/1 3/1", set())]
)
def test_a_map_on_a_mesh_without_texture_coordinates_is_named(corners: str, expected: set[str], folder: Path) -> None:
    (folder / "gate.mtl").write_text("newmtl gate\nmap_Kd body.png\n")
    (folder / "gate.obj").write_text(f"mtllib gate.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvn 0 0 1\nusemtl gate\nf {corners}\n")
    (material,) = map(with_findings, read(folder / "gate.obj"))
    assert {finding.code for finding in material.findings if finding.unread} == expected
