"""The HTTP interface on a real MariaDB, jobs done in this process where a test needs their result."""

from __future__ import annotations

import io
import json
import zipfile
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import select

from fenrain.demo.heron_lode import ENGINE_HOUSE
from fenrain.store.database import session
from fenrain.store.tables import JobItem
from tests.api.conftest import board_rows, found_in, hand_in, work_off
from tests.conftest import fenrain

pytestmark = [pytest.mark.usefixtures("database"), pytest.mark.pictures]


def test_take_in_says_what_was_found_before_anything_enters(client: TestClient, project: int, heron_lode: Path) -> None:
    before = len(board_rows(client, project))
    answer = hand_in(
        client,
        project,
        (ENGINE_HOUSE, (heron_lode / ENGINE_HOUSE).read_bytes()),
        ("bad.glb", b"glTF"),
        ("m.mtl", b"newmtl a\nmap_Kd gone.png\n"),
    )
    assert answer.status_code == 201
    body = answer.json()
    found = found_in(client, body)
    assert len(found) == 7
    assert body["errors"][0]["file"] == "bad.glb"
    assert body["errors"][0]["remedy"]
    assert found[-1]["findings"][0]["code"] == "missing-map"
    assert len(board_rows(client, project)) == before


def test_zip_is_taken_apart(client: TestClient, project: int) -> None:
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        archive.writestr("folder/m.mtl", "newmtl zipped\nKd 1 0 0\n")
    assert found_in(client, hand_in(client, project, ("all.zip", packed.getvalue())).json())[0]["name"] == "zipped"


def test_duplicates_are_pointed_out(client: TestClient, project: int) -> None:
    found = found_in(client, hand_in(client, project, ("m.mtl", b"newmtl a\nKd 1 0 0\nnewmtl b\nKd 1 0 0\n")).json())
    assert [finding["code"] for finding in found[1]["findings"]] == ["duplicate"]


@pytest.mark.parametrize(("name", "data", "code"), [
    ("notes.txt", b"hello", "unknown-format"), ("../m.mtl", b"newmtl a\n", "unsafe-path"), ("bad.zip", b"PK\x03\x04", "input"),
])  # fmt: skip
def test_wrong_uploads_are_problems_with_a_remedy(client: TestClient, project: int, name: str, data: bytes, code: str) -> None:
    answer = hand_in(client, project, (name, data))
    assert answer.status_code == 422
    assert answer.headers["content-type"] == "application/problem+json"
    problem = answer.json()
    assert problem["code"] == code
    assert problem["detail"]
    assert problem["remedy"]


def test_upload_cut_off_stores_nothing(client: TestClient, project: int) -> None:
    boundary = "----cut"
    body = f'--{boundary}\r\nContent-Disposition: form-data; name="files"; filename="m.mtl"\r\n\r\nnewmtl a'.encode()
    answer = client.post(
        f"/api/v1/projects/{project}/intakes", content=body, headers={"Content-Type": f"multipart/form-data; boundary={boundary}"}
    )
    assert answer.status_code in (400, 422)
    assert answer.headers["content-type"] == "application/problem+json"


def test_board_row_has_both_pictures_and_the_numbers(client: TestClient, converted: dict[str, Any]) -> None:
    assert {check["rig"] for check in converted["checks"]} == {"soft_studio", "low_sun", "fine_bars"}
    check = converted["checks"][0]
    assert check["decision"]["verdict"] in ("match", "near", "off")
    assert converted["figures"]["metric"] in ("mirrored_detail", "detail_through", "opening")
    assert converted["verdict"]["text"].startswith(converted["verdict"]["verdict"])
    assert check["pictures"]["pixels"] == ""  # too small to be looked at
    for digest in filter(None, check["pictures"].values()):
        answer = client.get(f"/api/v1/files/{digest}")
        assert answer.content.startswith(b"\x89PNG")
        assert "immutable" in answer.headers["cache-control"]


def test_ledger_shows_every_value_with_rule_and_source(client: TestClient, converted: dict[str, Any]) -> None:
    view = client.get(f"/api/v1/conversions/{converted['conversion_id']}").json()
    entries = {entry["target"]: entry for entry in view["ledger"]}
    assert {"base_color", "specular_ior", "specular_roughness"} <= set(entries)
    assert all(entry["steps"][0]["text"] and entry["steps"][0]["source"] for name, entry in entries.items() if name)


def test_override_needs_the_version_and_makes_a_new_check(client: TestClient, converted: dict[str, Any], project: int) -> None:
    address = f"/api/v1/conversions/{converted['conversion_id']}"
    seen = client.get(address).headers["etag"]
    value = {"value": 0.77}
    assert client.patch(f"{address}/values/specular_roughness", json=value).status_code == 428
    changed = client.patch(f"{address}/values/specular_roughness", json=value, headers={"If-Match": seen})
    assert changed.status_code == 200
    assert changed.json()["checking"]
    entry = next(entry for entry in changed.json()["ledger"] if entry["target"] == "specular_roughness")
    assert entry["override"] == {"constant": 0.77}
    assert entry["derived"] != entry["override"]
    late = client.patch(f"{address}/values/specular_roughness", json={"value": 0.1}, headers={"If-Match": seen})
    assert late.status_code == 412
    assert late.json()["code"] == "changed-meanwhile"
    back = client.delete(f"{address}/values/specular_roughness", headers={"If-Match": changed.headers["etag"]})
    assert next(e for e in back.json()["ledger"] if e["target"] == "specular_roughness")["override"] is None
    assert back.json()["checks"], "the old check belongs to the old look again"


@pytest.mark.parametrize(
    ("name", "value"), [("specular_roughness", 1.5), ("specular_roughness", [1, 2, 3]), ("base_color", 7), ("nonsense", 1)]
)
def test_impossible_values_are_refused(client: TestClient, converted: dict[str, Any], name: str, value: Any) -> None:
    address = f"/api/v1/conversions/{converted['conversion_id']}"
    answer = client.patch(f"{address}/values/{name}", json={"value": value}, headers={"If-Match": client.get(address).headers["etag"]})
    assert answer.status_code == 422
    assert answer.json()["code"] == "parameter"
    assert answer.json()["remedy"]


@pytest.mark.parametrize(("target", "suffix"), [("open_pbr", ".mtlx"), ("metal_rough", ".glb"), ("exponent", ".mtl")])
def test_delivery_is_an_archive_of_what_was_written(
    client: TestClient, project: int, converted: dict[str, Any], target: str, suffix: str
) -> None:
    request = {"material_ids": [converted["material_id"]], "target": target}
    job = client.post(f"/api/v1/projects/{project}/deliveries", json=request).json()
    assert client.get(f"/api/v1/jobs/{job['id']}/archive").status_code == 404
    work_off(job["id"])
    shown = client.get(f"/api/v1/jobs/{job['id']}").json()
    assert (shown["state"], shown["errors"]) == ("done", [])
    archive = zipfile.ZipFile(io.BytesIO(client.get(f"/api/v1/jobs/{job['id']}/archive").content))
    assert any(name.endswith(suffix) for name in archive.namelist())
    # All lies in one folder, named after project, target and day.
    (folder,) = {name.partition("/")[0] for name in archive.namelist()}
    assert {f"{folder}/{file['name']}" for file in shown["files"]} == set(archive.namelist())
    assert folder.endswith(shown["created"][:10])
    ledger = json.loads(archive.read(f"{folder}/ledger.json"))
    assert [one["material"] for one in ledger["materials"]] == [converted["name"]]
    assert ledger["materials"][0]["ledger"]
    # The standard's validator finds nothing, and read back it looks the same.
    assert [(one["errors"], one["said"]) for one in shown["validations"] if one["by"]] == [(0, [])] * (1 if suffix == ".mtl" else 2)


def test_a_delivery_says_what_it_holds_otherwise_than_an_earlier_one(client: TestClient, project: int, tmp_path: Path) -> None:
    intake = hand_in(
        client,
        project,
        ("two.mtl", b"newmtl rail\nKd 0.4 0.4 0.4\nillum 1\nnewmtl knob\nKd 0.2 0.1 0.1\nillum 1\nnewmtl cord\nKd 0.3 0.3 0.2\nillum 1\n"),
    ).json()
    work_off(client.post(f"/api/v1/intakes/{intake['id']}/accept", json={"target": "metal_rough", "profile": "core"}).json()["id"])
    rows = {row["name"]: row for row in board_rows(client, project, target="metal_rough", profile="core")}

    def written(*names: str) -> int:
        request = {"material_ids": [rows[name]["material_id"] for name in names], "target": "metal_rough", "profile": "core"}
        job = client.post(f"/api/v1/projects/{project}/deliveries", json=request).json()["id"]
        work_off(job)
        path = tmp_path / f"{job}.zip"
        path.write_bytes(client.get(f"/api/v1/jobs/{job}/archive").content)
        return int(job)

    first = written("rail", "knob", "cord")
    address = f"/api/v1/conversions/{rows['rail']['conversion_id']}"
    client.patch(f"{address}/values/roughness", json={"value": 0.25}, headers={"If-Match": client.get(address).headers["etag"]})
    second = written("rail", "knob")
    found = client.get(f"/api/v1/jobs/{second}/archive/since/{first}").json()
    (changed,) = found["changed"]
    was = changed["values"][0]["before"]
    assert (changed["name"], changed["values"]) == ("rail", [{"name": "roughness", "before": was, "after": "0.25"}])
    assert changed["was"] == rows["rail"]["verdict"]["verdict"]
    assert (found["same"], found["added"], found["removed"]) == (1, [], ["cord (two.mtl)"])
    assert found["files_changed"] == ["two_metal_rough/two_metal_rough.glb"]
    assert client.get(f"/api/v1/jobs/{first}/archive/since/{first}").json()["changed"] == []
    assert client.get(f"/api/v1/jobs/{second}/archive/since/99999").status_code == 404
    # By the command line the same, of the archive and of its folder unpacked.
    with zipfile.ZipFile(tmp_path / f"{second}.zip") as archive:
        archive.extractall(tmp_path)
    (folder,) = [path for path in tmp_path.iterdir() if path.is_dir()]
    for later in (folder, tmp_path / f"{second}.zip"):
        told = fenrain("difference", tmp_path / f"{first}.zip", later, "--json")
        assert {**json.loads(told.stdout), "titles": found["titles"]} == found
    assert "1 changed, 1 the same, 0 new, 1 gone" in fenrain("difference", tmp_path / f"{first}.zip", folder).stdout


@pytest.mark.parametrize(("name", "data", "says"), [("a.zip", b"PK", "not a whole archive"), ("b.zip", None, "no delivery")])
def test_what_is_no_delivery_is_not_compared(tmp_path: Path, name: str, data: bytes | None, says: str) -> None:
    if data is not None:
        (tmp_path / name).write_bytes(data)
    told = fenrain("difference", tmp_path / name, tmp_path / name)
    assert (told.returncode, says in told.stderr) == (2, True)


def test_a_check_is_made_once(client: TestClient, converted: dict[str, Any]) -> None:
    address = f"/api/v1/conversions/{converted['conversion_id']}/checks"
    counts = []
    for _ in range(2):
        job = client.post(address, json={"rigs": ["low_sun"], "size": 48, "samples": 8}).json()
        work_off(job["id"])
        counts.append(len(client.get(f"/api/v1/conversions/{converted['conversion_id']}").json()["checks"]))
    assert counts[0] == counts[1]


def test_an_item_of_broken_data_fails_with_its_reason_and_can_be_taken_up_again(client: TestClient, project: int) -> None:
    job = client.post(f"/api/v1/projects/{project}/conversions", json={"material_ids": None}).json()
    with session() as database:
        item = database.scalars(select(JobItem).where(JobItem.job_id == job["id"])).first()
        assert item is not None
        item.payload = {**item.payload, "each": [10**9, *item.payload["each"][1:]]}
    work_off(job["id"])
    shown = client.get(f"/api/v1/jobs/{job['id']}").json()
    assert (shown["state"], shown["failed"]) == ("failed", 1)
    assert "no such material" in shown["errors"][0]
    again = client.post(f"/api/v1/jobs/{job['id']}/resume").json()
    assert (again["state"], again["failed"]) == ("running", 0)
    assert client.post(f"/api/v1/jobs/{job['id']}/cancel").json()["state"] == "cancelled"


@pytest.mark.parametrize(
    "address", ["projects/99999/board", "conversions/99999", "jobs/99999", "intakes/99999", "files/abc", "nothing/here"]
)
def test_what_is_not_there_is_a_problem(client: TestClient, address: str) -> None:
    answer = client.get(f"/api/v1/{address}")
    assert answer.status_code == 404 or "text/html" in answer.headers["content-type"]
    if answer.status_code == 404:
        assert answer.headers["content-type"] == "application/problem+json"


def test_an_error_inside_shows_no_trace(client: TestClient, monkeypatch: pytest.MonkeyPatch) -> None:
    from fenrain.api.routers import board

    def broken(*_: object) -> None:
        raise ZeroDivisionError("secret detail")

    monkeypatch.setattr(board, "project_view", broken)
    answer = client.get("/api/v1/projects")
    assert answer.status_code == 500
    assert "secret" not in answer.text
    assert answer.json()["remedy"]


def test_models_and_state_are_listed(client: TestClient, project: int) -> None:
    assert {"open_pbr", "spec_gloss"} <= {model["id"] for model in client.get("/api/v1/models").json()}
    targets = {target["model"] for target in client.get(f"/api/v1/projects/{project}/targets").json()}
    assert "open_pbr" in targets
    assert "spec_gloss" not in targets
    assert client.get("/api/v1/state").json()["engine_runs"]


def test_a_layer_is_read_with_the_stage_that_names_it(client: TestClient, project: int) -> None:
    # Whichever comes first by its name.
    layer = b'#usda 1.0\ndef Material "Oak" (displayName = "oak") {}\n'
    stage = b'#usda 1.0\ndef "Table"\n{\n    def "Looks" (prepend references = @./%s@</Oak>) {}\n}\n'
    for other in (b"a.usda", b"z.usda"):
        intake = hand_in(client, project, ("table.usda", stage % other), (other.decode(), layer)).json()
        assert [(one["file"], one["name"]) for one in found_in(client, intake)] == [("table.usda", "oak")]
        assert not intake["unused"]
