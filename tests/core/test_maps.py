"""Maps: the same rules per texel, in bands, with little memory."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import colour
import numpy as np
import OpenImageIO as oiio
import pytest
from pytest import approx

import fenrain.core.maps.image
from fenrain.core import Material, Profile, read, write
from fenrain.core.colour import linear_to_srgb, srgb_to_linear
from fenrain.core.conversion.engine import convert
from fenrain.core.maps import texels as texels_module
from fenrain.core.maps.flat import flattened
from fenrain.core.maps.image import resized, write_png
from fenrain.core.maps.texels import Grid, Texels, grid_of
from fenrain.core.values import Computed, Constant, Image, Map, Placement, Resized
from tests.sizes import sized


def pair(folder: Path, size: int = 64) -> Material:
    """A specular-glossiness material with both maps, a different value in every texel."""
    random = np.random.default_rng(8)
    write_png(folder / "diffuse.png", linear_to_srgb(random.uniform(0.02, 0.8, (size, size, 3))))
    specular, gloss = linear_to_srgb(random.uniform(0.02, 0.9, (size, size, 3))), random.uniform(0.1, 0.95, (size, size, 1))
    write_png(folder / "specgloss.png", np.concatenate([specular, gloss], axis=-1))
    image = Image("specgloss.png", folder / "specgloss.png")
    return Material.of("pair", "spec_gloss", {
        "diffuse": Map(Image("diffuse.png", folder / "diffuse.png"), "rgb", "srgb", scale=(0.9, 0.8, 0.7)),
        "specular": Map(image, "rgb", "srgb"), "glossiness": Map(image, "a"),
    })  # fmt: skip


def whole(value: object, grid: Grid, channels: int) -> np.ndarray:
    with Texels(grid) as texels:
        return np.concatenate([texels.full(value, begin, end, channels) for begin, end in grid.bands()])  # type: ignore[arg-type]


@pytest.mark.parametrize(("target", "profile"), [("open_pbr", None), ("metal_rough", None), ("metal_rough", Profile("core"))])
def test_a_texel_is_converted_as_a_constant_is(tmp_path: Path, target: str, profile: Profile) -> None:
    material = pair(tmp_path)
    converted = convert(material, target, profile).material
    grid = grid_of(list(material.values.values()))
    source = {name: whole(value, grid, 1 if name == "glossiness" else 3) for name, value in material.values.items()}
    results = {
        name: whole(value, grid, 3 if "color" in name else 1) for name, value in converted.values.items() if not isinstance(value, Constant)
    }
    for y, x in ((0, 0), (13, 50), (63, 63)):
        texel = {
            name: tuple(float(c) for c in values[y, x]) if values.shape[-1] == 3 else float(values[y, x, 0])
            for name, values in source.items()
        }
        expected = convert(Material.of("texel", "spec_gloss", texel), target, profile).material
        for name, values in results.items():
            if (name in expected.parameters() and profile is not None) or target == "open_pbr":
                assert values[y, x] == approx(np.atleast_1d(expected.parameters()[name]), rel=5e-3, abs=2e-3), name


def test_bands_make_no_difference(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    converted = convert(pair(tmp_path), "open_pbr").material
    grid = grid_of(list(converted.values.values()))
    at_once = whole(converted.values["base_color"], grid, 3)
    monkeypatch.setattr(texels_module, "BAND_TEXELS", 5 * 64)
    assert np.array_equal(whole(converted.values["base_color"], grid, 3), at_once)


def test_gltf_packs_roughness_green_and_metallic_blue(tmp_path: Path) -> None:
    # glTF 2.0 §3.9.2: roughness in G, metallic in B; core only, so that metallic varies.
    converted = convert(pair(tmp_path), "metal_rough", Profile("core")).material
    back = read(write([converted], tmp_path / "out.glb", "gltf", None, Profile("core"))[0])[0]
    grid = grid_of(list(converted.values.values()))
    for name, channel in (("roughness", "g"), ("metallic", "b")):
        value = back.values[name]
        assert isinstance(value, Map)
        assert value.channels == channel
        np.testing.assert_allclose(whole(value, grid, 1), whole(converted.values[name], grid, 1), atol=0.003)
    np.testing.assert_allclose(
        linear_to_srgb(whole(back.values["base_color"], grid, 3)),
        linear_to_srgb(whole(converted.values["base_color"], grid, 3)),
        atol=0.003,
    )


def test_map_of_one_value_becomes_a_constant(tmp_path: Path) -> None:
    write_png(tmp_path / "flat.png", np.full((32, 32, 3), 0.5))
    material = Material.of("m", "spec_gloss", {"diffuse": Map(Image("flat.png", tmp_path / "flat.png"), "rgb", "srgb")})
    simplified = {name: flattened(value).value for name, value in material.values.items()}
    assert simplified["diffuse"] == approx((0.216,) * 3, abs=0.002)


def test_alpha_is_kept_apart_from_colour(tmp_path: Path) -> None:
    # An alpha of 0 must not blacken the colour it lies over: glossiness in an alpha is data (KHR_materials_pbrSpecularGlossiness).
    texels = np.concatenate([np.full((8, 8, 3), 0.6), np.zeros((8, 8, 1))], axis=-1)
    write_png(tmp_path / "a.png", texels)
    value = Map(Image("a.png", tmp_path / "a.png"), "rgb", "srgb")
    assert whole(value, Grid(8, 8), 3) == approx(np.full((8, 8, 3), srgb_to_linear(np.array(0.6))), abs=2e-3)


def test_transfer_curve_is_that_of_the_standard() -> None:
    # IEC 61966-2-1, through colour-science.
    encoded = np.linspace(0, 1, 101)
    np.testing.assert_allclose(srgb_to_linear(encoded), colour.eotf(encoded, "sRGB"), atol=1e-6)
    np.testing.assert_allclose(linear_to_srgb(srgb_to_linear(encoded)), encoded, atol=1e-9)


def test_maps_with_different_tiling_are_brought_onto_one_grid(tmp_path: Path) -> None:
    stripes = np.zeros((16, 16, 3))
    stripes[:, 8:] = 1.0
    write_png(tmp_path / "stripes.png", stripes)
    image = Image("stripes.png", tmp_path / "stripes.png")
    once, twice = Map(image, "rgb"), Map(image, "rgb", placement=Placement(scale=(2.0, 1.0)))
    grid = grid_of([once, twice])
    assert (grid.width, grid.height) == (32, 16), "as fine as the one that repeats asks for"
    row = whole(twice, grid, 3)[4, :, 0]
    assert row[[4, 12, 20, 28]] == approx([0.0, 1.0, 0.0, 1.0], abs=1e-6)
    often = Map(image, "rgb", placement=Placement(scale=(1000.0, 1.0)))
    assert grid_of([once, often]).width == 2048
    smaller = Resized(Computed("nodes.add", "out", (("in1", once), ("in2", often))), 8, 4)
    assert (grid_of([smaller]).width, grid_of([smaller]).height) == (8, 4)


def test_a_large_image_becomes_small_a_band_at_a_time(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    texels = np.random.default_rng(4).random((60, 90, 4))
    write_png(tmp_path / "a.png", texels)
    image = Image("a.png", tmp_path / "a.png")
    whole = resized.__wrapped__(image, "srgb", 7, 5)
    monkeypatch.setattr(fenrain.core.maps.image, "WHOLE_TEXELS", 800)
    banded = resized.__wrapped__(image, "srgb", 7, 5)
    # The filter's support is the same within a texel of the smaller grid; the mean over all of it is kept.
    assert banded.mean(axis=(0, 1)) == approx(whole.mean(axis=(0, 1)), abs=0.01)
    assert np.abs(banded - whole).mean() < 0.03


@pytest.mark.population
def test_a_large_pair_needs_little_memory(tmp_path: Path) -> None:
    height, most = sized((512, 400), (2048, 600))
    code = (
        "import sys; from pathlib import Path\n"
        "from fenrain.core import Material, convert, write; from fenrain.core.values import Image, Map\n"
        "folder = Path(sys.argv[1]); image = Image('b', folder / 'b.png')\n"
        "m = Material.of('m', 'spec_gloss', {'diffuse': Map(Image('a', folder / 'a.png'), 'rgb', 'srgb'),"
        " 'specular': Map(image, 'rgb', 'srgb'), 'glossiness': Map(image, 'a')})\n"
        "write([convert(m, 'metal_rough').material], folder / 'out.glb', 'gltf')\n"
        "held = next(line for line in Path('/proc/self/status').read_text().splitlines() if line.startswith('VmHWM'))\n"
        "print(int(held.split()[1]) // 1024)\n"
    )
    for name, channels in (("a.png", 3), ("b.png", 4)):
        spec = oiio.ImageSpec(4096, height, channels, "uint8")
        spec.attribute("png:compressionLevel", 1)
        output = oiio.ImageOutput.create("png")
        output.open(str(tmp_path / name), spec)
        row = np.tile(np.arange(4096, dtype=np.uint32)[None, :, None] % 251, (256, 1, channels)).astype(np.uint8)
        for begin in range(0, height, 256):
            output.write_scanlines(begin, begin + 256, 0, row)
        output.close()
    run = subprocess.run([sys.executable, "-c", code, str(tmp_path)], capture_output=True, text=True, check=True)
    # The process's own peak: what getrusage says of a child begins with what its parent held when it was forked.
    assert 100 < int(run.stdout.split()[-1]) < most, "MiB"
