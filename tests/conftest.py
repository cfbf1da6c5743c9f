"""What several tests need: small files made by the demo's code, and one MariaDB for the whole run."""

from __future__ import annotations

import io
import os
import socket
import subprocess
import sys
import time
import warnings
from collections.abc import Iterator
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

import pytest

from fenrain.core import Material, read
from fenrain.demo.heron_lode import ENGINE_HOUSE, SLUICE_YARD, write_heron_lode
from fenrain.settings import settings

LONGEST, LONGEST_WAIT = 3.0, 9.0
"""Seconds of a processor that a test may take that has no marker of the long suite, and seconds that it may take in all: a busy machine
lets every test wait, so that waiting is counted more generously."""
MARGIN = 2.0
"""How many times slower a machine may be than an idle one of two cores before its tests fail for that."""
BEGUN_FIRST = (
    "web/test_whole_job.py", "core/test_outside_pictures.py", "jobs/test_faults.py", "web/test_web_viewer.py",
    "jobs/test_cluster.py", "web/test_independent_viewer.py", "core/test_conversion.py", "core/test_model_properties.py",
)  # fmt: skip
"""The longest files, so that no process is left alone with one of them."""
MEASURED_AT_LENGTH = ("population", "fuzz", "faults", "viewers", "pictures", "journey")


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    places = {Path(__file__).parent / name: place for place, name in enumerate(BEGUN_FIRST)}
    items.sort(key=lambda item: places.get(item.path, len(places)))


@pytest.hookimpl(wrapper=True)
def pytest_runtest_call(item: pytest.Item) -> Iterator[None]:
    """Fail what takes too long to be run at every change, and warn of what comes near to it."""
    begun, waited = sum(os.times()[:4]), time.monotonic()
    yield
    taken, waited = sum(os.times()[:4]) - begun, time.monotonic() - waited
    excess = max(taken / LONGEST, waited / LONGEST_WAIT)
    if excess <= 1.0 or any(map(item.get_closest_marker, MEASURED_AT_LENGTH)):
        return
    advice = (
        f"{item.nodeid} took {taken:.1f} s of a processor, {waited:.1f} s in all: make it faster, or give it a marker of the long suite"
    )
    if excess > MARGIN:
        pytest.fail(advice)
    warnings.warn(advice, stacklevel=1)


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def fenrain(*arguments: object) -> subprocess.CompletedProcess[str]:
    """What the command line does when it is told this, in this process."""
    from fenrain.cli import main

    told, out, wrong = ["fenrain", *map(str, arguments)], io.StringIO(), io.StringIO()
    with pytest.MonkeyPatch.context() as patch, redirect_stdout(out), redirect_stderr(wrong):
        patch.setattr(sys, "argv", told)
        with pytest.raises(SystemExit) as left:
            main()
    return subprocess.CompletedProcess(told, int(left.value.code or 0), out.getvalue(), wrong.getvalue())


def finished(item_id: int) -> str:
    """Do an item of a job here, as often as it steps aside for something more urgent that other tests left waiting. Returns its state."""
    from fenrain.jobs.work import run_item

    while (state := run_item(item_id)) == "pending":
        pass
    return state


@pytest.fixture(scope="session")
def heron_lode(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Folder of the demo's two assets."""
    folder = tmp_path_factory.mktemp("heron_lode")
    write_heron_lode(folder)
    return folder


@pytest.fixture(scope="session")
def engine_house(heron_lode: Path) -> list[Material]:
    return read(heron_lode / ENGINE_HOUSE)


@pytest.fixture(scope="session")
def sluice_yard(heron_lode: Path) -> list[Material]:
    return read(heron_lode / SLUICE_YARD)


@pytest.fixture(scope="session")
def data_folder(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Path]:
    """Settings that point at a fresh folder and free ports, for this process and every process that it starts."""
    folder = tmp_path_factory.mktemp("data")
    with pytest.MonkeyPatch.context() as environment:
        environment.setenv("FENRAIN_DATA", str(folder))
        environment.setenv("FENRAIN_DATABASE_PORT", str(free_port()))
        environment.setenv("FENRAIN_PORT", str(free_port()))
        settings.cache_clear()
        yield folder
    settings.cache_clear()


@pytest.fixture(scope="session")
def database(data_folder: Path) -> Iterator[None]:
    """A real MariaDB with the tables of today."""
    from fenrain.store.database import engine, migrate
    from fenrain.store.server import DatabaseServer

    with DatabaseServer(data_folder / "database", settings().database_port):
        engine.cache_clear()
        migrate()
        yield
        engine().dispose()
