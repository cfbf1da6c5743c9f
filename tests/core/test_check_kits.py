"""Check kits: light, camera, meshes and values as other programs read them, by the standards' own definitions."""

from __future__ import annotations

import csv
import json
import math
import struct
from dataclasses import replace
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import pytest
from pxr import Gf, Usd, UsdGeom, UsdLux
from pytest import approx

from fenrain.core import Material, convert, read
from fenrain.core.conversion.targets import target_called
from fenrain.core.conversion.viewing import FEATURES, checklist, features_of, standing_notes
from fenrain.core.dialects.dialect import shipped
from fenrain.core.dialects.spelling import spelled, unspelled
from fenrain.core.errors import BrokenFileError, InputError, MissingFileError
from fenrain.core.formats.reading import read_meshes
from fenrain.core.formats.validation import validated
from fenrain.core.models.registry import model_of
from fenrain.core.models.target import Profile, ViewerNote
from fenrain.core.outside.cards import MARK_MIDDLE, PAINTS, points_on
from fenrain.core.outside.kit import KIT_FILE, Kit, open_kit, write_kit
from fenrain.core.outside.layout import SPACING, layout_of
from fenrain.core.outside.light import SIDES, irradiance, light_at, light_picture, mirror_ball, orientation_light, whole_turn
from fenrain.core.rendering.rigs.registry import rig_of, sky_directions
from fenrain.core.rendering.stands.registry import stand_of

pytestmark = pytest.mark.pictures

PAINT = Material.of("enamel", "spec_gloss", {"diffuse": (0.05, 0.2, 0.08), "specular": (0.04, 0.04, 0.04), "glossiness": 0.7})
BRASS = Material.of("brass", "metal_rough", {"base_color": (0.8, 0.6, 0.25), "metallic": 1.0, "roughness": 0.25})
OIL = Material.of("belt", "exponent", {"diffuse": (0.1, 0.08, 0.06), "specular": (0.3, 0.3, 0.3), "exponent": 40.0})


@pytest.fixture(scope="module")
def kit(tmp_path_factory: pytest.TempPathFactory) -> Kit:
    target = target_called("metal_rough")
    members = [convert(material, "metal_rough", target.profile) for material in (PAINT, BRASS, OIL)]
    by_model = {dialect.model: dialect for dialect in shipped().values()}
    folder = tmp_path_factory.mktemp("kits") / "heron"
    return write_kit(members, folder, title="Heron Lode", turn=30.0, target=target, dialects=lambda one: by_model.get(one.model))


def pixels_of(path: Path) -> np.ndarray:
    image = oiio.ImageBuf(str(path))
    return np.asarray(image.get_pixels(oiio.FLOAT))


def test_the_light_is_laid_out_as_openexr_lays_environment_maps_out(kit: Kit) -> None:
    # OpenEXR, ImfEnvmap.h: x by longitude from +π at the left edge to −π, y by latitude from +π/2; longitude 0 points to +z, π/2 to +x.
    picture = pixels_of(kit.folder / "orientation_light.exr")
    height, width = picture.shape[:2]
    assert width == 2 * height
    for name, (axis, colour) in SIDES.items():
        latitude = math.asin(axis[1])
        longitude = math.atan2(axis[0], axis[2])
        x, y = (0.5 - longitude / (2.0 * math.pi)) * width, (0.5 - latitude / math.pi) * height
        assert picture[min(int(y), height - 1), int(x) % width] == approx(colour, abs=1e-5), name


def test_a_turned_light_is_the_same_light_from_other_directions(kit: Kit) -> None:
    # A rotation about y (Goldstein, Classical Mechanics): from the camera's side, +z, towards −x as our renderer counts turns.
    turn = math.radians(kit.stated.turn)
    turned, plain = pixels_of(kit.folder / "light.exr"), rig_of("soft_studio").sky()
    assert math.degrees(turn) == approx(30.0, abs=0.2)
    directions = np.random.default_rng(1).normal(size=(500, 3))
    directions /= np.linalg.norm(directions, axis=1, keepdims=True)
    x, y, z = directions.T
    looked_up = np.stack([math.cos(turn) * x - math.sin(turn) * z, y, math.sin(turn) * x + math.cos(turn) * z], axis=-1)
    assert np.abs(light_at(turned, directions) - light_at(plain, looked_up)).mean() < 0.01
    assert whole_turn(kit.stated.turn) == kit.stated.turn


def test_the_cards_expect_what_lambert_says_of_an_even_sky() -> None:
    # Lambert 1760: under an even light L from everywhere, irradiance is π L whatever way a surface faces.
    even = np.full((512, 1024, 3), 0.7, np.float32)
    for normal in (np.array([0.0, 0.0, 1.0]), np.array([0.6, 0.0, 0.8])):
        assert irradiance(even, normal, has_ground=False) == approx(np.full(3, 0.7 * math.pi), rel=1e-3)
    half = irradiance(even, np.array([0.0, 0.0, 1.0]), has_ground=True)
    assert half == approx(np.full(3, 0.5 * 0.7 * math.pi * (1.0 + 0.21)), rel=2e-3)


def test_the_orientation_frame_is_a_mirror_ball() -> None:
    # Miller & Hoffman 1984: seen from far along −z, the middle of a mirror ball shows the viewer's side, and its rim what lies behind it.
    ball = mirror_ball(orientation_light(), 257)
    assert ball[128, 128] == approx(SIDES["camera"][1], abs=1e-5)
    assert ball[128, 255] == approx(SIDES["behind"][1], abs=1e-5)
    at_45_degrees = round(128 + 128 * math.sin(math.radians(45)))
    assert ball[128, at_45_degrees] == approx(SIDES["right"][1], abs=1e-5)
    assert ball[256 - at_45_degrees, 128] == approx(SIDES["above"][1], abs=1e-5)
    assert ball[0, 0] == approx(np.zeros(3))


def projected_by_gltf(document: dict, points: np.ndarray) -> np.ndarray:
    """glTF 2.0 §3.10.3.2, the finite perspective projection: normalised device coordinates of points."""
    node = next(node for node in document["nodes"] if "camera" in node)
    lens = document["cameras"][0]["perspective"]
    view = np.linalg.inv(np.array(node["matrix"], dtype=float).reshape(4, 4).T)
    seen = np.c_[points, np.ones(len(points))] @ view.T
    tan = math.tan(lens["yfov"] / 2)
    return np.stack([seen[:, 0] / (lens["aspectRatio"] * tan), seen[:, 1] / tan], axis=-1) / -seen[:, 2:3]


def glb_document(path: Path) -> dict:
    data = path.read_bytes()
    return json.loads(data[20 : 20 + struct.unpack("<I", data[12:16])[0]])


def test_glb_and_usd_hold_the_camera_that_the_kit_states(kit: Kit) -> None:
    frame = kit.layout.frame
    points = np.concatenate([points_on(card, frame, np.array([MARK_MIDDLE])) for card in kit.layout.cards])
    stated = frame.places_of(points) / [frame.aspect, 1.0]
    assert projected_by_gltf(glb_document(kit.folder / "scene.glb"), points) == approx(stated, abs=1e-5)
    assert projected_by_gltf(glb_document(kit.folder / "converted" / "converted.glb"), points) == approx(stated, abs=1e-5)
    stage = Usd.Stage.Open(str(kit.folder / "scene.usda"))
    camera = next(UsdGeom.Camera(prim) for prim in stage.Traverse() if prim.IsA(UsdGeom.Camera)).GetCamera(Usd.TimeCode.Default())
    matrix = camera.frustum.ComputeViewMatrix() * camera.frustum.ComputeProjectionMatrix()
    by_usd = [matrix.Transform(Gf.Vec3d(*(float(part) for part in point))) for point in points]
    assert np.array(by_usd)[:, :2] == approx(stated, abs=1e-5)
    dome = next(UsdLux.DomeLight(prim) for prim in stage.Traverse() if prim.IsA(UsdLux.DomeLight))
    assert (kit.folder / dome.GetTextureFileAttr().Get().path).is_file()


def test_the_files_of_a_kit_are_valid_and_hold_the_same_meshes(kit: Kit) -> None:
    for path, kind in (("scene.glb", "gltf"), ("converted/converted.glb", "gltf"), ("scene.usda", "usd")):
        found = validated(kit.folder / path, kind)
        assert found.by, found.said
        assert found.errors == 0, (path, found.said)
    files = ("scene.obj", "scene.glb", "scene.usda", "original/exponent.obj", "original/metal_rough.glb", "converted/converted.glb")
    sides = {path: read_meshes(kit.folder / path, kit.folder) for path in files}
    names = {mesh.material for mesh in sides["scene.obj"]}
    assert names == {"enamel", "brass", "belt", *(paint.name for paint in PAINTS)}
    for path, meshes in sides.items():
        assert {mesh.material for mesh in meshes} == names, path
        body = next(mesh for mesh in meshes if mesh.material == "brass")
        assert body.positions.mean(axis=0)[:2] == approx(kit.layout.tiles[1].offset[:2], abs=0.02), path


def test_originals_are_there_in_their_own_format_and_as_a_table(kit: Kit) -> None:
    again = {material.name: material for material in read(kit.folder / "original" / "exponent.mtl")}
    assert again["belt"].parameters()["exponent"] == approx(40.0)
    brass = next(one for one in read(kit.folder / "original" / "metal_rough.glb") if one.name == "brass")
    assert brass.parameters()["roughness"] == approx(0.25)
    dialect = next(dialect for dialect in shipped().values() if dialect.model == "spec_gloss")
    path = kit.folder / "original" / f"values_{dialect.id}.csv"
    assert next(csv.DictReader(path.open()))[dialect.name_column] == "enamel"
    back = read(path, dialect=dialect)[0].parameters()
    for name in ("diffuse", "specular", "glossiness"):
        assert np.asarray(back[name]) == approx(np.asarray(PAINT.parameters()[name]), abs=1e-4), name


@pytest.mark.parametrize("dialect_id", sorted(shipped()))
def test_a_material_in_a_dialect_s_own_words_reads_as_itself(dialect_id: str, tmp_path: Path) -> None:
    # What is typed is what reading makes the value of: the dialect's own reader is the witness.
    dialect = shipped()[dialect_id]
    model = model_of(dialect.model)
    if dialect.model == "mix":
        pytest.skip("a mix names its materials, it has no values to type")
    drawn = np.random.default_rng(len(dialect_id))
    values = {}
    for spelling in dialect.parameters:
        parameter = model.by_name.get(spelling.feeds)
        if parameter is None or str(parameter.kind) not in ("number", "colour"):
            continue
        low, high = parameter.usual or (parameter.low, min(parameter.high, parameter.low + 2.0))
        number = drawn.uniform(low, high, 3).tolist()
        values[spelling.feeds] = tuple(number) if str(parameter.kind) == "colour" else number[0]
    material = Material.of("reed leaf", dialect.model, values)
    row = spelled(material, dialect)
    sheet = tmp_path / "sheet.json"
    sheet.write_text(json.dumps([row]))
    back = read(sheet, dialect=dialect)[0]
    left_out = unspelled(material, dialect)
    for name in values.keys() - set(left_out):
        assert np.asarray(back.parameters().get(name, model.defaults(back.values)[name])) == approx(
            np.asarray(values[name]), abs=2e-3 * max(1.0, float(np.max(values[name])))
        ), name
    assert len(left_out) <= len(values) // 3, left_out


def test_a_kit_that_is_opened_again_is_the_same(kit: Kit, heron_lode: Path, tmp_path: Path) -> None:
    again = open_kit(kit.folder)
    assert [pair.original.digest for pair in again.pairs] == [one.digest for one in (PAINT, BRASS, OIL)]
    mapped = write_kit([read(heron_lode / "heron_lode_engine_house.glb")[0]], tmp_path / "mapped", title="maps")
    assert mapped.pairs[0].original.digest == read(heron_lode / "heron_lode_engine_house.glb")[0].digest
    assert all((mapped.folder / "maps" / name).is_file() for name in mapped.stated.maps.values())


def test_the_page_says_what_to_set_and_names_no_address(kit: Kit) -> None:
    page = (kit.folder / "read_me.html").read_text()
    for said in ("light.exr", "orientation_light.exr", "card_grey_80", "linear Rec.709", "samples", "original.exr", "converted.exr"):
        assert said in page
    assert "http" not in page
    assert (kit.folder / "read_me.pdf").read_bytes().startswith(b"%PDF-")


def test_names_that_are_markup_stay_text(tmp_path: Path) -> None:
    made = write_kit([replace(BRASS, name="<script>alert(1)</script>")], tmp_path / "kit", title="<b>")
    page = (made.folder / "read_me.html").read_text()
    assert "<script>" not in page
    assert "&lt;script&gt;" in page


def test_materials_of_one_name_are_told_apart(tmp_path: Path) -> None:
    made = write_kit([BRASS, replace(BRASS, model="metal_rough")], tmp_path / "kit", title="twice")
    assert made.names == ["brass", "brass 2"]


def test_bodies_on_a_sheet_take_little_light_from_each_other() -> None:
    # A sphere takes 2π(1 − cos asin(r/d)) steradians: its neighbours together hide less than 4 % of what a place on its side sees.
    tiles = np.array([tile.offset for tile in layout_of(stand_of("sphere"), 40).tiles])
    apart = np.linalg.norm(tiles - tiles[18], axis=1)
    assert np.sort(apart)[1] == approx(SPACING)
    hidden = sum(2 * math.pi * (1 - math.cos(math.asin(1 / away))) for away in apart if away > 0)
    assert 0.5 * hidden / (2 * math.pi) < 0.04  # half of them lie before a place on one side


@pytest.mark.parametrize(
    ("count", "stand", "said"),
    [(0, "sphere", "holds 1 to"), (61, "sphere", "holds 1 to"), (2, "bubble", "more than one body")],
)
def test_what_cannot_share_a_sheet_is_refused(count: int, stand: str, said: str) -> None:
    with pytest.raises(InputError, match=said):
        layout_of(stand_of(stand), count)


def test_a_folder_that_is_not_empty_is_left_alone(tmp_path: Path) -> None:
    (tmp_path / "notes.txt").write_text("mine")
    with pytest.raises(InputError, match="not empty"):
        write_kit([BRASS], tmp_path, title="no")
    assert [path.name for path in tmp_path.iterdir()] == ["notes.txt"]


def test_damaged_kits_are_refused_in_words(kit: Kit, tmp_path: Path) -> None:
    with pytest.raises(MissingFileError, match="no kit"):
        open_kit(tmp_path)
    whole = json.loads((kit.folder / KIT_FILE).read_text())
    for damage in ({"kit": 2}, {"tiles": []}, {"frame": {}}, {"width": -1}, {"tiles": [{"material": "x"}]}):
        (tmp_path / KIT_FILE).write_text(json.dumps({**whole, **damage}))
        with pytest.raises(BrokenFileError, match="not a kit's"):
            _ = open_kit(tmp_path).layout


def test_a_checklist_names_what_a_viewer_needs() -> None:
    # Khronos, KHR_materials_transmission: what is behind in the same pass is not seen; common practice for the rest.
    glass = Material.of("glass", "metal_rough", {"base_color": (1.0, 1.0, 1.0), "metallic": 0.0, "roughness": 0.0, "transmission": 1.0})
    lamp = Material.of("lamp", "metal_rough", {"metallic": 0.0, "emissive": (1.0, 0.5, 0.1), "emissive_strength": 5.0})
    assert {"transmission", "smooth"} <= set(features_of(glass)) or {"thin_sheet", "smooth"} <= set(features_of(glass))
    assert "glow_above_white" in features_of(lamp)
    assert "glow_above_white" not in features_of(glass)
    used = [(one.name, features_of(one)) for one in (glass, lamp, BRASS)]
    core = next(one for one in model_of("metal_rough").targets if one.profile.name == "core").profile
    listed = {item.feature: item for item in checklist(used, core)}
    assert listed["metal"].materials == ("brass",)
    assert listed["glow_above_white"].materials == ("lamp",)
    note = ViewerNote("metal", "no metal here", shown=False)
    own = {item.feature: item for item in checklist(used, replace(core, viewer_notes=(note,)))}
    assert (own["metal"].says, own["metal"].shown) == ("no metal here", False)
    assert checklist([("plain", ())], Profile()) == []


def test_every_standing_note_is_of_a_feature_that_there_is() -> None:
    known = {feature.id for feature in FEATURES}
    for kind, notes in standing_notes().items():
        assert notes.keys() <= known, kind


def test_light_pictures_hold_the_light_of_the_rig() -> None:
    # The whole of the light, ∫ L dω over the sphere, is the same however it is turned.
    sky = rig_of("low_sun").sky()
    weights = np.sqrt(np.maximum(1.0 - sky_directions()[..., 1:2] ** 2, 0.0))
    whole = (sky * weights).sum(dtype=float)
    assert (light_picture(rig_of("low_sun"), 90.0) * weights).sum(dtype=float) == approx(whole, rel=1e-6)
