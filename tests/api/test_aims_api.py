"""Aims over HTTP: of a project, of a conversion, side by side, and as an act on many."""

from __future__ import annotations

from typing import Any

import pytest
from fastapi.testclient import TestClient

from tests.api.conftest import conversion, rehearsed, version, work_off

pytestmark = pytest.mark.usefixtures("database")


def test_aims_stand_side_by_side_and_one_is_taken_over(client: TestClient, converted: dict[str, Any]) -> None:
    identity = converted["conversion_id"]
    address = f"/api/v1/conversions/{identity}"
    before = conversion(client, identity)
    assert before["aim"] == "nearest"
    # An index above that of diamond, 2.42 (index tables), for a plastic of MTL.
    assert before["plainness"]["unusual"][0]["parameter"] == "specular_ior"
    plain, nearest, physical = client.get(f"{address}/aims").json()["aims"]
    assert [one["aim"] for one in (plain, nearest, physical)] == ["plain", "nearest", "physical"]
    assert plain["plainness"]["text"] == "plain"
    assert nearest["plainness"]["unusual"] == before["plainness"]["unusual"]
    assert nearest["error"] < plain["error"]
    by_hand = client.patch(f"{address}/values/base_diffuse_roughness", json={"value": 0.2}, headers=version(client, identity)).json()
    taken = client.put(f"{address}/aim", json={"aim": "plain"}, headers={"If-Match": f'"{by_hand["version"]}"'}).json()
    assert (taken["aim"], taken["plainness"]["text"]) == ("plain", "plain")
    assert taken["choice"]["title"] == "as a dielectric that reflects evenly"
    entries = {entry["target"]: entry for entry in taken["ledger"]}
    assert entries["base_diffuse_roughness"]["override_by"] == "hand"  # what a person set stays
    index = next(entry["shown_derived"] for entry in before["ledger"] if entry["target"] == "specular_ior")
    assert entries["specular_ior"]["shown_nearest"] == index
    stale = client.put(f"{address}/aim", json={"aim": "nearest"}, headers={"If-Match": f'"{before["version"]}"'})
    assert stale.status_code == 412
    assert client.put(f"{address}/aim", json={"aim": "prettiest"}, headers=version(client, identity)).status_code == 422


def test_an_aim_for_many_is_rehearsed_done_and_taken_back(client: TestClient, project: int, converted: dict[str, Any]) -> None:
    target = {"target": "open_pbr", "profile": "extensions"}
    job, found = rehearsed(client, project, target, {"kind": "aim", "aim": "nearest"})
    assert found["words"] == "convert to the nearest values"
    assert "specular_ior" in found["rows"][0]["changes"]
    assert found["rows"][0]["pictures"]
    work_off(client.post(f"/api/v1/jobs/{job}/rehearsal/act").json()["id"])
    assert conversion(client, converted["conversion_id"])["aim"] == "nearest"
    done = client.get(f"/api/v1/projects/{project}/acts").json()[0]
    work_off(client.post(f"/api/v1/acts/{done['id']}/undo").json()["id"])
    assert conversion(client, converted["conversion_id"])["aim"] == "plain"


def test_a_project_s_aim_is_that_of_what_is_converted_from_then_on(client: TestClient, project: int, converted: dict[str, Any]) -> None:
    changed = client.put(f"/api/v1/projects/{project}/aim", json={"aim": "physical"})
    assert changed.json()["aim"] == "physical"
    assert conversion(client, converted["conversion_id"])["aim"] == "plain"
