"""Rigs and stands of a project: chosen, uploaded, looked at; and variants of a material."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import pytest
from fastapi.testclient import TestClient

from fenrain.core.errors import NotFoundError
from fenrain.demo.heron_lode import ENGINE_HOUSE
from fenrain.services.live_views import frames
from fenrain.services.picture_frames import PictureFrame, ViewRequest
from tests.api.conftest import board_rows, hand_in, work_off

pytestmark = [pytest.mark.usefixtures("database"), pytest.mark.pictures]


def exr(path: Path) -> Path:
    light = np.full((32, 64, 3), 0.1, np.float32)
    light[8:10, 20:22] = 40.0
    assert oiio.ImageBuf(light).write(str(path))
    return path


def last_of(request: ViewRequest) -> PictureFrame:
    *_, last = frames(request, lambda: None)
    return last


def test_a_project_chooses_its_rigs(client: TestClient, project: int) -> None:
    shipped = client.get("/api/v1/rigs").json()
    usual = [rig["id"] for rig in shipped if not rig["stands_by"]]
    projects = {one["id"]: one for one in client.get("/api/v1/projects").json()}
    assert projects[project]["rigs"] == usual
    changed = client.put(f"/api/v1/projects/{project}/rigs", json={"rigs": ["back_light", "low_sun:35"]})
    assert changed.json()["rigs"] == ["back_light", "low_sun:35"]
    for wrong in (["nowhere"], ["low_sun:95"], ["low_sun", "low_sun"]):
        refused = client.put(f"/api/v1/projects/{project}/rigs", json={"rigs": wrong})
        assert refused.status_code in (404, 422)
        assert refused.json()["remedy"]
    assert client.put(f"/api/v1/projects/{project}/rigs", json={"rigs": []}).json()["rigs"] == usual


def test_own_surroundings_are_a_rig_of_their_project(client: TestClient, project: int, tmp_path: Path) -> None:
    address = f"/api/v1/projects/{project}/surroundings"
    with exr(tmp_path / "hall.exr").open("rb") as stream:
        made = client.post(address, files={"file": ("hall.exr", stream)})
    assert made.status_code == 201, made.text
    rig = made.json()["id"]
    with (tmp_path / "hall.exr").open("rb") as stream:
        assert client.post(address, files={"file": ("hall.exr", stream)}).json()["id"] == rig
    assert [one["id"] for one in client.get(f"/api/v1/rigs?project_id={project}").json() if one["own"]] == [rig]
    assert not [one for one in client.get("/api/v1/rigs").json() if one["own"]]
    assert client.put(f"/api/v1/projects/{project}/rigs", json={"rigs": [rig]}).json()["rigs"] == [rig]
    broken = client.post(address, files={"file": ("flat.png", b"\x89PNG and then nothing")})
    assert broken.status_code == 422
    assert broken.json()["remedy"]
    outside = client.post(address, files={"file": ("../../hall.exr", b"x")})
    assert outside.status_code == 422
    # Which lights a project is judged under is for supervisors to choose: nobody takes one away in passing.
    assert client.delete(f"{address}/{rig}").json()["code"] == "changed-meanwhile"
    client.put(f"/api/v1/projects/{project}/rigs", json={"rigs": []})
    assert client.delete(f"{address}/{rig}").status_code == 204
    assert client.delete(f"{address}/{rig}").status_code == 404
    projects = {one["id"]: one for one in client.get("/api/v1/projects").json()}
    assert rig not in projects[project]["rigs"]


def test_a_material_is_seen_on_its_own_asset_and_on_a_mesh(client: TestClient, project: int, heron_lode: Path) -> None:
    intake = hand_in(client, project, (ENGINE_HOUSE, (heron_lode / ENGINE_HOUSE).read_bytes())).json()
    job = client.post(f"/api/v1/intakes/{intake['id']}/accept", json={"positions": [0]}).json()
    work_off(job["id"])
    board = board_rows(client, project)
    identity = next(row["conversion_id"] for row in board if row["file"] == ENGINE_HOUSE)
    on_asset = last_of(ViewRequest(identity, "soft_studio", "asset", 0.0, 128))
    assert on_asset.readings
    with (heron_lode / ENGINE_HOUSE).open("rb") as stream:
        mesh = client.post(f"/api/v1/projects/{project}/surroundings", files={"file": (ENGINE_HOUSE, stream)}).json()
    assert mesh["kind"] == "stand"
    assert mesh["id"] in [stand["id"] for stand in client.get(f"/api/v1/stands?project_id={project}").json()]
    assert last_of(ViewRequest(identity, "soft_studio", f"{mesh['id']}:far", 0.0, 128)).readings


def test_a_file_without_meshes_is_no_stand(client: TestClient, converted: dict[str, int]) -> None:
    with pytest.raises(NotFoundError, match="no meshes"):
        last_of(ViewRequest(converted["conversion_id"], "soft_studio", "asset", 0.0, 128))


def test_what_is_taken_out_is_measured_and_not_kept(client: TestClient, converted: dict[str, int]) -> None:
    identity = converted["conversion_id"]
    for request in (
        ViewRequest(identity, "back_light", "sphere", 0.0, 128, only=("reflection",)),
        ViewRequest(identity, "back_light", "sphere", 0.0, 128, without=("specular",)),
        ViewRequest(identity, "back_light", "sphere", 0.0, 128, alone=("diffuse", "base_color")),
    ):
        assert last_of(request).readings
    after = client.get(f"/api/v1/conversions/{identity}").json()
    assert [check for check in after["checks"] if check["rig"] == "back_light"] == []


def test_a_variant_is_tuned_beside_the_first(client: TestClient, converted: dict[str, int], project: int) -> None:
    identity = converted["conversion_id"]
    first = client.get(f"/api/v1/conversions/{identity}").json()
    made = client.post(f"/api/v1/conversions/{identity}/variants", json={"name": "second coat"})
    assert made.status_code == 201, made.text
    variant = made.json()
    assert [one["name"] for one in variant["variants"]] == [first["name"], "second coat"]
    again = client.post(f"/api/v1/conversions/{identity}/variants", json={"name": "second coat"})
    assert again.status_code == 422
    name = next(entry["target"] for entry in variant["ledger"] if isinstance((entry["derived"] or {}).get("constant"), float))
    edited = client.patch(
        f"/api/v1/conversions/{variant['id']}/values/{name}", json={"value": 0.77}, headers={"If-Match": f'"{variant["version"]}"'}
    )
    assert edited.status_code == 200, edited.text
    # The first is as it was, and the original too; the two are compared like original and converted, and delivered under their own names.
    untouched = client.get(f"/api/v1/conversions/{identity}").json()
    assert untouched["ledger"] == first["ledger"]
    compared = last_of(ViewRequest(variant["id"], "soft_studio", "sphere", 0.0, 128, against=identity))
    assert compared.readings
    board = board_rows(client, project)
    assert "second coat" in [row["name"] for row in board]
    ids = [row["material_id"] for row in board if row["name"] in ("second coat", first["name"])]
    body = {"material_ids": ids, "target": "open_pbr", "profile": "extensions"}
    job = client.post(f"/api/v1/projects/{project}/deliveries", json=body).json()
    work_off(job["id"])
    assert client.get(f"/api/v1/jobs/{job['id']}").json()["failed"] == 0
