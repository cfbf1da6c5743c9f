"""Dialects and parameter sheets: read the same whatever the file, guessed with reasons, and wrong ones told by line."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pytest import approx

from fenrain.core import convert, read, write
from fenrain.core.colour import srgb_to_linear
from fenrain.core.dialects.dialect import examine, load_dialect, shipped
from fenrain.core.dialects.guess import guess
from fenrain.core.dialects.on_maps import steps_on_map
from fenrain.core.dialects.sheet import read_sheet
from fenrain.core.dialects.spelling import spelled
from fenrain.core.errors import BrokenFileError, InputError, MissingFileError
from fenrain.core.maps.image import write_png
from fenrain.core.maps.texels import Texels, grid_of
from fenrain.core.models.registry import models
from fenrain.core.steps import ValueStep, apply_steps
from fenrain.core.values import Computed, Image, Map, Stepped
from fenrain.demo.pump_hall import ROWS, write_pump_hall

HEAD = "dialect: 1\nid: mine\nname: Mine\nmodel: gloss_pair\nparameters:\n"


def test_one_dialect_is_shipped_for_each_legacy_family() -> None:
    open_formats = {"metal_rough", "preview", "standard_surface", "open_pbr"}
    assert {dialect.model for dialect in shipped().values()} == set(models()) - open_formats


@pytest.mark.parametrize(("text", "line", "says"), [
    ("dialect: 1\nid: [x\n", 3, "not YAML"),
    ("- a\n- b\n", 1, "mapping"),
    (HEAD + "  - {name: a, feeds: difuse}\n", 6, "did you mean “diffuse”"),
    (HEAD + "  - name: a\n    feeds: diffuse\n    colour: 1\n", 8, "“colour” is not a word"),
    (HEAD + "  - name: a\n    feeds: diffuse\n    steps:\n      - {scale: 2, offset: 1}\n", 9, "exactly one thing"),
    (HEAD + "  - name: a\n    feeds: diffuse\n    steps:\n      - scale: 2\n      - cube\n", 10, "“cube” is not a step"),
    (HEAD + "  - {name: a, feeds: angle_dependent, steps: [{power: 2}]}\n", 6, "takes only"),
    (HEAD + "  - name: a\n    feeds: ior\n    steps:\n      - pick: r\n      - pick: g\n", 10, "picked already"),
    (HEAD + "  - name: a\n    feeds: ior\n    steps:\n      - scale: 2\n      - pick: a\n", 10, "has no alpha"),
    (HEAD + "  - {name: a, feeds: diffuse}\n  - {name: a, feeds: reflection}\n", 7, "stands for two things"),
    (HEAD + "  - {name: a, feeds: diffuse, range: [1, 0]}\n", 6, "lower end first"),
    (HEAD + "  - {name: a, feeds: diffuse}\nfixed:\n  ior: heavy\n", 8, "not a value for ior"),
    (HEAD + "  - {name: a, feeds: diffuse}\nfixed: {}\nfixed: {}\n", 8, "said twice"),
    ("dialect: 1\nid: mine\nname: Mine\nmodel: shiny\nparameters: [{name: a, feeds: b}]\n", 4, "no shading model “shiny”"),
    ("a: &x [1, 2]\nb: *x\n", 2, "aliases"), ("[" * 3000, 1, "nested|YAML"),
])  # fmt: skip
def test_what_is_wrong_with_a_dialect_is_told_by_line(text: str, line: int, says: str) -> None:
    dialect, problems = examine(text)
    assert dialect is None
    assert any(problem.line == line and re.search(says, problem.message) for problem in problems), problems
    with pytest.raises(BrokenFileError, match=f"line {problems[0].line}"):
        load_dialect(text)


STEPS = st.lists(
    st.one_of(
        st.builds(lambda x: ValueStep(scale=x), st.floats(0.1, 3)),
        st.builds(lambda x: ValueStep(offset=x), st.floats(-0.5, 0.5)),
        st.just(ValueStep(invert=True)),
        st.builds(lambda x: ValueStep(power=x), st.floats(0.3, 3)),
        st.just(ValueStep(clamp=(0.1, 0.9))),
    ),
    max_size=5,
)


@given(STEPS)
@settings(max_examples=40, deadline=None)
def test_steps_do_the_same_to_a_map_as_to_constants(steps: list[ValueStep]) -> None:
    values = np.linspace(0, 1, 256).reshape(16, 16, 1)
    image = Image("ramp.png", data=_png(values))
    value = steps_on_map(steps, Map(image, "r"), 1)
    with Texels(grid_of([value])) as texels:
        seen = np.asarray(texels.full(value, 0, 16, 1))
    # Texels are float32 and every step is monotone, so the map lies between what constants give a little below and above the texel;
    # where a power follows a cancellation that little bit is enlarged.
    ends = [apply_steps(steps, np.round(values * 255) / 255 + little) for little in (-1e-6, 1e-6)]
    assert np.all(seen >= np.minimum(*ends) - 2e-5)
    assert np.all(seen <= np.maximum(*ends) + 2e-5)


def _png(values: np.ndarray) -> bytes:
    from tempfile import TemporaryDirectory

    with TemporaryDirectory() as folder:
        path = Path(folder) / "ramp.png"
        write_png(path, np.repeat(values, 3, axis=2))
        return path.read_bytes()


def test_steps_that_a_map_can_hold_leave_it_a_plain_map() -> None:
    plain = Map(Image("a.png"), "r")
    assert steps_on_map([ValueStep(pick="a"), ValueStep(invert=True), ValueStep(scale=2.0)], plain, 1) == Map(
        Image("a.png"), "a", scale=-2.0, bias=2.0
    )
    assert isinstance(steps_on_map([ValueStep(power=0.5)], plain, 1), Stepped)


@pytest.mark.parametrize("steps", ["{pick: luminance}", "{scale: 0.5}, {pick: luminance}", "{power: 2}, {pick: luminance}"])
def test_a_number_may_be_the_luminance_of_a_map(steps: str, tmp_path: Path) -> None:
    colour = np.array([0.2, 0.6, 1.0])
    write_png(tmp_path / "shine.png", np.broadcast_to(colour, (4, 4, 3)))
    (tmp_path / "a.json").write_text(json.dumps([{"name": "a", "Shine": "shine.png"}]))
    dialect = load_dialect(HEAD + f"  - {{name: Shine, feeds: reflection_glossiness, steps: [{steps}]}}\n")
    value = read(tmp_path / "a.json", dialect=dialect)[0].value("reflection_glossiness")
    with Texels(grid_of([value])) as texels:
        seen = np.asarray(texels.full(value, 0, 4, 1))
    before = 0.5 * colour if "scale" in steps else colour**2 if "power" in steps else colour
    np.testing.assert_allclose(seen, before @ (0.2126, 0.7152, 0.0722), atol=0.003)  # ITU-R BT.709-6


@pytest.mark.parametrize(("steps", "seen"), [
    ("{pick: luminance}", [0.2126 * 0.2 + 0.7152 * 0.6 + 0.0722] * 3),
    ("{pick: g}, {scale: 0.5}", [0.3] * 3), ("{power: 2}", [0.04, 0.36, 1.0]),
])  # fmt: skip
def test_a_map_of_a_colour_stays_a_colour_and_is_multiplied_by_what_is_typed(steps: str, seen: list[float], tmp_path: Path) -> None:
    write_png(tmp_path / "paint.png", np.broadcast_to((0.2, 0.6, 1.0), (4, 4, 3)))
    (tmp_path / "a.json").write_text(json.dumps([{"name": "a", "Paint": [0.5, 1.0, 1.0], "Paint map": "paint.png"}]))
    spelled = f"{{name: Paint, feeds: diffuse, map: Paint map, map_use: multiplies, steps: [{steps}]}}"
    material = read(tmp_path / "a.json", dialect=load_dialect(HEAD + f"  - {spelled}\n"))[0]
    typed = apply_steps(load_dialect(HEAD + f"  - {spelled}\n").parameters[0].steps, [0.5, 1.0, 1.0])
    value = material.value("diffuse")
    with Texels(grid_of([value])) as texels:
        np.testing.assert_allclose(np.asarray(texels.full(value, 0, 4, 3))[0, 0], np.asarray(seen) * typed, atol=0.004)
    assert convert(material, "open_pbr").ledger


SAME = [{"Label": "a", "Paint": "40 30 20", "Mirror share": "#808080", "Mirror gloss": 80, "Same at all angles": "yes"}]


def test_json_yaml_and_csv_say_the_same(tmp_path: Path) -> None:
    import yaml

    (tmp_path / "a.json").write_text(json.dumps(SAME))
    (tmp_path / "b.yaml").write_text(yaml.safe_dump(SAME))
    (tmp_path / "c.csv").write_text("\ufeff" + ";".join(SAME[0]) + "\n" + ";".join(str(value) for value in SAME[0].values()) + "\n")
    (tmp_path / "d.json").write_text(json.dumps({"materials": {"a": {k: v for k, v in SAME[0].items() if k != "Label"}}}))
    digests = {read(path, dialect="osier")[0].digest for path in sorted(tmp_path.iterdir())}
    assert len(digests) == 1
    values = read(tmp_path / "a.json", dialect="osier")[0].parameters()
    # Common practice: 8-bit sRGB (IEC 61966-2-1), gloss of 0 to 100, and the switch that turns the angle dependence off.
    np.testing.assert_allclose(values["diffuse"], srgb_to_linear(np.array([40, 30, 20]) / 255), rtol=1e-9)
    np.testing.assert_allclose(values["reflection"], srgb_to_linear(np.full(3, 128 / 255)), rtol=1e-9)
    assert values["reflection_glossiness"] == approx(0.8)
    assert values["angle_dependent"] is False


@pytest.mark.parametrize("key", [key for key in shipped() if key != "confluence"])
def test_a_sheet_is_guessed_among_all_dialects_with_reasons(key: str) -> None:
    rows = [row for row in ROWS if row["dialect"] == key] or [{"Item": "a", "Base tone": [0.1, 0.2, 0.3], "Glint power": 30}]
    bare = json.dumps([{name: value for name, value in row.items() if name != "dialect"} for row in rows])
    found = guess(read_sheet(bare, ".json"), shipped())
    assert found[0].dialect.id == key
    assert found[0].confidence > 0.9 > 2 * found[1].confidence
    assert "columns are its own" in found[0].reasons[0]


def test_a_number_out_of_range_makes_a_guess_less_sure_and_a_doubt(tmp_path: Path) -> None:
    sheet = tmp_path / "a.csv"
    sheet.write_text("Label,Paint,Mirror gloss\na,40 40 40,300\nb,40 40 40,80\n")
    sure, unsure = (guess(read_sheet(text, ".csv"), shipped())[0] for text in (sheet.read_text().replace("300", "30"), sheet.read_text()))
    assert unsure.confidence < sure.confidence
    doubts = [finding.code for finding in read(sheet, dialect="osier")[0].findings]
    assert {"outside-the-dialect's-range", "out-of-range"} <= set(doubts)


def test_a_sheet_that_no_dialect_fits_is_not_guessed(tmp_path: Path) -> None:
    sheet = tmp_path / "a.csv"
    sheet.write_text("thing,height,weight\na,1,2\n")
    with pytest.raises(InputError, match="Nearest"):
        read(sheet)


@pytest.mark.parametrize(("name", "text", "says"), [
    ("a.json", "[{\"Label\": 1,]", "line 1"), ("a.json", "7", "list of materials"), ("a.json", "[1]", "Entry 1"),
    ("a.json", "[]", "no material"), ("a.yaml", "a: [", "not YAML"), ("a.yaml", "a: &x 1\nb: *x\n", "aliases"),
    ("a.csv", "A,B\n1,2,3\n", "line 2"), ("a.csv", "A,A\n1,2\n", "twice"),
    ("a.json", "[" * 5000, "JSON|nested"),
])  # fmt: skip
def test_broken_sheets_say_where(tmp_path: Path, name: str, text: str, says: str) -> None:
    sheet = tmp_path / name
    sheet.write_text(text)
    with pytest.raises(InputError, match=says):
        read(sheet, dialect="osier")


def test_values_that_cannot_be_read_become_findings_and_the_rest_goes_on(tmp_path: Path) -> None:
    sheet = tmp_path / "a.json"
    row: dict[str, Any] = {"Label": "a", "Paint": "red", "Bend": "thick", "Mirror gloss": 70, "Lamp gloss apart": "maybe", "Novelty": 1}
    sheet.write_text(json.dumps([{**row, "Height file": "../../etc/passwd.png", "Mirror file": "gone.png"}]))
    material = read(sheet, dialect="osier")[0]
    codes = [finding.code for finding in material.findings]
    assert codes.count("unreadable-value") == 3
    assert {"unsafe-path", "missing-map", "unknown-column"} <= set(codes)
    assert material.parameters()["reflection_glossiness"] == approx(0.7)


def test_maps_of_a_sheet_take_channel_placement_and_steps(tmp_path: Path) -> None:
    (tmp_path / "gloss.png").write_bytes(_png(np.linspace(0, 1, 64).reshape(8, 8, 1)))
    described = {"file": "gloss.png", "channel": "g", "tile": [2, 3], "turn": 90}
    (tmp_path / "a.json").write_text(json.dumps([{"Label": "a", "Mirror share": [255, 255, 255], "Mirror gloss file": described}]))
    value = read(tmp_path / "a.json", dialect="osier")[0].values["reflection_glossiness"]
    assert isinstance(value, Map)
    assert (value.channels, value.placement.scale, value.scale) == ("g", (2.0, 3.0), 1.0), "a white texel is full, whatever is typed"
    assert value.placement.rotation == approx(np.pi / 2)


def test_a_colour_may_multiply_its_map(tmp_path: Path) -> None:
    # Common practice: a colour multiplies its map; white leaves the map unchanged.
    (tmp_path / "c.png").write_bytes(_png(np.full((4, 4, 1), 1.0)))
    (tmp_path / "a.json").write_text(json.dumps([{"id": "a", "colour": [1.0, 0.5, 0.0], "colourTexture": "c.png"}]))
    value = read(tmp_path / "a.json", dialect="staithe")[0].values["diffuse"]
    assert isinstance(value, Map)
    np.testing.assert_allclose(value.scale, srgb_to_linear(np.array([1.0, 0.5, 0.0])), rtol=1e-9)


def test_a_mix_names_two_materials_of_its_sheet(tmp_path: Path) -> None:
    materials = {material.name: material for material in read(write_pump_hall(tmp_path))}
    mixed = materials["weed on the wall"]
    assert [part.name for part in mixed.parts] == ["whitewashed wall", "duckweed"]
    assert isinstance(convert(mixed, "open_pbr").material.values["base_color"], Computed), "a masked mix becomes maps"
    own = [
        {"dialect": "confluence", "blend": "a", "under": "b", "over": "b"},
        {"dialect": "confluence", "blend": "b", "under": "a", "over": "a"},
    ]
    (tmp_path / "round.json").write_text(json.dumps(own))
    with pytest.raises(BrokenFileError, match="mixed from itself"):
        read(tmp_path / "round.json")
    tower = [{"dialect": "confluence", "blend": f"m{n}", "under": f"m{n + 1}", "over": f"m{n + 1}"} for n in range(40)]
    (tmp_path / "tower.json").write_text(json.dumps([*tower, {"dialect": "osier", "Label": "m40", "Paint": [1, 2, 3]}]))
    with pytest.raises(BrokenFileError, match="deep"):
        read(tmp_path / "tower.json")
    (tmp_path / "gone.json").write_text(json.dumps([{"dialect": "confluence", "blend": "a", "under": "x", "over": "y"}]))
    with pytest.raises(BrokenFileError, match="not in the sheet"):
        read(tmp_path / "gone.json")


def test_dialects_come_from_files_and_ids(tmp_path: Path) -> None:
    (tmp_path / "mine.yaml").write_text(HEAD + "  - {name: paint, feeds: diffuse, encoding: srgb}\n")
    (tmp_path / "a.json").write_text('[{"name": "a", "paint": [0.5, 0.5, 0.5]}]')
    assert read(tmp_path / "a.json", dialect=tmp_path / "mine.yaml")[0].parameters()["diffuse"][0] == approx(0.2140, abs=1e-4)
    with pytest.raises(InputError, match="no dialect"):
        read(tmp_path / "a.json", dialect="theirs")
    with pytest.raises(MissingFileError):
        read(tmp_path / "a.json", dialect=tmp_path / "gone.yaml")


NAMED = """dialect: 1
id: house
name: House
model: gloss_pair
colours: {Fen Green: "#1e5028", chalk: [230, 228, 220]}
parameters:
  - {name: paint, feeds: diffuse, encoding: srgb, full: 255}
"""


def test_a_studio_calls_its_colours_by_names(tmp_path: Path) -> None:
    # IEC 61966-2-1: 0x50 of 255 is 0.0802 in linear light.
    sheet = "name,paint\nrail,fen  green\nwall,CHALK\ngate,30 80 40\ndoor,fen gren\n"
    (tmp_path / "hall.csv").write_text(sheet)
    rail, wall, gate, door = read(tmp_path / "hall.csv", dialect=load_dialect(NAMED))
    assert rail.parameters()["diffuse"] == gate.parameters()["diffuse"]
    assert rail.parameters()["diffuse"] == approx((0.0130, 0.0802, 0.0212), abs=1e-4)
    assert wall.parameters()["diffuse"] == approx((0.7913, 0.7758, 0.7157), abs=1e-4)
    assert [(finding.code, finding.unread) for finding in door.findings] == [("unreadable-value", True)]


@pytest.mark.parametrize(("said", "expected"), [("yes", True), (True, True), ("no", False), ("perhaps", False)])
def test_a_sheet_says_whether_faces_are_seen_from_behind(said: Any, expected: bool, tmp_path: Path) -> None:
    # glTF 2.0 §3.9: doubleSided.
    (tmp_path / "reed.json").write_text(json.dumps([{"name": "reed", "Film only": True, "Both faces": said}]))
    (reed,) = read(tmp_path / "reed.json", dialect="quern")
    assert reed.geometry.double_sided is expected
    assert any(finding.unread for finding in reed.findings) is (said == "perhaps")
    assert spelled(reed, shipped()["quern"])["Both faces"] == ("yes" if expected else "no")
    written = write([convert(reed, "metal_rough").material], tmp_path / "reed.glb", "gltf")[0]
    assert read(written)[0].geometry.double_sided is expected


SCATTERING = """dialect: 1
id: mine
name: Mine
model: metal_switch
parameters:
  - {name: Waxy, feeds: subsurface}
  - {name: Kept, feeds: subsurface_color, steps: [diffuse_albedo]}
  - {name: Density, feeds: subsurface_radius, range: [0.1, 100], length: cm, steps: [reciprocal]}
"""


def test_scattering_by_albedo_and_density_is_a_colour_and_a_radius(tmp_path: Path) -> None:
    # van de Hulst 1980, Multiple Light Scattering: of a half space, A ≈ (1 − s)(1 − 0.139 s)/(1 + 1.17 s), s = √(1 − α) for even
    # scattering, good to 0.002. A mean free path is 1 ÷ density: four events a centimetre are 2.5 mm.
    kept = (0.2, 0.9, 0.99)
    (tmp_path / "wax.json").write_text(json.dumps([{"name": "wax", "Waxy": 1, "Kept": list(kept), "Density": [4, 2, 1]}]))
    (tmp_path / "mine.yaml").write_text(SCATTERING)
    (wax,) = read(tmp_path / "wax.json", dialect=tmp_path / "mine.yaml")
    s = np.sqrt(1.0 - np.array(kept))
    assert wax.parameters()["subsurface_color"] == approx((1 - s) * (1 - 0.139 * s) / (1 + 1.17 * s), abs=0.015)
    assert wax.parameters()["subsurface_radius"] == approx((0.0025, 0.005, 0.01))
    hub = convert(wax, "open_pbr").material.parameters()
    assert np.array(hub["subsurface_radius_scale"]) * hub["subsurface_radius"] == approx((0.0025, 0.005, 0.01))  # type: ignore[operator]
    assert spelled(wax, load_dialect(SCATTERING))["Density"] == approx([4, 2, 1], rel=0.02)
    # Without a range there is no telling where to look for it: none is better than a wrong one.
    assert "Density" not in spelled(wax, load_dialect(SCATTERING.replace("range: [0.1, 100], ", "")))
