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
from fenrain.core.geometry import Mesh
from fenrain.core.maps.image import write_png
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
