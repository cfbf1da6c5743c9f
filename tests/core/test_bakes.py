"""What a target has no numbers for, as maps: flakes, materials by id, slopes and stickers, against the picture of what was not baked."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from pytest import approx

from fenrain.core import MapLimits, Material, Profile, check, read, write
from fenrain.core.conversion.engine import convert
from fenrain.core.errors import BrokenFileError
from fenrain.core.geometry import sphere
from fenrain.core.maps.image import write_png
from fenrain.core.maps.on_mesh import drawn_in_uvs
from fenrain.core.maps.texels import Texels, grid_of
from fenrain.core.models.mix.parameters import SLOPE
from fenrain.core.rendering.pictures import render
from fenrain.core.rendering.stage import View
from fenrain.core.rendering.stands.registry import OPENED, stand_of
from fenrain.core.slopes import drawn_on_meshes
from fenrain.core.values import Image, Map, Value

PAINT = {"metal": True, "base_color": (0.1, 0.1, 0.3), "finish": 0.2, "flake_amount": 0.5, "flake_size": 0.05}


def texels_of(value: Value) -> np.ndarray:
    grid = grid_of([value])
    with Texels(grid) as texels:
        return np.asarray(texels.at(value, 0, grid.height))


def verdict_of(original: Material, converted: Material, **how: Any) -> str:
    return str(check(original, converted, rigs=("soft_studio",), **how).verdict)


@pytest.mark.parametrize("extra", [{}, {"coat": 1.0}, {"metal": False, "flake_color": (0.9, 0.5, 0.2)}, {"flake_color": (0.5, 0.5, 0.5)}])
def test_flakes_become_normals_and_colours_that_look_the_same(extra: dict[str, Any]) -> None:
    painted = Material.of("m", "metal_switch", PAINT | extra)
    conversion = convert(painted, "open_pbr")
    assert verdict_of(painted, conversion.material) == "match"
    assert not [entry for entry in conversion.ledger if not entry.target], "nothing is lost"
    without = convert(Material.of("m", "metal_switch", {**PAINT, **extra, "flake_amount": 0.0}), "open_pbr").material
    assert verdict_of(painted, without) != "match", "flakes that are missing are seen"


def test_baked_flakes_tile_and_are_of_unit_length() -> None:
    normals = texels_of(convert(Material.of("m", "metal_switch", PAINT), "open_pbr").material.value("geometry_normal"))
    np.testing.assert_allclose(np.linalg.norm(normals, axis=-1), 1.0, atol=1e-6)
    changed = (normals != np.roll(normals, 1, axis=0)).any(axis=-1).mean(axis=1)
    assert 0.0 < changed[0] <= changed[1:].max(), "its edge is as any border of cells"


def test_colours_of_flakes_follow_their_ids_along_a_ramp() -> None:
    ends = {"flake_color": (1.0, 0.2, 0.2), "flake_second_color": (0.2, 0.2, 1.0)}
    colours = {}
    for spread in (0.0, 1.0):
        ramped = Material.of("m", "metal_switch", PAINT | ends | {"base_color": (1.0, 1.0, 1.0), "flake_spread": spread})
        flat = texels_of(convert(ramped, "open_pbr").material.value("base_color")).reshape(-1, 3)
        colours[spread] = flat[flat.min(axis=1) < 0.99]
    assert np.ptp(colours[0.0], axis=0) == approx(0.0, abs=1e-6)
    # On the line between both ends, all along it.
    share = (colours[1.0][:, 2] - 0.2) / 0.8
    np.testing.assert_allclose(colours[1.0], (1 - share)[:, None] * [1.0, 0.2, 0.2] + share[:, None] * [0.2, 0.2, 1.0], atol=1e-5)
    assert (share.min(), share.max()) == (approx(0.0, abs=0.05), approx(1.0, abs=0.05))


def test_flakes_under_a_small_target_widen_the_roughness(tmp_path: Path) -> None:
    # Toksvig 2005: what averaged normals lose comes back as width of the lobe.
    painted = Material.of("m", "metal_switch", PAINT | {"flake_size": 0.01})
    material = convert(painted, "open_pbr", Profile(maps=MapLimits(largest=64))).material
    assert texels_of(material.value("geometry_normal")).shape[:2] == (64, 64)
    assert texels_of(material.value("specular_roughness")).mean() > 0.25
    files = write([material], tmp_path / "m.mtlx", "materialx", profile=Profile(maps=MapLimits(largest=64)))
    assert {file.suffix for file in files[1:]} == {".png"}


def test_flakes_whose_number_follows_a_map_are_named_as_lost(tmp_path: Path) -> None:
    write_png(tmp_path / "a.png", np.random.default_rng(1).random((8, 8, 1)))
    mapped = Material.of("m", "metal_switch", PAINT | {"flake_amount": Map(Image("a.png", tmp_path / "a.png"), "r")})
    lost = {name for entry in convert(mapped, "open_pbr").ledger if not entry.target for name in entry.sources}
    assert "flake_amount" in lost


def sheet_by_id(folder: Path, choices: Any) -> Path:
    ids = np.zeros((64, 64, 3))
    ids[:32, :, 0], ids[32:, :32, 1], ids[32:, 32:, 2] = 1.0, 1.0, 1.0
    write_png(folder / "ids.png", ids)
    colours = {"brass": [200, 150, 40], "rubber": [12, 12, 12], "tile": [180, 190, 200]}
    rows = [{"dialect": "osier", "Label": name, "Paint": colour} for name, colour in colours.items()]
    mix = {"dialect": "confluence", "blend": "boiler", "choices": choices, "ids": "ids.png"}
    (folder / "sheet.json").write_text(json.dumps([*rows, mix]))
    return folder / "sheet.json"


CHOICES = {"#ff0000": "brass", "#00ff00": "rubber", "#0000ff": "tile"}


@pytest.mark.parametrize("choices", [CHOICES, "#ff0000: brass; #00ff00: rubber; #0000ff: tile"])
def test_an_id_map_chooses_among_several(tmp_path: Path, choices: Any) -> None:
    found = {material.name: material for material in read(sheet_by_id(tmp_path, choices))}
    assert set(found) == {"brass", "rubber", "tile", "boiler"}, "the mixes in between are nobody's"
    baked = convert(found["boiler"], "open_pbr").material
    colours = texels_of(baked.value("base_color"))
    for name, place in (("brass", (10, 50)), ("rubber", (50, 10)), ("tile", (50, 50))):
        alone = convert(found[name], "open_pbr").material.parameters()["base_color"]
        np.testing.assert_allclose(colours[place], np.asarray(alone), atol=1e-6)
    assert verdict_of(found["boiler"], baked) == "match"


@pytest.mark.parametrize(
    ("choices", "said"),
    [({"red": "brass", "#00ff00": "rubber"}, "colour"), ({"#ff0000": "brass"}, "two or more"), ({**CHOICES, "#ffffff": "gone"}, "gone")],
)
def test_choices_that_make_no_sense_are_refused(tmp_path: Path, choices: Any, said: str) -> None:
    with pytest.raises(BrokenFileError, match=said):
        read(sheet_by_id(tmp_path, choices))


def test_an_id_map_that_cannot_be_read_is_a_finding(tmp_path: Path) -> None:
    sheet = sheet_by_id(tmp_path, CHOICES)
    for ids, code in (("gone.png", "missing-map"), ({"file": "ids.png", "tile": "x"}, "unreadable-value")):
        rows = json.loads(sheet.read_text())
        rows[-1]["ids"] = ids
        (tmp_path / "odd.json").write_text(json.dumps(rows))
        boiler = read(tmp_path / "odd.json")[-1]
        assert code in [finding.code for finding in boiler.findings]
        assert len(boiler.parts) == 2


def test_numbers_of_vertices_are_drawn_in_the_uvs() -> None:
    # A sphere's normal is its place: u runs round, v down (geometry.revolved), so y = cos(π v).
    drawn = drawn_in_uvs(sphere(rings=64, segments=128), sphere(rings=64, segments=128).normals, 128)
    v = (np.arange(128) + 0.5) / 128
    np.testing.assert_allclose(drawn[..., 1], np.broadcast_to(np.cos(np.pi * v)[:, None], (128, 128)), atol=2e-3)
    assert drawn_in_uvs(replace(sphere(), triangles=np.zeros((0, 3), int)), sphere().normals, 8).max() == 0.0


def test_a_mix_by_slope_looks_the_same_as_a_mask_on_its_mesh() -> None:
    mesh = replace(sphere(rings=64, segments=128), material="roof")
    stand = OPENED.keep(replace(stand_of("sphere"), id="slopes", mesh=lambda: mesh)).id
    parts = tuple(Material.of(name, "gloss_pair", {"diffuse": colour}) for name, colour in (("slate", (0.1,) * 3), ("snow", (0.8,) * 3)))
    mixed = Material.of("roof", "mix", {"amount": 1.0, "blend_by": SLOPE, "slope_from": 0.2, "slope_to": 0.8}, parts)
    (masked,) = drawn_on_meshes([mixed], [mesh])
    assert [finding.code for finding in masked.findings] == ["slopes-drawn"]
    as_it_is, as_mask, as_mean = (
        render(material, View("soft_studio", stand, size=64), 16, 0)
        for material in (mixed, convert(masked, "open_pbr").material, convert(mixed, "open_pbr").material)
    )
    assert np.abs(as_mask - as_it_is).mean() < 0.01 * as_it_is.mean()
    assert np.abs(as_mean - as_it_is).mean() > 0.1 * as_it_is.mean(), "the mean over all slopes is not the look"
    assert drawn_on_meshes([mixed], [replace(mesh, material="wall")]) == [mixed]


def test_a_sticker_is_baked_where_it_lies(tmp_path: Path) -> None:
    where = np.zeros((64, 64, 1))
    where[16:32, 32:48] = 1.0
    write_png(tmp_path / "where.png", where)
    write_png(tmp_path / "board.png", np.tile(np.linspace(0.2, 0.8, 32)[:, None, None], (1, 32, 3)))
    stuck = Material.of(
        "m",
        "percent",
        {
            "color": Map(Image("board.png", tmp_path / "board.png"), "rgb", "srgb"),
            "sticker_color": (0.8, 0.1, 0.1),
            "sticker_mask": Map(Image("where.png", tmp_path / "where.png"), "r"),
            "reflectance": 0.0,
        },
    )
    baked = convert(stuck, "open_pbr").material
    colours = texels_of(baked.value("base_color"))
    np.testing.assert_allclose(colours[20:28, 36:44], np.broadcast_to((0.8, 0.1, 0.1), (8, 8, 3)), atol=1e-3)
    assert verdict_of(stuck, baked) == "match"
