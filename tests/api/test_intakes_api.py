"""An intake that grows: more files, a unit of length, corrections of maps, and being there again; nothing of it changes the files."""

from __future__ import annotations

import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from fastapi.testclient import TestClient
from sqlalchemy.orm import Session

from fenrain.core.corrections import Correction
from fenrain.core.maps.image import inspect, write_png
from fenrain.core.values import Map
from fenrain.services import intakes
from fenrain.settings import settings
from fenrain.store.database import session
from fenrain.store.rows import load_material
from fenrain.store.tables import Intake, MaterialRow
from tests.api.conftest import found_in, hand_in, work_off

pytestmark = [pytest.mark.usefixtures("database"), pytest.mark.pictures]
SHEET = b"newmtl wall\nKd 1 1 1\nmap_Kd rust_diffuse.png\nmap_Ns wall_rough.png\nNs 100\n"


@pytest.fixture
def project(client: TestClient, request: pytest.FixtureRequest) -> int:
    return int(client.post("/api/v1/projects", json={"name": request.node.name}).json()["id"])


@pytest.fixture
def maps(tmp_path: Path) -> dict[str, bytes]:
    random = np.random.default_rng(3)
    write_png(tmp_path / "rust_diffuse.png", random.random((8, 8, 3)))
    write_png(tmp_path / "wall_rough.png", random.random((8, 8, 1)))
    return {path.name: path.read_bytes() for path in tmp_path.glob("*.png")}


def add(client: TestClient, intake: int, **files: bytes) -> Any:
    return client.post(f"/api/v1/intakes/{intake}/files", files=[("files", (name, data)) for name, data in files.items()])


def found(client: TestClient, intake: dict[str, Any]) -> dict[str, Any]:
    (material,) = found_in(client, intake)
    return material


def codes(material: dict[str, Any]) -> set[str]:
    return {finding["code"] for finding in material["findings"]}


def test_a_missing_map_alone_is_handed_in_afterwards(client: TestClient, project: int, maps: dict[str, bytes]) -> None:
    intake = hand_in(client, project, ("wall.mtl", SHEET), ("wall_rough.png", maps["wall_rough.png"])).json()
    assert "missing-map" in codes(found(client, intake))
    whole = add(client, intake["id"], **{"rust_diffuse.png": maps["rust_diffuse.png"]}).json()
    assert whole["id"] == intake["id"]
    assert "missing-map" not in codes(found(client, whole))
    assert (whole["files"], whole["missing"]) == (3, [])
    # It is there again when somebody comes back, until it has entered the board or was put aside.
    assert client.get(f"/api/v1/projects/{project}/intakes/open").json()["id"] == intake["id"]
    assert client.delete(f"/api/v1/intakes/{intake['id']}").status_code == 204
    assert client.get(f"/api/v1/projects/{project}/intakes/open").json() is None


def test_files_that_lie_outside_are_refused_and_nothing_is_lost(client: TestClient, project: int) -> None:
    intake = hand_in(client, project, ("wall.mtl", SHEET)).json()
    assert add(client, intake["id"], **{"../../evil.png": b"x"}).status_code == 422
    assert client.get(f"/api/v1/intakes/{intake['id']}").json() == intake


def test_the_evidence_of_a_map_is_said_and_one_action_corrects_it(client: TestClient, project: int, maps: dict[str, bytes]) -> None:
    intake = hand_in(client, project, ("wall.mtl", SHEET), *maps.items()).json()
    material = found(client, intake)
    assert set(material["mapped"]) >= {"diffuse"}
    mapped = material["mapped"][0]
    address = f"/api/v1/intakes/{intake['id']}/found/{material['position']}/corrections"
    corrected = client.post(address, json={"parameter": mapped, "encoding": "linear"})
    assert corrected.status_code == 200
    assert "corrected" in codes(found(client, corrected.json()))
    assert client.post(address, json={"parameter": "nonsense", "invert": True}).status_code == 422
    assert client.post(address, json={"parameter": mapped, "channel": "r"}).status_code == 422
    refused = client.post(address, json={"parameter": mapped, "encoding": "nonsense"})
    assert refused.status_code == 422
    job = client.post(f"/api/v1/intakes/{intake['id']}/accept", json={}).json()
    work_off(job["id"])
    with session() as database:
        row = database.query(MaterialRow).filter(MaterialRow.intake_id == intake["id"]).one()
        value = load_material(row).value(mapped)
    assert isinstance(value, Map)
    assert value.encoding == "linear"
    late = client.post(address, json={"parameter": mapped, "encoding": "srgb"})
    assert late.status_code == 422
    assert "entered the board already" in late.json()["detail"]


def test_a_unit_is_said_for_files_that_state_none(client: TestClient, project: int) -> None:
    intake = hand_in(client, project, ("wall.mtl", SHEET)).json()
    assert (intake["unit"], found(client, intake)["unit"]) == (0.0, 0.0)
    counted = client.put(f"/api/v1/intakes/{intake['id']}/unit", json={"metres": 0.01}).json()
    assert (counted["unit"], found(client, counted)["unit"]) == (0.01, 0.01)
    assert client.put(f"/api/v1/intakes/{intake['id']}/unit", json={"metres": -1}).status_code == 422


def test_a_number_and_the_model_are_corrected_and_taken_back(client: TestClient, project: int) -> None:
    sheet = b'[{"Surface": "rail", "Polish": 30}, {"Surface": "gate", "Polish": 30}]'
    intake = hand_in(client, project, ("yard.json", sheet)).json()
    rail, gate = found_in(client, intake)
    assert "duplicate" in codes(gate)
    address = f"/api/v1/intakes/{intake['id']}/found/{rail['position']}/corrections"
    told = client.post(address, json={"parameter": "glossiness", "invert": True}).json()
    assert told["found"] == {"materials": 2, "taken": 2, "doubtful": 0, "changed": 1, "without_unit": 2}
    corrected = found_in(client, told)
    assert [one["changed"] for one in corrected] == [True, False]
    assert corrected[0]["values"]["glossiness"] == "0.7"
    assert corrected[0]["picture"] != rail["picture"], "the picture follows at once"
    assert client.get(f"/api/v1/files/{corrected[0]['picture']}").headers["content-type"] == "image/png"
    assert corrected[1]["values"] == gate["values"]
    assert "duplicate" not in codes(corrected[1]), "they are the same no longer"
    rough = found_in(client, client.post(address, json={"model": "metal_rough"}).json())[0]
    assert (rough["model"], rough["values"]["roughness"], rough["corrections"]) == ("metal_rough", "0.3", 2)
    assert client.post(address, json={"parameter": "glossiness", "invert": True}).status_code == 422
    assert client.post(address, json={"model": "shiny"}).status_code == 422
    again = found_in(client, client.delete(address).json())
    assert (again[0]["model"], again[0]["values"], again[0]["corrections"]) == (rail["model"], rail["values"], 0)
    assert "duplicate" in codes(again[1])


def test_how_well_dialects_fit_a_sheet_is_said_and_a_draft_begun(client: TestClient, project: int) -> None:
    # One column is misspelt, one nobody knows.
    sheet = b'[{"Surface": "rail", "Body colour": [1, 2, 3], "Shine colour": [9, 9, 9], "Polsh": 30, "Wobble": 2}]'
    intake = hand_in(client, project, ("yard.json", sheet)).json()
    fit = client.get(f"/api/v1/intakes/{intake['id']}/sheet", params={"file": "yard.json"}).json()
    best = fit["fits"][0]
    assert (best["id"], best["recognised"], best["columns"]) == ("sedge", 2, 4)
    assert (best["misspelt"], best["unknown"]) == ({"Polsh": "Polish"}, ["Wobble"])
    assert fit["fits"][-1]["recognised"] == 0
    tried = client.post("/api/v1/dialects/try", json={"dialect": fit["draft"], "sheet": fit["rows"], "kind": ".json"}).json()
    assert (tried["problems"], tried["refused"]) == ([], "")
    assert [material["name"] for material in tried["materials"]] == ["rail"]
    assert client.get(f"/api/v1/intakes/{intake['id']}/sheet", params={"file": "gone.json"}).status_code == 404


def test_nothing_of_the_server_is_read_but_images_below_named_roots(
    client: TestClient, project: int, maps: dict[str, bytes], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    text = b"newmtl a\nmap_Kd creds.json\nmap_Ks wall_rough.png\nmap_Bump secret.png\n"
    intake = hand_in(client, project, ("a.mtl", text)).json()
    assert intake["search_roots"] == []
    shows, outside = tmp_path / "shows", tmp_path / "outside"
    for folder in (shows, outside):
        folder.mkdir()
        (folder / "creds.json").write_text("{}")
        (folder / "secret.png").write_text("not an image")
        (folder / "wall_rough.png").write_bytes(maps["wall_rough.png"])
    (shows / "way out").symlink_to(outside)
    data = settings().data / "files"

    def looked_into(folder: Path | str) -> tuple[int, set[str]]:
        answer = client.post(f"/api/v1/intakes/{intake['id']}/search", json={"folder": str(folder)})
        return answer.status_code, {name for name in stored_files(intake["id"]) if name.startswith("found/")}

    assert looked_into(shows) == (422, set()), "no roots, no search"
    monkeypatch.setattr(settings(), "search_roots", (shows, settings().data))
    for forbidden in (outside, shows / "way out", shows / ".." / "outside", data, "/etc", "/", "\0", "x" * 3000):
        assert looked_into(forbidden) == (422, set()), forbidden
    assert looked_into(shows) == (200, {"found/wall_rough.png"})


def stored_files(intake_id: int) -> set[str]:
    with session() as database:
        return set(database.get_one(Intake, intake_id).files)


def test_missing_maps_are_found_again_below_a_folder(
    client: TestClient, project: int, maps: dict[str, bytes], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    intake = hand_in(client, project, ("wall.mtl", SHEET)).json()
    address = f"/api/v1/intakes/{intake['id']}"
    library = tmp_path / "library"
    library.mkdir()
    monkeypatch.setattr(settings(), "search_roots", (tmp_path,))
    for refused in (str(tmp_path / "nowhere"), "", str(library)):
        assert client.post(f"{address}/search", json={"folder": refused}).status_code == 422
    for folder in ("old", "new"):
        (library / folder).mkdir(parents=True)
        (library / folder / "rust_diffuse.png").write_bytes(maps["rust_diffuse.png"] if folder == "new" else maps["wall_rough.png"])
    (library / "wall_rough.png").write_bytes(maps["wall_rough.png"])
    searched = client.post(f"{address}/search", json={"folder": str(library)}).json()
    assert "missing-map" not in codes(found(client, searched))
    doubt = next(finding for finding in found(client, searched)["findings"] if finding["code"] == "namesakes")
    assert doubt["choices"] == ["found/new/rust_diffuse.png", "found/old/rust_diffuse.png"]
    assert client.put(f"{address}/namesake", json={"name": "rust_diffuse.png", "path": "found/else/rust_diffuse.png"}).status_code == 404
    chosen = client.put(f"{address}/namesake", json={"name": "rust_diffuse.png", "path": doubt["choices"][0]}).json()
    assert "namesakes" not in codes(found(client, chosen))
    assert "rust_diffuse.png" in found(client, chosen)["maps"]
    assert client.post(f"{address}/search", json={"folder": str(library)}).status_code == 422, "nothing is missing any more"


def test_a_mix_by_slope_is_drawn_on_the_mesh_that_carries_it(client: TestClient, project: int) -> None:
    rows = (
        b'[{"dialect": "osier", "Label": "slate", "Paint": [20, 20, 20]}, {"dialect": "osier", "Label": "snow", "Paint": [240, 240, 240]},'
        b'{"dialect": "confluence", "blend": "roof", "under": "slate", "over": "snow", "share": 100, "by": "slope"}]'
    )
    mesh = b"v 0 0 0\nv 1 0 0\nv 0 0 -1\nvt 0 0\nvt 1 0\nvt 0 1\nusemtl roof\nf 1/1 2/2 3/3\n"
    intake = hand_in(client, project, ("roof.json", rows), ("roof.obj", mesh)).json()
    roof = next(one for one in found_in(client, intake) if one["name"] == "roof" and one["file"] == "roof.json")
    assert "slopes-drawn" in codes(roof)
    assert "amount" in roof["mapped"]
    job = client.post(f"/api/v1/intakes/{intake['id']}/accept", json={"positions": [roof["position"]]}).json()
    work_off(job["id"])
    with session() as database:
        (row,) = database.query(MaterialRow).filter(MaterialRow.project_id == project).all()
        amount = load_material(row).value("amount")
    assert isinstance(amount, Map)
    # It lies flat, so that all of it faces up: snow.
    assert inspect(amount.image).width == 1024
    assert amount.image.read()[:4] == b"\x89PNG"


def test_what_was_found_is_filtered_paged_and_left_out_until_it_enters(client: TestClient, project: int) -> None:
    sheet = "".join(f"newmtl paint_{number:03}\nKd 0.{number + 100} 0.2 0.1\n" for number in range(120))
    doubtful = "newmtl odd_one\nKd 0.5 0.5 0.5\nmap_Kd gone.png\n"
    intake = hand_in(client, project, ("paints.mtl", sheet.encode()), ("odd.mtl", doubtful.encode())).json()
    address = f"/api/v1/intakes/{intake['id']}"
    assert intake["found"] | {"without_unit": 0} == {"materials": 121, "taken": 121, "doubtful": 1, "changed": 0, "without_unit": 0}
    assert (intake["missing"], intake["found_in"], intake["found_as"]) == (["gone.png"], ["odd.mtl", "paints.mtl"], ["exponent"])
    whole = [one["name"] for one in found_in(client, intake, most=500)]
    assert [one["name"] for begin in (0, 50, 100) for one in found_in(client, intake, offset=begin)] == whole
    assert client.get(f"{address}/found", params={"find": "PAINT_00", "most": 3}).json()["total"] == 10
    assert [one["name"] for one in found_in(client, intake, doubts="doubtful")] == ["odd_one"]
    assert len(found_in(client, intake, doubts="sound", file="paints.mtl", most=500)) == 120
    assert client.get(f"{address}/found", params={"most": 501}).status_code == 422
    # All that pass a filter are left out at once, and one is taken all the same; so it stays when files join them and all is read again.
    assert client.put(f"{address}/taken", json={"taken": False, "find": "paint_"}).json()["found"]["taken"] == 1
    (third,) = found_in(client, intake, find="paint_002")
    assert client.put(f"{address}/taken", json={"taken": True, "positions": [third["position"]]}).json()["found"]["taken"] == 2
    more = add(client, intake["id"], **{"a_first.mtl": b"newmtl first\nKd 0.9 0.1 0.1\n"}).json()
    assert more["found"]["materials"] == 122
    entering = [one["name"] for one in found_in(client, more, most=500) if one["taken"]]
    assert sorted(entering) == ["first", "odd_one", "paint_002"]
    job = client.post(f"{address}/accept", json={}).json()
    work_off(job["id"])
    with session() as database:
        rows = database.query(MaterialRow).filter(MaterialRow.intake_id == intake["id"]).all()
        assert sorted(row.name for row in rows) == sorted(entering)
    assert client.put(f"{address}/taken", json={"taken": True}).status_code == 422


def test_two_who_correct_at_once_lose_nothing(client: TestClient, project: int) -> None:
    sheet = b'[{"Surface": "rail", "Polish": 30}, {"Surface": "gate", "Polish": 40}]'
    intake = hand_in(client, project, ("yard.json", sheet)).json()

    def correct(database: Session, position: int) -> None:
        intakes.correct_material(database, intake["id"], position, Correction(parameter="glossiness", invert=True))

    def correct_too() -> None:
        with session() as second:
            correct(second, 1)

    with ThreadPoolExecutor(1) as beside:
        with session() as first:
            correct(first, 0)
            waits = beside.submit(correct_too)
            time.sleep(0.5)
        waits.result()
    found = found_in(client, intake)
    assert [(one["corrections"], one["values"]["glossiness"]) for one in found] == [(1, "0.7"), (1, "0.6")]


def test_a_dialect_that_was_changed_meanwhile_lets_nothing_in_unseen(client: TestClient, project: int) -> None:
    dialect = "dialect: 1\nid: house-shine\nname: House shine\nmodel: spec_gloss\nparameters:\n  - {name: Shine, feeds: glossiness}\n"
    client.put("/api/v1/dialects/house-shine", json={"text": dialect}, headers={"If-Match": '"0"'})
    intake = hand_in(client, project, ("hall.json", b'[{"dialect": "house-shine", "name": "rail", "Shine": 0.3}]')).json()
    address = f"/api/v1/intakes/{intake['id']}"
    assert [one["values"]["glossiness"] for one in found_in(client, intake)] == ["0.3"]
    rough = dialect.replace("glossiness}", "glossiness, steps: [invert]}")
    client.put("/api/v1/dialects/house-shine", json={"text": rough}, headers={"If-Match": '"1"'})
    refused = client.post(f"{address}/accept", json={})
    assert (refused.status_code, refused.json()["code"]) == (412, "changed-meanwhile")
    assert "“rail” reads otherwise than it was shown" in refused.json()["detail"]
    # What it reads now is shown, and enters then.
    assert [one["values"]["glossiness"] for one in found_in(client, intake)] == ["0.7"]
    assert client.post(f"{address}/accept", json={}).status_code == 202
    client.delete("/api/v1/dialects/house-shine")


def test_a_doubtful_reading_is_shown_beside_the_one_of_its_remedy(client: TestClient, project: int) -> None:
    intake = hand_in(client, project, ("pane.mtl", b"newmtl pane\nKd 0 0 0\nKs 1 1 1\nNs 900\nNi 1.5\nd 0.1\nillum 7\n")).json()
    pane = found(client, intake)
    assert "glass-as-mirror" in codes(pane)
    pictures = [client.get(f"/api/v1/files/{pane[name]}").content for name in ("picture", "otherwise")]
    assert pictures[0] != pictures[1]
    (doubt,) = [finding for finding in pane["findings"] if finding["code"] == "glass-as-mirror"]
    address = f"/api/v1/intakes/{intake['id']}/found/{pane['position']}/corrections"
    taken = found(client, client.post(address, json={"parameter": doubt["parameter"], **doubt["fix"]}).json())
    assert (taken["picture"], taken["otherwise"]) == (pane["otherwise"], "")


def test_meshes_without_texture_coordinates_get_some_in_one_action(client: TestClient, project: int, maps: dict[str, bytes]) -> None:
    mesh = b"mtllib wall.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl wall\nf 1 2 3\n"
    files = (("wall.obj", mesh), ("wall.mtl", SHEET), *maps.items())
    intake = hand_in(client, project, *files).json()
    wall = found(client, intake)
    assert ("missing-uv-set" in codes(wall), wall["lacks_uvs"], wall["projection"]) == (True, True, "")
    address = f"/api/v1/intakes/{intake['id']}/found/{wall['position']}/corrections"
    laid = found(client, client.post(address, json={"projection": "box"}).json())
    assert ("missing-uv-set" in codes(laid), laid["projection"], laid["corrections"]) == (False, "box", 1)
    assert client.post(address, json={"projection": "cone"}).status_code == 422
    back = found(client, client.delete(address).json())
    assert "missing-uv-set" in codes(back)
