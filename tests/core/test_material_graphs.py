"""Graphs behind the inputs of MaterialX surfaces, computed texel by texel, against the text of the standard."""

from __future__ import annotations

import colorsys
from pathlib import Path

import MaterialX as mx
import numpy as np
import pytest
from pytest import approx

from fenrain.core import MapLimits, Material, Profile, convert, read, write
from fenrain.core.formats.materialx.graphs import libraries
from fenrain.core.formats.materialx.reading import IMAGE_NODES
from fenrain.core.maps.image import inspect, write_png
from fenrain.core.maps.texels import Grid, Texels
from fenrain.core.rules.nodes import NODES, node_rule
from fenrain.core.values import Computed, Constant, Map, value_from_document, value_to_document

EDGE = 8
LUMINANCE = np.array([0.2722287, 0.6740818, 0.0536895])
"""The weights that the standard's nodes take where none are given (ACEScg)."""
FILES = (
    '<image name="base" type="color3"><input name="file" type="filename" value="base.png"/></image>'
    '<image name="mask" type="float"><input name="file" type="filename" value="mask.png"/></image>'
)


@pytest.fixture
def maps(tmp_path: Path) -> dict[str, np.ndarray]:
    """The two images that graphs read, as they are stored."""
    chance = np.random.default_rng(5)
    found = {
        "base": chance.integers(0, 256, (EDGE, EDGE, 3)) / 255.0,
        "mask": np.repeat(chance.integers(0, 256, (EDGE, EDGE, 1)) / 255.0, 3, 2),
    }
    for name, texels in found.items():
        write_png(tmp_path / f"{name}.png", texels)
    return found | {"mask": found["mask"][..., :1]}


def read_graph(folder: Path, nodes: str, input_type: str = "color3", last: str = "last", extra: str = "") -> Material:
    """The material whose one input is the last node of a graph."""
    name = "base_color" if input_type == "color3" else "specular_roughness"
    (folder / "graph.mtlx").write_text(
        f'<materialx version="1.39" colorspace="lin_rec709"><nodegraph name="NG">{extra}{FILES}{nodes}'
        f'<output name="out" type="{input_type}" nodename="{last}"/></nodegraph><open_pbr_surface name="S" type="surfaceshader">'
        f'<input name="{name}" type="{input_type}" nodegraph="NG" output="out"/></open_pbr_surface></materialx>'
    )
    (material,) = read(folder / "graph.mtlx")
    return material


def texels_of(material: Material, channels: int = 3) -> np.ndarray:
    (value,) = material.values.values()
    with Texels(Grid(EDGE, EDGE)) as texels:
        return np.array(texels.full(value, 0, EDGE, channels), dtype=float)


def node(category: str, kind: str = "color3", **inputs: str) -> str:
    """As text: what is given by name is a connection, or a value where it begins with a number."""
    said = "".join(
        f'<input name="{name.rstrip("_")}" type="{"float" if "," not in value else "color3"}" value="{value}"/>'
        if value[0].isdigit() or value[0] == "-"
        else f'<input name="{name.rstrip("_")}" type="{"float" if value == "mask" else "color3"}" nodename="{value}"/>'
        for name, value in inputs.items()
    )
    return f'<{category} name="last" type="{kind}">{said}</{category}>'


def grey(colour: np.ndarray) -> np.ndarray:
    return np.asarray((colour * LUMINANCE).sum(axis=-1, keepdims=True))


BEHIND = np.array([0.7, 0.2, 0.4])
CASES = {
    # MaterialX 1.39, standard library: the formula that stands beside each node.
    "mix": (node("mix", fg="0.2, 0.1, 0.05", bg="base", mix="mask"), lambda b, m: np.array([0.2, 0.1, 0.05]) * m + b * (1 - m)),
    "contrast": (node("contrast", in_="base", amount="1.5", pivot="0.4"), lambda b, m: (b - 0.4) * 1.5 + 0.4),
    "saturate": (node("saturate", in_="base", amount="0.3"), lambda b, m: grey(b) * 0.7 + b * 0.3),
    "range": (
        node("range", in_="base", inlow="0.2", inhigh="0.8", gamma="2.0", outlow="0.1", outhigh="0.6"),
        lambda b, m: np.sign((b - 0.2) / 0.6) * np.abs((b - 0.2) / 0.6) ** 0.5 * 0.5 + 0.1,
    ),
    "remap": (node("remap", in_="base", inlow="0.25", inhigh="0.5", outlow="1.0", outhigh="0.0"), lambda b, m: 1.0 - (b - 0.25) / 0.25),
    "invert": (node("invert", in_="base"), lambda b, m: 1.0 - b),
    "clamp": (node("clamp", in_="base", low="0.3", high="0.6"), lambda b, m: np.clip(b, 0.3, 0.6)),
    "luminance": (node("luminance", in_="base"), lambda b, m: np.repeat(grey(b), 3, axis=-1)),
    "overlay": (
        node("overlay", fg="base", bg="0.7, 0.2, 0.4", mix="mask"),
        lambda b, m: np.where(BEHIND < 0.5, 2 * b * BEHIND, 1 - 2 * (1 - b) * (1 - BEHIND)) * m + BEHIND * (1 - m),
    ),
    "screen": (node("screen", fg="base", bg="0.7, 0.2, 0.4", mix="1.0"), lambda b, m: 1 - (1 - b) * (1 - np.array([0.7, 0.2, 0.4]))),
    "power": (node("power", in1="base", in2="2.2"), lambda b, m: b**2.2),
    "colorcorrect": (
        node("colorcorrect", in_="base", saturation="0.5", gain="0.8", lift="0.1", contrast="1.2", exposure="1.0"),
        lambda b, m: ((((grey(b) * 0.5 + b * 0.5) * 0.9 + 0.1) * 0.8 - 0.5) * 1.2 + 0.5) * 2.0,
    ),
}


@pytest.mark.parametrize("category", list(CASES))
def test_a_graph_gives_what_the_standard_says(category: str, maps: dict[str, np.ndarray], tmp_path: Path) -> None:
    text, wanted = CASES[category]
    material = read_graph(tmp_path, text)
    assert not material.findings
    assert texels_of(material) == approx(wanted(maps["base"], maps["mask"]), abs=2e-5)


def test_hues_turn_as_anybody_turns_them(maps: dict[str, np.ndarray], tmp_path: Path) -> None:
    # Python's own colorsys, after Foley et al. 1990: hue is shifted, saturation and value are scaled.
    text = '<hsvadjust name="last" type="color3"><input name="in" type="color3" nodename="base"/>'
    material = read_graph(tmp_path, f'{text}<input name="amount" type="vector3" value="0.25, 0.5, 0.9"/></hsvadjust>')
    seen = texels_of(material).reshape(-1, 3)
    for colour, found in zip(maps["base"].reshape(-1, 3), seen, strict=True):
        hue, saturation, value = colorsys.rgb_to_hsv(*colour)
        assert found == approx(colorsys.hsv_to_rgb((hue + 0.25) % 1.0, saturation * 0.5, value * 0.9), abs=2e-5)


def test_channels_are_taken_apart_and_put_together(maps: dict[str, np.ndarray], tmp_path: Path) -> None:
    parts = '<separate3 name="parts" type="multioutput"><input name="in" type="color3" nodename="base"/></separate3>'
    last = "".join(f'<input name="in{at + 1}" type="float" nodename="parts" output="out{out}"/>' for at, out in enumerate("brg"))
    material = read_graph(tmp_path, f'{parts}<combine3 name="last" type="color3">{last}</combine3>')
    assert texels_of(material) == approx(maps["base"][..., [2, 0, 1]], abs=1e-6)
    picked = '<extract name="one" type="float"><input name="in" type="color3" nodename="base"/>'
    picked += '<input name="index" type="integer" value="1"/></extract><multiply name="last" type="float">'
    picked += '<input name="in1" type="float" nodename="one"/><input name="in2" type="float" nodename="mask"/></multiply>'
    material = read_graph(tmp_path, picked, "float")
    assert texels_of(material, 1) == approx(maps["base"][..., 1:2] * maps["mask"], abs=1e-6)


def test_an_input_of_the_graph_is_the_graphs(tmp_path: Path, maps: dict[str, np.ndarray]) -> None:
    wear = '<input name="wear" type="float" value="0.25"/>'
    nodes = '<mix name="last" type="float"><input name="fg" type="float" value="1"/><input name="bg" type="float" nodename="mask"/>'
    material = read_graph(tmp_path, f'{nodes}<input name="mix" type="float" interfacename="wear"/></mix>', "float", extra=wear)
    assert texels_of(material, 1) == approx(0.25 + 0.75 * maps["mask"], abs=1e-6)


def test_constants_alone_are_a_constant(tmp_path: Path, maps: dict[str, np.ndarray]) -> None:
    material = read_graph(tmp_path, node("saturate", in_="0.5, 0.2, 0.1", amount="0.3"))
    (value,) = material.values.values()
    assert isinstance(value, Constant)
    assert value.value == approx(tuple(grey(np.array([0.5, 0.2, 0.1])) * 0.7 + np.array([0.5, 0.2, 0.1]) * 0.3))


def test_what_a_graph_should_not_say_does_no_harm(tmp_path: Path, maps: dict[str, np.ndarray]) -> None:
    # A channel that is not there, a division by nothing, and a colour where a number belongs.
    picked = (
        '<extract name="one" type="float"><input name="in" type="color3" nodename="base"/><input name="index" type="integer" value="9"/>'
    )
    divided = '<divide name="last" type="float"><input name="in1" type="float" nodename="one"/><input name="in2" type="float" value="0"/>'
    material = read_graph(tmp_path, f"{picked}</extract>{divided}</divide>", "float")
    assert np.isfinite(texels_of(material, 1)).all()
    text = node("invert", in_="base")
    material = read_graph(tmp_path, text, "float")
    assert texels_of(material, 1) == approx(1.0 - maps["base"][..., :1], abs=1e-6)


@pytest.mark.parametrize(("category", "kind"), [("noise2d", "float"), ("facingratio", "float")])
def test_what_cannot_be_worked_out_is_named(category: str, kind: str, tmp_path: Path, maps: dict[str, np.ndarray]) -> None:
    material = read_graph(tmp_path, f'<{category} name="last" type="{kind}"/>', kind)
    assert not material.values
    (finding,) = material.findings
    assert finding.code == "not-read"
    assert finding.remedy


RIGHT, UP = np.meshgrid((np.arange(EDGE) + 0.5) / EDGE, (np.arange(EDGE)[::-1] + 0.5) / EDGE)


@pytest.mark.parametrize(
    ("category", "inputs", "wanted"),
    [
        # MaterialX 1.39, procedural nodes: ramplr from the left, ramptb from the top, splits at the centre, ramp4 from all corners.
        ("ramplr", {"valuel": 0.2, "valuer": 0.8}, 0.2 + 0.6 * RIGHT),
        ("ramptb", {"valuet": 0.9, "valueb": 0.1}, 0.1 + 0.8 * UP),
        ("splitlr", {"valuel": 0.2, "valuer": 0.8, "center": 0.5}, np.where(RIGHT < 0.5, 0.2, 0.8)),
        ("splittb", {"valuet": 0.2, "valueb": 0.8, "center": 0.25}, np.where(UP < 0.25, 0.8, 0.2)),
        ("ramp4", {"valuetr": 1.0}, RIGHT * UP),
    ],
)
def test_ramps_lie_on_the_surface_as_the_standard_says(
    category: str, inputs: dict[str, float], wanted: np.ndarray, tmp_path: Path, maps: dict[str, np.ndarray]
) -> None:
    material = read_graph(tmp_path, node(category, "float", **{name: str(value) for name, value in inputs.items()}), "float")
    assert not material.findings
    assert texels_of(material, 1)[..., 0] == approx(wanted, abs=0.01)


def test_a_graph_without_end_is_named(tmp_path: Path, maps: dict[str, np.ndarray]) -> None:
    chain = "".join(
        f'<mix name="n{at}" type="float"><input name="fg" type="float" nodename="n{at + 1}"/>'
        f'<input name="bg" type="float" nodename="n{at + 1}"/>'
        '<input name="mix" type="float" nodename="mask"/></mix>'
        for at in range(40)
    )
    material = read_graph(tmp_path, chain + node("invert", "float", in_="mask").replace('"last"', '"n40"'), "float", "n0")
    assert [finding.code for finding in material.findings] == ["not-read"]


@pytest.mark.parametrize("suffix", [".mtlx", ".usda"])
@pytest.mark.parametrize("category", list(CASES))
def test_a_graph_is_written_as_a_graph(category: str, suffix: str, tmp_path: Path, maps: dict[str, np.ndarray]) -> None:
    text, wanted = CASES[category]
    material = read_graph(tmp_path, text)
    (value,) = material.values.values()
    assert isinstance(value, Computed)
    images = material.images()
    assert value_from_document(value_to_document(value), lambda digest, _: images[digest]) == value
    converted = convert(material, "open_pbr").material
    written, *files = write([converted], tmp_path / f"out{suffix}", "materialx" if suffix == ".mtlx" else "usd")
    # The image is the file's own, byte for byte; a channel that is picked has a file of its own; the rest is nodes of the library.
    assert (tmp_path / "base.png").read_bytes() in {file.read_bytes() for file in files}
    assert len(files) <= 2
    (back,) = read(written)
    with Texels(Grid(EDGE, EDGE)) as texels:
        found = np.array(texels.full(back.values["base_color"], 0, EDGE, 3))
    assert found == approx(wanted(maps["base"], maps["mask"]), abs=2e-5)


def test_a_graph_that_a_profile_makes_smaller_is_baked(tmp_path: Path, maps: dict[str, np.ndarray]) -> None:
    material = read_graph(tmp_path, CASES["mix"][0])
    profile = Profile(maps=MapLimits(largest=4))
    converted = convert(material, "open_pbr", profile).material
    written, *files = write([converted], tmp_path / "out.mtlx", "materialx", profile=profile)
    assert len(files) == 1
    (value,) = read(written)[0].values.values()
    assert isinstance(value, Map)
    assert inspect(value.image).width == 4


def test_nodes_take_the_inputs_that_the_standard_gives_them() -> None:
    for category, (inputs, _) in NODES.items():
        definitions = [one for one in libraries().getMatchingNodeDefs(category) if one.getType() in ("float", "color3", "vector3")]
        if category == "combine2":
            continue  # of two parts, no colour
        assert definitions, category
        names = {entry.getName() for definition in definitions for entry in definition.getActiveInputs()}
        assert set(inputs) <= names, category
        assert node_rule(category).sources == inputs
    # What is stated as a graph is opened and needs no rule.
    opened = [one for one in libraries().getMatchingNodeDefs("contrast") if isinstance(one.getImplementation(), mx.NodeGraph)]
    assert opened
    assert not set(NODES) & set(IMAGE_NODES)
