"""The application without its job runner, and jobs done in this process where a test needs their result."""

from __future__ import annotations

from typing import Any

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import select

from fenrain.api.app import create_app
from fenrain.jobs.queue import count
from fenrain.jobs.work import run_item
from fenrain.store.database import session
from fenrain.store.tables import Job, JobItem

ADDRESS = "http://127.0.0.1"
"""By which the server is asked for: it answers to no other."""


@pytest.fixture(scope="module")
def client() -> TestClient:
    return TestClient(create_app(run_jobs=False), ADDRESS, raise_server_exceptions=False)


@pytest.fixture(scope="module")
def project(client: TestClient, request: pytest.FixtureRequest) -> int:
    return int(client.post("/api/v1/projects", json={"name": request.module.__name__}).json()["id"])


def hand_in(client: TestClient, project: int, *files: tuple[str, bytes]) -> Any:
    return client.post(f"/api/v1/projects/{project}/intakes", files=[("files", (name, data)) for name, data in files])


def work_off(job_id: int) -> None:
    """Do a job's items here, as a worker would."""
    with session() as database:
        items = database.scalars(select(JobItem.id).where(JobItem.job_id == job_id, JobItem.state == "pending")).all()
    for item in items:
        run_item(item)
    with session() as database:
        count(database, database.get_one(Job, job_id))


@pytest.fixture(scope="module")
def converted(client: TestClient, project: int) -> dict[str, Any]:
    """One constant material, converted and checked."""
    intake = hand_in(client, project, ("plain.mtl", b"newmtl plain\nKd 0.4 0.3 0.2\nKs 0.3 0.3 0.3\nNs 60\n")).json()
    job = client.post(f"/api/v1/intakes/{intake['id']}/accept", json={}).json()
    work_off(job["id"])
    return dict(next(row for row in client.get(f"/api/v1/projects/{project}/board").json() if row["name"] == "plain"))
