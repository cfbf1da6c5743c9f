"""Which materials look alike: what is held against it is every pair compared with every other one."""

from __future__ import annotations

from itertools import combinations
from pathlib import Path

import numpy as np
import pytest

from bench.production import production_like
from fenrain.core import Material, convert, read, write
from fenrain.core.checking.figures import figures
from fenrain.core.checking.near_duplicates import find_near_duplicates
from fenrain.core.checking.verdict import Tolerances, Verdict
from fenrain.core.maps.image import write_png
from fenrain.core.values import Image, Map

STANDING = Tolerances()


def paint(name: str, **values: object) -> Material:
    return Material.of(name, "metal_rough", {"base_color": (0.2, 0.3, 0.1), "metallic": 0.0, "roughness": 0.4, **values})


def found(materials: list[Material]) -> dict[str, str]:
    return {materials[pair.one].name: materials[pair.stands_for_it].name for pair in find_near_duplicates(materials, STANDING)}


def test_what_is_equal_and_what_a_match_allows_is_found_and_nothing_else() -> None:
    # Visible and invisible steps as measured for the look check: metal .10 against .11 must match, plastic .05 against .15 must not.
    materials = [
        paint("paint"),
        paint("same paint"),
        paint("paint by a hair", base_color=(0.201, 0.3, 0.1)),
        paint("glossier", roughness=0.2),
        paint("metal", metallic=1.0, roughness=0.10),
        paint("metal by a hair", metallic=1.0, roughness=0.103),
        paint("another colour", base_color=(0.3, 0.1, 0.1)),
    ]
    assert found(materials) == {"same paint": "paint", "paint by a hair": "paint", "metal by a hair": "metal"}
    decisions = {materials[pair.one].name: pair.decision for pair in find_near_duplicates(materials, STANDING)}
    assert decisions["same paint"] is None
    assert decisions["paint by a hair"] is not None
    assert decisions["paint by a hair"].verdict is Verdict.MATCH


def test_whatever_stands_for_another_is_a_match_of_it_and_stands_for_itself() -> None:
    materials = [convert(material, "open_pbr").material for material in production_like("spec_gloss", 30)]
    near = [material.having(specular_roughness=material.value("specular_roughness")) for material in materials[:10]]
    every = materials + near
    pairs = find_near_duplicates(every, STANDING)
    assert {pair.one for pair in pairs} & {pair.stands_for_it for pair in pairs} == set()
    assert len({pair.one for pair in pairs}) == len(pairs) >= 10
    for pair in pairs:
        if pair.decision is not None:
            again = STANDING.decided(figures(every[pair.stands_for_it], every[pair.one]).readings)
            assert again.verdict is Verdict.MATCH


def test_no_pair_that_a_match_allows_is_left_apart() -> None:
    """Of a row of ever rougher paints: those that stay must differ pairwise by more than a match allows, as far as they are near at all."""
    row = [paint(f"roughness {step}", roughness=0.3 + 0.005 * step) for step in range(12)]
    merged = found(row)
    left = [material for material in row if material.name not in merged]
    assert 1 < len(left) < len(row)
    for first, second in combinations(left, 2):
        assert STANDING.decided(figures(first, second).readings).verdict is not Verdict.MATCH


def test_maps_are_alike_only_where_they_are_the_same(tmp_path: Path) -> None:
    for name, level in (("one.png", 0.4), ("copy.png", 0.4), ("other.png", 0.45)):
        write_png(tmp_path / name, np.full((4, 4, 3), level) + np.linspace(0.0, 0.2, 4)[:, None, None])
    materials = [paint(name, base_color=Map(Image(name, tmp_path / name), "rgb")) for name in ("one.png", "copy.png", "other.png")]
    assert found(materials) == {"copy.png": "one.png"}


@pytest.mark.parametrize("carrier", [True, False])
def test_a_file_holds_one_material_for_all_that_are_merged(tmp_path: Path, carrier: bool) -> None:
    asset = tmp_path / "asset.glb"
    three = [paint("first"), paint("second", roughness=0.41), paint("third", roughness=0.9)]
    write(three, asset, "gltf")
    first, second, third = read(asset)
    merged = Material(second.name, second.model, first.values, second.geometry, second.source, merged_into=first.name)
    write([first, merged, third], tmp_path / "out.glb", "gltf", asset if carrier else None)
    back = read(tmp_path / "out.glb")
    assert [material.name for material in back] == ["first", "third"]
    assert len(back[0].geometry.meshes) == 2
    assert len(back[1].geometry.meshes) == 1
    # Where the one that stands for it is not written along, it is written under its own name.
    write([merged, third], tmp_path / "alone.glb", "gltf", asset if carrier else None)
    assert [material.name for material in read(tmp_path / "alone.glb")] == ["second", "third"]
