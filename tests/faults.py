"""Kills server, workers and database at random moments while people and jobs work, and looks afterwards whether anything is lost."""

from __future__ import annotations

import json
import os
import random
import signal
import subprocess
import sys
import threading
import time
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import httpx
import psutil
from sqlalchemy import create_engine, text

from fenrain.store.server import address_of
from tests.conftest import free_port
from tests.sizes import sized

SERVER, WORKER, HELPER, DATABASE = "server", "worker", "helper", "database"
"""What is killed; a helper does at once what people ask for: it edits, and draws what is looked at."""
PATIENCE = 120.0
"""Seconds within which everything is up again."""
OPEN = ("queued", "running", "pending")


@dataclass
class Said:
    """What the server acknowledged, by people's own words, and what it was asked for without an answer."""

    notes: list[str] = field(default_factory=list)
    materials: list[str] = field(default_factory=list)
    values: dict[int, dict[int, float]] = field(default_factory=dict)
    jobs: list[int] = field(default_factory=list)
    unanswered: int = 0


class Site:
    """`fenrain serve` in a data folder, killed and started again. orphans: processes of servers that were killed."""

    def __init__(self, data: Path) -> None:
        self.data = data
        self.environment = {
            **os.environ, "FENRAIN_DATA": str(data), "FENRAIN_PORT": str(free_port()), "FENRAIN_DATABASE_PORT": str(free_port()),
            "FENRAIN_REQUESTS_A_MINUTE": "1000000", "FENRAIN_UPLOADS_AN_HOUR": "1000000", "FENRAIN_JOBS_AT_ONCE": "1000000",
            "FENRAIN_WORKERS": sized("1", "2"),
        }  # fmt: skip
        self.address = f"http://127.0.0.1:{self.environment['FENRAIN_PORT']}/api/v1"
        self.headers: dict[str, str] = {}
        self.orphans: list[psutil.Process] = []
        self.start()
        self.headers = self._token()

    def start(self) -> None:
        output = (self.data / "output").open("ab")
        self.process = subprocess.Popen(
            [sys.executable, "-m", "fenrain.cli", "serve"], env=self.environment, stdout=output, stderr=output, start_new_session=True
        )
        self.wait(lambda: self.ask("GET", "session").status_code in (200, 401))

    def _token(self) -> dict[str, str]:
        printed = subprocess.run(
            [sys.executable, "-m", "fenrain.cli", "enter", "Supervisor"], env=self.environment, capture_output=True, text=True, check=True
        ).stdout
        link = printed.rpartition("#")[2].strip()
        cookies = httpx.post(f"{self.address}/session", json={"link": link}).raise_for_status().cookies
        made = httpx.post(f"{self.address}/tokens", json={"name": "faults", "days": 1}, cookies=cookies).raise_for_status()
        return {"Authorization": f"Bearer {made.json()['secret']}"}

    def ask(self, method: str, path: str, **body: Any) -> httpx.Response:
        return httpx.request(method, f"{self.address}/{path}", timeout=30, **{"headers": self.headers, **body})

    def wait(self, done: Callable[[], Any], seconds: float = PATIENCE) -> Any:
        """Until it is so; what does not answer is asked again."""
        deadline = time.monotonic() + seconds
        while True:
            try:
                if found := done():
                    return found
            except httpx.HTTPError:
                pass
            assert time.monotonic() < deadline, (self.data / "output").read_text()[-2000:]
            time.sleep(0.1)

    def kill(self, what: str, patience: float = 0.0) -> bool:
        """With SIGKILL; returns whether there was one. patience: seconds that are waited for a worker or a helper."""
        if what == SERVER:
            self.orphans += [one for kind in (WORKER, HELPER) for one in self._processes(kind)]
            self.process.kill()
            self.process.wait()
            self.start()
            return True
        if what == DATABASE:
            pid = int((self.data / "database" / "mariadbd.pid").read_text())
            os.kill(pid, signal.SIGKILL)
            self.wait(lambda: self.ask("GET", "projects").is_success)
            return True
        deadline = time.monotonic() + patience
        while not (found := self._processes(what)) and time.monotonic() < deadline:
            time.sleep(0.1)
        if found:
            random.choice(found).kill()
        return bool(found)

    def _processes(self, what: str) -> list[psutil.Process]:
        return [one for one in psutil.Process(self.process.pid).children(recursive=True) if _kind_of(one) == what]

    def end(self) -> None:
        self.process.send_signal(signal.SIGINT)
        self.process.wait(60)


def _lives(process: psutil.Process) -> bool:
    try:
        return process.is_running() and process.status() != psutil.STATUS_ZOMBIE
    except psutil.NoSuchProcess:
        return False


def _kind_of(process: psutil.Process) -> str:
    """What a process that the server has spawned does: workers of the cluster listen for each other."""
    try:
        if "spawn_main" not in " ".join(process.cmdline()):
            return ""
        return WORKER if any(one.status == psutil.CONN_LISTEN for one in process.net_connections("tcp")) else HELPER
    except psutil.Error:
        return ""  # it has just ended


class People:
    """Who works meanwhile: one sets values and reviews, one takes materials in and has them converted."""

    def __init__(self, site: Site, project: int, conversions: list[int]) -> None:
        self.site, self.project, self.conversions, self.said = site, project, conversions, Said()
        self._stop = threading.Event()
        self._threads = [threading.Thread(target=self._keep_on, args=(act,)) for act in (self._set_value, self._review, self._take_in)]

    def __enter__(self) -> People:
        for thread in self._threads:
            thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._stop.set()
        for thread in self._threads:
            thread.join()

    def _keep_on(self, act: Callable[[int, random.Random], None]) -> None:
        number, chance = 0, random.Random(act.__name__)
        while not self._stop.is_set():
            number += 1
            try:
                act(number, chance)
            except httpx.HTTPError:
                self.said.unanswered += 1
            self._stop.wait(0.05)

    def _set_value(self, number: int, chance: random.Random) -> None:
        identity = chance.choice(self.conversions)
        found = self.site.ask("GET", f"conversions/{identity}")
        if not found.is_success:
            return
        value = round(chance.uniform(0.1, 0.9), 6)
        headers = {**self.site.headers, "If-Match": found.headers["ETag"]}
        done = self.site.ask("PATCH", f"conversions/{identity}/values/specular_roughness", json={"value": value}, headers=headers)
        if done.is_success:
            self.said.values.setdefault(identity, {})[done.json()["version"]] = value

    def _review(self, number: int, chance: random.Random) -> None:
        note, identity = f"note {number}", chance.choice(self.conversions)
        found = self.site.ask("GET", f"conversions/{identity}")
        if not found.is_success:
            return
        headers = {**self.site.headers, "If-Match": found.headers["ETag"]}
        body = {"state": "sent back", "note": note}
        if self.site.ask("POST", f"conversions/{identity}/reviews", json=body, headers=headers).is_success:
            self.said.notes.append(note)

    def _take_in(self, number: int, chance: random.Random) -> None:
        name = f"taken_{number}"
        sheet = f"newmtl {name}\nKd 0.{chance.randrange(10, 99)} 0.3 0.2\nNs {chance.randrange(2, 200)}\n".encode()
        intake = self.site.ask("POST", f"projects/{self.project}/intakes", files=[("files", (f"{name}.mtl", sheet))])
        if not intake.is_success:
            return
        job = self.site.ask("POST", f"intakes/{intake.json()['id']}/accept", json={})
        if job.is_success:
            self.said.materials.append(name)
            self.said.jobs.append(job.json()["id"])
        self._stop.wait(sized(20.0, 3.0))


def begun(site: Site) -> tuple[int, list[int]]:
    """A project with some conversions."""
    project = site.ask("POST", "projects", json={"name": "faults"}).raise_for_status().json()["id"]
    sheet = "\n".join(f"newmtl first_{number}\nKd 0.{number} 0.3 0.2\nNs 40" for number in range(1, 7)).encode()
    intake = site.ask("POST", f"projects/{project}/intakes", files=[("files", ("first.mtl", sheet))]).raise_for_status().json()["id"]
    site.ask("POST", f"intakes/{intake}/accept", json={}).raise_for_status()

    def converted() -> list[int]:
        rows = site.ask("GET", f"projects/{project}/board").raise_for_status().json()["rows"]
        found = [row["conversion_id"] for row in rows if row["conversion_id"] is not None]
        return found if len(found) == 6 else []

    return project, list(site.wait(converted))


def injected(
    site: Site, project: int, conversions: list[int], victims: list[str], *, seed: int, rest: float, patience: float = 0.0
) -> tuple[Said, Counter[str]]:
    """Kill what is named, in that order, at random moments while people work. rest: the most seconds between two; patience: see
    `Site.kill`. Returns what they were told, and how often what was killed."""
    chance, killed = random.Random(seed), Counter[str]()
    with People(site, project, conversions) as people:
        for what in victims:
            time.sleep(chance.uniform(0.05, rest))
            killed[what] += site.kill(what, patience)
        said = people.said
        site.wait(lambda: said.notes and said.values and said.materials)  # everybody gets on again
    return said, killed


def lost(site: Site, project: int, said: Said) -> list[str]:
    """Everything that was acknowledged and is not there, or is there twice, and every job that does not end; in words."""
    found: list[str] = []
    site.wait(lambda: all(job["state"] not in OPEN for job in _jobs(site, project)), 600)
    found += [f"{one} has outlived its server" for one in site.orphans if _lives(one)]
    found += [f"job {job} is gone" for job in said.jobs if not site.ask("GET", f"jobs/{job}").is_success]
    notes = Counter(_notes(site))
    found += [f"the review “{note}” is there {notes[note]} times" for note in said.notes if notes[note] != 1]
    names = Counter(_names(site, project))
    found += [f"“{name}” is there {names[name]} times" for name in said.materials if names[name] != 1]
    found += [f"“{name}” is there {count} times" for name, count in names.items() if count > 1]
    for identity, values in said.values.items():
        kept = versions_of(site, identity)
        missing = [version for version, value in values.items() if kept.get(version) != value]
        found += [f"version {version} of conversion {identity} is not what was set" for version in missing]
    return found


def _jobs(site: Site, project: int) -> list[dict[str, Any]]:
    return list(site.ask("GET", f"projects/{project}/jobs").raise_for_status().json())


def _query(site: Site, statement: str) -> list[Any]:
    engine = create_engine(address_of(site.data / "database"))
    with engine.connect() as connection:
        found = connection.execute(text(statement)).all()
    engine.dispose()
    return list(found)


def _notes(site: Site) -> list[str]:
    return [row[0] for row in _query(site, "SELECT note FROM reviews")]


def _names(site: Site, project: int) -> list[str]:
    return [row[0] for row in _query(site, f"SELECT name FROM materials WHERE project_id = {project} AND name LIKE 'taken_%'")]


def versions_of(site: Site, conversion: int) -> dict[int, float]:
    """What each version of a conversion set, as its history has it."""
    rows = _query(site, f"SELECT version, changes FROM edits WHERE conversion_id = {conversion}")
    return {version: json.loads(changes)["specular_roughness"][1]["value"]["constant"] for version, changes in rows}
