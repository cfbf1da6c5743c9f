"""Target profiles that a project's people write, and what a delivery to them would hold and cost."""

from __future__ import annotations

import io
import json
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import yaml
from fastapi.testclient import TestClient

from fenrain.core.maps.image import write_png
from fenrain.settings import settings
from tests.api.conftest import board_rows, hand_in, work_off

pytestmark = [pytest.mark.usefixtures("database"), pytest.mark.pictures]
PROFILE = {
    "title": "Tablet",
    "target": "metal_rough.core",
    "maps": {"largest": 16, "power_of_two": True, "bits": 8, "total_megabytes": 0.0001},
    "culling": "back",
    "exposed": [{"parameter": "roughness", "low": 0.1, "high": 0.9}],
}


def version(number: int) -> dict[str, str]:
    return {"If-Match": f'"{number}"'}


def save(client: TestClient, project: int, key: str = "tablet", expected: int = 0, **changed: Any) -> Any:
    return client.put(f"/api/v1/projects/{project}/profiles/{key}", json={**PROFILE, **changed}, headers=version(expected))


@pytest.fixture
def project(client: TestClient, request: pytest.FixtureRequest) -> int:
    """A project of its own for each test, since profiles are kept with it."""
    made = client.post("/api/v1/projects", json={"name": request.node.name})
    assert made.status_code == 201, made.text
    return int(made.json()["id"])


@pytest.fixture
def mapped(client: TestClient, project: int, tmp_path: Path) -> int:
    """A material with a map of 64 texels and one without, both entering by the profile."""
    write_png(tmp_path / "rust.png", np.random.default_rng(2).random((64, 64, 3)))
    text = b"newmtl rusty\nKd 1 1 1\nmap_Kd rust.png\nnewmtl plain\nKd 0.4 0.4 0.4\nd 0.5\n"
    assert save(client, project).status_code == 200
    intake = hand_in(client, project, ("yard.mtl", text), ("rust.png", (tmp_path / "rust.png").read_bytes())).json()
    request = {"target": "metal_rough", "profile": "tablet"}
    work_off(client.post(f"/api/v1/intakes/{intake['id']}/accept", json=request).json()["id"])
    return project


def board(client: TestClient, project: int) -> dict[str, dict[str, Any]]:
    rows = board_rows(client, project, target="metal_rough", profile="tablet")
    return {row["name"]: row for row in rows}


def test_a_profile_is_kept_listed_exported_and_read_back(client: TestClient, project: int) -> None:
    made = save(client, project)
    assert made.status_code == 200
    assert made.json()["version"] == 1
    listed = {target["key"]: target for target in client.get(f"/api/v1/projects/{project}/targets").json()}
    assert listed["tablet"]["narrows"] == "metal_rough.core"
    assert {"kiosk", "lean_web", "film_archive"} <= listed.keys()
    file = client.get(f"/api/v1/projects/{project}/profiles/tablet/file")
    assert yaml.safe_load(file.text)["maps"]["largest"] == 16
    assert "tablet.yaml" in file.headers["content-disposition"]
    assert client.post("/api/v1/profiles/read", json={"text": file.text}).json() == made.json()["stated"]
    # It is the project's own: another project knows nothing of it.
    other = client.post("/api/v1/projects", json={"name": "elsewhere"}).json()["id"]
    assert "tablet" not in {target["key"] for target in client.get(f"/api/v1/projects/{other}/targets").json()}


def test_two_people_cannot_overwrite_each_other_and_shipped_profiles_stay(client: TestClient, project: int) -> None:
    save(client, project)
    assert save(client, project, expected=1, culling="none").json()["version"] == 2
    late = save(client, project, expected=1, culling="as authored")
    assert late.status_code == 412
    assert client.get(f"/api/v1/projects/{project}/profiles/tablet").json()["stated"]["culling"] == "none"
    assert save(client, project, "kiosk").status_code == 422
    refused = save(client, project, "wrong", exposed=[{"parameter": "nonsense", "low": 0, "high": 1}])
    assert refused.status_code == 422
    assert refused.json()["place"] == "exposed"
    assert client.delete(f"/api/v1/projects/{project}/profiles/kiosk").status_code == 404


def test_what_was_converted_follows_its_profile(client: TestClient, mapped: int) -> None:
    identity = board(client, mapped)["rusty"]["conversion_id"]

    def said() -> str:
        ledger = client.get(f"/api/v1/conversions/{identity}").json()["ledger"]
        return " ".join(step["text"] for entry in ledger for step in entry["steps"])

    assert "Made 16 × 16 texels of 64 × 64" in said()
    save(client, mapped, expected=1, maps={"largest": 32})
    # The board follows by a job, which converts and looks at both again.
    (job,) = [job for job in client.get(f"/api/v1/projects/{mapped}/jobs").json() if job["state"] == "queued"]
    assert (job["kind"], job["total"]) == ("convert", 6)
    assert "Made 32 × 32 texels of 64 × 64" in said()


def test_a_plan_says_what_a_delivery_costs_and_loses(client: TestClient, mapped: int) -> None:
    request = {"target": "metal_rough", "profile": "tablet"}
    plan = client.post(f"/api/v1/projects/{mapped}/deliveries/plan", json=request).json()
    assert (plan["materials"], plan["unconverted"], plan["maps"]) == (2, 0, 1)
    # 16 × 16 texels of four bytes, and a third for the smaller copies (common practice).
    assert plan["memory"] == round(16 * 16 * 4 * 4 / 3)
    assert plan["most_memory"] == 100
    advice = {one["code"]: one for one in plan["advice"]}
    assert advice["over_budget"]["remedy"]
    assert advice["transparency"]["materials"] == ["plain"]
    alone = client.post(
        f"/api/v1/projects/{mapped}/deliveries/plan", json={**request, "material_ids": [board(client, mapped)["rusty"]["material_id"]]}
    )
    assert (alone.json()["materials"], [one["code"] for one in alone.json()["advice"]]) == (1, ["over_budget"])
    elsewhere = client.post(f"/api/v1/projects/{mapped}/deliveries/plan", json={"target": "open_pbr"}).json()
    assert (elsewhere["materials"], elsewhere["unconverted"]) == (2, 2)


def test_a_delivery_by_a_profile_goes_to_a_folder_and_says_what_stays_adjustable(client: TestClient, mapped: int) -> None:
    ids = [row["material_id"] for row in board(client, mapped).values()]
    request = {"material_ids": ids, "target": "metal_rough", "profile": "tablet", "to_folder": True}
    for _ in range(2):
        job = client.post(f"/api/v1/projects/{mapped}/deliveries", json=request).json()
        work_off(job["id"])
    shown = client.get(f"/api/v1/jobs/{job['id']}").json()
    folder = Path(shown["folder"])
    assert folder.parent == settings().data.resolve() / "deliveries"
    # The first one stays as it was; the second has a number.
    assert folder.name.endswith("_2")
    assert {path.relative_to(folder).as_posix() for path in folder.rglob("*") if path.is_file()} == {one["name"] for one in shown["files"]}
    archive = zipfile.ZipFile(io.BytesIO(client.get(f"/api/v1/jobs/{job['id']}/archive").content))
    ledger = json.loads(next(archive.read(name) for name in archive.namelist() if name.endswith("ledger.json")))
    adjustable = {one["material"]: one["adjustable"] for one in ledger["materials"]}
    assert adjustable["plain"][0]["parameter"] == "roughness"
    assert (adjustable["plain"][0]["low"], adjustable["plain"][0]["high"]) == (0.1, 0.9)


def test_a_profile_goes_with_what_was_converted_to_it_unless_somebody_worked_there(client: TestClient, mapped: int) -> None:
    row = board(client, mapped)["plain"]
    shown = client.get(f"/api/v1/conversions/{row['conversion_id']}").json()
    edited = client.patch(
        f"/api/v1/conversions/{row['conversion_id']}/values/roughness", json={"value": 0.3}, headers=version(shown["version"])
    )
    assert edited.status_code == 200
    refused = client.delete(f"/api/v1/projects/{mapped}/profiles/tablet")
    assert refused.status_code == 422
    assert "1 materials have values set by hand" in refused.json()["detail"]
    client.delete(f"/api/v1/conversions/{row['conversion_id']}/values", headers=version(edited.json()["version"]))
    assert client.delete(f"/api/v1/projects/{mapped}/profiles/tablet").status_code == 204
    gone = client.get(f"/api/v1/projects/{mapped}/board", params={"target": "metal_rough", "profile": "tablet"})
    assert gone.status_code == 404
