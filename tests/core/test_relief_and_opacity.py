"""Relief and openings as an independent renderer draws them: mitsuba's own `diffuse`, `normalmap`, `bumpmap` and `mask`, on the same
scene, in place of our surface."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest

from fenrain.core import Material
from fenrain.core.optics.bump import BUMP_DEPTH
from fenrain.core.rendering import scene
from fenrain.core.rendering.bsdf import bsdf_of
from fenrain.core.rendering.engine import mi
from fenrain.core.rendering.png import write_png
from fenrain.core.values import Image, Map

SIZE, SAMPLES = 128, 64
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


def drawn_by_others(material: Material, view: Any, bsdf: dict[str, Any]) -> np.ndarray:
    """Our light, ground and stand, with a surface of the renderer's own."""
    described = scene._scene(material, view)
    described["object"] = scene._shape(view.stand, bsdf)
    return np.array(mi.render(mi.load_dict(described), spp=SAMPLES, seed=1))[..., :3]


def disagreement(values: dict[str, Any], bsdf: dict[str, Any], stand: str) -> tuple[float, float]:
    """Mean difference of our picture from theirs, and of ours without what is tested from theirs, relative to their mean."""
    view = scene.View("low_sun", stand, 0.0, SIZE)
    plain, tested = Material.of("m", "metal_rough", CLAY), Material.of("m", "metal_rough", CLAY | values)
    theirs, seen = drawn_by_others(plain, view, bsdf), scene.coverage(stand, SIZE)
    ours = [scene.render(material, view, SAMPLES, 0) for material in (tested, plain)]
    first, second = (float(np.abs(picture - theirs)[seen].mean() / theirs[seen].mean()) for picture in ours)
    return first, second


@pytest.mark.parametrize("stand", ["sphere", "turned"])
def test_a_body_without_relief_is_the_same(stand: str) -> None:
    assert disagreement({}, {"type": "twosided", "bsdf": THEIRS}, stand)[0] < 0.03


@pytest.mark.parametrize("stand", ["sphere", "turned"])
def test_normals(maps: dict[str, Path], stand: str) -> None:
    normals = Map(Image("normals.png", maps["normals"]), "rgb", "normal")
    theirs = {"type": "normalmap", "normalmap": texture(maps["normals"]), "bsdf": THEIRS}
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
    view = scene.View("low_sun", "sphere", 0.0, SIZE)
    bump = {"type": "bumpmap", "arbitrary": texture(maps["heights"]), "scale": 2.0 * BUMP_DEPTH, "bsdf": THEIRS}
    bumpy, plain = (Material.of("m", "metal_switch", clay | extra) for extra in ({"bump": heights}, {}))
    theirs, ours, without = (
        on_a_square(view, plain, bsdf) for bsdf in (bump, bsdf_of(bumpy, (), scene.map_edge(SIZE)), bsdf_of(plain, (), 256))
    )
    error, left = (float(np.abs(picture - theirs).mean() / theirs.mean()) for picture in (ours, without))
    assert error < 0.05
    assert error < left / 3


def on_a_square(view: Any, material: Material, bsdf: Any) -> np.ndarray:
    described = scene._scene(material, view)
    facing = mi.ScalarTransform4f().translate([0, 0.3, 0]).rotate([1, 0, 0], -40)
    described["object"] = {"type": "rectangle", "to_world": facing, "bsdf": bsdf}
    return np.array(mi.render(mi.load_dict(described), spp=SAMPLES, seed=1))[..., :3]
