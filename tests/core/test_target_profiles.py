"""Target profiles: what they take of maps, alpha and back faces, how their renderer answers, and what their files may say."""

from __future__ import annotations

import json
from pathlib import Path

import MaterialX as mx
import numpy as np
import OpenImageIO as oiio
import pytest
from pytest import approx

from fenrain.core import MapLimits, Material, Profile, convert, read, write
from fenrain.core.colour import linear_to_srgb
from fenrain.core.conversion.profiles import ProfileFile, profile_file, shipped_profiles
from fenrain.core.conversion.targets import served_target, served_targets, target_called, target_of_profile
from fenrain.core.errors import InputError
from fenrain.core.formats.gltf.container import open_container
from fenrain.core.formats.reading import read_meshes
from fenrain.core.maps.averaging import shares_of_texels
from fenrain.core.maps.image import inspect, write_png
from fenrain.core.maps.texels import Texels, averaged, grid_of
from fenrain.core.models.target import Exposed
from fenrain.core.optics.bump import normalised, widened_toksvig2005
from fenrain.core.rules.fidelity import APPROXIMATED
from fenrain.core.surfaces import constants_of
from fenrain.core.values import Averaging, Constant, Image, Map, Resized, Value, value_from_document, value_to_document
from tests.core.test_formats import validator_issues

SMALL = Profile("small", maps=MapLimits(16, power_of_two=True))


def image(folder: Path, name: str, texels: np.ndarray) -> Image:
    folder.mkdir(exist_ok=True)
    write_png(folder / name, texels)
    return Image(name, folder / name)


def rough(folder: Path, width: int = 40, height: int = 24) -> Map:
    return Map(image(folder, "rough.png", np.random.default_rng(3).uniform(0.2, 0.9, (height, width, 1))), "r")


def bumpy(folder: Path, slope: float, width: int = 64, height: int = 64) -> Map:
    """Normals whose slopes are spread evenly over all directions with this deviation, in 16 bits of range."""
    slopes = np.random.default_rng(4).normal(0.0, slope, (height, width, 2))
    normals = normalised(np.concatenate([-slopes, np.ones((height, width, 1))], axis=-1))
    return Map(image(folder, "bumpy.png", normals * 0.5 + 0.5), "rgb", "normal")


@pytest.mark.parametrize(
    ("limits", "given", "taken"),
    [
        (MapLimits(), (3000, 1500), (3000, 1500)),
        (MapLimits(512), (2048, 1024), (512, 256)),
        (MapLimits(512, power_of_two=True), (3000, 1500), (512, 256)),
        (MapLimits(power_of_two=True), (700, 512), (512, 512)),
        # Common practice: a lean real-time target takes maps up to 512 × 512, square, power of two.
        (MapLimits(512, square=True, power_of_two=True), (2048, 256), (512, 512)),
        (MapLimits(512, square=True, power_of_two=True), (300, 200), (256, 256)),
        (MapLimits(4096), (1, 9000), (1, 4096)),
    ],
)
def test_the_size_that_a_profile_takes(limits: MapLimits, given: tuple[int, int], taken: tuple[int, int]) -> None:
    assert limits.size_for(*given) == taken
    assert limits.size_for(*taken) == taken


def test_maps_are_averaged_in_linear_light_as_openimageio_averages_them(tmp_path: Path) -> None:
    linear = np.random.default_rng(5).uniform(0.0, 1.0, (48, 96, 3)).astype(np.float32)
    source = Map(image(tmp_path, "colour.png", linear_to_srgb(linear)), "rgb", "srgb")
    whole = averaged(Resized(source, 96, 48))
    made = averaged(Resized(source, 24, 16))
    box = oiio.ImageBufAlgo.resize(oiio.ImageBuf(np.ascontiguousarray(whole)), "box", 0.0, roi=oiio.ROI(0, 24, 0, 16, 0, 1, 0, 3))
    assert made == approx(np.asarray(box.get_pixels(oiio.FLOAT)), abs=2e-6)
    # A checker of black and white is half the light, which sRGB spells 0.735 and not 0.5 (IEC 61966-2-1).
    checker = np.indices((8, 8)).sum(axis=0)[..., None] % 2 * np.ones(3)
    half = averaged(Resized(Map(image(tmp_path, "checker.png", checker), "rgb", "srgb"), 2, 2))
    assert half == approx(np.full((2, 2, 3), 0.5), abs=1e-6)


def test_texels_count_by_the_length_that_is_covered() -> None:
    # By hand: 3 texels over 2: the middle one is shared.
    assert shares_of_texels(3, 2).toarray() == approx(np.array([[2 / 3, 1 / 3, 0.0], [0.0, 1 / 3, 2 / 3]]))
    for count, fewer in ((7, 3), (100, 64), (5, 5), (4, 8)):
        shares = shares_of_texels(count, fewer).toarray()
        assert shares.sum(axis=1) == approx(np.ones(fewer))
        assert shares.sum(axis=0) == approx(np.full(count, fewer / count))


def test_toksvig_2005_by_hand() -> None:
    # Toksvig 2005: exponent 100 and a mean normal of length 0.9 give 0.9 · 100 / (0.9 + 100 · 0.1) = 8.257.
    alpha_squared = 2.0 / (100.0 + 2.0)
    assert float(widened_toksvig2005(np.array(alpha_squared), np.array(0.9))) == approx(2.0 / (8.2569 + 2.0), rel=1e-4)


@pytest.mark.parametrize("slope", [0.03, 0.06, 0.1])
def test_averaged_normals_widen_the_lobe_by_the_variance_of_their_slopes(tmp_path: Path, slope: float) -> None:
    # Olano & Baker 2010, LEAN Mapping: α² grows by twice the variance of the slopes along each axis; both agree for shallow ones.
    normals = bumpy(tmp_path, slope)
    widened = averaged(Resized(Constant(0.2), 2, 2, Averaging.ROUGHNESS, normals))
    assert float((widened**4).mean()) == approx(0.2**4 + 2.0 * slope**2, rel=0.12)
    made = averaged(Resized(normals, 2, 2, Averaging.NORMALS))
    assert np.linalg.norm(made, axis=-1) == approx(np.ones((2, 2)), abs=1e-6)


def test_roughness_keeps_the_mean_square_of_its_widths(tmp_path: Path) -> None:
    # Variances of slopes add up, and α² = r⁴ is one (Olano & Baker 2010).
    halves = np.concatenate([np.full((4, 4, 1), 51 / 255), np.full((4, 4, 1), 204 / 255)], axis=1)
    made = averaged(Resized(Map(image(tmp_path, "halves.png", halves), "r"), 1, 1, Averaging.ROUGHNESS))
    assert float(made[0, 0, 0]) == approx(((0.2**4 + 0.8**4) / 2) ** 0.25, rel=1e-3)


def test_a_conversion_says_what_its_profile_does_to_maps_and_writes_them_so(tmp_path: Path) -> None:
    material = Material.of("m", "metal_rough", {"roughness": rough(tmp_path), "normal": bumpy(tmp_path, 0.2), "metallic": 0.0})
    conversion = convert(material, "metal_rough", SMALL)
    ledger = {entry.target: entry for entry in conversion.ledger}
    assert "Made 16 × 8 texels of 40 × 24" in ledger["roughness"].steps[-2].text
    assert "Toksvig 2005" in ledger["roughness"].steps[-1].text
    assert ledger["normal"].fidelity is APPROXIMATED
    written = read(write([conversion.material], tmp_path / "o.glb", "gltf", None, SMALL)[0])[0]
    for value in (written.values["roughness"], written.values["normal"]):
        assert isinstance(value, Map)
        assert (inspect(value.image).width, inspect(value.image).height) == (16, 16)
    before, after = (float(constants_of(one)["roughness"]) for one in (material, written))
    assert after > before + 0.05


def test_normals_that_matter_widen_a_constant_roughness_and_others_leave_it(tmp_path: Path) -> None:
    wild = Material.of("m", "metal_rough", {"roughness": 0.2, "normal": bumpy(tmp_path, 0.2)})
    assert isinstance(convert(wild, "metal_rough", SMALL).material.value("roughness"), Resized)
    calm = Material.of("m", "metal_rough", {"roughness": 0.6, "normal": bumpy(tmp_path / "calm", 0.01)})
    assert convert(calm, "metal_rough", SMALL).material.value("roughness") == Constant(0.6)


def test_the_same_map_is_written_with_the_same_bytes_again(tmp_path: Path) -> None:
    material = convert(
        Material.of("m", "open_pbr", {"specular_roughness": rough(tmp_path), "base_color": (0.2, 0.1, 0.1)}), "open_pbr", SMALL
    ).material
    first, second = (write([material], tmp_path / name / "m.mtlx", "materialx", None, SMALL)[1].read_bytes() for name in "ab")
    assert first == second


def test_a_resized_value_comes_back_from_its_document(tmp_path: Path) -> None:
    value: Value = Resized(rough(tmp_path), 8, 8, Averaging.ROUGHNESS, bumpy(tmp_path, 0.1))
    images = {one.name: one for one in (image(tmp_path, "bumpy.png", np.zeros((1, 1, 3))),)}
    documents = json.loads(json.dumps(value_to_document(value)))
    back = value_from_document(documents, lambda digest, name: images.get(name, Image(name, tmp_path / name)))
    assert back == value


def test_an_untouched_map_is_written_as_its_own_bytes(tmp_path: Path) -> None:
    source = Map(image(tmp_path, "c.png", np.random.default_rng(1).random((8, 8, 3))), "rgb", "srgb")
    material = Material.of("m", "open_pbr", {"base_color": source})
    for format_id, name in (("materialx", "m.mtlx"), ("usd", "m.usda")):
        written = write([material], tmp_path / format_id / name, format_id)
        assert written[1].read_bytes() == source.image.read()
    assert write([material], tmp_path / "lossless.mtlx", "materialx", None, SMALL)[1].read_bytes() == source.image.read()


def test_a_lossy_profile_writes_colours_as_jpeg_and_data_as_png(tmp_path: Path) -> None:
    lossy = Profile("lossy", maps=MapLimits(16, lossy=True, bits=8))
    colour = Map(image(tmp_path, "c.png", np.random.default_rng(1).random((32, 32, 3))), "rgb", "srgb")
    material = convert(Material.of("m", "metal_rough", {"base_color": colour, "roughness": rough(tmp_path)}), "metal_rough", lossy).material
    document = open_container(write([material], tmp_path / "m.glb", "gltf", None, lossy)[0], tmp_path).document
    assert sorted(one["mimeType"] for one in document["images"]) == ["image/jpeg", "image/png"]


def test_alpha_modes_and_culling_that_a_profile_does_not_know_are_replaced(tmp_path: Path) -> None:
    lean = target_called("lean_web").profile
    leaf = Material.of("leaf", "spec_gloss", {"opacity": 0.5, "alpha_mode": 2})
    conversion = convert(leaf, "metal_rough", lean)
    assert conversion.material.value("alpha_mode") == Constant(1)
    said = next(entry for entry in conversion.ledger if entry.target == "alpha_mode")
    assert "takes no blended surfaces; it is cut-out" in said.steps[-1].text
    assert said.fidelity is APPROXIMATED
    both_sides = Profile("none", culling="none")
    assert convert(leaf, "metal_rough", both_sides).material.geometry.double_sided


def test_what_a_viewer_over_reads_is_taken_out_when_it_is_written(tmp_path: Path) -> None:
    # Common practice: a lean target over-reads emission and metal.
    answers = Profile("answers", target_called("metal_rough").profile.extensions, emission_response=4.0, metal_response=1.25)
    lamp = Material.of("lamp", "metal_rough", {"emissive": (0.5, 0.4, 0.3), "emissive_strength": 6.0, "metallic": 1.0})
    conversion = convert(lamp, "metal_rough", answers)
    assert conversion.material.value("emissive_strength") == Constant(6.0)
    said = {entry.target: entry.steps[-1].text for entry in conversion.ledger}
    assert said["emissive_strength"] == "Written times 0.25, since the target's renderer shows own light 4 times too strong."
    assert "Written times 0.8" in said["metallic"]
    written = read(write([conversion.material], tmp_path / "lamp.glb", "gltf", None, answers)[0])[0].parameters()
    assert (written["emissive_strength"], written["metallic"]) == (approx(1.5), approx(0.8))
    # Without the extension for strength, the colour itself is what is written.
    core = Profile("core_answers", emission_response=2.0, like="core")
    plain = Material.of("lamp", "metal_rough", {"emissive": (0.5, 0.4, 0.3)})
    back = read(write([convert(plain, "metal_rough", core).material], tmp_path / "core.glb", "gltf", None, core)[0])[0]
    assert back.parameters()["emissive"] == approx((0.25, 0.2, 0.15))


def test_shipped_profiles_are_targets_and_come_back_from_their_own_files() -> None:
    assert [stated.id for stated in shipped_profiles()] == ["film_archive", "kiosk", "lean_web"]
    for stated in shipped_profiles():
        assert profile_file(stated.to_yaml(), "again") == stated
        target = target_of_profile(stated)
        assert served_target(target.model.id, target.profile.name) == target
        assert target.format is not None
    assert len({target.id for target in served_targets()}) == len(served_targets())


@pytest.mark.parametrize(
    ("stated", "said"),
    [
        (ProfileFile(target="nonsense"), "metal_rough.core"),
        (ProfileFile(target="metal_rough.core", extensions=("KHR_materials_ior",)), "KHR_materials_ior"),
        (ProfileFile(target="metal_rough", alpha_modes=("blended",)), "opaque"),
        (ProfileFile(target="metal_rough", exposed=({"parameter": "nonsense", "low": 0, "high": 1},)), "nonsense"),  # type: ignore[arg-type]
        (ProfileFile(target="metal_rough", exposed=({"parameter": "roughness", "low": 0, "high": 2},)), "0 to 1"),  # type: ignore[arg-type]
    ],
)
def test_a_profile_that_does_not_fit_its_target_is_refused(stated: ProfileFile, said: str) -> None:
    with pytest.raises(InputError) as refused:
        target_of_profile(stated)
    assert said in str(refused.value)


@pytest.mark.parametrize(
    "text", ["id: 7up", "maps: {bits: 12}", "emission_response: 0", "a: &a [*a]", "x" * 70_000, "- 1", "culling: front"]
)
def test_a_file_that_is_no_profile_is_refused_in_one_line(text: str) -> None:
    with pytest.raises(InputError) as refused:
        profile_file(text, "p.yaml")
    assert "p.yaml" in str(refused.value)
    assert "\n" not in str(refused.value)


def test_flat_colours_lie_in_one_texture_and_their_meshes_on_it(tmp_path: Path) -> None:
    # X7 of a lean target (common practice): many flat colours are cheaper as one atlas.
    atlas = Profile("atlas", maps=MapLimits(atlas=True))
    shades = [(0.8, 0.1, 0.05), (0.05, 0.4, 0.1), (0.2, 0.3, 0.7)]
    flat = [
        Material.of(f"paint {at}", "metal_rough", {"base_color": shade, "roughness": 0.2 + 0.2 * at}) for at, shade in enumerate(shades)
    ]
    mapped = Material.of("worn", "metal_rough", {"roughness": rough(tmp_path)})
    glowing = Material.of("lamp", "metal_rough", {"emissive": (0.5, 0.5, 0.5)})
    path = write([mapped, *flat, glowing], tmp_path / "a.glb", "gltf", None, atlas)[0]
    document = open_container(path, tmp_path).document
    assert [entry["name"] for entry in document["materials"]] == ["3 colours", "worn", "lamp"]
    assert document["materials"][0]["extras"] == {"colours": ["paint 0", "paint 1", "paint 2"]}
    assert [mesh["primitives"][0]["material"] for mesh in document["meshes"]] == [1, 0, 0, 0, 2]
    colours = read(path)[0]
    meshes = read_meshes(path, tmp_path)
    for at, shade in enumerate(shades):
        (mesh,) = [one for one in meshes if np.allclose(one.positions.mean(axis=0)[0], 2.4 * (at + 1), atol=0.2)]
        # Every corner of the mesh lies on its colour, wherever a renderer looks.
        assert np.ptp(mesh.uvs, axis=0) == approx(np.zeros(2))
        for name, expected in (("base_color", shade), ("roughness", 0.2 + 0.2 * at)):
            value = colours.value(name)
            with Texels(grid_of([value])) as texels:
                whole = texels.full(value, 0, texels.grid.height, 3 if name == "base_color" else 1)
            u, v = mesh.uvs[0]
            assert whole[int(v * len(whole)), int(u * len(whole))] == approx(np.atleast_1d(expected), abs=0.005)
    assert validator_issues(path)["numErrors"] == 0
    # One flat colour alone stays a factor.
    alone = open_container(write([mapped, flat[0]], tmp_path / "b.glb", "gltf", None, atlas)[0], tmp_path).document
    assert [entry["name"] for entry in alone["materials"]] == ["worn", "paint 0"]


def test_what_stays_adjustable_is_said_in_the_files(tmp_path: Path) -> None:
    open_pbr = Profile("a", exposed=(Exposed("specular_roughness", 0.1, 0.8, "Polish"), Exposed("base_color", 0.0, 0.9)))
    path = write([Material.of("m", "open_pbr", {"base_color": (0.2, 0.1, 0.1)})], tmp_path / "m.mtlx", "materialx", None, open_pbr)[0]
    document = mx.createDocument()
    mx.readFromXmlFile(document, str(path))
    shader = document.getNode("m_shader")
    polish, colour = shader.getInput("specular_roughness"), shader.getInput("base_color")
    assert [polish.getAttribute(name) for name in ("uimin", "uimax", "uiname")] == ["0.1", "0.8", "Polish"]
    assert polish.getValue() == approx(0.3)
    assert colour.getAttribute("uimax") == "0.9, 0.9, 0.9"
    gltf = Profile("b", exposed=(Exposed("roughness", 0.2, 1.0),))
    core = open_container(write([Material.of("m", "metal_rough", {})], tmp_path / "m.glb", "gltf", None, gltf)[0], tmp_path).document
    assert core["materials"][0]["extras"]["adjustable"] == [{"parameter": "roughness", "low": 0.2, "high": 1.0, "title": ""}]
