"""The command line as a script uses it: files, exit codes, one line for an error."""

from __future__ import annotations

import csv
import json
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from pytest import approx

from fenrain.core.maps.image import write_png
from fenrain.demo.heron_lode import ENGINE_HOUSE, SLUICE_YARD
from tests.conftest import fenrain


def test_it_is_a_program_with_exit_codes_and_one_line_for_an_error(tmp_path: Path) -> None:
    def program(*arguments: object) -> subprocess.CompletedProcess[str]:
        command = [sys.executable, "-m", "fenrain.cli", *map(str, arguments)]
        return subprocess.run(command, capture_output=True, text=True, check=False)

    assert "open_pbr" in program("models").stdout
    refused = program("convert", tmp_path / "gone.mtl", "--to", "open_pbr", "-o", tmp_path / "out")
    assert (refused.returncode, len(refused.stderr.strip().splitlines())) == (2, 1)


@pytest.mark.pictures
def test_a_check_is_looked_at_as_one_asks(tmp_path: Path) -> None:
    # A mesh of one's own, a lamp at a height, one aspect alone and an input taken out, in one go.
    asset, told = tmp_path / "gate.obj", tmp_path / "told.json"
    write_png(tmp_path / "dents.png", np.random.default_rng(3).random((16, 16, 3)))
    (tmp_path / "gate.mtl").write_text(
        "newmtl leaf\nKd 0.3 0.1 0.1\nKs 0.5 0.5 0.5\nNs 60\nmap_bump dents.png\nnewmtl post\nKd 0.2 0.2 0.2\n"
    )
    corners = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nvn 0 0 1\n"
    asset.write_text(f"mtllib gate.mtl\n{corners}usemtl leaf\nf 1/1/1 2/2/1 3/3/1\nusemtl post\nf 1/1/1 3/3/1 4/4/1\n")
    how = ("--rig", "low_sun:35", "--mesh", asset, "--only", "reflection", "--without", "bump", "--size", 64, "--samples", 16)
    run = fenrain("check", asset, "--to", "open_pbr", *how, "--json", told)
    assert run.returncode in (0, 1), run.stderr
    found = json.loads(told.read_text())
    assert {rig["rig"] for material in found for rig in material["rigs"]} == {"low_sun:35"}
    assert all(rig["stand"].startswith("mesh-") for material in found for rig in material["rigs"])
    for wrong in (("--stand", "nowhere"), ("--rig", "low_sun:99"), ("--mesh", tmp_path / "gone.glb"), ("--only", "shine")):
        refused = fenrain("check", asset, "--to", "open_pbr", *wrong)
        assert (refused.returncode, len(refused.stderr.strip().splitlines())) == (2, 1), refused.stderr


@pytest.mark.parametrize(
    ("name", "target", "suffix"), [(ENGINE_HOUSE, "open_pbr", "mtlx"), (SLUICE_YARD, "metal_rough", "glb"), (SLUICE_YARD, "mtl", "mtl")]
)
def test_convert_writes_the_file_and_the_ledger(heron_lode: Path, tmp_path: Path, name: str, target: str, suffix: str) -> None:
    run = fenrain(
        "convert", heron_lode / name, "--to", target, "-o", tmp_path / "out", "--ledger", tmp_path / "ledger.json", "--allow", "all"
    )
    assert run.returncode == 0, run.stderr
    assert (tmp_path / "out" / f"{Path(name).stem}.{suffix}").is_file()
    entries = json.loads((tmp_path / "ledger.json").read_text())
    assert all(entry["ledger"] for entry in entries)


def test_convert_tells_scripts_what_it_wrote(heron_lode: Path, tmp_path: Path) -> None:
    run = fenrain("convert", heron_lode / SLUICE_YARD, "--to", "metal_rough", "-o", tmp_path / "out", "--json")
    (told,) = json.loads(run.stdout)
    assert (told["file"], len(told["materials"])) == (SLUICE_YARD, 4)
    assert run.returncode == any(one["lost"] or one["unread"] for one in told["materials"])
    assert all(Path(file).is_file() for file in told["written"])


def test_mixes_by_slope_are_drawn_on_a_mesh(tmp_path: Path) -> None:
    rows = [
        *({"dialect": "osier", "Label": name, "Paint": [shade] * 3} for name, shade in (("slate", 20), ("snow", 240))),
        {"dialect": "confluence", "blend": "roof", "under": "slate", "over": "snow", "share": 100, "by": "slope"},
    ]
    (tmp_path / "roof.json").write_text(json.dumps(rows))
    places = "v 0 0 0\nv 1 0 0\nv 0 0 -1\nv 0 1 0\nvt 0 0\nvt 0.5 0\nvt 0 1\nvt 0.5 0.1\nvt 1 0.1\nvt 1 1\n"
    (tmp_path / "roof.obj").write_text(places + "usemtl roof\nf 1/1 2/2 3/3\nf 1/4 2/5 4/6\n")
    convert = ("convert", tmp_path / "roof.json", "--to", "open_pbr", "-o", tmp_path / "out", "--json")
    plain, drawn = (json.loads(fenrain(*convert, *mesh).stdout)[0]["written"] for mesh in ((), ("--mesh", tmp_path / "roof.obj")))
    assert (len(plain), len(drawn) > 1) == (1, True)
    refused = fenrain(*convert, "--mesh", tmp_path / "gone.obj")
    assert (refused.returncode, len(refused.stderr.strip().splitlines())) == (2, 1)


def test_a_sheet_that_no_dialect_fits_gives_a_draft_of_one(tmp_path: Path) -> None:
    (tmp_path / "survey.csv").write_text("Material,Diffuse Colour,Glossiness,Wobble\nbrass,200 150 40,80,3\n")
    drafted = fenrain("draft", tmp_path / "survey.csv")
    assert drafted.returncode == 0, drafted.stderr
    (tmp_path / "survey.yaml").write_text(drafted.stdout)
    convert = ("convert", tmp_path / "survey.csv", "--to", "open_pbr", "-o", tmp_path / "out")
    assert fenrain(*convert, "--dialect", tmp_path / "survey.yaml").returncode == 0
    assert fenrain(*convert).returncode == 2
    for refused in (tmp_path / "gone.csv", tmp_path / "survey.yaml", tmp_path):
        run = fenrain("draft", refused)
        assert (run.returncode, len(run.stderr.strip().splitlines())) == (2, 1), run.stderr


def test_sheet_is_converted_by_a_dialect_and_tuned(tmp_path: Path) -> None:
    (tmp_path / "own.yaml").write_text("dialect: 1\nid: own\nname: Own\nmodel: exponent\nparameters:\n  - {name: shine, feeds: specular}\n")
    (tmp_path / "sheet.csv").write_text("name,shine\nbelt,0.4 0.4 0.4\n")
    convert = ("convert", tmp_path / "sheet.csv", "--to", "open_pbr", "-o", tmp_path / "out", "--ledger", tmp_path / "l.json")
    run = fenrain(*convert, "--dialect", tmp_path / "own.yaml", "--fit")
    assert run.returncode == 0, run.stderr
    ledger = json.loads((tmp_path / "l.json").read_text())[0]["ledger"]
    assert any(entry["override_by"] == "fit" for entry in ledger)
    guessed = fenrain(*convert)
    assert (guessed.returncode, "No dialect fits" in guessed.stderr) == (2, True)
    (tmp_path / "own.yaml").write_text("dialect: 1\nid: own\n")
    broken = fenrain(*convert, "--dialect", tmp_path / "own.yaml")
    assert broken.returncode == 2
    assert "line 1" in broken.stderr
    assert broken.stderr.count("\n") == 1


def test_problems_of_the_source_are_said_and_the_rest_is_converted(tmp_path: Path) -> None:
    (tmp_path / "s.csv").write_text(
        "Label,Paint,Mirror share,Mirror gloss\nbelt,../../../etc/passwd.png,1e999,80\nrail,20 20 20,90 90 90,60\n"
    )
    run = fenrain("convert", tmp_path / "s.csv", "--to", "open_pbr", "-o", tmp_path / "out", "--dialect", "osier")
    assert run.returncode == 1
    _, belt, rail, summary = run.stdout.splitlines()
    assert belt.startswith("belt: not read: ")
    assert "lies outside" in belt
    assert "not a finite number" in belt
    assert rail.startswith("rail: ")
    assert "not read" not in rail
    assert summary.startswith("2 materials: 1 not read in full")
    accepted = ("--accept", "unread", "--allow", "all")
    assert (
        fenrain("convert", tmp_path / "s.csv", "--to", "open_pbr", "-o", tmp_path / "out", "--dialect", "osier", *accepted).returncode == 0
    )


def test_what_is_lost_is_said_and_may_be_allowed(tmp_path: Path) -> None:
    # OpenPBR 1.1 holds no painted reflection.
    write_png(tmp_path / "p.png", np.random.default_rng(0).random((8, 8, 3)))
    (tmp_path / "m.mtl").write_text("newmtl pane\nKd .5 .5 .5\nillum 1\nrefl p.png\n\nnewmtl wall\nKd .5 .5 .5\nillum 1\n")

    def run(*more: str) -> subprocess.CompletedProcess[str]:
        return fenrain("convert", tmp_path / "m.mtl", "--to", "open_pbr", "-o", tmp_path / "out", *more)

    said = run()
    assert (said.returncode, said.stdout.splitlines()[1:]) == (
        1,
        ["pane: lost: reflection_image.", "wall: all came through.", "2 materials: 1 losing something"],
    )
    assert run("--quiet").stdout == "2 materials: 1 losing something\n"
    assert run("--allow", "reflection_image").returncode == run("--allow", "all").returncode == 0
    assert run("--allow", "all", "--quiet").stdout == "2 materials: 1 lost as allowed\n"
    assert run("--allow", "decal").returncode == 1
    assert fenrain("convert", tmp_path / "m.mtl", "--to", "open_pbr", "-o", tmp_path / "out", "--accept", "all").returncode == 2


def test_what_was_not_read_is_no_match_until_it_is_accepted(tmp_path: Path) -> None:
    (tmp_path / "wall.mtl").write_text("newmtl wall\nKd 0.4 0.3 0.2\nillum 1\nmap_Kd gone.png\n")
    check = ("check", tmp_path / "wall.mtl", "--to", "open_pbr", "--rig", "low_sun", "--size", 64, "--samples", 64)
    said = fenrain(*check)
    assert said.returncode == 1
    assert said.stdout.startswith("undecided  wall  not read: “gone.png” is missing") or "gone.png" in said.stdout.splitlines()[0]
    assert said.stdout.splitlines()[-1] == "1 material: 1 undecided, 1 not read in full"
    accepted = fenrain(*check, "--accept", "unread")
    assert (accepted.returncode, accepted.stdout.splitlines()[-1]) == (0, "1 material: 1 match, 1 not read but accepted")


@pytest.mark.parametrize(("name", "text"), [("deep.json", "[" * 100_000), ("deep.yaml", "[" * 200_000), ("none.csv", "")])
def test_hostile_sheets_are_one_line_and_leave_nothing(tmp_path: Path, name: str, text: str) -> None:
    (tmp_path / name).write_text(text)
    run = fenrain("convert", tmp_path / name, "--to", "open_pbr", "-o", tmp_path / "out")
    assert run.returncode == 2
    assert run.stderr.count("\n") == 1
    assert name in run.stderr
    assert not (tmp_path / "out").exists()


@pytest.mark.population
@pytest.mark.parametrize("target", ["open_pbr", "metal_rough", "standard_surface", "preview", "mtl"])
def test_a_sheet_of_many_renderers_goes_to_every_target(tmp_path: Path, target: str) -> None:
    from fenrain.demo.pump_hall import write_pump_hall

    (tmp_path / "in").mkdir()
    sheet = write_pump_hall(tmp_path / "in")
    run = fenrain("convert", sheet, "--to", target, "-o", tmp_path / "out", "--ledger", tmp_path / "ledger.json", "--allow", "all")
    assert (run.returncode, run.stderr) == (0, "")
    entries = json.loads((tmp_path / "ledger.json").read_text())
    assert len(entries) == 14
    assert len({entry["model"] for entry in entries}) >= 8
    assert all(entry["ledger"] for entry in entries)


def test_check_says_by_its_exit_code_whether_all_match(tmp_path: Path) -> None:
    (tmp_path / "good.mtl").write_text("newmtl plain\nKd 0.4 0.3 0.2\nillum 1\n")
    (tmp_path / "hard.mtl").write_text("newmtl mirror\nKd 0 0 0\nKs 1 1 1\nNs 5\n")
    small = ("--to", "open_pbr", "--rig", "low_sun", "--size", 64, "--samples", 64)
    good = fenrain("check", tmp_path / "good.mtl", *small, "--json", tmp_path / "r.json", "--pictures", tmp_path / "pictures")
    assert good.returncode == 0, good.stderr
    assert json.loads((tmp_path / "r.json").read_text())[0]["verdict"] == "match"
    assert {path.name for path in (tmp_path / "pictures").iterdir()} == {
        f"plain_low_sun_{side}.png" for side in ("original", "converted", "difference")
    }
    assert fenrain("check", tmp_path / "hard.mtl", *small).returncode == 1


def test_tolerances_of_a_file_decide(tmp_path: Path) -> None:
    (tmp_path / "plain.mtl").write_text("newmtl plain\nKd 0.4 0.3 0.2\nKs 0.3 0.3 0.3\nNs 60\n")
    strict = tmp_path / "strict.json"
    strict.write_text(json.dumps({"*": {"mirrored_detail": [0.001, 0.002]}}))
    run = fenrain("check", tmp_path / "plain.mtl", "--to", "open_pbr", "--rig", "soft_studio", "--tolerances", strict)
    assert run.returncode == 1, run.stderr
    assert "mirrored detail" in run.stdout.splitlines()[0]
    assert run.stdout.startswith("off")


@pytest.mark.parametrize("text", ["{", '{"*": {"colour": "wide"}}', '{"*": {"colour": [3, 1]}}', '{"*": {"flip": [1, 2]}}'])
def test_tolerances_that_cannot_be_are_one_line(tmp_path: Path, text: str) -> None:
    (tmp_path / "plain.mtl").write_text("newmtl plain\nKd 0.4 0.3 0.2\n")
    (tmp_path / "odd.json").write_text(text)
    run = fenrain("check", tmp_path / "plain.mtl", "--to", "open_pbr", "--tolerances", tmp_path / "odd.json")
    assert run.returncode == 2
    assert len(run.stderr.splitlines()) == 1


def test_probe_gives_brdf_times_cosine(tmp_path: Path) -> None:
    (tmp_path / "p.json").write_text(json.dumps({"diffuse": [0.5, 0.25, 0.125], "illum": 1}))
    (tmp_path / "d.csv").write_text("wi_x,wi_y,wi_z,wo_x,wo_y,wo_z\n0,0,1,0,0,1\n0.6,0,0.8,0,0,1\n")
    run = fenrain(
        "probe", "--model", "exponent", "--parameters", tmp_path / "p.json", "--directions", tmp_path / "d.csv", "-o", tmp_path / "o.csv"
    )
    assert run.returncode == 0, run.stderr
    with (tmp_path / "o.csv").open() as stream:
        rows = [[float(row[c]) for c in "rgb"] for row in csv.DictReader(stream)]
    assert rows == [approx(np.array([0.5, 0.25, 0.125]) * cosine / np.pi, rel=1e-6) for cosine in (1.0, 0.8)]


@pytest.mark.parametrize("listing", ["models", "rigs", "stands", "formats"])
def test_lists_are_json_where_asked(listing: str) -> None:
    assert {entry["id"] for entry in json.loads(fenrain(listing, "--json").stdout)} & {"open_pbr", "soft_studio", "sphere", "gltf"}


@pytest.mark.parametrize("arguments", [
    ("convert", "gone.glb", "--to", "open_pbr", "-o", "out"), ("convert", "x.glb", "--to", "nonsense", "-o", "out"), ("convert", "x.glb"),
    ("probe", "--model", "nonsense", "--parameters", "p", "--directions", "d", "-o", "o"), ("fly",),
])  # fmt: skip
def test_errors_are_one_line_and_exit_code_two(arguments: tuple[str, ...]) -> None:
    run = fenrain(*arguments)
    assert run.returncode == 2
    assert len(run.stderr.strip().splitlines()) == 1
    assert "Traceback" not in run.stderr


@pytest.mark.parametrize(
    ("profile", "said"),
    [
        ('{"extensions": "KHR_materials_ior"}', "extensions"),
        ('{"extensions": ["KHR_nonsense"]}', "KHR_nonsense"),
        ('{"maps": {"largest": -1}}', "maps.largest"),
        ('{"target": "mtl"}', "narrows mtl"),
        ('{"white_luminance": "bright"}', "white_luminance"),
        ('{"nonsense": 1}', "nonsense"),
        ("[1]", "not a target profile"),
        ("{", "cannot be read"),
    ],
)
def test_a_profile_that_is_wrong_is_refused_in_one_line(tmp_path: Path, profile: str, said: str) -> None:
    (tmp_path / "m.mtl").write_text("newmtl m\nKd 0.4 0.3 0.2\n")
    (tmp_path / "p.json").write_text(profile)
    run = fenrain("convert", tmp_path / "m.mtl", "--to", "metal_rough", "--profile", tmp_path / "p.json", "-o", tmp_path / "out")
    assert run.returncode == 2
    assert said in run.stderr
    assert run.stderr.count("\n") == 1
    assert not (tmp_path / "out").exists()


def test_a_lean_profile_holds_to_its_extensions(tmp_path: Path) -> None:
    (tmp_path / "m.mtl").write_text("newmtl m\nKd 0.4 0.3 0.2\nKe 4 2 1\n")
    (tmp_path / "p.json").write_text('{"extensions": ["KHR_materials_ior"], "maps": {"largest": 256}}')
    run = fenrain("convert", tmp_path / "m.mtl", "--to", "metal_rough", "--profile", tmp_path / "p.json", "-o", tmp_path / "out")
    assert run.returncode == 0, run.stderr
    written = (tmp_path / "out" / "m.glb").read_bytes()
    assert b"KHR_materials_emissive_strength" not in written


def test_an_unknown_target_names_those_that_are_known() -> None:
    run = fenrain("convert", "x.mtl", "--to", "nonsense", "-o", "out")
    assert run.returncode == 2
    assert "metal_rough.core" in run.stderr


@pytest.mark.faults
def test_a_farm_needs_nothing_of_the_server(tmp_path: Path) -> None:
    """The wheel alone, without [server]: what it does not bring is taken away here."""
    (tmp_path / "plate.mtl").write_text("newmtl plate\nKd 0.4 0.3 0.2\nNs 60\n")
    without = "import sys; sys.modules.update(dict.fromkeys({names}, None)); from fenrain.cli import main; main()"
    names = (
        "alembic",
        "argon2",
        "distributed",
        "fastapi",
        "fsspec",
        "limits",
        "pydantic_settings",
        "pymysql",
        "sqlalchemy",
        "uvicorn",
        "zxcvbn",
    )

    def farm(*arguments: object) -> subprocess.CompletedProcess[str]:
        command = [sys.executable, "-c", without.format(names=names), *map(str, arguments)]
        return subprocess.run(command, capture_output=True, text=True, check=False)

    done = farm("convert", tmp_path / "plate.mtl", "--to", "open_pbr", "-o", tmp_path / "out")
    assert done.returncode == 0, done.stderr
    assert (tmp_path / "out" / "plate.mtlx").exists()
    refused = farm("people")
    assert refused.returncode == 2
    assert "fenrain[server]" in refused.stderr
    assert "Traceback" not in refused.stderr
