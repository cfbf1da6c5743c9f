"""Two application processes and two groups of workers that share nothing but a database, an object store and a scheduler, by URL.

Of the long suite; the short one has a local cluster, in `test_workers.py` and `test_queue.py`.
"""

from __future__ import annotations

import os
import re
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import httpx
import numpy as np
import pytest

from fenrain.core.maps.image import png_bytes
from fenrain.jobs.certificates import write_certificate
from fenrain.store.server import DatabaseServer, address_of
from tests.conftest import free_port
from tests.sizes import long_only

pytestmark = [pytest.mark.journey, long_only]

BUCKET = "fenrain"
KEYS = {"AWS_ACCESS_KEY_ID": "invented", "AWS_SECRET_ACCESS_KEY": "invented", "AWS_DEFAULT_REGION": "eu-west-1"}
MATERIALS = 8
NAMES = ("one", "other")
"""Of the applications, and of the groups of workers."""


class Process:
    """A program of Fenrain with a data folder of its own; what it prints goes to a file there."""

    def __init__(self, folder: Path, environment: dict[str, str], *arguments: str) -> None:
        folder.mkdir()
        self.folder, self.output = folder, folder / "output"
        own = {**os.environ, **environment, "FENRAIN_DATA": str(folder), "FENRAIN_PORT": str(free_port()), "FENRAIN_WORKERS": "1"}
        self.address = f"http://127.0.0.1:{own['FENRAIN_PORT']}/api/v1"
        command = [sys.executable, "-m", "fenrain.cli", *arguments]
        with self.output.open("wb") as stream:
            self.process = subprocess.Popen(command, env=own, stdout=stream, stderr=stream, start_new_session=True)

    def says(self, pattern: str) -> str:
        """Waits until it has printed this."""
        return until(lambda: (found := re.search(pattern, self.output.read_text())) and found[1], self.output.read_text)

    def kill(self) -> None:
        """At once, and all that it started."""
        if self.process.poll() is None:
            os.killpg(self.process.pid, signal.SIGKILL)
            self.process.wait(20)


def until(found: Callable[[], Any], told: Callable[[], str] = str) -> Any:
    deadline = time.monotonic() + 300
    while not (it := found()):
        assert time.monotonic() < deadline, told()
        time.sleep(0.2)
    return it


@pytest.fixture(scope="module")
def shared(tmp_path_factory: pytest.TempPathFactory) -> Iterator[dict[str, str]]:
    """Settings that lead to a database and to an object store, the latter a stand-in that keeps what it is given in memory."""
    folder, port, store = tmp_path_factory.mktemp("shared"), free_port(), free_port()
    stand_in = subprocess.Popen(
        [sys.executable, "-m", "moto.server", "-p", str(store)], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
    )
    try:
        with DatabaseServer(folder / "database", port):
            url = address_of(folder / "database").set(host="127.0.0.1", port=port, query={"charset": "utf8mb4"})
            endpoint = f"http://127.0.0.1:{store}"
            until(lambda: _made(endpoint))
            write_certificate(folder / "cluster.pem")
            yield {
                **KEYS,
                "AWS_ENDPOINT_URL": endpoint,
                "FENRAIN_DATABASE": url.render_as_string(hide_password=False),
                "FENRAIN_FILES": f"s3://{BUCKET}/files",
                "FENRAIN_CERTIFICATE": str(folder / "cluster.pem"),
            }
    finally:
        stand_in.kill()
        stand_in.wait()


def _made(endpoint: str) -> bool:
    """Whether the store answers; it has a bucket then."""
    try:
        return httpx.put(f"{endpoint}/{BUCKET}", content=LOCATION, timeout=5).is_success
    except httpx.TransportError:
        return False


LOCATION = "<CreateBucketConfiguration><LocationConstraint>eu-west-1</LocationConstraint></CreateBucketConfiguration>"


@pytest.fixture(scope="module")
def cluster(shared: dict[str, str], tmp_path_factory: pytest.TempPathFactory) -> Iterator[dict[str, Process]]:
    folder, started = tmp_path_factory.mktemp("cluster"), dict[str, Process]()

    def start(name: str, *arguments: str, **environment: str) -> Process:
        started[name] = Process(folder / name, {**shared, **environment}, *arguments)
        return started[name]

    try:
        scheduler = start("scheduler", "scheduler", "--port", "0").says(r"is ready: (tls://\S+)")
        for name in NAMES:
            start(f"workers {name}", "work", scheduler, "--count", "1")
        for name in NAMES:
            start(f"application {name}", "serve", FENRAIN_SCHEDULER=scheduler)
        yield started
    finally:
        for process in started.values():
            process.kill()


def test_applications_and_groups_of_workers_share_what_there_is_to_do(cluster: dict[str, Process]) -> None:
    applications = [cluster[f"application {name}"] for name in NAMES]
    for name in NAMES:
        cluster[f"workers {name}"].says("(ready)")
    for application in applications:
        application.says("(is ready)")
    one, last = applications[0], applications[-1]
    links = [process.says(r"enter#(\S+)") for process in applications]
    entries = [httpx.post(f"{one.address}/session", json={"link": link}) for link in links]
    cookies = next(entry.cookies for entry in entries if entry.is_success)  # a new link takes the place of one that nobody has used

    def get(path: str) -> Any:
        return httpx.get(f"{last.address}/{path}", cookies=cookies, timeout=30).raise_for_status().json()

    project = httpx.post(f"{one.address}/projects", json={"name": "cluster"}, cookies=cookies).raise_for_status().json()["id"]
    intake = httpx.post(f"{one.address}/projects/{project}/intakes", files=_sheet(), cookies=cookies, timeout=60).raise_for_status().json()
    job = httpx.post(f"{one.address}/intakes/{intake['id']}/accept", json={}, cookies=cookies, timeout=60).raise_for_status().json()["id"]
    if len(NAMES) > 1:
        until(lambda: get(f"jobs/{job}")["done"] >= 3)
        cluster["workers one"].kill()
        one.kill()
    ended = until(lambda: (now := get(f"jobs/{job}"))["state"] not in ("queued", "running") and now)
    assert (ended["state"], ended["done"], ended["failed"]) == ("done", ended["total"], 0)
    rows = until(lambda: (board := get(f"projects/{project}/board"))["unsettled"] == 0 and board["rows"])
    assert len(rows) == MATERIALS
    assert {row["verdict"]["verdict"] for row in rows} == {"match"}
    for name in NAMES:
        copies = list((cluster[f"workers {name}"].folder / "copies").glob("??/*"))
        assert copies, f"the workers of the {name} group have done nothing"


def _sheet() -> list[tuple[str, tuple[str, bytes]]]:
    """Materials with a map each."""
    numbers = np.random.default_rng(3)
    lines, files = [], []
    for number in range(MATERIALS):
        lines += [f"newmtl plate_{number}", "Kd 1 1 1", "Ks 0 0 0", f"map_Kd plate_{number}.png"]
        files.append(("files", (f"plate_{number}.png", png_bytes(numbers.uniform(0.1, 0.6, (32, 32, 3))))))
    return [("files", ("plates.mtl", "\n".join(lines).encode())), *files]
