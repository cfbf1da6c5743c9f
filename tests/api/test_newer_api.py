"""What another text of a target profile or of a dialect would change: said first, then done to just that, and a reading taken
back; and many fitted as each alone."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
import yaml
from fastapi.testclient import TestClient
from sqlalchemy import select

from fenrain.core import convert, read
from fenrain.core.checking.fitting.fit import fit
from fenrain.core.dialects.dialect import load_dialect
from fenrain.core.maps.image import write_png
from fenrain.jobs.queue import EACH, LOOK
from fenrain.services.conversions import load_conversion
from fenrain.store.database import session
from fenrain.store.rows import find_conversion, load_material
from fenrain.store.tables import JobItem
from tests.api.conftest import board_rows, hand_in, rehearsed, work_off
from tests.sizes import sized

pytestmark = [pytest.mark.usefixtures("database"), pytest.mark.pictures]
TRANSMISSION = "KHR_materials_transmission"
GLASS_AND_FELT = b"newmtl glass\nKd 0 0 0\nKs 0.9 0.9 0.9\nNs 900\nNi 1.5\nTf 1 1 1\nillum 6\n\nnewmtl felt\nKd 0.4 0.3 0.2\nillum 1\n"
OWN = """dialect: 1
id: house-gloss
name: House gloss
model: gloss_pair
parameters:
  - {name: tone, feeds: diffuse, encoding: srgb, map: tone file}
  - {name: mirror, feeds: reflection}
  - {name: shine, feeds: reflection_glossiness}
"""
ROUGH = OWN.replace("feeds: reflection_glossiness}", "feeds: reflection_glossiness, steps: [invert]}")
"""The same number as a roughness."""
SHEET = b"name,tone,tone file,mirror,shine\nrail,0.5 0.5 0.5,rust.png,0.2,0.8\nfelt,0.2 0.2 0.2,,0,0.5\nknob,0.3 0.3 0.3,,0.3,0.5\n"


def entered(client: TestClient, project: int, target: dict[str, str], *files: tuple[str, bytes]) -> dict[str, dict[str, Any]]:
    intake = hand_in(client, project, *files).json()
    assert intake["errors"] == []
    work_off(client.post(f"/api/v1/intakes/{intake['id']}/accept", json=target).json()["id"], draw=False)
    return {row["name"]: row for row in board_rows(client, project, **target)}


def looked_at(job: int) -> set[int]:
    with session() as database:
        items = database.scalars(select(JobItem).where(JobItem.job_id == job, JobItem.work == LOOK)).all()
        return {one for item in items for one in item.payload[EACH]}


def test_a_profile_changes_what_was_said_and_only_that_is_looked_at(client: TestClient, project: int) -> None:
    listed = client.get(f"/api/v1/projects/{project}/targets").json()
    known = next(one["extensions"] for one in listed if one["key"] == "metal_rough")
    stated = {"id": "hall", "title": "Hall", "target": "metal_rough", "extensions": known}
    kept = client.put(f"/api/v1/projects/{project}/profiles/hall", json=stated, headers={"If-Match": '"0"'}).json()
    target = {"target": "metal_rough", "profile": "hall"}
    rows = entered(client, project, target, ("hall.mtl", GLASS_AND_FELT))
    lean = {**kept["stated"], "extensions": [one for one in known if one != TRANSMISSION]}
    act = {"kind": "profile", "name": "Hall", "text": yaml.safe_dump(lean), "version": kept["version"]}
    job, found = rehearsed(client, project, target, act)
    assert [row["name"] for row in found["rows"]] == ["glass"]
    assert found["rows"][0]["pictures"]["before"] != found["rows"][0]["pictures"]["after"]
    assert "transmission" in found["rows"][0]["changes"]
    assert client.get(f"/api/v1/projects/{project}/profiles/hall").json() == kept
    beside, _ = rehearsed(client, project, target, act)
    doing = client.post(f"/api/v1/jobs/{job}/rehearsal/act").json()["id"]
    assert looked_at(doing) == {rows["glass"]["material_id"]}
    work_off(doing)
    now = client.get(f"/api/v1/projects/{project}/profiles/hall").json()
    assert (now["version"], now["stated"]["extensions"]) == (kept["version"] + 1, lean["extensions"])
    with session() as database:
        glass = find_conversion(database, rows["glass"]["conversion_id"])
        expected = load_conversion(glass).material
        assert glass.digest == expected.digest
        assert expected.value("transmission").value == 0.0  # type: ignore[union-attr]
    # What was rehearsed from the older version is not saved over the newer one.
    assert client.post(f"/api/v1/jobs/{job}/rehearsal/act").json()["id"] == doing
    again = client.post(f"/api/v1/jobs/{beside}/rehearsal/act")
    assert (again.status_code, again.json()["code"]) == (412, "changed-meanwhile")


def test_a_profile_of_another_name_is_refused(client: TestClient, project: int) -> None:
    rows = entered(client, project, {"target": "metal_rough", "profile": "core"}, ("plain.mtl", GLASS_AND_FELT))
    assert rows
    act = {"kind": "profile", "name": "?", "text": "id: other\ntitle: Other\ntarget: metal_rough.core\n"}
    answer = client.post(f"/api/v1/projects/{project}/rehearsals", json={"target": "metal_rough", "profile": "core", "act": act})
    assert (answer.status_code, answer.json()["place"]) == (422, "text")


def test_sheets_are_read_anew_by_a_dialect_and_as_before(client: TestClient, tmp_path: Path) -> None:
    rust = tmp_path / "rust.png"
    write_png(rust, np.random.default_rng(3).random((16, 16, 3)))
    project = client.post("/api/v1/projects", json={"name": "read again"}).json()["id"]
    target = {"target": "open_pbr", "profile": "extensions"}
    client.put("/api/v1/dialects/house-gloss", json={"text": OWN}, headers={"If-Match": '"0"'})
    before = entered(client, project, target, ("house.csv", SHEET), ("rust.png", rust.read_bytes()), ("hall.mtl", GLASS_AND_FELT))
    act = {"kind": "dialect", "name": "House gloss", "text": ROUGH, "version": 1}
    job, found = rehearsed(client, project, target, act)
    # 0.5 is the same either way.
    assert [(row["name"], row["changes"]) for row in found["rows"]] == [
        ("rail", "material read again by its dialect: reflection_glossiness")
    ]
    assert client.get("/api/v1/dialects/house-gloss").json()["version"] == 1
    work_off(client.post(f"/api/v1/jobs/{job}/rehearsal/act").json()["id"])
    assert client.get("/api/v1/dialects/house-gloss").json()["text"] == ROUGH
    (tmp_path / "house.csv").write_bytes(SHEET)
    expected = read(tmp_path / "house.csv", dialect=load_dialect(ROUGH, "rough"))[0]
    with session() as database:
        row = find_conversion(database, before["rail"]["conversion_id"])
        assert load_material(row.material).digest == row.material.digest == expected.digest
        assert row.digest == convert(expected, "open_pbr").material.digest
    (act_done, *_) = client.get(f"/api/v1/projects/{project}/acts").json()
    work_off(client.post(f"/api/v1/acts/{act_done['id']}/undo").json()["id"])
    with session() as database:
        row = find_conversion(database, before["rail"]["conversion_id"])
        assert row.material.digest == read(tmp_path / "house.csv", dialect=load_dialect(OWN, "own"))[0].digest
    client.delete("/api/v1/dialects/house-gloss")


def test_many_are_fitted_as_each_alone(client: TestClient) -> None:
    project = client.post("/api/v1/projects", json={"name": "fitted"}).json()["id"]
    target = {"target": "metal_rough", "profile": "core"}
    brass = ("brass.mtl", b"newmtl brass\nKd 0.2 0.15 0.1\nKs 0.6 0.5 0.3\nNs 40\n\nnewmtl chalk\nKd 0.8 0.8 0.8\nKs 0 0 0\n")
    rows = entered(client, project, target, *sized([brass], [("hall.mtl", GLASS_AND_FELT), brass]))
    with session() as database:
        alone = {name: fit(load_conversion(find_conversion(database, row["conversion_id"]))).conversion for name, row in rows.items()}
    job, found = rehearsed(client, project, target, {"kind": "fit"})
    assert {row["name"] for row in found["rows"]} == {name for name, fitted in alone.items() if fitted.overrides}
    assert found["rows"]
    assert found["worse"] == 0
    work_off(client.post(f"/api/v1/jobs/{job}/rehearsal/act").json()["id"])
    with session() as database:
        for name, row in rows.items():
            assert load_conversion(find_conversion(database, row["conversion_id"])).material.digest == alone[name].material.digest
