"""Reviews and reports over HTTP: what was said stands while the look does, and says what has changed since."""

from __future__ import annotations

import csv
import io
import json
import subprocess
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient

from fenrain.services.people import Role
from tests.api.conftest import ADDRESS, board_row, board_rows, hand_in, token_of, work_off

pytestmark = pytest.mark.usefixtures("database")
TARGET = {"target": "open_pbr", "profile": "extensions"}
DULL = b"newmtl dull\nKd 0.4 0.3 0.2\nKs 0 0 0\nNs 10\nillum 1\n"
GLASS = b"newmtl glass\nKd 0 0 0\nKs 0.9 0.9 0.9\nNs 900\nd 0.2\nillum 7\nNi 1.5\nrefl -type sphere sky.png\n"


@pytest.fixture(scope="module")
def both(client: TestClient, project: int) -> int:
    """One that matches and loses nothing, and one that does not, converted and checked."""
    for name, text in (("dull.mtl", DULL), ("glass.mtl", GLASS)):
        intake = hand_in(client, project, (name, text)).json()
        work_off(client.post(f"/api/v1/intakes/{intake['id']}/accept", json={}).json()["id"])
    return project


def row(client: TestClient, project: int, name: str) -> dict[str, Any]:
    return board_row(client, project, name)


def say(client: TestClient, seen: dict[str, Any], state: str, **more: Any) -> Any:
    body = {"state": state, **more}
    return client.post(f"/api/v1/conversions/{seen['conversion_id']}/reviews", json=body, headers={"If-Match": f'"{seen["version"]}"'})


def test_only_what_matches_everywhere_and_loses_nothing_is_accepted_by_rule(client: TestClient, both: int) -> None:
    dull, glass = row(client, both, "dull"), row(client, both, "glass")
    assert dull["verdict"]["verdict"] == "match"
    assert not dull["losses"]
    assert glass["losses"] or glass["verdict"]["verdict"] != "match"
    answer = client.post(f"/api/v1/projects/{both}/reviews", json=TARGET).json()
    assert answer == {"count": 1, "rule": "match on all rigs, nothing lost"}
    said = row(client, both, "dull")["review"]
    assert (said["state"], said["by"], said["note"]) == ("accepted", "Mira", "match on all rigs, nothing lost")
    assert row(client, both, "glass")["review"] is None
    # What was accepted does not wait any more.
    assert client.post(f"/api/v1/projects/{both}/reviews", json=TARGET).json()["count"] == 0


def test_what_is_sent_back_points_at_a_place_and_needs_a_note(client: TestClient, both: int) -> None:
    seen = row(client, both, "glass")
    assert say(client, seen, "sent back").status_code == 422
    place = {"rig": "low_sun", "stand": "sphere", "turn": 0, "side": "converted", "x": 0.25, "y": 0.5}
    assert say(client, seen, "sent back", note="the rim is too bright", place=place).status_code == 201
    said = row(client, both, "glass")["review"]
    assert (said["state"], said["note"], said["place"]) == ("sent back", "the rim is too bright", place)


def test_a_td_sends_back_and_only_a_supervisor_accepts(client: TestClient, both: int) -> None:
    td = TestClient(client.app, ADDRESS, headers=token_of("Anders", Role.TD))
    seen = row(client, both, "glass")
    assert say(td, seen, "accepted").status_code == 403
    assert td.post(f"/api/v1/projects/{both}/reviews", json=TARGET).status_code == 403
    assert say(td, seen, "sent back", note="too dark").json()["by"] == "Anders"
    assert say(client, seen, "sent back", note="the rim is too bright").json()["by"] == "Mira"


def test_an_accepted_look_that_changes_is_open_again_and_says_by_what(client: TestClient, both: int) -> None:
    seen = row(client, both, "dull")
    assert say(client, seen, "accepted").status_code == 201
    values = f"/api/v1/conversions/{seen['conversion_id']}/values/base_color"
    edited = client.patch(values, json={"value": [0.5, 0.3, 0.2]}, headers={"If-Match": f'"{seen["version"]}"'})
    assert edited.status_code == 200, edited.text
    said = row(client, both, "dull")["review"]
    assert (said["state"], said["said"], said["changed"]) == ("open", "accepted", ["values set over derived ones"])
    # Whoever still sees the old look cannot accept the new one.
    assert say(client, seen, "accepted").status_code == 412
    # Put back, the look is what was accepted.
    client.delete(values, headers={"If-Match": f'"{row(client, both, "dull")["version"]}"'})
    assert row(client, both, "dull")["review"]["state"] == "accepted"


def test_other_tolerances_open_it_too(client: TestClient, both: int) -> None:
    client.put(f"/api/v1/projects/{both}/tolerances", json={"limits": {"*": {"colour": {"match": 0.9, "near": 2.0}}}})
    assert row(client, both, "dull")["review"]["changed"] == ["the tolerances"]
    client.put(f"/api/v1/projects/{both}/tolerances", json={"limits": {}})
    assert row(client, both, "dull")["review"]["state"] == "accepted"
    history = client.get(f"/api/v1/conversions/{row(client, both, 'dull')['conversion_id']}/reviews").json()
    assert [one["note"] for one in history] == ["", "match on all rigs, nothing lost"]


def reported(client: TestClient, project: int, kind: str) -> bytes:
    job = client.post(f"/api/v1/projects/{project}/reports", json={**TARGET, "kind": kind})
    assert job.status_code == 202, job.text
    work_off(job.json()["id"])
    shown = client.get(f"/api/v1/jobs/{job.json()['id']}").json()
    assert shown["report"].endswith(f".{kind}"), shown
    return bytes(client.get(f"/api/v1/jobs/{job.json()['id']}/report").content)


def test_a_report_says_what_the_board_says(client: TestClient, both: int, tmp_path: Path) -> None:
    board = {one["name"]: one for one in board_rows(client, both)}
    whole = json.loads(reported(client, both, "json"))
    told = {one["name"]: one for one in whole["materials"]}
    assert ["glass"] in [item["materials"] for item in whole["checklist"] if item["feature"] == "transmission"]
    assert set(told) == {"dull", "glass"}
    for name, one in told.items():
        assert (one["verdict"], one["decided_by"]["says"]) == (board[name]["verdict"]["verdict"], board[name]["verdict"]["text"])
        assert one["review"]["state"] == board[name]["review"]["state"]
        assert set(one["readings"]) == {"surfaces", *(check["rig"] for check in board[name]["checks"])}
    lines = {line["name"]: line for line in csv.DictReader(io.StringIO(reported(client, both, "csv").decode()))}
    assert (lines["dull"]["review"], lines["glass"]["note"]) == ("accepted", "the rim is too bright")
    page = reported(client, both, "html").decode()
    assert page.count("data:image/png;base64,") >= 2 * 3 * len(board["dull"]["checks"])
    assert "http://" not in page
    assert "https://" not in page
    assert "the rim is too bright" in page
    pdf = tmp_path / "report.pdf"
    pdf.write_bytes(reported(client, both, "pdf"))
    # An outside reader of PDF (poppler).
    text = subprocess.run(["pdftotext", str(pdf), "-"], capture_output=True, text=True, check=True).stdout
    assert "dull" in text
    assert "sent back" in text
