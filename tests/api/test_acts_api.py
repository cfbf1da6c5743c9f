"""An act on many over HTTP: asked for by a question to the board, rehearsed, done, found in both histories, and taken back."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from typing import Any

import pytest
from fastapi.testclient import TestClient

from fenrain.services.people import Role
from tests.api.conftest import ADDRESS, board_rows, hand_in, token_of, work_off

pytestmark = pytest.mark.usefixtures("database")
AIM = {"target": "open_pbr", "profile": "extensions"}
SHEEN = {"kind": "set", "groups": ["fuzz"], "values": {"fuzz_weight": 0.4}}


@pytest.fixture(scope="module")
def many(client: TestClient, project: int) -> int:
    text = "\n".join(f"newmtl {name}\nKd 0.4 0.3 0.2\nKs 0 0 0\nNs 10\nillum 1\n" for name in ("felt_1", "felt_2", "felt_3", "rail"))
    intake = hand_in(client, project, ("house.mtl", text.encode())).json()
    work_off(client.post(f"/api/v1/intakes/{intake['id']}/accept", json={}).json()["id"])
    return project


def board(client: TestClient, project: int) -> dict[str, Any]:
    return {row["name"]: row for row in board_rows(client, project)}


def test_what_a_question_finds_is_changed_as_one_act_and_taken_back(client: TestClient, many: int) -> None:
    without = board(client, many)["felt_2"]["material_id"]
    request = {**AIM, "act": SHEEN, "question": {"find": "felt", "without": [without]}}
    job = client.post(f"/api/v1/projects/{many}/rehearsals", json=request).json()["id"]
    assert client.post(f"/api/v1/jobs/{job}/rehearsal/act").status_code == 412
    work_off(job)
    found = client.get(f"/api/v1/jobs/{job}/rehearsal").json()
    assert (found["changed"], sorted(row["name"] for row in found["rows"])) == (2, ["felt_1", "felt_3"])
    assert found["words"] == "replace fuzz: fuzz_weight 0.4"
    assert found["rows"][0]["changes"] == "fuzz_weight set to 0.4"
    assert all(row["overrides"] == 0 for row in board(client, many).values())
    made = clicked(client, f"/api/v1/jobs/{job}/rehearsal/act")
    assert len({answer.json()["id"] for answer in made}) == 1, "ten clicks make one act"
    work_off(made[0].json()["id"])
    rows = board(client, many)
    assert [rows[name]["overrides"] for name in ("felt_1", "felt_2", "felt_3", "rail")] == [1, 0, 1, 0]
    (act,) = client.get(f"/api/v1/projects/{many}/acts").json()
    assert (act["by"], act["kind"], act["edits"], act["undone"]) == ("Mira", "many", 2, False)
    (edit,) = client.get(f"/api/v1/conversions/{rows['felt_1']['conversion_id']}/history").json()
    assert (edit["act_id"], edit["by"], edit["said"]) == (act["id"], "Mira", "fuzz_weight set to 0.4")
    taken_back = clicked(client, f"/api/v1/acts/{act['id']}/undo")
    assert len({answer.json()["id"] for answer in taken_back}) == 1, "ten clicks undo it once"
    work_off(taken_back[0].json()["id"])
    assert all(row["overrides"] == 0 for row in board(client, many).values())
    newest, first = client.get(f"/api/v1/projects/{many}/acts").json()
    assert (newest["kind"], first["undone"]) == ("undo", True)
    assert client.post(f"/api/v1/acts/{act['id']}/undo").status_code == 412


def clicked(client: TestClient, address: str) -> list[Any]:
    """The answers to ten clicks at once."""
    with ThreadPoolExecutor(10) as pool:
        answers = list(pool.map(lambda _: client.post(address), range(10)))
    assert {answer.status_code for answer in answers} == {202}
    return answers


def test_a_second_editor_is_told_what_the_first_set_and_by_whom(client: TestClient, many: int) -> None:
    seen = board(client, many)["rail"]
    values, tag = f"/api/v1/conversions/{seen['conversion_id']}/values/", {"If-Match": f'"{seen["version"]}"'}
    td = TestClient(client.app, ADDRESS, headers=token_of("Anders", Role.TD))
    assert td.patch(f"{values}base_color", json={"value": [0.5, 0.4, 0.3]}, headers=tag).status_code == 200
    late = client.patch(f"{values}base_color", json={"value": [0.1, 0.1, 0.1]}, headers=tag)
    assert late.status_code == 412
    assert "Anders at" in late.json()["detail"]
    assert "base_color set to (0.5, 0.4, 0.3)" in late.json()["detail"]


def test_saved_acts_say_what_they_do(client: TestClient, many: int) -> None:
    body = {"name": "felt gets fuzz", "question": {"find": "felt"}, "act": SHEEN}
    assert client.post(f"/api/v1/projects/{many}/saved-acts", json=body).status_code == 201
    assert client.post(f"/api/v1/projects/{many}/saved-acts", json=body).status_code == 422
    (kept,) = client.get(f"/api/v1/projects/{many}/saved-acts").json()
    assert (kept["by"], kept["words"], kept["question"]["find"]) == ("Mira", "replace fuzz: fuzz_weight 0.4", "felt")
    request = {**AIM, "act": kept["act"], "question": kept["question"]}
    assert client.post(f"/api/v1/projects/{many}/rehearsals", json=request).json()["total"] == 3
    assert client.delete(f"/api/v1/saved-acts/{kept['id']}").status_code == 204
