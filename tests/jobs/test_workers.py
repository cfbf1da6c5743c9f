"""The worker processes of a local cluster come back, whenever they die."""

from __future__ import annotations

import os
import time
from collections.abc import Callable
from pathlib import Path

import psutil
import pytest
from distributed import Status

from fenrain.jobs.cluster import HOW, close_cluster, count_workers, open_cluster
from fenrain.settings import settings

pytestmark = pytest.mark.faults


def until(so: Callable[[], bool]) -> None:
    deadline = time.monotonic() + 120
    while not so():
        assert time.monotonic() < deadline
        time.sleep(0.05)


def workers() -> list[psutil.Process]:
    return [one for one in psutil.Process().children() if one.status() != psutil.STATUS_ZOMBIE and "spawn_main" in " ".join(one.cmdline())]


def test_a_worker_that_was_given_up_is_begun_anew(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    """One that died and is not back in time is given up by the cluster, for ever; where it was the last, every job waits."""
    monkeypatch.setenv("FENRAIN_WORKERS", "1")
    monkeypatch.setenv("FENRAIN_DATA", str(tmp_path))
    monkeypatch.setitem(HOW, "distributed.deploy.lost-worker-timeout", "10ms")
    settings.cache_clear()
    opened = client, cluster = open_cluster()
    assert cluster is not None
    try:
        (first,) = workers()
        first.kill()
        until(lambda: cluster.workers == {})
        until(lambda: count_workers(opened) == 1 and [nanny.status for nanny in cluster.workers.values()] == [Status.running])
        # What the one that was given up had begun meanwhile goes away.
        assert client.submit(os.getpid, retries=3).result(60) not in (first.pid, os.getpid())
    finally:
        close_cluster(opened)
        settings.cache_clear()
