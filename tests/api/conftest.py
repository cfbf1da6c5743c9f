"""The application without its job runner, and jobs done in this process where a test needs their result."""

from __future__ import annotations

import time
from typing import Any

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import select, update

from fenrain.api.app import create_app
from fenrain.api.authentication import COOKIE
from fenrain.jobs.queue import LOOK, SETTLE, update_counts
from fenrain.services import people
from fenrain.services.people import Role
from fenrain.store.database import session
from fenrain.store.tables import Job, JobItem
from tests.conftest import finished

ADDRESS = "http://127.0.0.1"
"""By which the server is asked for: it answers to no other."""


@pytest.fixture(scope="module")
def client() -> TestClient:
    return TestClient(create_app(run_jobs=False), ADDRESS, headers=token_of("Mira"), raise_server_exceptions=False)


def token_of(name: str, role: Role = Role.SUPERVISOR) -> dict[str, str]:
    """The header by which a script is let in as somebody of this name."""
    with session() as database:
        known = {one.name: one for one in people.list_people(database)}
        person = known.get(name) or people.add_person(database, name, role)
        return {"Authorization": f"Bearer {people.create_token(database, person.id, 'tests', 1)}"}


def cookie_of(name: str, role: Role = Role.SUPERVISOR) -> dict[str, str]:
    """The header by which a browser is let in as somebody of this name."""
    with session() as database:
        known = {one.name: one for one in people.list_people(database)}
        link = people.create_sign_in_link(database, known.get(name) or people.add_person(database, name, role))
        return {"Cookie": f"{COOKIE}={people.sign_in_by_link(database, link)}"}


@pytest.fixture(scope="module")
def project(client: TestClient, request: pytest.FixtureRequest) -> int:
    """Of a name of its own. It aims at the nearest values: what is tested beside aims does not change with what is chosen for them."""
    identity = int(client.post("/api/v1/projects", json={"name": request.module.__name__}).json()["id"])
    client.put(f"/api/v1/projects/{identity}/aim", json={"aim": "nearest"})
    return identity


def conversion(client: TestClient, identity: int) -> dict[str, Any]:
    return dict(client.get(f"/api/v1/conversions/{identity}").json())


def version(client: TestClient, identity: int) -> dict[str, str]:
    """The header of an edit that is made on what stands now."""
    return {"If-Match": f'"{conversion(client, identity)["version"]}"'}


def rehearsed(client: TestClient, project: int, target: dict[str, str], act: dict[str, Any], **chosen: Any) -> tuple[int, dict[str, Any]]:
    """The job of an act's rehearsal, and what it found."""
    job = client.post(f"/api/v1/projects/{project}/rehearsals", json={**target, "act": act, **chosen})
    assert job.status_code == 202, job.text
    work_off(job.json()["id"])
    return job.json()["id"], client.get(f"/api/v1/jobs/{job.json()['id']}/rehearsal").json()


def board_rows(client: TestClient, project: int, **request: Any) -> list[dict[str, Any]]:
    """Rows of the board, as soon as all that they depend on is judged: what another process is at, it leaves to that."""
    deadline = time.monotonic() + 60
    while True:
        board = client.get(f"/api/v1/projects/{project}/board", params=request).json()
        if board["unsettled"] == 0:
            return list(board["rows"])
        assert time.monotonic() < deadline, f"{board['unsettled']} are never judged again"
        time.sleep(0.1)


def board_row(client: TestClient, project: int, name: str) -> dict[str, Any]:
    """The row of a material."""
    return next(row for row in board_rows(client, project) if row["name"] == name)


def found_in(client: TestClient, intake: dict[str, Any], **request: Any) -> list[dict[str, Any]]:
    """What was found in an intake."""
    return list(client.get(f"/api/v1/intakes/{intake['id']}/found", params=request).json()["rows"])


def hand_in(client: TestClient, project: int, *files: tuple[str, bytes]) -> Any:
    return client.post(f"/api/v1/projects/{project}/intakes", files=[("files", (name, data)) for name, data in files])


def work_off(job_id: int, *, draw: bool = True) -> None:
    """Do a job's items here, as a worker would. draw: pictures, too, for tests that are about looks."""
    with session() as database:
        if not draw:
            drawn = update(JobItem).where(JobItem.job_id == job_id, JobItem.work.in_((LOOK, SETTLE)))
            database.execute(drawn.values(state="done", done=JobItem.size))
        items = database.scalars(select(JobItem.id).where(JobItem.job_id == job_id, JobItem.state == "pending")).all()
    for item in items:
        finished(item)
    with session() as database:
        update_counts(database, database.get_one(Job, job_id))


@pytest.fixture(scope="module")
def converted(client: TestClient, project: int) -> dict[str, Any]:
    """One constant material, converted and checked."""
    intake = hand_in(client, project, ("plain.mtl", b"newmtl plain\nKd 0.4 0.3 0.2\nKs 0.3 0.3 0.3\nNs 60\n")).json()
    job = client.post(f"/api/v1/intakes/{intake['id']}/accept", json={}).json()
    work_off(job["id"])
    return board_row(client, project, "plain")
