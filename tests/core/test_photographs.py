"""Colours picked from photographs: a chart rendered by its published colours, taken by a camera that is set otherwise, read back."""

from __future__ import annotations

import json
import subprocess
from dataclasses import replace
from pathlib import Path

import colour
import numpy as np
import pytest
from pytest import approx

from fenrain.core import Material
from fenrain.core.checking.metrics.colours import delta_e_2000
from fenrain.core.colour import linear_to_lab, linear_to_srgb
from fenrain.core.errors import InputError
from fenrain.core.geometry import Mesh
from fenrain.core.maps.image import write_png
from fenrain.core.outside.photograph import balanced_by_chart, balanced_by_grey, chart_colours, picked, reflectances
from fenrain.core.outside.picture import OutsidePicture, read_picture
from fenrain.core.rendering.stands.registry import OPENED, Stand
from fenrain.core.tables import charts
from fenrain.core.values import Image, Map
from tests.conftest import fenrain

CHART = charts()["patches_24"]
EDGE, CELL = 256, 64
HALF = 1.0 / (5.2 * np.tan(np.radians(13.0)))
"""Of the picture that the chart takes: a square two wide, 5.2 away, under a field of view of 26°."""
CORNERS = [(0.5 * EDGE * (1 + x * HALF), 0.5 * EDGE * (1 + y * HALF)) for x, y in ((-1, -1), (1, -1), (1, 1), (-1, 1))]


def test_published_colours_are_those_of_the_colour_library() -> None:
    # colour-science takes xyY under D50 to linear Rec.709 by Bradford, with its own matrices.
    published = np.array([colour.xyY_to_XYZ(np.array(patch)) for patch in CHART.patches])
    d50 = colour.CCS_ILLUMINANTS["CIE 1931 2 Degree Standard Observer"]["D50"]
    theirs = colour.XYZ_to_RGB(published, "sRGB", illuminant=d50, chromatic_adaptation_transform="Bradford", apply_cctf_encoding=False)
    assert reflectances(CHART) == approx(theirs, abs=2e-3)


@pytest.fixture(scope="module")
def rendered(tmp_path_factory: pytest.TempPathFactory) -> np.ndarray:
    """The chart as a matt square under an even light, by our renderer."""
    from fenrain.core.rendering.pictures import View, render

    picture = np.kron(np.clip(reflectances(CHART), 0.0, 1.0).reshape(4, 6, 3), np.ones((CELL, CELL, 1)))
    path = tmp_path_factory.mktemp("chart") / "chart.png"
    write_png(path, linear_to_srgb(picture))
    corners = np.array([(-1.0, 1.0, 0.0), (1.0, 1.0, 0.0), (1.0, -1.0, 0.0), (-1.0, -1.0, 0.0)])
    uvs = np.array([(0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0)])
    mesh = Mesh("chart", corners, np.tile([0.0, 0.0, 1.0], (4, 1)), uvs, np.array([(0, 2, 1), (0, 3, 2)]))
    OPENED.keep(Stand("chart", "chart", "", lambda: mesh, -1e4, ((0.0, 0.0, 5.2), (0.0, 0.0, 0.0)), 100, convex=True))
    values = {"base_color": Map(Image("chart.png", path), "rgb", "srgb"), "metallic": 0.0, "roughness": 1.0, "specular": 0.0}
    return np.asarray(render(Material.of("chart", "metal_rough", values), View("even_white", "chart", size=EDGE), 16, 1))


def taken(pixels: np.ndarray, folder: Path, exposure: float, white: tuple[float, float, float]) -> OutsidePicture:
    """By a camera with another exposure and white, as an 8-bit file."""
    write_png(folder / "photo.png", linear_to_srgb(pixels * 2.0**exposure * np.array(white)))
    return read_picture(folder / "photo.png")


def test_a_chart_sets_exposure_and_white_and_its_colours_are_as_published(rendered: np.ndarray, tmp_path: Path) -> None:
    photograph = taken(rendered, tmp_path, -0.6, (1.15, 1.0, 0.8))
    found = balanced_by_chart(photograph, CORNERS, CHART)
    assert found.exposure == approx(-0.6 + np.log2(np.mean([1.15, 1.0, 0.8])), abs=0.08)
    assert found.white == approx(np.array([1.15, 1.0, 0.8]) / np.mean([1.15, 1.0, 0.8]), abs=0.02)
    seen = chart_colours(found.photograph, CORNERS, CHART)
    off = delta_e_2000(*(linear_to_lab(np.clip(colours, 0.0, 1.0)) for colours in (seen, reflectances(CHART))))
    assert off.max() < 2.5  # one patch lies outside of what the map holds, cyan in Rec.709
    assert off.mean() < 0.8
    assert found.off == approx((off.mean(), off.max()))


def test_a_grey_sets_them_as_well(rendered: np.ndarray, tmp_path: Path) -> None:
    photograph = taken(rendered, tmp_path, -1.0, (0.9, 1.0, 1.2))
    across, down = (np.array(CORNERS[2]) - CORNERS[0]) / (6, 4)
    left, top = CORNERS[0][0] + 3.3 * across, CORNERS[0][1] + 3.3 * down
    area = (int(left), int(top), int(left + 0.4 * across), int(top + 0.4 * down))  # the fourth grey, 19 %
    found = balanced_by_grey(photograph, area, CHART.patches[21][2])
    seen = chart_colours(found.photograph, CORNERS, CHART)
    assert seen[20].mean() == approx(CHART.patches[20][2], rel=0.05)
    assert np.ptp(seen[20]) < 0.02


def test_an_area_says_its_spread_and_what_is_clipped_is_refused(tmp_path: Path) -> None:
    pixels = np.full((20, 20, 3), 0.4, np.float32)
    pixels[:, 10:] = 1.0
    photograph = OutsidePicture("p.png", pixels, "srgb", (1.0, 1.0, 1.0))
    even = picked(photograph, (0, 0, 8, 8))
    assert (even.colour, even.spread, even.clipped, even.pixels) == ((approx(0.4),) * 3, approx(0.0, abs=1e-6), 0.0, 64)
    with pytest.raises(InputError, match="clipped"):
        picked(photograph, (5, 0, 15, 10))
    # A float file has no end: the same area is a colour with a spread.
    assert picked(replace(photograph, ends_at=(np.inf,) * 3), (5, 0, 15, 10)).spread > 10.0
    for area, said in (((0, 0, 30, 5), "leaves"), ((5, 5, 5, 9), "leaves"), ((0, 0, 2, 2), "too small")):
        with pytest.raises(InputError, match=said):
            picked(photograph, area)


def test_what_is_no_chart_is_refused(rendered: np.ndarray, tmp_path: Path) -> None:
    photograph = taken(rendered, tmp_path, 0.0, (1.0, 1.0, 1.0))
    for corners in (CORNERS[:3], [(-5.0, 0.0), *CORNERS[1:]], CORNERS[2:] + CORNERS[:2]):
        with pytest.raises(InputError):
            balanced_by_chart(photograph, corners, CHART)
    with pytest.raises(InputError, match="clipped"):
        balanced_by_chart(taken(rendered, tmp_path, 4.0, (1.0, 1.0, 1.0)), CORNERS, CHART)


def test_picking_on_the_command_line(rendered: np.ndarray, tmp_path: Path) -> None:
    taken(rendered, tmp_path, -0.5, (1.0, 1.0, 1.0))
    corners = ",".join(f"{part:.1f}" for corner in CORNERS for part in corner)

    def pick(*arguments: str) -> subprocess.CompletedProcess[str]:
        return fenrain("pick", tmp_path / "photo.png", *arguments)

    told = pick("--area", "100,100,110,110", "--chart", corners, "--json")
    assert len(json.loads(told.stdout)["colour"]) == 3
    assert "by eye, not by number" in pick("--area", "100,100,110,110").stdout
    for wrong in (["--area", "1,2"], ["--area", "0,0,9,9", "--chart", "1,2,3"], ["--area", "0,0,9,9", "--grey", "0,0,5,5=x"]):
        refused = pick(*wrong)
        assert refused.returncode == 2
        assert refused.stderr.startswith("fenrain: ")
