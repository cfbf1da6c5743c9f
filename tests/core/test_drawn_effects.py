"""What models can say beside their lobes, drawn as their renderers show it, against direct computations."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

import mitsuba as mi
import numpy as np
import pytest
from pytest import approx

from fenrain.core import Material
from fenrain.core.checking.check import check
from fenrain.core.checking.isolation import map_alone, without
from fenrain.core.checking.verdict import Verdict
from fenrain.core.conversion.engine import convert
from fenrain.core.geometry import Mesh, sphere, subdivided, uv_spans
from fenrain.core.lobes.surface import BENDING
from fenrain.core.maps.flakes import flakes
from fenrain.core.maps.image import write_png
from fenrain.core.rendering.displaced import displace_mesh, offsets_of
from fenrain.core.rendering.pictures import render
from fenrain.core.rendering.rigs import registry
from fenrain.core.rendering.rigs.registry import Rig, rig_of
from fenrain.core.rendering.stage import View, coverage, stage_of
from fenrain.core.rendering.stands.registry import METRES, OPENED, spans_of, stand_of
from fenrain.core.values import Image, Map

pytestmark = pytest.mark.pictures

SIZE = 64
MATT = {"base_color": (0.5, 0.5, 0.5), "metallic": 0.0, "specular": 0.0, "roughness": 1.0}
GLOSSY = {"diffuse": (0.1, 0.1, 0.1), "reflection": (1.0, 1.0, 1.0), "ior": 1.5}


def picture(material: Material, view: View, passes: int = 4) -> np.ndarray:
    return np.asarray(np.mean([render(material, view, 16, seed) for seed in range(passes)], axis=0))


def floating(stand_id: str) -> str:
    """The stand without a ground, from which no light comes back."""
    return OPENED.keep(replace(stand_of(stand_id), id=f"{stand_id}-floating", floor=-1e6)).id


def test_occlusion_dims_the_surroundings_and_leaves_lamps_alone() -> None:
    # glTF 2.0 §3.9.3: occlusion is for indirect light, direct light is not affected. Half of an even room is half of the light.
    open_to, half = (Material.of("m", "metal_rough", MATT | extra) for extra in ({}, {"occlusion": 0.5}))
    stand = floating("sphere")
    seen = coverage(stand, SIZE)
    for rig, share in (("even_white", 0.5), ("single_lamp", 1.0)):
        whole, dimmed = (picture(material, View(rig, stand, size=SIZE))[seen].mean() for material in (open_to, half))
        assert dimmed / whole == approx(share, abs=0.01)


def test_occlusion_that_does_not_come_through_is_seen() -> None:
    half = Material.of("m", "metal_rough", MATT | {"occlusion": 0.4})
    result = check(half, Material.of("m", "metal_rough", MATT), ["even_white"], size=64)
    assert (result.verdict, result.unseen) == (Verdict.OFF, ())


@pytest.mark.parametrize("rig", ["soft_studio", "low_sun", "fine_bars"])
def test_lamps_are_mirrored_with_a_gloss_of_their_own(rig: str) -> None:
    # Light adds up: what comes from lamps as one gloss mirrors it, what comes from the surroundings as the other does.
    apart = Material.of("m", "gloss_pair", {**GLOSSY, "reflection_glossiness": 0.9, "lamps_apart": True, "lamp_glossiness": 0.6})
    sharp, soft = (Material.of("m", "gloss_pair", {**GLOSSY, "reflection_glossiness": gloss}) for gloss in (0.9, 0.6))
    stand = floating("sphere")
    lamps_only, rest_only = rigs_in_halves(rig)
    seen = coverage(stand, SIZE)
    both = picture(apart, View(rig, stand, size=SIZE))[seen]
    wanted = (picture(soft, View(lamps_only, stand, size=SIZE)) + picture(sharp, View(rest_only, stand, size=SIZE)))[seen]
    assert np.abs(both - wanted).mean() < 0.1 * wanted.mean()
    assert both.mean() == approx(wanted.mean(), rel=0.02)


def rigs_in_halves(rig_id: str) -> tuple[str, str]:
    """A rig's lamps alone, and its surroundings alone."""
    rig = rig_of(rig_id)
    halves = (replace(rig, id=f"{rig_id}-lamps", surroundings=registry._dark), replace(rig, id=f"{rig_id}-rest", lamps=registry._dark))
    return tuple(registry.OPENED.keep(half).id for half in halves)  # type: ignore[return-value]


@pytest.mark.parametrize("rig", ["soft_studio", "low_sun"])
def test_lamps_are_mirrored_with_a_colour_of_their_own(rig: str) -> None:
    # Common practice: a highlight colour of its own tints what mirrors lamps, and nothing else that is mirrored.
    black: dict[str, Any] = {**GLOSSY, "diffuse": (0.0,) * 3, "reflection_glossiness": 0.7, "lamps_apart": True, "lamp_glossiness": 0.7}
    view, seen = View(rig, "sphere", 0.0, 64), coverage("sphere", 64)
    white, red, without = (
        render(Material.of("m", "gloss_pair", {**black, "lamp_color": color}), view, 16, 1)[seen]
        for color in ((1.0, 1.0, 1.0), (1.0, 0.0, 0.0), (0.0, 0.0, 0.0))
    )
    assert np.abs(red[:, 0] - white[:, 0]).mean() < 1e-3 * white.mean()
    assert np.abs(red[:, 1:] - without[:, 1:]).mean() < 1e-2 * without.mean()
    assert (white - without)[:, 1].max() > 0.2, "lamps are seen"
    assert without.max() > 0.05, "and what is around them"


def test_painted_surroundings_are_mirrored_as_they_are(tmp_path: Path) -> None:
    # A mirror direction looks a texel up, as a rig's sky is looked up; nothing else of the scene shows in it.
    across, down = np.meshgrid(np.arange(256) / 256.0, np.arange(128) / 128.0)
    painted = np.stack([0.5 + 0.5 * np.sin(2.0 * np.pi * across), down, 0.5 + 0.5 * np.cos(2.0 * np.pi * across)], axis=-1)
    write_png(tmp_path / "painted.png", painted)
    image = Map(Image("painted.png", tmp_path / "painted.png"), "rgb", "linear")
    black = {"diffuse": (0.0,) * 3, "specular": (0.0,) * 3, "reflection_image": image}
    seen = render(Material.of("m", "spec_gloss", black), View("even_white", size=SIZE), 16, 0)
    stage = stage_of("sphere", SIZE)
    pixel = np.array([20 * SIZE + 25, 30 * SIZE + 32, 40 * SIZE + 40])
    ray = stage.rays(mi.UInt32(pixel), mi.Point2f(0.5))
    normal, towards = np.array(stage.meets(ray, mi.Bool(True))[0].n), np.array(ray.d)
    mirrored = towards - 2.0 * (towards * normal).sum(axis=0) * normal
    u, v = (np.arctan2(mirrored[0], -mirrored[2]) / (2.0 * np.pi)) % 1.0, np.arccos(mirrored[1]) / np.pi
    expected = painted[(v * 128).astype(int), (u * 256).astype(int)]
    np.testing.assert_allclose(seen.reshape(-1, 3)[pixel], expected, atol=0.05)


def test_a_height_moves_the_surface(tmp_path: Path) -> None:
    # An even height of 0.2 on a unit sphere is a sphere of 1.2; a map of waves has the extent that its heights say.
    raised = Material.of("m", "preview", {"diffuseColor": (0.5, 0.5, 0.5), "displacement": 0.2})
    unit = sphere(rings=128, segments=256)
    larger = OPENED.keep(replace(stand_of("sphere"), id="larger", mesh=lambda: replace(unit, positions=1.2 * unit.positions), convex=False))
    plain = Material.of("m", "preview", {"diffuseColor": (0.5, 0.5, 0.5)})
    ours, theirs = picture(raised, View(size=SIZE)), picture(plain, View(stand=larger.id, size=SIZE))
    assert np.abs(ours - theirs).mean() < 0.01
    across, down = np.meshgrid(*(2.0 * np.pi * (np.arange(256) + 0.5) / 256,) * 2)
    write_png(tmp_path / "waves.png", np.repeat((0.5 + 0.5 * np.sin(8 * across) * np.sin(6 * down))[..., None], 3, axis=2))
    waves = Map(Image("waves.png", tmp_path / "waves.png"), "r", scale=0.3)
    offsets = offsets_of(raised.having(displacement=waves))
    assert offsets is not None
    radius = np.linalg.norm(displace_mesh(unit, offsets).positions, axis=1)
    assert radius.min() == approx(1.0, abs=0.01)
    assert radius.max() == approx(1.3, abs=0.01)
    assert radius.mean() == approx(1.15, abs=0.02)


def test_a_moved_surface_that_does_not_come_through_is_no_match() -> None:
    raised = Material.of("m", "preview", {"diffuseColor": (0.5, 0.5, 0.5), "displacement": 0.1})
    result = check(raised, convert(raised, "open_pbr").material, ["soft_studio"], size=64)
    assert (result.verdict, result.unseen) == (Verdict.OFF, ())


def test_a_finer_mesh_is_the_same_surface() -> None:
    coarse = sphere(rings=16, segments=32)
    fine = subdivided(coarse)
    assert len(fine.triangles) == 4 * len(coarse.triangles)
    volumes = []
    for mesh in (coarse, fine):
        corners = mesh.positions[mesh.triangles]
        volumes.append((corners[:, 0] * np.cross(corners[:, 1], corners[:, 2])).sum() / 6.0)
    assert volumes[0] == approx(volumes[1])


@pytest.mark.parametrize("cellular", [False, True])
def test_flakes_cover_what_they_should_and_lean_as_they_should(cellular: bool) -> None:
    # Beckmann & Spizzichino 1963: the mean of the squared slope is α².
    pattern = flakes(0.5, 0.3, 0.01, 7, cellular=cellular)
    assert pattern.mask.mean() == approx(0.5, abs=0.03)
    slopes = -pattern.normals[..., :2] / pattern.normals[..., 2:]
    assert (slopes[pattern.mask] ** 2).sum(axis=1).mean() == approx(0.3**2, rel=0.08)
    assert not slopes[~pattern.mask].any()
    again, other = flakes(0.5, 0.3, 0.01, 7, cellular=cellular), flakes(0.5, 0.3, 0.01, 8, cellular=cellular)
    assert np.array_equal(again.normals, pattern.normals)
    assert not np.array_equal(other.mask, pattern.mask)
    # It tiles: as much changes across its edges as within.
    inside, across = (np.mean(pattern.mask[a] != pattern.mask[b]) for a, b in ((slice(1, None), slice(None, -1)), ([0], [-1])))
    assert across < 3.0 * inside + 0.05


def test_flakes_of_many_sizes_cover_as_much_in_larger_and_smaller_pieces() -> None:
    # A circle whose radius is anything from nothing to R covers on average a third of one of R.
    even, varied = (flakes(0.2, 0.3, 0.05, 7, cellular=False, variation=share) for share in (0.0, 1.0))
    assert varied.mask.mean() == approx(even.mask.mean(), abs=0.03)
    sizes = [np.bincount((pattern.ids * 1e6).astype(int)[pattern.mask]) for pattern in (even, varied)]
    spread = [found[found > 0].std() / found[found > 0].mean() for found in sizes]
    assert spread[0] < 0.1
    # Of areas as u², u even: the standard deviation is 0.89 of the mean.
    assert spread[1] == approx(0.89, abs=0.15)


def test_flakes_glitter_cell_by_cell() -> None:
    values = {"diffuse": (0.02,) * 3, "specular": (0.5,) * 3, "glossiness": 0.8, "flake_tilt": 0.3, "flake_size": 0.05, "flake_shape": 1}
    plain, flaked = (Material.of("m", "spec_gloss", values | extra) for extra in ({}, {"flake_amount": 0.5}))
    seen = coverage("sphere", SIZE)
    smooth, glittering = (picture(material, View("soft_studio", size=SIZE)) for material in (plain, flaked))
    edges = [np.abs(np.diff(found, axis=0)).mean(axis=-1)[seen[1:] & seen[:-1]].mean() for found in (smooth, glittering)]
    assert edges[1] > 1.4 * edges[0]


def test_a_tile_is_as_wide_as_it_says(tmp_path: Path) -> None:
    # The stand is a tenth of a metre a unit: on a square of 2.8 units, tiles of 35 mm lie eight to a side.
    spans = spans_of("tile")
    assert spans[:2] == approx((2.8 * METRES, 2.8 * METRES), rel=0.01)
    assert uv_spans(sphere(rings=64, segments=128))[1] == approx(np.pi, rel=0.01)
    halves = np.zeros((64, 64, 3))
    halves[:, 32:] = 1.0
    write_png(tmp_path / "halves.png", halves)
    stripes = Map(Image("halves.png", tmp_path / "halves.png"), "rgb", "linear")
    above = OPENED.keep(replace(stand_of("tile"), id="from-above", camera=((0.0, 7.0, 0.01), (0.0, 0.0, 0.0)))).id
    seen = [changes(stripes, above, width) for width in (0.0, 0.035)]
    assert seen == [2, 16]


def changes(stripes: Map, stand: str, width: float) -> int:
    """Between dark and bright, along the middle of the picture of a stand."""
    values = {"color": stripes, "tile_width": width, "tile_height": width}
    row = picture(Material.of("m", "percent", values), View("even_white", stand, size=256), 1)[128].mean(axis=-1)
    inside = row[coverage(stand, 256)[128]]
    return int(np.abs(np.diff((inside > 0.5 * (inside.min() + inside.max())).astype(int))).sum()) + 1


def test_what_lies_behind_is_shifted_by_what_a_surface_says() -> None:
    # Before a sky that is the brighter the higher one looks, each pixel says which way its path went on.
    camera = ((0.0, 0.3, 8.0), (0.0, 0.3, 0.0))
    stand = OPENED.keep(replace(stand_of("sphere"), id="pane", mesh=lambda: pane(45.0), camera=camera, convex=False, floor=-1e6)).id
    rig = registry.OPENED.keep(Rig("rising", "Rising", "", 100, lambda directions: 0.5 + 0.5 * directions[..., 1:2] * np.ones(3))).id
    clear = {"blend": 2, "opacity": 0.0, "specular": (0.0,) * 3, "diffuse": (0.0,) * 3}
    seen = coverage(stand, SIZE)
    normal = np.array([0.0, np.sin(np.radians(45.0)), np.cos(np.radians(45.0))])
    rays = stage_of(stand, SIZE).rays(mi.UInt32(np.arange(SIZE * SIZE)), mi.Point2f(0.5))
    ray = np.moveaxis(np.array(rays.d), 0, -1).reshape(SIZE, SIZE, 3)
    for bending in (0.0, 3.0):
        aside = normal - ray * (ray @ normal)[..., None]
        onwards = ray + BENDING * bending * aside
        onwards /= np.linalg.norm(onwards, axis=-1, keepdims=True)
        shown = picture(Material.of("m", "channels", clear | {"bending": bending}), View(rig, stand, size=SIZE), 1).mean(axis=-1)
        # Pixels on the edge of the pane see past it as well.
        assert np.quantile(np.abs(shown - (0.5 + 0.5 * onwards[..., 1]))[seen], 0.9) < 0.005


def pane(degrees: float) -> Mesh:
    """A square of 1.6 units, leaning back."""
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    positions = np.array([[x, 0.3 + y * c, -y * s] for y in (-0.8, 0.8) for x in (-0.8, 0.8)])
    uvs = np.array([[u, v] for v in (0.0, 1.0) for u in (0.0, 1.0)])
    return Mesh("pane", positions, np.tile([0.0, s, c], (4, 1)), uvs, np.array([[0, 1, 3], [0, 3, 2]]))


def test_what_is_taken_out_is_taken_out_on_both_sides(tmp_path: Path) -> None:
    write_png(tmp_path / "base.png", np.random.default_rng(1).uniform(0.2, 0.8, (16, 16, 3)))
    base = Map(Image("base.png", tmp_path / "base.png"), "rgb", "srgb")
    conversion = convert(Material.of("m", "spec_gloss", {"diffuse": base, "specular": (0.04,) * 3, "glossiness": 0.7}), "open_pbr")
    bare = without(conversion, ["diffuse"])
    assert "diffuse" not in bare.original.values
    assert bare.material.values != conversion.material.values
    assert bare.material.values == convert(bare.original, "open_pbr").material.values
    # A map alone is its own light: the mean of what is seen is the mean of the map.
    alone = map_alone(conversion.original, "diffuse")
    seen = picture(alone, View("single_lamp", "tile", size=SIZE))[coverage("tile", SIZE)]
    inner = seen[(seen > 0.02).all(axis=-1)]
    assert inner.std(axis=0).min() > 0.01


def test_isolated_aspects_add_up_to_the_whole() -> None:
    layers = {"base_color": (0.6, 0.2, 0.1), "coat_weight": 0.7, "coat_roughness": 0.2, "specular_roughness": 0.4}
    coated = Material.of("m", "open_pbr", layers | {"emission_luminance": 0.3})
    seen = coverage("sphere", SIZE)
    whole = picture(coated, View(size=SIZE))[seen].mean(axis=0)
    parts = [picture(coated, View(size=SIZE, aspects=(aspect,)))[seen].mean(axis=0) for aspect in ("body", "reflection", "coat", "glow")]
    np.testing.assert_allclose(np.sum(parts, axis=0), whole, rtol=0.02)
