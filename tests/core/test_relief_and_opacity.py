"""Relief and openings as an independent renderer draws them: mitsuba's own `diffuse`, `normalmap`, `bumpmap` and `mask`, on the same
scene, in place of our surface.

The short suite misses: the turned body, and heights.
"""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from fenrain.core import Material
from fenrain.core.conversion.engine import convert
from fenrain.core.geometry import Mesh
from fenrain.core.maps.image import write_png
from fenrain.core.models.mix.parameters import FACING
from fenrain.core.optics.bump import BUMP_DEPTH
from fenrain.core.rendering.pictures import render
from fenrain.core.rendering.stage import View, coverage
from fenrain.core.rendering.stands.registry import OPENED, stand_of
from fenrain.core.values import Image, Map
from tests.core.tracing import engine_pictures
from tests.sizes import sized

pytestmark = pytest.mark.population

SIZE, SAMPLES = sized((64, 128), (96, 256))
CLAY = {"base_color": (0.6, 0.5, 0.4), "metallic": 0.0, "specular": 0.0, "roughness": 1.0}
"""A Lambertian body in glTF: no reflection at all."""
THEIRS = {"type": "diffuse", "reflectance": {"type": "rgb", "value": list(CLAY["base_color"])}}  # type: ignore[call-overload]


@pytest.fixture(scope="module")
def maps(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Path]:
    folder = tmp_path_factory.mktemp("maps")
    across, down = np.meshgrid(*(2 * np.pi * (np.arange(256) + 0.5) / 256,) * 2)
    slopes = np.stack([0.4 * np.sin(3 * across), 0.5 * np.cos(2 * down + 0.5), np.ones_like(across)], axis=-1)
    write_png(folder / "normals.png", slopes / np.linalg.norm(slopes, axis=-1, keepdims=True) * 0.5 + 0.5)
    write_png(folder / "heights.png", np.repeat((0.5 + 0.5 * np.sin(4 * across + 0.7) * np.cos(3 * down))[..., None], 3, axis=2))
    holes = np.sin(3 * across + 0.4) + 0.7 * np.cos(2 * down + 1.0) > 0.2
    write_png(folder / "alpha.png", np.concatenate([np.ones((256, 256, 3)), holes[..., None]], axis=-1))
    write_png(folder / "holes.png", np.repeat(holes[..., None].astype(float), 3, axis=2))
    return {name: folder / f"{name}.png" for name in ("normals", "heights", "alpha", "holes")}


def texture(path: Path) -> dict[str, Any]:
    """A map as data; the renderer's v runs down, as in glTF."""
    return {"type": "bitmap", "filename": str(path), "raw": True}


def drawn_by_others(view: View, bsdf: dict[str, Any]) -> np.ndarray:
    """Our light, ground and stand, with a surface and an integrator of the renderer's own."""
    integrator = {"type": "volpathmis", "max_depth": 64, "rr_depth": 99} if bsdf["type"] == "mask" else {"type": "path", "max_depth": 12}
    return engine_pictures({"bsdf": bsdf}, view, SAMPLES, 1, integrator=integrator)[0]


def drawn_by_us(material: Material, view: View) -> np.ndarray:
    return np.asarray(np.mean([render(material, view, 16, seed) for seed in range(SAMPLES // 16)], axis=0))


def disagreement(values: dict[str, Any], bsdf: dict[str, Any], stand: str) -> tuple[float, float]:
    """Mean difference of our picture from theirs, and of ours without what is tested from theirs, relative to their mean."""
    view = View("low_sun", stand, 0.0, SIZE)
    plain, tested = Material.of("m", "metal_rough", CLAY), Material.of("m", "metal_rough", CLAY | values)
    theirs, seen = drawn_by_others(view, bsdf), coverage(stand, SIZE)
    ours = [drawn_by_us(material, view) for material in (tested, plain)]
    first, second = (apart(picture, theirs, seen) for picture in ours)
    return first, second


def apart(first: np.ndarray, second: np.ndarray, seen: np.ndarray) -> float:
    """Mean difference relative to the mean, of blocks of two by two pixels that lie within where it is looked at: less noise, same
    shapes."""
    blocks = [_blocks(picture * seen[..., None]) for picture in (first, second)]
    whole = _blocks(seen[..., None].astype(float))[..., 0] == 1.0
    return float(np.abs(blocks[0] - blocks[1])[whole].mean() / blocks[1][whole].mean())


def _blocks(picture: np.ndarray) -> np.ndarray:
    return np.asarray(picture.reshape(SIZE // 2, 2, SIZE // 2, 2, -1).mean(axis=(1, 3)))


@pytest.mark.parametrize("stand", sized(["sphere"], ["sphere", "turned"]))
def test_a_body_without_relief_is_the_same(stand: str) -> None:
    assert disagreement({}, {"type": "twosided", "bsdf": THEIRS}, stand)[0] < 0.03


@pytest.mark.parametrize("stand", sized(["sphere"], ["sphere", "turned"]))
def test_normals(maps: dict[str, Path], stand: str) -> None:
    normals = Map(Image("normals.png", maps["normals"]), "rgb", "normal")
    theirs = {"type": "normalmap", "normalmap": texture(maps["normals"]), "use_shadowing_function": False, "bsdf": THEIRS}
    ours, without = disagreement({"normal": normals}, theirs, stand)
    assert ours < 0.05
    assert ours < without / 4


def test_openings(maps: dict[str, Path]) -> None:
    cut_out = {"alpha": Map(Image("alpha.png", maps["alpha"]), "a"), "alpha_mode": 1}
    theirs = {"type": "mask", "opacity": texture(maps["holes"]), "bsdf": {"type": "twosided", "bsdf": THEIRS}}
    ours, without = disagreement(cut_out, theirs, "sphere")
    assert ours < 0.06
    assert ours < without / 4


def test_heights(maps: dict[str, Path]) -> None:
    # On a square two wide, whose UV are one: heights are in tile widths here, in scene units there.
    heights = Map(Image("heights.png", maps["heights"]), "r")
    clay = {"base_color": (0.6, 0.5, 0.4), "finish": 0.0, "ior": 1.0}
    bumpy, plain = (Material.of("m", "metal_switch", clay | extra) for extra in ({"bump": heights, "bump_strength": 3.0}, {}))
    OPENED.keep(replace(stand_of("sphere"), id="square", mesh=tilted_square, convex=False))
    height = {"arbitrary": texture(maps["heights"]), "scale": 3.0 * 2.0 * BUMP_DEPTH}
    bump = {"type": "bumpmap", **height, "use_shadowing_function": False, "bsdf": THEIRS}
    theirs = engine_pictures(
        {"bsdf": bump}, View("low_sun", size=SIZE), SAMPLES, 1, integrator={"type": "path", "max_depth": 12}, mesh=tilted_square()
    )[0]
    ours, without = (drawn_by_us(material, View("low_sun", "square", 0.0, SIZE)) for material in (bumpy, plain))
    seen = coverage("square", SIZE)
    error, left = (apart(picture, theirs, seen) for picture in (ours, without))
    assert error < 0.05
    assert error < left / 3


def tilted_square() -> Mesh:
    """Two units wide, tilted back by 40°."""
    c, s = np.cos(np.radians(40)), np.sin(np.radians(40))
    positions = np.array([[x, 0.3 + y * c, -y * s] for y in (-1.0, 1.0) for x in (-1.0, 1.0)])
    uvs = np.array([[u, v] for v in (0.0, 1.0) for u in (0.0, 1.0)])
    return Mesh("square", positions, np.tile([0.0, s, c], (4, 1)), uvs, np.array([[0, 1, 3], [0, 3, 2]]))


BLACK = {"base_color": (0.0, 0.0, 0.0), "specular_weight": 0.0}
COAT = {"coat_weight": 1.0, "coat_ior": 1.5, "coat_roughness": 0.3, "coat_darkening": 0.0}
GLOSS = {"base_color": (0.0, 0.0, 0.0), "specular_ior": 1.5, "specular_roughness": 0.3}


@pytest.mark.parametrize(("coat_is_bent", "base_is_bent"), [(False, True), (True, False), (True, True)])
def test_a_coat_follows_its_own_normal_alone(maps: dict[str, Path], coat_is_bent: bool, base_is_bent: bool) -> None:
    # OpenPBR 1.1: geometry_coat_normal is the mesh's own where none is given; KHR_materials_clearcoat says the same of its texture. Over
    # black that reflects nothing, a coat is the same gloss as a base of its index and roughness.
    normals = Map(Image("normals.png", maps["normals"]), "rgb", "normal")
    view, seen = View("low_sun", "sphere", 0.0, SIZE), coverage("sphere", SIZE)
    bent: dict[str, Any] = {"geometry_normal": normals} if base_is_bent else {}
    coated = BLACK | COAT | bent | ({"geometry_coat_normal": normals} if coat_is_bent else {})
    ours = drawn_by_us(Material.of("m", "open_pbr", coated), view)
    expected, otherwise = (
        drawn_by_us(Material.of("m", "open_pbr", GLOSS | ({"geometry_normal": normals} if is_bent else {})), view)
        for is_bent in (coat_is_bent, not coat_is_bent)
    )
    assert apart(ours, expected, seen) < 0.06
    assert apart(ours, expected, seen) < apart(ours, otherwise, seen) / 4


def test_parts_of_a_mix_follow_their_own_normals(maps: dict[str, Path]) -> None:
    # Half of a picture of each: light adds up.
    normals = Map(Image("normals.png", maps["normals"]), "rgb", "normal")
    view, seen = View("low_sun", "sphere", 0.0, SIZE), coverage("sphere", SIZE)
    metal = {"metallic": 1.0, "base_color": (0.9, 0.9, 0.9), "roughness": 0.3}
    even, bent = (Material.of("m", "metal_rough", metal | values) for values in ({}, {"normal": normals}))
    mixed = drawn_by_us(Material.of("both", "mix", {"amount": 0.5}, parts=(even, bent)), view)
    halves = [drawn_by_us(material, view) for material in (even, bent)]
    assert apart(mixed, 0.5 * (halves[0] + halves[1]), seen) < 0.08
    assert apart(halves[0], halves[1], seen) > 0.3


def test_a_coat_that_follows_its_surface_does_so_in_the_target_too(maps: dict[str, Path]) -> None:
    # Common practice: older models bend all that they reflect by one relief; flakes alone lie below the lacquer.
    normals = Map(Image("normals.png", maps["normals"]), "rgb", "normal")
    lacquer: dict[str, Any] = {"metal": True, "base_color": (0.3, 0.1, 0.1), "coat": 1.0, "normal": normals}
    bent = convert(Material.of("m", "metal_switch", lacquer), "open_pbr")
    assert bent.material.value("geometry_coat_normal") == bent.material.value("geometry_normal") == normals
    flaked = convert(Material.of("m", "metal_switch", lacquer | {"flake_amount": 0.5, "flake_size": 0.1}), "open_pbr").material
    assert flaked.value("geometry_coat_normal") == normals
    assert flaked.value("geometry_normal") != normals
    bare = convert(Material.of("m", "metal_switch", lacquer | {"coat": 0.0}), "open_pbr").material
    assert "geometry_coat_normal" not in bare.values
    gltf = convert(Material.of("m", "metal_rough", {"clearcoat": 1.0, "normal": normals}), "open_pbr").material
    assert "geometry_coat_normal" not in gltf.values


def test_a_mirror_over_bumped_paint_is_an_even_coat(maps: dict[str, Path]) -> None:
    normals = Map(Image("normals.png", maps["normals"]), "rgb", "normal")
    mirror = Material.of("mirror", "metal_rough", {"metallic": 1.0, "base_color": (0.95,) * 3, "roughness": 0.02})
    for metallic in (0.0, 1.0):
        paint = Material.of(
            "paint", "metal_rough", {"metallic": metallic, "base_color": (0.4, 0.1, 0.1), "roughness": 0.5, "normal": normals}
        )
        found = convert(
            Material.of("m", "mix", {"amount": 1.0, "blend_by": FACING, "falloff": 5.0}, parts=(paint, mirror)), "open_pbr"
        ).material
        # Schlick 1994: (1 − cos θ)⁵ is what a coat of little F0 rises by.
        assert (found.parameters()["coat_weight"], found.parameters()["base_metalness"]) == (pytest.approx(0.95, abs=0.01), metallic)
        assert found.value("geometry_normal") == normals
        assert "geometry_coat_normal" not in found.values or found.value("geometry_coat_normal") != normals


def test_a_target_with_one_normal_says_that_it_bends_the_coat(maps: dict[str, Path]) -> None:
    # UsdPreviewSurface 2.6: one normal.
    normals = Map(Image("normals.png", maps["normals"]), "rgb", "normal")

    def said(**values: Any) -> str:
        ledger = convert(Material.of("m", "open_pbr", {"geometry_normal": normals, **values}), "preview").ledger
        return next(entry.steps[-1].text for entry in ledger if entry.target == "normal")

    assert "coat is bent as well" in said(coat_weight=1.0)
    assert "coat is bent as well" not in said(coat_weight=1.0, geometry_coat_normal=normals)
    assert "coat is bent as well" not in said()
