"""Kits, pictures that come back, and their verdicts beside ours, over HTTP.

The short suite misses: what a web viewer is handed over HTTP, which `web/test_web_viewer.py` draws without it.
"""

from __future__ import annotations

import io
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from fastapi.testclient import TestClient
from pytest import approx

from fenrain.standin.habits import Habits
from fenrain.standin.render import take_picture
from tests.api.conftest import board_row, work_off
from tests.sizes import long_only

pytestmark = [pytest.mark.usefixtures("database"), pytest.mark.pictures]


@pytest.fixture(scope="module")
def kit(client: TestClient, project: int, converted: dict[str, Any]) -> dict[str, Any]:
    request = {"material_ids": [converted["material_id"]], "target": "open_pbr", "profile": "extensions", "rig": "low_sun"}
    made = client.post(f"/api/v1/projects/{project}/kits", json=request)
    assert made.status_code == 202, made.text
    work_off(made.json()["id"])
    (found,) = client.get(f"/api/v1/projects/{project}/kits").json()
    return dict(found)


@pytest.fixture(scope="module")
def laid_out(client: TestClient, kit: dict[str, Any], tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("kit")
    packed = zipfile.ZipFile(io.BytesIO(client.get(f"/api/v1/kits/{kit['id']}/archive").content))
    packed.extractall(folder)
    return next(folder.iterdir())


def hand_in_picture(client: TestClient, kit: dict[str, Any], path: Path, **said: str) -> Any:
    with path.open("rb") as stream:
        return client.post(f"/api/v1/kits/{kit['id']}/pictures", files={"file": (path.name, stream)}, data=said)


def test_a_kit_is_made_as_a_job_and_handed_out_whole(kit: dict[str, Any], laid_out: Path) -> None:
    assert (kit["materials"], kit["pictures"], kit["verdict"]) == (["plain"], [], None)
    assert {"kit.json", "light.exr", "scene.glb", "scene.usda", "scene.obj", "read_me.html", "read_me.pdf"} <= {
        path.name for path in laid_out.iterdir()
    }


def test_what_comes_back_stands_on_board_and_bench(
    client: TestClient, project: int, converted: dict[str, Any], kit: dict[str, Any], laid_out: Path, tmp_path: Path
) -> None:
    picture = tmp_path / "converted.exr"
    take_picture(laid_out, picture, "converted", Habits(samples=64, shift=(0.4, 0.0), exposure=0.5), 300)
    job = hand_in_picture(client, kit, picture)
    assert job.status_code == 202, job.text
    work_off(job.json()["id"])
    detail = client.get(f"/api/v1/kits/{kit['id']}").json()
    (shown,) = detail["pictures"]
    assert (shown["shows"], shown["compared"], shown["width"]) == ("converted", True, 300)
    assert {"alignment", "exposure"} <= {statement["code"] for statement in shown["statements"]}
    sides = {(one["first"]["by"], one["first"]["shows"], one["second"]["by"], one["second"]["shows"]) for one in detail["checks"]}
    assert sides == {
        ("ours", "original", "theirs", "converted"),
        ("ours", "converted", "theirs", "converted"),
        ("ours", "original", "ours", "converted"),
    }
    assert all(one["current"] and one["decision"]["verdict"] != "off" for one in detail["checks"])
    assert client.get(f"/api/v1/files/{detail['checks'][0]['pictures']['second']}").headers["content-type"] == "image/png"
    row = board_row(client, project, "plain")
    whole = [one for one in detail["checks"] if (one["first"]["shows"], one["second"]["by"]) == ("original", "theirs")]
    assert row["outside"] == whole[0]["decision"]
    bench = client.get(f"/api/v1/conversions/{converted['conversion_id']}").json()
    assert len(bench["outside"]) == 3
    # Uploaded again, the picture takes the place of the first.
    work_off(hand_in_picture(client, kit, picture).json()["id"])
    assert len(client.get(f"/api/v1/kits/{kit['id']}").json()["pictures"]) == 1


def test_an_edit_makes_what_came_back_stale(client: TestClient, project: int, converted: dict[str, Any], kit: dict[str, Any]) -> None:
    address = f"/api/v1/conversions/{converted['conversion_id']}"
    before = client.get(address)
    changed = client.patch(f"{address}/values/specular_roughness", json={"value": 0.77}, headers={"If-Match": before.headers["ETag"]})
    assert changed.status_code == 200, changed.text
    assert changed.json()["outside"] == []
    row = board_row(client, project, "plain")
    assert row["outside"] is None
    assert not any(one["current"] for one in client.get(f"/api/v1/kits/{kit['id']}").json()["checks"])


def test_the_stand_in_takes_the_picture_where_nobody_has_another_renderer(client: TestClient, kit: dict[str, Any]) -> None:
    faults = client.get("/api/v1/stand-in/faults").json()
    job = client.post(f"/api/v1/kits/{kit['id']}/stand-in", json={"shows": "original", "wrong": faults[0]})
    assert job.status_code == 202, job.text
    assert "light mirrored" in faults
    refused = client.post(f"/api/v1/kits/{kit['id']}/stand-in", json={"shows": "original", "wrong": "the weather"})
    work_off(refused.json()["id"])
    said = client.get(f"/api/v1/jobs/{refused.json()['id']}").json()
    assert said["state"] == "failed"
    assert "cannot be set" in said["errors"][0]


def test_pictures_of_nothing_are_told_at_once(client: TestClient, kit: dict[str, Any], tmp_path: Path) -> None:
    (tmp_path / "original.exr").write_bytes(b"no picture at all")
    for said in ({}, {"shows": "sideways"}):
        refused = hand_in_picture(client, kit, tmp_path / "original.exr", **said)
        assert refused.status_code == 422
        assert refused.json()["remedy"] or "shows" in refused.json()["detail"]


def test_kits_of_what_is_not_there_are_refused(client: TestClient, project: int, converted: dict[str, Any]) -> None:
    address = f"/api/v1/projects/{project}/kits"
    request = {"material_ids": [converted["material_id"]], "target": "open_pbr", "profile": "extensions"}
    for wrong in ({"material_ids": [10**6]}, {"rig": "nowhere"}, {"stand": "nowhere"}, {"target": "nothing"}, {"turn": 1000}):
        assert client.post(address, json={**request, **wrong}).status_code in (404, 422), wrong
    assert client.get("/api/v1/kits/999999").status_code == 404
    assert client.delete("/api/v1/kits/999999").status_code == 404


def test_a_delivery_s_plan_says_what_its_viewer_needs(client: TestClient, project: int) -> None:
    # Khronos, KHR_materials_clearcoat and common practice: what is not switched on is not seen.
    plan = client.post(f"/api/v1/projects/{project}/deliveries/plan", json={"target": "open_pbr", "profile": "extensions"}).json()
    assert all(item["says"] and item["materials"] for item in plan["checklist"])


@long_only
def test_a_web_page_gets_scene_light_and_difference(client: TestClient, project: int, converted: dict[str, Any]) -> None:
    job = client.post(
        f"/api/v1/projects/{project}/conversions",
        json={"material_ids": [converted["material_id"]], "target": "metal_rough", "profile": "extensions"},
    )
    work_off(job.json()["id"])
    board = client.get(f"/api/v1/projects/{project}/board?target=metal_rough&profile=extensions").json()["rows"]
    conversion = next(row["conversion_id"] for row in board if row["name"] == "plain")
    scene = client.get(f"/api/v1/conversions/{conversion}/web-scene?stand=cup:near")
    assert scene.content[:4] == b"glTF"
    # Only glTF is shown on web pages.
    assert client.get(f"/api/v1/conversions/{converted['conversion_id']}/web-scene").status_code == 422
    light = client.get(f"/api/v1/projects/{project}/light?rig=low_sun:35&turn=90")
    assert light.content[:4] == b"\x76\x2f\x31\x01"  # OpenEXR's magic number
    assert client.get(f"/api/v1/projects/{project}/light?rig=nowhere").status_code == 404
    # CIE: white against 18 % grey is L* 100 against 49.5, which ΔE2000 takes for 50.5 ÷ 1.365; what is black on both sides does not count.
    planes = np.zeros((6, 8, 8), np.float16)
    planes[:3, :4], planes[3:, :4] = 1.0, 0.18
    found = client.post("/api/v1/differences", files={"pixels": planes.tobytes()}).json()
    assert found["half"] == found["most"] == approx(37.0, abs=0.5)
    assert client.post("/api/v1/differences", files={"pixels": b"123"}).status_code == 422


def test_a_kit_goes_with_its_pictures(client: TestClient, project: int, kit: dict[str, Any]) -> None:
    assert client.delete(f"/api/v1/kits/{kit['id']}").status_code == 204
    assert client.get(f"/api/v1/projects/{project}/kits").json() == []
