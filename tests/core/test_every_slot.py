"""Every parameter that a format can hold, in every way that a value can be stated, through write and read.

What comes back is what the format said beforehand that it would hold; a value that changed on the way is named in what was said.

The short suite misses: single channels, factors and second UV sets of most parameters.
"""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from fenrain.core import Material, Profile, read, write
from fenrain.core.conversion.targets import ServedTarget, served_targets
from fenrain.core.formats.holding import held
from fenrain.core.formats.registry import format_for
from fenrain.core.maps.image import write_png
from fenrain.core.maps.texels import Grid, Texels
from fenrain.core.models.parameter import Kind, Parameter
from fenrain.core.values import Constant, Image, Map, Placement, Value, maps_of
from tests.sizes import sized

WRITTEN = [target for target in served_targets() if target.format is not None]
EDGE = 24

ENABLING: dict[str, dict[str, Any]] = {
    # What must be set beside a value for a format to mention it, since without it the value says nothing.
    "metal_rough": {
        "alpha_mode": 1,
        "clearcoat": 0.5,
        "sheen_color": (0.2, 0.3, 0.4),
        "anisotropy_strength": 0.5,
        "transmission": 0.4,
        "diffuse_transmission": 0.3,
        "thickness": 0.5,
        "attenuation_distance": 2.0,
        "iridescence": 0.5,
        "emissive": (0.2, 0.3, 0.4),
    },
}


@pytest.fixture(scope="module")
def images(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Image]:
    """A colour that repeats without a seam, with alpha, and normals of the same; low frequencies, so that no resampling hurts."""
    folder = tmp_path_factory.mktemp("images")
    across, down = np.meshgrid(*(2 * np.pi * (np.arange(64) + 0.5) / 64,) * 2)
    waves = [0.5 + 0.35 * np.sin(across + 0.3), 0.5 + 0.3 * np.cos(down), 0.5 + 0.25 * np.sin(across + down), 0.6 + 0.2 * np.cos(across)]
    colour = np.stack(waves, axis=-1)
    slopes = np.stack([0.2 * np.sin(across), 0.2 * np.cos(down), np.ones_like(across)], axis=-1)
    normals = slopes / np.linalg.norm(slopes, axis=-1, keepdims=True)
    write_png(folder / "colour.png", colour)
    write_png(folder / "normals.png", normals * 0.5 + 0.5)
    return {name: Image(f"{name}.png", folder / f"{name}.png") for name in ("colour", "normals")}


def ways(parameter: Parameter, images: dict[str, Image]) -> dict[str, Value]:
    """The ways in which a value of this kind can be stated."""
    found: dict[str, Value] = {"constant": Constant(parameter.accept(a_constant(parameter)))} if parameter.kind is not Kind.NORMAL else {}
    if parameter.is_plain:
        return found
    if parameter.kind is Kind.NORMAL:
        plain = Map(images["normals"], "rgb", "normal")
    elif parameter.channels == 3:
        plain = Map(images["colour"], "rgb", "srgb")
    else:
        plain = Map(images["colour"], "r")
        found["picked channel"] = replace(plain, channels="b")
        found["alpha channel"] = replace(plain, channels="a")
    placed = Placement((0.2, -0.3), 0.0, (2.0, 3.0))
    return found | {
        "map": plain,
        "factor": replace(plain, scale=0.5),
        "tiles": replace(plain, placement=placed),
        "rotation": replace(plain, placement=replace(placed, rotation=0.6)),
        "second UV set": replace(plain, uv_set=1),
    }


def a_constant(parameter: Parameter) -> Any:
    if parameter.kind is Kind.FLAG:
        return not parameter.default
    if parameter.kind is Kind.CHOICE:
        return next((value for value, _ in parameter.options if value != parameter.default), parameter.default)
    inside = min(max(0.3, parameter.low), parameter.high) if parameter.default != 0.3 else 0.4
    return (inside, inside / 2, inside / 3) if parameter.kind is Kind.COLOUR else inside


def on_the_surface(value: Value, channels: int) -> np.ndarray:
    """The value where it lies on the surface, whatever image and placement give it."""
    grid = Grid(EDGE, EDGE)
    with Texels(grid) as texels:
        return np.array(texels.full(value, 0, EDGE, channels), dtype=float)


def uv_sets(value: Value) -> set[int]:
    return {leaf.uv_set for leaf in maps_of(value)}


def there_and_back(target: ServedTarget, values: dict[str, Any], folder: Path, name: str = "m") -> tuple[Material, Material, set[str]]:
    """What the format said it would hold, what came back, and the parameters that it said would change."""
    material = Material.of(name, target.model.id, values)
    assert target.format is not None
    kept, shortfalls = held(material, format_for(target.model, target.profile), target.profile)
    files = write([material], folder / f"out{target.format.suffixes[0]}", target.format.id, None, target.profile)
    (back,) = read(files[0])
    return kept, back, {shortfall.parameter for shortfall in shortfalls}


def assert_same(parameter: Parameter, wanted: Value, got: Value, what: str) -> None:
    if parameter.kind in (Kind.FLAG, Kind.CHOICE):
        assert got == wanted, what
        return
    channels = 3 if parameter.kind in (Kind.COLOUR, Kind.NORMAL) else 1
    if parameter.kind is Kind.NORMAL and isinstance(wanted, Constant):
        assert isinstance(got, Constant), what
        return
    expected, found = on_the_surface(wanted, channels), on_the_surface(got, channels)
    size = max(1.0, float(np.abs(expected).max()))
    assert np.abs(found - expected).max() / size < 0.05, (what, float(np.abs(found - expected).max()))
    if not isinstance(wanted, Constant):
        assert uv_sets(got) == uv_sets(wanted), what


STRENGTHS = {"bump_strength": "bump", "normal_strength": "normal"}
"""Numbers that a format writes beside the map which they scale, and that come back as the scale of that map."""


def folder_for(parent: Path, name: str) -> Path:
    folder = parent / name
    folder.mkdir()
    return folder


LEFT_OUT = sized({"picked channel", "alpha channel", "factor", "tiles", "second UV set"}, set[str]())


@pytest.mark.population
@pytest.mark.parametrize("target", WRITTEN, ids=lambda target: target.id)
def test_what_comes_back_is_what_the_format_said_it_holds(target: ServedTarget, images: dict[str, Image], tmp_path: Path) -> None:
    """All ways of all parameters, each a material of one file."""
    stated: list[tuple[Parameter, str, Value, Material]] = []
    for parameter in target.model.parameters:
        beside = {key: plain for key, plain in ENABLING.get(target.model.id, {}).items() if key != parameter.name}
        for way, value in ways(parameter, images).items() if parameter.name not in STRENGTHS else ():
            if way in LEFT_OUT:
                continue
            material = Material.of(f"m{len(stated)}", target.model.id, beside | {parameter.name: value})
            stated.append((parameter, way, value, material))
    assert target.format is not None
    holder = format_for(target.model, target.profile)
    files = write(
        [material for *_, material in stated], tmp_path / f"out{target.format.suffixes[0]}", target.format.id, None, target.profile
    )
    read_back = {material.name: material for material in read(files[0])}
    count = 0
    for parameter, way, value, material in stated:
        kept, shortfalls = held(material, holder, target.profile)
        changed = {shortfall.parameter for shortfall in shortfalls}
        back, what = read_back[material.name], f"{target.id}: {parameter.name}, {way}"
        if parameter.name in changed and parameter.name not in kept.values:
            continue  # the format has no place for it, and said so
        if parameter.name not in changed:
            assert kept.value(parameter.name) == value or way == "constant", what
        if parameter.name not in kept.values:
            continue
        if parameter.name in changed and uv_sets(kept.value(parameter.name)) - {0}:
            continue  # one UV set is all that the format has, and it said so
        assert_same(parameter, kept.value(parameter.name), back.value(parameter.name), what)
        count += 1
    assert count > 20


@pytest.mark.parametrize("target", [target for target in WRITTEN if STRENGTHS.keys() & target.model.by_name.keys()], ids=lambda one: one.id)
def test_a_strength_comes_back_in_the_map_that_it_scales(target: ServedTarget, images: dict[str, Image], tmp_path: Path) -> None:
    for name, scaled_name in STRENGTHS.items():
        if name not in target.model.by_name:
            continue
        strength, scaled = target.model.parameter(name), target.model.parameter(scaled_name)
        value, plain = Constant(strength.accept(a_constant(strength))), ways(scaled, images)["map"]
        assert isinstance(plain, Map)
        _, back, _ = there_and_back(target, {scaled.name: plain, name: value}, folder_for(tmp_path, name))
        assert_same(scaled, replace(plain, scale=float(value.value)), back.value(scaled.name), name)  # type: ignore[arg-type]


@pytest.mark.parametrize("target", WRITTEN, ids=lambda target: target.id)
@pytest.mark.parametrize("name", ["żółw / a b.", "a_shader", "  ", "材料", "x\ny", 'q"<&>', "name" * 60])
def test_odd_names_come_back_or_are_said(target: ServedTarget, name: str, tmp_path: Path) -> None:
    _, back, _ = there_and_back(target, {}, tmp_path, name)
    if target.format is not None and target.format.id == "mtl":
        # The format's names hold no blanks; what was changed stands beside as a comment.
        said = (tmp_path / "out.mtl").read_text()
        assert back.name == name or " ".join(name.split()) in said
    else:
        assert back.name == name or (not name.strip()) or back.name == name.replace("\n", "")


def test_names_that_collide_are_kept_apart(tmp_path: Path) -> None:
    # Node names of MaterialX are made of material names, which may be the same or end like a node's.
    names = ["a", "a_shader", "a", "ä", "a b", "a_b"]
    materials = [Material.of(name, "open_pbr", {"specular_roughness": 0.1 + index / 10}) for index, name in enumerate(names)]
    back = read(write(materials, tmp_path / "o.mtlx", "materialx")[0])
    stated = [sorted((m.name, round(float(m.parameters()["specular_roughness"]), 3)) for m in found) for found in (back, materials)]  # type: ignore[arg-type]
    assert stated[0] == stated[1]


def test_occlusion_beside_roughness_on_another_uv_set_has_a_texture_of_its_own(images: dict[str, Image], tmp_path: Path) -> None:
    # glTF 2.0 §3.9.2, §3.9.3: a texture lies on one UV set.
    roughness, occlusion = Map(images["colour"], "g"), Map(images["colour"], "r", uv_set=1)
    material = Material.of("m", "metal_rough", {"roughness": roughness, "occlusion": occlusion})
    (back,) = read(write([material], tmp_path / "o.glb", "gltf")[0])
    assert uv_sets(back.value("roughness")) == {0}
    assert uv_sets(back.value("occlusion")) == {1}
    np.testing.assert_allclose(on_the_surface(back.value("occlusion"), 1), on_the_surface(occlusion, 1), atol=0.01)


def random_values(model: Any, images: dict[str, Image]) -> st.SearchStrategy[dict[str, Value]]:
    """Some parameters of a model, each stated in one of the ways."""
    choices = {p.name: ways(p, images) for p in model.parameters if not p.extra}
    return st.dictionaries(st.sampled_from([name for name, found in choices.items() if found]), st.integers(0, 9), max_size=8).map(
        lambda picked: {name: list(choices[name].values())[index % len(choices[name])] for name, index in picked.items()}
    )


@pytest.mark.population
@pytest.mark.parametrize("target", WRITTEN, ids=lambda target: target.id)
def test_random_materials_come_back_or_their_losses_are_said(target: ServedTarget, images: dict[str, Image], tmp_path: Path) -> None:
    counter = iter(range(10**6))

    @settings(max_examples=sized(8, 25), deadline=None, derandomize=True, suppress_health_check=list(HealthCheck))
    @given(random_values(target.model, images))
    def check(values: dict[str, Value]) -> None:
        folder = folder_for(tmp_path, str(next(counter)))
        kept, back, changed = there_and_back(target, ENABLING.get(target.model.id, {}) | values, folder)
        for name in values.keys() - changed - STRENGTHS.keys() - set(STRENGTHS.values()):
            if name in kept.values:
                assert_same(target.model.parameter(name), kept.value(name), back.value(name), f"{target.id}: {name} of {sorted(values)}")

    check()


def test_a_profile_without_extensions_holds_none(images: dict[str, Image]) -> None:
    # Whatever is set by hand on a core material: what only an extension holds is said to be left out.
    target = next(target for target in WRITTEN if target.id == "metal_rough.core")
    material = Material.of("m", "metal_rough", {"clearcoat": 1.0, "ior": 1.7})
    _, shortfalls = held(material, format_for(target.model, target.profile), Profile("core"))
    assert {shortfall.parameter for shortfall in shortfalls} == {"clearcoat", "ior"}
