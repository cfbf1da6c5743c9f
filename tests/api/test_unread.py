"""What was not read of a source keeps its verdict open in every target, until somebody accepts that: one by one, or many at once."""

from __future__ import annotations

from typing import Any

import pytest
from fastapi.testclient import TestClient

from fenrain.services.people import Role
from tests.api.conftest import ADDRESS, board_rows, hand_in, token_of, work_off

pytestmark = [pytest.mark.usefixtures("database"), pytest.mark.pictures]
AIM = {"target": "open_pbr", "profile": "extensions"}
OTHER = {"target": "standard_surface", "profile": "extensions"}
WALL = "newmtl {name}\nKd 0.4 0.3 0.2\nillum 1\n{more}\n"


@pytest.fixture(scope="module")
def walls(client: TestClient, project: int) -> int:
    """Of three walls that are the same, one is whole, and the maps of two are missing."""
    text = "".join(WALL.format(name=name, more=more) for name, more in (("whole", ""), ("bare", "map_Kd a.png"), ("torn", "map_Kd b.png")))
    intake = hand_in(client, project, ("walls.mtl", text.encode())).json()
    job = client.post(f"/api/v1/intakes/{intake['id']}/accept", json={**AIM}).json()
    work_off(job["id"])
    ids = [row["material_id"] for row in board_rows(client, project, **AIM)]
    work_off(client.post(f"/api/v1/projects/{project}/conversions", json={**OTHER, "material_ids": ids}).json()["id"])
    return project


def verdicts(client: TestClient, project: int, aim: dict[str, str]) -> dict[str, str]:
    return {row["name"]: row["verdict"]["verdict"] for row in board_rows(client, project, **aim)}


def shown(client: TestClient, project: int, name: str) -> tuple[dict[str, Any], dict[str, str]]:
    """A conversion, and the header of an edit on it."""
    row = next(row for row in board_rows(client, project, **AIM) if row["name"] == name)
    answer = client.get(f"/api/v1/conversions/{row['conversion_id']}")
    return answer.json(), {"If-Match": answer.headers["ETag"]}


def test_a_match_is_one_again_once_somebody_accepts_what_was_not_read(client: TestClient, walls: int) -> None:
    open_still = {"whole": "match", "bare": "undecided", "torn": "undecided"}
    assert verdicts(client, walls, AIM) == verdicts(client, walls, OTHER) == open_still
    conversion, tag = shown(client, walls, "bare")
    assert conversion["verdict"]["text"].startswith("undecided: not read: ")
    assert "a.png" in conversion["verdict"]["text"]
    address = f"/api/v1/conversions/{conversion['id']}/unread/accepted"
    td = TestClient(client.app, ADDRESS, headers=token_of("Anders", Role.TD))
    assert td.put(address).status_code == 428
    after = td.put(address, headers=tag).json()
    assert after["verdict"]["verdict"] == "match"
    assert [finding["accepted"] for finding in after["findings"] if finding["unread"]] == [True]
    # In every target; and it is an act of the history that can be taken back.
    accepted = {**open_still, "bare": "match"}
    assert verdicts(client, walls, AIM) == verdicts(client, walls, OTHER) == accepted
    (act,) = client.get(f"/api/v1/projects/{walls}/acts").json()
    assert (act["by"], act["undoable"]) == ("Anders", True)
    assert act["title"].startswith("bare: accepted as it is, not read: ")
    work_off(client.post(f"/api/v1/acts/{act['id']}/undo").json()["id"])
    assert verdicts(client, walls, AIM) == verdicts(client, walls, OTHER) == open_still


def test_of_many_those_that_were_not_read_in_full_are_accepted_at_once(client: TestClient, walls: int) -> None:
    job = client.post(f"/api/v1/projects/{walls}/rehearsals", json={**AIM, "act": {"kind": "accept unread"}}).json()["id"]
    work_off(job)
    found = client.get(f"/api/v1/jobs/{job}/rehearsal").json()
    assert (found["changed"], found["before"], found["after"]) == (2, {"undecided": 2}, {"match": 2})
    work_off(client.post(f"/api/v1/jobs/{job}/rehearsal/act").json()["id"])
    assert set(verdicts(client, walls, AIM).values()) == set(verdicts(client, walls, OTHER).values()) == {"match"}
