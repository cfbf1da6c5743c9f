"""What is looked at, drawn by the live process; and verdicts judged again by other tolerances."""

from __future__ import annotations

import json
from collections.abc import Iterator
from queue import Queue
from typing import Any

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import func, select

from fenrain.api.app import create_app
from fenrain.services.live_rendering import LiveRendering
from fenrain.services.picture_frames import PictureFrame, ViewRequest
from fenrain.store.database import session
from fenrain.store.tables import CheckRow
from tests.api.conftest import ADDRESS, board_row, token_of

pytestmark = [pytest.mark.usefixtures("database"), pytest.mark.pictures]


@pytest.fixture(scope="module")
def live(database: None) -> Iterator[LiveRendering]:
    with LiveRendering() as opened:
        yield opened


@pytest.fixture(scope="module")
def looking(live: LiveRendering) -> TestClient:
    app = create_app(run_jobs=False)
    app.state.live = live
    return TestClient(app, ADDRESS, headers=token_of("Mira"), raise_server_exceptions=False)


def frames(client: TestClient, conversion: int, **request: Any) -> list[dict[str, Any]]:
    answer = client.get(f"/api/v1/conversions/{conversion}/look", params={"rig": "low_sun", "stand": "turned", **request})
    assert answer.status_code == 200, answer.text
    return [json.loads(line.removeprefix("data: ")) for line in answer.text.splitlines() if line.startswith("data: ")]


def checks_kept() -> int:
    with session() as database:
        return int(database.scalar(select(func.count()).select_from(CheckRow).where(CheckRow.turn == 0.0)) or 0)


def test_a_view_begins_with_pictures_gets_readings_and_is_kept(looking: TestClient, converted: dict[str, Any]) -> None:
    seen = frames(looking, converted["conversion_id"], size=256)
    assert seen[0]["pictures"]["original"].startswith("data:image/png;base64,")
    assert seen[0]["decision"] is None
    assert [frame["done"] for frame in seen].index(True) == len(seen) - 1
    clear = next(frame for frame in seen if frame["clear"])
    assert clear["decision"]["verdict"] in ("match", "near", "undecided", "off")
    assert {"colour", "colour_95", "above_white"} <= {reading["metric"] for reading in clear["readings"]}
    assert clear["figures"]["readings"]
    assert max(frame["size"] for frame in seen) == 256
    shown = looking.get(f"/api/v1/conversions/{converted['conversion_id']}").json()
    (kept,) = [check for check in shown["checks"] if (check["rig"], check["stand"]) == ("low_sun", "turned")]
    assert kept["size"] == 256
    assert kept["decision"]["verdict"] == clear["decision"]["verdict"]


def test_a_value_that_is_tried_changes_the_picture_and_nothing_else(looking: TestClient, converted: dict[str, Any]) -> None:
    before, version = checks_kept(), looking.get(f"/api/v1/conversions/{converted['conversion_id']}").json()["version"]
    plain = frames(looking, converted["conversion_id"])
    tried = frames(looking, converted["conversion_id"], trial=json.dumps({"base_color": [0.0, 0.0, 1.0]}))
    assert tried[0]["pictures"]["converted"] != plain[0]["pictures"]["converted"]
    assert tried[-2]["decision"]["verdict"] == "off"
    assert checks_kept() == before
    assert looking.get(f"/api/v1/conversions/{converted['conversion_id']}").json()["version"] == version


def test_a_view_that_is_dropped_does_not_keep_the_next_waiting(live: LiveRendering, converted: dict[str, Any]) -> None:
    first, second = Queue[PictureFrame](), Queue[PictureFrame]()
    number = live.look(ViewRequest(converted["conversion_id"], "soft_studio", "turned", 0.0, 512), first.put)
    assert first.get(timeout=60).pictures
    live.drop(number)
    live.look(ViewRequest(converted["conversion_id"], "fine_bars", "turned", 0.0, 128), second.put)
    while (shown := second.get(timeout=60)).preparing:
        pass
    assert shown.size == 128
    while not (last := second.get(timeout=60)).done:
        pass
    assert last.problem is None
    seen = [first.get_nowait() for _ in range(first.qsize())]
    assert not any(frame.done for frame in seen)


def test_the_newest_view_goes_first(live: LiveRendering, converted: dict[str, Any]) -> None:
    order: list[str] = []
    ended = Queue[str]()

    def deliver(name: str) -> Any:
        def note(frame: PictureFrame) -> None:
            order.append(name)
            if frame.done:
                ended.put(name)

        return note

    live.look(ViewRequest(converted["conversion_id"], "soft_studio", "sphere", 15.0, 384), deliver("old"))
    live.look(ViewRequest(converted["conversion_id"], "low_sun", "sphere", 15.0, 128), deliver("new"))
    assert ended.get(timeout=120) == "new"
    assert ended.get(timeout=120) == "old"


def test_after_its_process_has_died_another_one_draws(live: LiveRendering, converted: dict[str, Any]) -> None:
    got = Queue[PictureFrame]()
    live.look(ViewRequest(converted["conversion_id"], "soft_studio", "turned", 33.0, 512), got.put)
    assert got.get(timeout=60).pictures
    assert live._process is not None
    live._process.kill()
    while not (last := got.get(timeout=60)).done:
        pass
    assert last.problem is not None
    assert "another one stands ready" in str(last.problem)
    live.look(ViewRequest(converted["conversion_id"], "soft_studio", "turned", 34.0, 128), got.put)
    assert got.get(timeout=60).pictures


@pytest.mark.parametrize(
    ("asked", "status", "code"),
    [
        ({"rig": "moon"}, 404, "not-found"),
        ({"stand": "cube"}, 404, "not-found"),
        ({"trial": "{"}, 422, "input"),
        ({"trial": "[1]"}, 422, "input"),
        ({"turn": 900}, 422, "invalid-request"),
    ],
)
def test_a_view_that_cannot_be_is_refused(
    looking: TestClient, converted: dict[str, Any], asked: dict[str, Any], status: int, code: str
) -> None:
    params = {"rig": "low_sun", "stand": "sphere", **asked}
    answer = looking.get(f"/api/v1/conversions/{converted['conversion_id']}/look", params=params)
    assert (answer.status_code, answer.json()["code"]) == (status, code)


def test_a_value_out_of_its_range_is_said_in_the_stream(looking: TestClient, converted: dict[str, Any]) -> None:
    (only,) = frames(looking, converted["conversion_id"], trial=json.dumps({"specular_roughness": 7.0}))
    assert only["done"]
    assert only["problem"]["code"] == "parameter"
    assert "0 to 1" in only["problem"]["remedy"]


def test_without_a_live_process_it_says_so(client: TestClient, converted: dict[str, Any]) -> None:
    answer = client.get(f"/api/v1/conversions/{converted['conversion_id']}/look", params={"rig": "low_sun"})
    assert (answer.status_code, answer.json()["code"]) == (503, "engine")


def test_other_tolerances_judge_again_and_render_nothing(client: TestClient, project: int, converted: dict[str, Any]) -> None:
    def row() -> Any:
        return board_row(client, project, "plain")

    kept = checks_kept()
    tight = {"limits": {"*": {name: {"match": 0.01, "near": 0.02} for name in ("colour", "colour_95")}}}
    answer = client.put(f"/api/v1/projects/{project}/tolerances", json=tight)
    assert answer.json()["tolerances"]["*"]["colour"] == {"match": 0.01, "near": 0.02}
    assert row()["verdict"]["verdict"] == "off"
    wide = {"limits": {"*": {name: {"match": 90, "near": 95} for name in ("colour", "colour_95", "above_white", "mirrored_detail")}}}
    client.put(f"/api/v1/projects/{project}/tolerances", json=wide)
    assert row()["verdict"]["verdict"] == "match"
    client.put(f"/api/v1/projects/{project}/tolerances", json={"limits": {}})
    assert row()["verdict"] == converted["verdict"]
    assert checks_kept() == kept


@pytest.mark.parametrize(
    ("limits", "status"),
    [
        ({"*": {"flip": {"match": 1, "near": 2}}}, 422),
        ({"*": {"colour": {"match": 3, "near": 2}}}, 422),
        ({"moon": {"colour": {"match": 1, "near": 2}}}, 404),
        ({"*": {"colour": {"match": -1, "near": 2}}}, 422),
    ],
)
def test_tolerances_that_cannot_be_are_refused(client: TestClient, project: int, limits: dict[str, Any], status: int) -> None:
    answer = client.put(f"/api/v1/projects/{project}/tolerances", json={"limits": limits})
    assert answer.status_code == status
    assert answer.json()["remedy"]
