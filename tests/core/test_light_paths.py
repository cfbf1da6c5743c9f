"""Our paths of light against an independent renderer's on the same scenes, and the two looks of a pair against each other.

Mitsuba 3.9's `path`, `volpath` and `volpathmis` integrators with its own materials, media and emitters are the witness: means over regions
of the picture agree within the noise of both (Welch's t-test, a p-value for each region, channel and scene; Bonferroni over them).

The short suite misses: what scatters inside a body, against the independent renderer; most stands; biases of less than a few percent.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import mitsuba as mi
import numpy as np
import pytest
from pytest import approx
from scipy.stats import ttest_ind

from fenrain.core import Material, convert
from fenrain.core.checking.check import refine
from fenrain.core.rendering.pictures import PairShot, render
from fenrain.core.rendering.random_numbers import Numbers
from fenrain.core.rendering.stage import View, coverage
from fenrain.core.rendering.stands import wedge
from fenrain.core.rendering.stands.registry import OPENED, stand_of, stands
from fenrain.core.surfaces import mean_surface
from tests.core.tracing import engine_pictures
from tests.sizes import sized

pytestmark = pytest.mark.population

SIZE, PASSES = sized((32, 6), (48, 12))
CLAY = {"base_color": (0.6, 0.5, 0.4), "metallic": 0.0, "specular": 0.0, "roughness": 1.0}
"""A Lambertian body in glTF: no reflection at all."""
THEIRS = {"type": "diffuse", "reflectance": {"type": "rgb", "value": [0.6, 0.5, 0.4]}}
SIGNIFICANCE = 1e-3


def ours(material: Material, view: View) -> np.ndarray:
    return np.stack([render(material, view, 16, seed) for seed in range(2 * PASSES)])


def least_p_value(first: np.ndarray, second: np.ndarray, where: np.ndarray) -> float:
    """Over eight regions and three channels of pictures (passes, h, w, 3), corrected for their number."""
    rows, columns = np.nonzero(where)
    order = np.lexsort((columns, rows))
    regions = np.array_split(order, 8)
    means = [np.stack([picture[:, rows[part], columns[part]].mean(axis=1) for part in regions], axis=1) for picture in (first, second)]
    p_values = ttest_ind(means[0], means[1], axis=0, equal_var=False).pvalue
    return float(np.min(p_values) * p_values.size)


def fog(values: dict[str, Any]) -> dict[str, Any]:
    """The interior of a material as a medium of the engine's own, without a boundary."""
    inside = mean_surface(Material.of("m", "open_pbr", values)).interior
    assert inside is not None
    absorbs, scatters = (np.broadcast_to(np.asarray(part, dtype=float).reshape(-1), 3) for part in (inside.absorption, inside.scattering))
    extinction = absorbs + scatters
    medium = {
        "type": "homogeneous",
        "scale": float(extinction.max()),
        "sigma_t": {"type": "rgb", "value": list(extinction / extinction.max())},
        "albedo": {"type": "rgb", "value": list(scatters / extinction)},
        "phase": {"type": "hg", "g": float(np.mean(inside.anisotropy))},
    }
    return {"bsdf": {"type": "null"}, "interior": medium}


FOG = {"subsurface_weight": 1.0, "subsurface_color": (0.8, 0.5, 0.3), "subsurface_radius": 0.6, "specular_weight": 0.0}
FORWARD_FOG = {**FOG, "subsurface_scatter_anisotropy": 0.5}
PLAIN = {"bsdf": {"type": "twosided", "bsdf": THEIRS}}
HALF_OPEN = {"bsdf": {"type": "mask", "opacity": 0.5, "bsdf": {"type": "twosided", "bsdf": THEIRS}}}
GLOWING = {**PLAIN, "emitter": {"type": "area", "radiance": {"type": "rgb", "value": [3.0, 1.5, 0.5]}}}
SCENES = {
    "matt": (Material.of("m", "metal_rough", CLAY), PLAIN, {"type": "path", "max_depth": 3, "rr_depth": 99}),
    "glowing": (
        Material.of("m", "metal_rough", CLAY | {"emissive": (1.0, 0.5, 0.5 / 3), "emissive_strength": 3.0}), GLOWING,
        {"type": "path", "max_depth": 12, "rr_depth": 99},
    ),
    "half open": (Material.of("m", "metal_rough", CLAY | {"alpha": 0.5, "alpha_mode": 2}), HALF_OPEN,
                  {"type": "volpathmis", "max_depth": 64, "rr_depth": 99}),
    "fog": (Material.of("m", "open_pbr", FOG), fog(FOG), {"type": "volpathmis", "max_depth": 200, "rr_depth": 200}),
    "forward fog": (Material.of("m", "open_pbr", FORWARD_FOG), fog(FORWARD_FOG), {"type": "volpathmis", "max_depth": 200, "rr_depth": 200}),
}  # fmt: skip


@pytest.mark.parametrize(
    ("scene", "rig"),
    sized(
        [("matt", "soft_studio"), ("glowing", "low_sun"), ("half open", "soft_studio")],
        [
            *((scene, rig) for scene in ("matt", "glowing", "half open") for rig in ("soft_studio", "low_sun")),
            ("fog", "soft_studio"),
            ("forward fog", "low_sun"),
        ],
    ),
)
def test_a_picture_is_an_independent_renderers(scene: str, rig: str) -> None:
    material, body, integrator = SCENES[scene]
    view = View(rig, "sphere", 30.0, SIZE)
    theirs = engine_pictures(body, view, 16, PASSES, integrator=integrator)
    p_value = least_p_value(ours(material, view), theirs, coverage("sphere", SIZE))
    assert p_value > SIGNIFICANCE, f"p = {p_value:.2g}"


@pytest.mark.parametrize("scene", sized(["glowing"], ["glowing", "half open", "fog"]))
def test_so_is_the_light_on_the_ground(scene: str) -> None:
    material, body, integrator = SCENES[scene]
    view = View("soft_studio", "sphere", 0.0, SIZE)
    theirs = engine_pictures(body, view, 16, PASSES, integrator=integrator)
    p_value = least_p_value(ours(material, view), theirs, ~coverage("sphere", SIZE))
    assert p_value > SIGNIFICANCE, f"p = {p_value:.2g}"


def test_a_clear_ball_is_the_engines_rough_dielectric() -> None:
    # Absorption by Beer–Lambert in the engine's own medium. Its reflection is separable and loses what facets scatter twice, ours not:
    # they agree within 2 %.
    colour, depth = (0.7, 0.4, 0.2), 0.8
    values = {"transmission_weight": 1.0, "transmission_color": colour, "transmission_depth": depth, "specular_roughness": 0.1}
    extinction = -np.log(colour) / depth
    medium = {
        "type": "homogeneous", "scale": float(extinction.max()), "albedo": 0.0,
        "sigma_t": {"type": "rgb", "value": list(extinction / extinction.max())},
    }  # fmt: skip
    glass = {"type": "roughdielectric", "distribution": "ggx", "alpha": 0.01, "int_ior": 1.5, "ext_ior": 1.0}
    view = View(size=48)
    integrator = {"type": "volpath", "max_depth": 32, "rr_depth": 99}
    theirs = engine_pictures({"bsdf": glass, "interior": medium}, view, 64, sized(4, 8), integrator=integrator)
    own = np.stack([render(Material.of("m", "open_pbr", values), view, 16, seed) for seed in range(sized(12, 24))])
    seen = coverage("sphere", 48)
    np.testing.assert_allclose(own[:, seen].mean(axis=(0, 1)), theirs[:, seen].mean(axis=(0, 1)), rtol=0.02)


def furnace(stand_id: str) -> str:
    """The stand in a white room: no ground, and props that take no light either."""
    stand = stand_of(stand_id)
    white = tuple(replace(prop, reflectance=1.0, glow=0.0) for prop in stand.props())
    return OPENED.keep(replace(stand, id=f"{stand_id}-furnace", floor=-1e6, props=lambda: white)).id


WHITE = (1.0, 1.0, 1.0)
KINDS = {
    "matt": ({"base_color": WHITE, "specular_weight": 0.0}, 0.01),
    "plastic": ({"base_color": WHITE, "specular_roughness": 0.3}, 0.01),
    "glass": ({"transmission_weight": 1.0, "specular_roughness": 0.03}, 0.01),
    "cloudy glass": (
        {"transmission_weight": 1.0, "specular_roughness": 0.1, "transmission_color": WHITE, "transmission_depth": 1.0,
         "transmission_scatter": (0.5, 0.5, 0.5)}, 0.015,
    ),
    "wax": ({"subsurface_weight": 1.0, "subsurface_color": WHITE, "subsurface_radius": 0.6, "specular_weight": 0.0}, 0.02),
    "open": ({"base_color": WHITE, "specular_weight": 0.0, "geometry_opacity": 0.5}, 0.02),
}  # fmt: skip
"""White materials, and how much of the light the limit on a path's length may take."""


@pytest.mark.parametrize("kind", sized(["matt", "plastic", "cloudy glass", "open"], list(KINDS)))
def test_a_white_body_vanishes_in_a_white_room(kind: str) -> None:
    # White furnace: what takes no light sends back all that comes, from every place (Veach 1997, §4.6 on energy conservation).
    assert_white("sphere", *KINDS[kind])


@pytest.mark.parametrize("stand", sized(["turned"], [stand for stand in stands() if stand != "sphere"]))
def test_every_stand_vanishes_in_a_white_room(stand: str) -> None:
    # Between walls and before a lattice the limit on a path's length cuts some light off.
    assert_white(stand, KINDS["matt"][0], 0.01)
    assert_white(stand, KINDS["glass"][0], 0.02)


def assert_white(stand: str, values: dict[str, Any], lost: float) -> None:
    view = View("even_white", furnace(stand), size=SIZE)
    taken = np.stack([render(Material.of("m", "open_pbr", values), view, 16, seed) for seed in range(12)])
    seen = taken[:, coverage(view.stand, SIZE)].mean(axis=(1, 2))
    error = 4.0 * seen.std(ddof=1) / np.sqrt(len(seen))
    assert 1.0 - lost - error < seen.mean() < 1.005 + error


def test_light_is_lost_along_the_wedge_as_beer_and_lambert_say() -> None:
    # Beer–Lambert: what is left after a way x is exp(−σ x), here without bending (index 1), where x is known from the wedge's shape.
    clear = {"transmission_weight": 1.0, "specular_ior": 1.0, "specular_roughness": 0.0}
    tinted = Material.of("m", "open_pbr", {**clear, "transmission_color": (0.5, 0.2, 0.8), "transmission_depth": 0.7})
    size = 64
    view = View("even_white", furnace("wedge"), size=size)
    OPENED.keep(replace(stand_of(view.stand), id="wedge-alone", props=tuple))
    view = replace(view, stand="wedge-alone")
    seen = np.mean([render(tinted, view, 16, seed) for seed in range(4)], axis=0)
    stand = stand_of("wedge")
    middle = size // 2
    eye, target = np.array(stand.camera)
    half = np.tan(np.radians(stand.field_of_view / 2))
    forward = (target - eye) / np.linalg.norm(target - eye)
    ratios = []
    for column in range(size):
        across = ((column + 0.5) / size * 2.0 - 1.0) * half
        down = ((middle + 0.5) / size * 2.0 - 1.0) * half
        right = np.array([1.0, 0.0, 0.0])
        ray = forward + right * across - np.cross(right, forward) * down
        # The front stands at z = THICK/2, the back THIN to THICK behind it: z = b − a x.
        front, back = 0.5 * wedge.THICK, -0.5 * wedge.THIN
        slope = (wedge.THICK - wedge.THIN) / (2.0 * wedge.HALF_WIDTH)
        at = [(front - eye[2]) / ray[2], (back - (eye[2] + slope * eye[0])) / (ray[2] + slope * ray[0])]
        places = [eye + distance * ray for distance in at]
        if all(abs(place[0]) < wedge.HALF_WIDTH - 0.05 for place in places):
            way = np.linalg.norm(places[1] - places[0])
            ratios.append(seen[middle, column] / np.array([0.5, 0.2, 0.8]) ** (way / 0.7))
    # The boundary that bends nothing is drawn at random all the same, so that single pixels are noisy.
    assert len(ratios) > 20
    np.testing.assert_allclose(ratios, 1.0, atol=0.08)
    np.testing.assert_allclose(np.mean(ratios, axis=0), 1.0, atol=0.01)


def test_a_bubble_throws_light_back_as_it_must() -> None:
    # Mitsuba's own smooth dielectric in the same mesh: total reflection within included.
    stand = OPENED.keep(replace(stand_of("bubble"), id="bubble-alone", props=tuple))
    view, seen = View("soft_studio", stand.id, size=SIZE), coverage(stand.id, SIZE)
    smooth = {"type": "dielectric", "int_ior": 1.5, "ext_ior": 1.0}
    theirs = engine_pictures({"bsdf": smooth}, view, 64, PASSES, integrator={"type": "path", "max_depth": 32, "rr_depth": 99})
    clear = Material.of("m", "open_pbr", {"transmission_weight": 1.0, "specular_roughness": 0.0})
    assert least_p_value(np.minimum(ours(clear, view), 20.0), np.minimum(theirs, 20.0), seen) > SIGNIFICANCE


PAIRED = {
    "plastic": ({"base_color": (0.6, 0.25, 0.12), "specular_roughness": 0.3}, {"specular_roughness": 0.36}),
    "gold": ({"base_color": (0.9, 0.7, 0.4), "base_metalness": 1.0, "specular_roughness": 0.1}, {"specular_roughness": 0.2}),
    "glass": ({"transmission_weight": 1.0, "specular_roughness": 0.05}, {"specular_ior": 1.6}),
    "frosted": ({"transmission_weight": 1.0, "specular_roughness": 0.4}, {"specular_roughness": 0.5}),
    "sheet": ({"transmission_weight": 1.0, "specular_roughness": 0.2, "geometry_thin_walled": True}, {"specular_ior": 1.7}),
    "glow": ({"base_color": (0.1, 0.1, 0.1), "emission_luminance": 2.0}, {"emission_luminance": 2.5}),
    "wax": ({"subsurface_weight": 1.0, "subsurface_radius": 0.5}, {"subsurface_color": (0.5, 0.7, 0.6)}),
    "open": ({"base_color": (0.5, 0.4, 0.3), "geometry_opacity": 0.6}, {"geometry_opacity": 0.7}),
}  # fmt: skip


@pytest.mark.parametrize("kind", sized(["plastic", "glass", "glow"], list(PAIRED)))
def test_both_ways_of_pairing_agree_with_each_look_alone(kind: str) -> None:
    # Means of pairs, by twins and on shared paths, against each side rendered by itself with numbers of its own.
    original, change = PAIRED[kind]
    materials = Material.of("a", "open_pbr", original), Material.of("b", "open_pbr", {**original, **change})
    view, seen = View("low_sun", size=SIZE), coverage("sphere", SIZE)
    alone = [np.stack([render(material, view, 16, 1000 + seed) for seed in range(PASSES)]) for material in materials]
    shot = PairShot(*materials, view)
    for shared in (False, True) if shot.may_share else (False,):
        pairs = [shot.taken(16, seed, shared=shared) for seed in range(PASSES)]
        for side in (0, 1):
            p_value = least_p_value(np.stack([pair[side] for pair in pairs]), alone[side], seen)
            assert p_value > SIGNIFICANCE, f"side {side}, shared {shared}: p = {p_value:.2g}"


@pytest.mark.parametrize("kind", sized(["plastic", "gold", "glass", "open"], list(PAIRED)))
def test_equal_looks_differ_by_nothing(kind: str) -> None:
    values, _ = PAIRED[kind]
    first, second = (Material.of(name, "open_pbr", values) for name in "ab")
    *_, last = refine(first, second, ("low_sun",))
    assert last.samples < 64
    assert max(reading.value for reading in last.readings.values()) == 0.0
    assert np.array_equal(last.original, last.converted)


@pytest.mark.parametrize(
    "model",
    sized(
        ["gloss_pair", "standard_surface"],
        ["spec_gloss", "gloss_pair", "weighted", "metal_switch", "standard_surface", "metal_rough", "preview"],
    ),
)
def test_the_noise_of_a_difference_shrinks_with_the_difference(model: str) -> None:
    # A conversion is near its original: its difference is told apart from noise many times better than from pictures taken apart.
    original = Material.of("m", model, {})
    converted = convert(original, "metal_rough" if model != "metal_rough" else "open_pbr").material
    view, seen = View("soft_studio", size=SIZE), coverage("sphere", SIZE)
    shot = PairShot(original, converted, view)
    first, second = (shot.taken(16, seed, shared=shot.may_share) for seed in (0, 1))
    together = ((first[1] - first[0]) - (second[1] - second[0]))[seen]
    apart = ((render(converted, view, 16, 2) - first[0]) - (render(converted, view, 16, 3) - second[0]))[seen]
    assert np.abs(together).mean() < np.abs(apart).mean() / 3


def test_the_same_arguments_give_the_same_bits() -> None:
    values, change = PAIRED["frosted"]
    materials = Material.of("a", "open_pbr", values), Material.of("b", "open_pbr", {**values, **change})
    runs = [PairShot(*materials, View(size=SIZE)) for _ in range(2)]
    for shared in (False, True):
        first, again = (run.taken(4, 3, shared=shared) for run in runs)
        assert all(np.array_equal(a, b) for a, b in zip(first, again, strict=True))
        assert not np.array_equal(first[0], runs[0].taken(4, 4, shared=shared)[0])


def test_numbers_hang_on_pixel_and_seed_alone() -> None:
    # Kensler 2013: one number in each stratum of the square, and in each of the finer strata of either axis.
    pixel = np.repeat(np.arange(500), 16)
    numbers = Numbers.for_sample(mi.UInt32(pixel), mi.UInt32(np.tile(np.arange(16), 500)), 16, mi.UInt32(7))
    for _ in range(3):
        across, down = (np.array(part).reshape(500, 16) for part in numbers.next_2d())
        cells = np.sort((down * 4).astype(int) * 4 + (across * 4).astype(int), axis=1)
        assert (cells == np.arange(16)).all()
        for axis in (across, down, np.array(numbers.next_1d()).reshape(500, 16)):
            assert (np.sort((axis * 16).astype(int), axis=1) == np.arange(16)).all()
            assert abs(axis.mean() - 0.5) < 0.002
    assert abs(np.corrcoef(across.ravel(), down.ravel())[0, 1]) < 0.05
    original = Material.of("a", "open_pbr", PAIRED["frosted"][0])
    shot = PairShot(original, original, View(size=SIZE))
    together, _ = shot.taken_at_once(("low_sun", "soft_studio"), 2, 4, 8)
    for rig, of_rig in zip(("low_sun", "soft_studio"), together, strict=True):
        alone = PairShot(original, original, View(rig, size=SIZE))
        for picture, seed in zip(of_rig, (8, 9), strict=True):
            assert np.array_equal(picture, alone.taken(4, seed)[0])


def test_a_turned_light_is_the_sky_turned() -> None:
    # The engine turns its environment by a matrix, we turn directions: a mirror shows the same.
    view = View("low_sun", "sphere", 75.0, SIZE)
    mirror = {"bsdf": {"type": "twosided", "bsdf": {"type": "conductor", "material": "none"}}}
    theirs = engine_pictures(mirror, view, 64, 1, integrator={"type": "path", "max_depth": 3, "rr_depth": 99})[0]
    silver = Material.of("m", "spec_gloss", {"diffuse": (0.0, 0.0, 0.0), "specular": WHITE, "glossiness": 1.0})
    own = np.mean([render(silver, view, 16, seed) for seed in range(4)], axis=0)
    seen = coverage("sphere", SIZE)
    brightest = [np.unravel_index((picture.sum(axis=-1) * seen).argmax(), seen.shape) for picture in (own, theirs)]
    assert brightest[0] == approx(brightest[1], abs=1)
    assert np.minimum(own, 4.0)[seen].mean() == approx(np.minimum(theirs, 4.0)[seen].mean(), rel=0.03)
