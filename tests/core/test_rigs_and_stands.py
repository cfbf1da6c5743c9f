"""Light rigs, stands and pictures."""

from __future__ import annotations

import shutil
from pathlib import Path

import mitsuba as mi
import numpy as np
import OpenImageIO as oiio
import pytest
from pytest import approx

from fenrain.core import Material
from fenrain.core.errors import ImageError, NotFoundError
from fenrain.core.geometry import smooth_normals, sphere
from fenrain.core.rendering.environment import open_environment
from fenrain.core.rendering.pictures import render
from fenrain.core.rendering.png import DELTA_E_SCALE, difference_png, picture_png
from fenrain.core.rendering.rigs.registry import Rig, rig_of, rigs, sky_directions, towards
from fenrain.core.rendering.sky import Sky
from fenrain.core.rendering.stage import View, coverage
from fenrain.core.rendering.stands.registry import stand_of, stands
from fenrain.core.values import Image
from fenrain.demo.heron_lode import write_heron_lode
from fenrain.demo.patterns import noise
from fenrain.demo.pump_hall import write_pump_hall
from fenrain.demo.warm import TARGETS, _warmed, materials_in


@pytest.mark.parametrize("rig", list(rigs()))
def test_white_turned_to_the_light_is_about_display_white(rig: str) -> None:
    assert_white_is_white(rigs()[rig])
    sky = rigs()[rig].sky()
    assert np.isfinite(sky).all()
    assert sky.min() >= 0
    shares = rigs()[rig].lamp_shares()
    assert (shares >= 0).all()
    assert (shares <= 1).all()


def test_lamps_are_told_from_their_surroundings() -> None:
    # Common practice: lamps are small and bright, surroundings large and dim.
    for rig in rigs().values():
        light, lamps = rig.sky().mean(axis=-1), rig.lamp_shares() > 0.5
        if lamps.any() and not lamps.all():
            assert light[lamps].mean() > 3.0 * light[~lamps].mean()
    assert rigs()["even_white"].lamp_shares().max() == 0.0


def test_the_sun_goes_by_height_and_hour() -> None:
    # Meeus 1998, §13: at noon of an even day the sun stands 90° − φ high, in the south, here behind the camera; it rises in the east.
    sun = rig_of("low_sun")
    noon, morning = (next(hour for hour in sun.hours if hour.hour == wanted) for wanted in (12.0, 8.0))
    assert noon.height == approx(90.0 - 52.0, abs=0.05)
    for hour, side in ((noon, 0.0), (morning, 1.0)):
        sky = Sky((f"low_sun:{hour.height}",), hour.turn)
        angle, latitude = np.radians(15.0 * (hour.hour - 12.0)), np.radians(52.0)
        # East, up and south of the sun, whose path of an even day is a circle about the pole.
        at = np.array([-np.sin(angle), np.cos(latitude) * np.cos(angle), np.sin(latitude) * np.cos(angle)])
        seen = np.array(sky.radiance(mi.UInt32(0), mi.Vector3f(*map(float, at)), mi.Bool(True))).ravel()
        assert seen.mean() > 300.0
        assert np.sign(round(at[0], 6)) == side
    for wrong in ("low_sun:1", "low_sun:x", "soft_studio:20", "nowhere"):
        with pytest.raises(NotFoundError):
            rig_of(wrong)


def test_own_surroundings_are_read_as_the_standard_lays_them_out(tmp_path: Path) -> None:
    # OpenEXR's latitude-longitude maps: +z in the middle, +x a quarter from the left edge, +y above.
    picture = np.full((64, 128, 3), 0.05, np.float32)
    for column, colour in ((32, (9.0, 0.0, 0.0)), (64, (0.0, 9.0, 0.0)), (96, (0.0, 0.0, 9.0))):
        picture[30:34, column - 2 : column + 2] = colour
    rig = open_environment(Image("hall.exr", write_linear(tmp_path / "hall.exr", picture)))
    sky = Sky((rig.id,), 0.0)
    for direction, channel in (((1, 0, 0), 0), ((0, 0, 1), 1), ((-1, 0, 0), 2)):
        seen = np.array(sky.radiance(mi.UInt32(0), mi.Vector3f(*direction), mi.Bool(True))).ravel()
        assert seen.argmax() == channel
        assert seen[channel] > 20.0 * sorted(seen)[1]
    assert_white_is_white(rig)
    assert rig.lamp_shares().mean() < 0.05
    assert rig_of(rig.id) is rig


@pytest.mark.parametrize(
    ("picture", "said"),
    [
        (np.zeros((32, 64, 3), np.float32), "black"),
        (np.ones((64, 64, 3), np.float32), "twice as wide"),
        (np.full((32, 64, 3), np.nan, np.float32), "not numbers"),
    ],
)
def test_what_is_no_surroundings_is_refused(picture: np.ndarray, said: str, tmp_path: Path) -> None:
    with pytest.raises(ImageError, match=said):
        open_environment(Image("hall.exr", write_linear(tmp_path / "hall.exr", picture)))
    (tmp_path / "flat.png").write_bytes(picture_png(np.ones((32, 64, 3), np.float32)))
    with pytest.raises(ImageError, match="end at white"):
        open_environment(Image("flat.png", tmp_path / "flat.png"))


def assert_white_is_white(rig: Rig) -> None:
    # Irradiance on a white Lambert surface turned to where most light comes from, over π.
    sky, directions = rig.sky(), sky_directions()
    weight = np.sin((np.arange(sky.shape[0]) + 0.5) / sky.shape[0] * np.pi)[:, None] * np.pi / sky.shape[0] * 2 * np.pi / sky.shape[1]
    light = (sky.mean(axis=-1) * weight)[..., None] * directions
    axis = light.sum(axis=(0, 1)) / np.linalg.norm(light.sum(axis=(0, 1)))
    irradiance = (sky.mean(axis=-1) * weight * np.maximum(directions @ axis, 0)).sum()
    assert 0.5 < irradiance / np.pi < 1.6


def write_linear(path: Path, picture: np.ndarray) -> Path:
    buffer = oiio.ImageBuf(np.ascontiguousarray(picture))
    assert buffer.write(str(path))
    return path


def test_the_low_sun_stands_low() -> None:
    sky, directions = rigs()["low_sun"].sky(), sky_directions()
    brightest = directions[np.unravel_index(sky.sum(axis=-1).argmax(), sky.shape[:2])]
    assert 5 < np.degrees(np.arcsin(brightest[1])) < 30


@pytest.mark.population
def test_directions_are_drawn_by_the_light_of_their_rig() -> None:
    # Importance sampling by a density p: the mean of 1/p is the whole sphere, the mean of L/p all light (Veach 1997, §2.5). All rigs lie in
    # one table, turned; each lane sees its own.
    names, side = tuple(rigs()), 512
    sky, across = Sky(names, 40.0), (np.arange(side) + 0.5) / side
    u, v = (axis.ravel() for axis in np.meshgrid(across, across))
    for number, rig in enumerate(names):
        which = mi.UInt32(number)
        direction, weight, density = sky.sample(which, mi.Point2f(u.astype(np.float32), v.astype(np.float32)), mi.Bool(True))
        light = rigs()[rig].sky().mean(axis=-1, dtype=float)
        rows = np.sin((np.arange(len(light)) + 0.5) / len(light) * np.pi)[:, None] * np.pi / len(light) * 2 * np.pi / light.shape[1]
        if light.min() > 0.0:  # else there is hardly anything to be drawn where it is dark
            assert np.mean(1.0 / np.array(density)) == approx(4.0 * np.pi, rel=0.01)
        assert np.array(weight).mean() == approx((light * rows).sum(), rel=0.01)
        np.testing.assert_allclose(np.linalg.norm(np.array(direction), axis=0), 1.0, rtol=1e-5)
        again, seen = sky.pdf(which, direction, mi.Bool(True)), sky.radiance(which, direction, mi.Bool(True))
        # A direction on the edge of a texel may fall to either side of it.
        assert np.mean(np.abs(np.array(again) / np.array(density) - 1.0) > 1e-3) < 0.02
        np.testing.assert_allclose(np.array(seen), np.array(weight) * np.array(density), rtol=2e-3, atol=1e-5)


def test_directions_of_the_sky_are_unit_and_face_the_camera_at_zero() -> None:
    np.testing.assert_allclose(np.linalg.norm(sky_directions(), axis=-1), 1.0, atol=1e-12)
    assert towards(0, 0) == approx([0, 0, 1])
    assert towards(90, 0) == approx([1, 0, 0], abs=1e-12)


@pytest.mark.parametrize("stand", list(stands()))
def test_stand_is_a_whole_body_with_normals_outside(stand: str) -> None:
    mesh = stands()[stand].mesh()
    assert mesh.uvs.min() >= 0
    assert mesh.uvs.max() <= 1
    np.testing.assert_allclose(np.linalg.norm(mesh.normals, axis=1), 1.0, atol=1e-4)
    faces = smooth_normals(mesh.positions, mesh.triangles)
    assert np.mean((faces * mesh.normals).sum(axis=1) > 0.5) > 0.97
    assert abs(mesh.positions[:, 1].min() - stands()[stand].floor) < 0.05


def test_sphere_has_the_area_of_a_sphere() -> None:
    mesh = sphere(rings=96, segments=192)
    corners = mesh.positions[mesh.triangles]
    area = 0.5 * np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1).sum()
    assert area == approx(4 * np.pi, rel=2e-3)


def decoded(data: bytes, folder: Path) -> np.ndarray:
    (folder / "p.png").write_bytes(data)
    return np.asarray(oiio.ImageBuf(str(folder / "p.png")).get_pixels(oiio.UINT8))


def test_pictures_are_srgb_and_the_difference_brightens(tmp_path: Path) -> None:
    # IEC 61966-2-1: a linear 0.2140 is encoded as 127.5 of 255.
    grey = decoded(picture_png(np.full((2, 2, 3), 0.2140, np.float32)), tmp_path)
    assert abs(int(grey[0, 0, 0]) - 127) <= 1
    ramp = decoded(difference_png(np.linspace(0, DELTA_E_SCALE, 64, dtype=np.float32)[None]), tmp_path)[0].astype(int)
    brightness = ramp @ np.array([0.2126, 0.7152, 0.0722])
    assert (np.diff(brightness) > -0.5).all()
    assert brightness[-1] - brightness[0] > 150


def test_only_a_part_of_a_look_is_drawn_where_asked() -> None:
    material = Material.of("m", "open_pbr", {"base_color": (0.5, 0.1, 0.1), "specular_roughness": 0.2})
    seen = coverage("sphere", 48)
    pictures = {
        aspects: render(material, View(size=48, aspects=aspects), 16, 0)[seen].mean() for aspects in ((), ("body",), ("reflection",))
    }
    assert pictures[("body",)] + pictures[("reflection",)] == approx(pictures[()], rel=0.03)
    assert min(pictures.values()) > 0.01


def test_turning_the_light_moves_the_highlight() -> None:
    material = Material.of("m", "spec_gloss", {"diffuse": (0.02,) * 3, "specular": (0.5,) * 3, "glossiness": 0.7})
    pictures = [render(material, View("low_sun", turn=turn, size=48), 16, 0) for turn in (0.0, 60.0)]
    columns = [picture.sum(axis=(0, 2)).argmax() for picture in pictures]
    assert columns[0] != columns[1]


def test_own_light_is_seen_in_the_dark_part() -> None:
    dark = {"base_color": (0.0, 0.0, 0.0), "specular_weight": 0.0}
    glowing = Material.of("m", "open_pbr", {**dark, "emission_luminance": 0.5, "emission_color": (1.0, 0.5, 0.0)})
    picture = render(glowing, View(size=32), 16, 0)[coverage("sphere", 32)]
    assert np.median(picture, axis=0) == approx([0.5, 0.25, 0.0], abs=0.01)


@pytest.mark.population
def test_demo_is_the_same_at_every_run(heron_lode: Path, tmp_path: Path) -> None:
    files = write_heron_lode(tmp_path)
    assert [path.read_bytes() for path in files] == [(heron_lode / path.relative_to(tmp_path)).read_bytes() for path in files]


@pytest.mark.pictures
def test_every_material_of_the_demo_is_warmed_in_every_target(heron_lode: Path, tmp_path: Path) -> None:
    shutil.copytree(heron_lode, tmp_path, dirs_exist_ok=True)
    write_pump_hall(tmp_path)
    assert _warmed(str(tmp_path), 0, 24 * len(TARGETS)) == 1
    assert len(materials_in(tmp_path)) == 24


def test_noise_wraps_at_its_edges() -> None:
    field = noise(128, 5)
    inside = np.abs(np.diff(field, axis=0)).mean()
    across = np.abs(field[0] - field[-1]).mean()
    assert across < 2 * inside
    assert (field.min(), field.max()) == (0.0, 1.0)


def test_a_camera_that_is_turned_by_hand_stands_where_it_is_said_to() -> None:
    usual = stand_of("sphere")
    eye, target = (np.array(place) for place in stand_of("sphere:90,30,4").camera)
    assert eye - target == approx(np.array([4 * np.sqrt(0.75), 2.0, 0.0]))
    assert tuple(target) == usual.camera[1]
    assert stand_of("sphere:90.000000001,30.0,4.0").id == "sphere:90,30,4"
    for wrong in ("sphere:0,-5,4", "sphere:0,89,4", "sphere:0,10,1", "sphere:0,10", "sphere:a,b,c", "sphere:nan,10,4"):
        with pytest.raises(NotFoundError, match="No camera stands"):
            stand_of(wrong)


def test_camera_and_light_that_are_turned_together_see_a_round_body_the_same() -> None:
    """By a quarter, so that the tiles of the ground lie as they did."""
    ball = Material.of("ball", "open_pbr", {"base_color": (0.4, 0.2, 0.1), "specular_roughness": 0.5})
    views = [View("soft_studio", f"sphere:{turn:g},10,6", turn, 48) for turn in (0.0, 90.0)]
    straight, turned = (render(ball, view, 16, 0)[12:36, 12:36] for view in views)
    other = render(ball, View("soft_studio", "sphere:90,10,6", 0.0, 48), 16, 0)[12:36, 12:36]
    off = [float(np.abs(picture - straight).mean() / straight.mean()) for picture in (turned, other)]
    assert off[0] < 0.05 < 0.2 < off[1]
