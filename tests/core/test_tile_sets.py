"""Sets of tiles (UDIM, common practice: 1001 + column + 10 · row): read, converted and written tile by tile, missing ones named."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from pytest import approx

from fenrain.core import MapLimits, Material, Profile, convert, read, write
from fenrain.core.maps.image import inspect, opened, resized, rows, write_png
from fenrain.core.maps.texels import Texels, grid_of, transformed
from fenrain.core.rules.fidelity import APPROXIMATED
from fenrain.core.values import Image, Map, Value, value_from_document, value_to_document

NUMBERS = (1001, 1002, 1012)
"""Two beside one another, and one above the second."""


def tile(number: int, edge: int = 8) -> np.ndarray:
    return np.random.default_rng(number).uniform(0.1, 0.9, (edge, edge, 3)).round(2)


@pytest.fixture
def rusty(tmp_path: Path) -> Path:
    """A MaterialX document whose colour and roughness lie on tiles."""
    (tmp_path / "maps").mkdir()
    for number in NUMBERS:
        write_png(tmp_path / "maps" / f"rust.{number}.png", tile(number))
        write_png(tmp_path / "maps" / f"rough_{number}.png", tile(number)[..., :1])
    (tmp_path / "rusty.mtlx").write_text("""<?xml version="1.0"?>
<materialx version="1.39" colorspace="lin_rec709">
  <image name="rust" type="color3"><input name="file" type="filename" value="maps/rust.&lt;UDIM&gt;.png" colorspace="srgb_texture"/></image>
  <image name="rough" type="float"><input name="file" type="filename" value="maps/rough_&lt;UDIM&gt;.png"/></image>
  <open_pbr_surface name="s" type="surfaceshader">
    <input name="base_color" type="color3" nodename="rust"/><input name="specular_roughness" type="float" nodename="rough"/>
  </open_pbr_surface>
  <surfacematerial name="rusty" type="material"><input name="surfaceshader" type="surfaceshader" nodename="s"/></surfacematerial>
</materialx>""")
    return tmp_path / "rusty.mtlx"


def on_surface(value: Value, u: float, v_up: float) -> np.ndarray:
    """The value at a place of the surface, v upwards as the numbers of tiles count, by the nearest texel."""
    grid = grid_of([value])
    x, y = transformed(grid.placement, u, 1.0 - v_up)
    with Texels(grid) as texels:
        whole = np.asarray(texels.full(value, 0, grid.height, np.shape(texels.at(value, 0, grid.height))[-1]))
    return whole[int(y % 1.0 * grid.height), int(x % 1.0 * grid.width)]


def test_each_place_of_the_surface_finds_its_tile(rusty: Path) -> None:
    value = read(rusty)[0].value("specular_roughness")
    assert isinstance(value, Map)
    assert (value.image.columns, value.image.lines, inspect(value.image).width, inspect(value.image).height) == (2, 2, 16, 16)
    for number, corner in ((1001, (0, 0)), (1002, (1, 0)), (1012, (1, 1))):
        for u, v_up in ((0.1, 0.2), (0.9, 0.6)):
            texel = tile(number)[int((1.0 - v_up) * 8), int(u * 8), 0]
            assert on_surface(value, corner[0] + u, corner[1] + v_up) == approx(texel, abs=0.003), (number, u, v_up)


def test_tiles_that_are_not_there_are_named_and_the_set_is_read_without_them(rusty: Path) -> None:
    (rusty.parent / "maps" / "rust.1001.png").rename(rusty.parent / "maps" / "rust.1004.png")
    material = read(rusty)[0]
    (finding,) = [one for one in material.findings if one.code == "missing-tiles"]
    assert finding.evidence == "1003"
    assert finding.parameter == "base_color"
    for path in (rusty.parent / "maps").glob("rust.*"):
        path.unlink()
    (gone,) = [one for one in read(rusty)[0].findings if one.code == "missing-map"]
    assert "<UDIM>" in gone.message


@pytest.mark.parametrize(("format_id", "name"), [("materialx", "out.mtlx"), ("usd", "out.usda")])
def test_a_set_comes_home_tile_by_tile_with_its_own_bytes(rusty: Path, format_id: str, name: str) -> None:
    material = read(rusty)[0]
    main, *files = write([material], rusty.parent / "home" / name, format_id)
    assert sorted(path.name for path in files) == sorted(
        f"rusty_{value}.{number}.png" for value in ("base_color", "specular_roughness") for number in NUMBERS
    )
    for number in NUMBERS:
        written = main.parent / "maps" / f"rusty_base_color.{number}.png"
        assert written.read_bytes() == (rusty.parent / "maps" / f"rust.{number}.png").read_bytes()
    back = read(main)[0]
    for parameter in ("base_color", "specular_roughness"):
        ours, theirs = material.value(parameter), back.value(parameter)
        assert isinstance(ours, Map)
        assert isinstance(theirs, Map)
        assert [(number, one.read()) for number, one in theirs.image.tiles] == [(number, one.read()) for number, one in ours.image.tiles]
        assert theirs.placement == ours.placement


def test_what_a_rule_makes_of_a_set_is_worked_out_tile_by_tile(rusty: Path) -> None:
    # The same material as metallic-roughness, by rules that combine both sets.
    original = read(rusty)[0]
    glossy = Material.of("glossy", "spec_gloss", {"diffuse": original.value("base_color"), "specular": (0.2, 0.2, 0.2), "glossiness": 0.7})
    conversion = convert(glossy, "standard_surface")
    main, *_ = write([conversion.material], rusty.parent / "home" / "out.mtlx", "materialx")
    back = read(main)[0].value("base_color")
    expected = conversion.material.value("base_color")
    for place in ((0.3, 0.3), (1.7, 0.4), (1.2, 1.9)):
        assert on_surface(back, *place) == approx(on_surface(expected, *place), abs=0.012)


def test_a_profile_limits_each_tile(rusty: Path) -> None:
    small = Profile("small", maps=MapLimits(4))
    conversion = convert(read(rusty)[0], "open_pbr", small)
    _, *files = write([conversion.material], rusty.parent / "small" / "out.mtlx", "materialx", None, small)
    assert {inspect(Image(path.name, path)).width for path in files} == {4}
    assert len(files) == 2 * len(NUMBERS)
    said = next(entry for entry in conversion.ledger if entry.target == "base_color")
    assert "Made 8 × 8 texels of 16 × 16" in said.steps[-1].text


def test_gltf_lays_the_tiles_beside_one_another_or_says_what_it_cannot(rusty: Path) -> None:
    material = convert(read(rusty)[0], "metal_rough").material
    back = read(write([material], rusty.parent / "out.glb", "gltf")[0])[0].value("base_color")
    for place in ((0.3, 0.3), (1.7, 0.4), (1.2, 1.9)):
        assert on_surface(back, *place) == approx(on_surface(material.value("base_color"), *place), abs=0.012)
    core = convert(read(rusty)[0], "metal_rough", Profile("core"))
    said = next(entry for entry in core.ledger if entry.target == "base_color")
    assert any("only its first one, 1001" in step.text for step in said.steps)
    assert said.fidelity is APPROXIMATED


def test_a_set_is_read_in_bands_and_made_smaller_tile_by_tile(rusty: Path) -> None:
    image = read(rusty)[0].value("base_color").image  # type: ignore[union-attr]
    with opened(image) as (source, info):
        whole = rows(source, info, 0, info.height, image.name)
        pieces = np.concatenate([rows(source, info, at, at + 1, image.name) for at in range(info.height)])
    assert (whole == pieces).all()
    assert (whole[:8, :8] == 0).all()
    small = resized(image, "linear", 4, 4)
    assert small[2:, :2] == approx(resized(Image("t", rusty.parent / "maps" / "rust.1001.png"), "linear", 2, 2))


def test_tiles_of_other_sizes_are_spread_and_of_other_kinds_refused(rusty: Path) -> None:
    write_png(rusty.parent / "maps" / "rust.1002.png", tile(1002, 4))
    image = read(rusty)[0].value("base_color").image  # type: ignore[union-attr]
    with opened(image) as (source, info):
        assert info.width == 16
        texels = rows(source, info, 8, 16, image.name)[:, 8:]
    assert (texels[::2, ::2] == texels[1::2, 1::2]).all()
    write_png(rusty.parent / "maps" / "rust.1002.png", tile(1002)[..., :1])
    (finding,) = [one for one in read(rusty)[0].findings if one.code == "broken-map"]
    assert "1002" in finding.message


def test_a_set_is_kept_by_its_tiles(rusty: Path) -> None:
    material = read(rusty)[0]
    value = material.value("base_color")
    files = {file.digest: file for file in material.images().values()}
    assert len(files) == 2 * len(NUMBERS)
    assert value_from_document(value_to_document(value), lambda digest, name: files[digest]) == value


def test_a_turn_of_tiles_is_named(rusty: Path) -> None:
    turned = rusty.read_text().replace(
        '<image name="rough" type="float">',
        '<place2d name="turn" type="vector2"><input name="rotate" type="float" value="30"/></place2d>'
        '<image name="rough" type="float"><input name="texcoord" type="vector2" nodename="turn"/>',
    )
    rusty.write_text(turned)
    said = [(one.code, one.parameter) for one in read(rusty)[0].findings]
    assert ("turned-tiles", "specular_roughness") in said
    assert ("turned-tiles", "base_color") not in said
