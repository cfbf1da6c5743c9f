"""What any legacy model carries besides its own values: relief of both kinds, strengths of any sign, detail, occlusion."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from fenrain.core import Material, convert
from fenrain.core.maps.image import write_png
from fenrain.core.maps.texels import Texels, grid_of
from fenrain.core.optics.bump import BUMP_DEPTH, blend_normals, normals_from_height
from fenrain.core.values import Computed, Constant, Image, Map, Value

MODELS = ("spec_gloss", "exponent", "gloss_pair", "weighted", "facing_grazing", "metal_switch", "channels", "percent", "measured")
EDGE = 32


def picture(folder: Path, name: str, values: np.ndarray) -> Image:
    write_png(folder / name, values)
    return Image(name, folder / name)


@pytest.fixture
def ramp(tmp_path: Path) -> Map:
    """Rises along u from black to white, over the whole tile."""
    values = np.broadcast_to(np.linspace(0, 1, EDGE)[None, :, None], (EDGE, EDGE, 3))
    return Map(picture(tmp_path, "ramp.png", values), "r")


@pytest.fixture
def slope(tmp_path: Path) -> Map:
    """A normal map that leans along +u everywhere."""
    normal = np.array([0.6, 0.0, 0.8])
    return Map(picture(tmp_path, "slope.png", np.broadcast_to(normal * 0.5 + 0.5, (EDGE, EDGE, 3))), "rgb", "normal")


def normals(value: Value) -> np.ndarray:
    with Texels(grid_of([value])) as texels:
        return np.array(texels.full(value, 0, EDGE, 3))


def relief_of(model: str, **values: Value | float) -> Value:
    wrapped = {name: value if not isinstance(value, float) else Constant(value) for name, value in values.items()}
    return convert(Material.of("m", model, wrapped), "open_pbr").material.value("geometry_normal")


@pytest.mark.parametrize("model", MODELS)
def test_plain_normal_map_goes_over_as_it_is(model: str, slope: Map) -> None:
    assert relief_of(model, normal=slope) is slope


@pytest.mark.parametrize(("strength", "lean"), [(1.0, 0.6 / 0.8), (0.0, 0.0), (-1.0, -0.6 / 0.8), (2.0, 1.2 / 0.8)])
def test_strength_scales_the_slopes_and_may_be_zero_or_negative(slope: Map, strength: float, lean: float) -> None:
    # glTF 2.0 §3.9.3: the strength scales x and y of the normal; common practice: 0 is flat, below 0 turned over.
    found = normals(relief_of("channels", normal=slope, normal_strength=strength))[EDGE // 2, EDGE // 2]
    np.testing.assert_allclose(found[0] / found[2], lean, atol=0.02)
    np.testing.assert_allclose(np.linalg.norm(found), 1.0, rtol=1e-5)


@pytest.mark.parametrize("sign", [1.0, -1.0])
def test_bright_is_high_and_a_negative_strength_sinks(ramp: Map, sign: float) -> None:
    # Common practice: relief, bright is high. A ramp that rises along u leans against u: n = (−dh/du, 0, 1).
    found = normals(relief_of("percent", bump=ramp, bump_strength=sign * 40.0))[EDGE // 2, EDGE // 2]
    rise = sign * 40.0 * BUMP_DEPTH * EDGE / (EDGE - 1)
    np.testing.assert_allclose(found[0] / found[2], -rise, rtol=0.05)


def test_relief_lies_over_the_normal_map_and_detail_over_both(ramp: Map, slope: Map) -> None:
    # Barré-Brisebois & Hill 2012: each is turned onto what lies below it.
    over = normals(relief_of("gloss_pair", bump=ramp, bump_strength=20.0, normal=slope))[8, 8]
    heights = np.broadcast_to(np.linspace(0, 1, EDGE)[None, :, None], (EDGE, EDGE, 1)) * 20.0 * BUMP_DEPTH * EDGE
    expected = blend_normals(np.array([0.6, 0.0, 0.8]), normals_from_height(heights)[8, 8])
    np.testing.assert_allclose(over, expected, atol=0.01)
    masked = normals(relief_of("gloss_pair", normal=slope, detail_normal=slope, detail_mask=0.0))[8, 8]
    np.testing.assert_allclose(masked, (0.6, 0.0, 0.8), atol=0.01)
    detailed = normals(relief_of("gloss_pair", normal=slope, detail_normal=slope, detail_mask=1.0))[8, 8]
    assert detailed[0] > masked[0], "twice the lean"


def test_even_height_is_no_relief_and_is_said_so() -> None:
    conversion = convert(Material.of("m", "weighted", {"bump": 0.5}), "open_pbr")
    assert "geometry_normal" not in conversion.material.values
    assert any(entry.sources == ("bump",) and not entry.target for entry in conversion.ledger)


def test_detail_colour_of_a_map_becomes_a_map(tmp_path: Path) -> None:
    random = np.random.default_rng(4).random((EDGE, EDGE, 3))
    detail = Map(picture(tmp_path, "detail.png", random), "rgb")
    material = Material.of("m", "metal_switch", {"base_color": (0.5, 0.5, 0.5), "detail_color": detail, "detail_mask": 0.5})
    value = convert(material, "open_pbr").material.values["base_color"]
    assert isinstance(value, Computed)
    with Texels(grid_of([value])) as texels:
        found = np.array(texels.full(value, 0, EDGE, 3))
    np.testing.assert_allclose(found, 0.5 * (0.5 + 0.5 * np.round(random * 255) / 255), atol=2e-3)


def test_occlusion_is_carried_for_real_time_targets_and_lost_in_mtl() -> None:
    material = Material.of("m", "gloss_pair", {"occlusion": 0.4})
    assert convert(material, "metal_rough").material.parameters()["occlusion"] == pytest.approx(0.4)
    lost = {name for entry in convert(material, "exponent").ledger if not entry.target for name in entry.sources}
    assert "occlusion" in lost
