"""Feeds the cluster: takes pending items out of the database, hands them to Dask workers, and notes what became of them."""

from __future__ import annotations

import logging
import math
import os
import threading
import time
from collections.abc import Sequence
from contextlib import suppress
from itertools import groupby
from typing import Any
from uuid import uuid4

import dask
from distributed import Client, Future, LocalCluster
from sqlalchemy import select

from fenrain.core.rendering.library import ONE_THREAD
from fenrain.jobs.queue import CONVERT, LOOK, OPEN, SETTLE, WAKE, beat, count, give_back, leave, recover, take
from fenrain.jobs.work import run_items
from fenrain.settings import settings
from fenrain.store.database import session
from fenrain.store.tables import Job, JobItem

MOST_ATTEMPTS = 2
PAUSE, LEAST_PAUSE, IDLE_PAUSE = 0.15, 0.05, 1.0
"""Seconds between two rounds, where something was finished meanwhile, and while there is nothing to do: what another process submits may
wait so long."""
SAY_EVERY, ASK_EVERY = 4.0, 5.0
"""Seconds between two signs of life, and two looks at how many workers there are."""
AHEAD, TOGETHER = 2, {CONVERT: 8, LOOK: 4, SETTLE: 4}
"""How many bundles of items a worker is handed in advance, and how many items make one, where they are short."""
START_AGAIN = 3.0
"""Seconds until the runner tries to start again."""
COUNT_EVERY = 0.4
"""Seconds between two counts of what is done, while there is work."""
log = logging.getLogger("fenrain.jobs")


def open_cluster() -> tuple[Client, LocalCluster | None]:
    """A client of the scheduler that the settings name, or of a local cluster of worker processes with one engine thread each."""
    if settings().scheduler:
        return Client(settings().scheduler), None
    os.environ |= ONE_THREAD
    logging.getLogger("distributed").setLevel(logging.CRITICAL)
    dask.config.set(
        {
            "distributed.scheduler.allowed-failures": 0,
            "distributed.worker.daemon": False,
            "distributed.worker.multiprocessing-method": "spawn",
            "distributed.admin.tick.limit": "1h",
        }
    )
    cluster = LocalCluster(
        n_workers=settings().workers,
        threads_per_worker=1,
        processes=True,
        host="127.0.0.1",
        dashboard_address="127.0.0.1:0",
        memory_limit=0,
        silence_logs=logging.CRITICAL,
        local_directory=str(settings().data / "dask"),
    )
    return Client(cluster), cluster


class Runner:
    """A thread that keeps the cluster busy. One runs in each application process, of which there may be several on one database; use as a
    context."""

    def __init__(self) -> None:
        self.id = str(uuid4())
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name="job runner", daemon=True)
        self._bundles: list[tuple[Future, Sequence[int]]] = []
        self._counted = self._said = self._asked = -math.inf
        self._idle = False
        self.workers = 0

    def __enter__(self) -> Runner:
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._stop.set()
        WAKE.set()
        self._thread.join(20)

    def _run(self) -> None:
        begun = self._begun()
        if begun is None:
            return
        client, cluster = begun
        try:
            while not self._stop.is_set():
                try:
                    self._round(client)
                except Exception:
                    log.exception("the job runner met an error and goes on")
                    time.sleep(1.0)
                self._stop.wait(LEAST_PAUSE)
                WAKE.wait(IDLE_PAUSE if self._idle else PAUSE)
                WAKE.clear()
        finally:
            with suppress(Exception), session() as database:
                leave(database, self.id)
            client.close()
            if cluster is not None:
                cluster.close()

    def _round(self, client: Client) -> None:
        if time.monotonic() > self._said + SAY_EVERY:
            self._say()
        self._collect()
        self._hand_out(client)

    def _say(self) -> None:
        """That this process lives; and free what dead ones took."""
        self._said = time.monotonic()
        with session() as database:
            beat(database, self.id)
            recover(database)

    def _begun(self) -> tuple[Client, LocalCluster | None] | None:
        """The cluster, once database and scheduler answer; None where the application ends before."""
        while not self._stop.is_set():
            try:
                self._say()
                return open_cluster()
            except Exception:
                log.exception("the job runner could not start and tries again")
                self._stop.wait(START_AGAIN)
        return None

    def _hand_out(self, client: Client) -> None:
        room = AHEAD * (self.workers or settings().workers) - len(self._bundles)
        self._idle = not self._bundles
        if room <= 0:
            return
        with session() as database:
            bundles = _bundled(take(database, self.id, room * max(TOGETHER.values())))
            give_back(database, [item_id for bundle in bundles[room:] for item_id in bundle])
        for bundle in bundles[:room]:
            self._submit(client, bundle)
        if bundles:
            self._idle = False
            self._ask(client)

    def _ask(self, client: Client) -> None:
        """How many workers there are, now and then."""
        if time.monotonic() > self._asked + ASK_EVERY:
            self._asked = time.monotonic()
            self.workers = len(client.scheduler_info()["workers"])

    def _submit(self, client: Client, item_ids: Sequence[int]) -> None:
        future = client.submit(run_items, item_ids, pure=False, retries=0)
        future.add_done_callback(lambda _: WAKE.set())
        self._bundles.append((future, item_ids))

    def _collect(self) -> None:
        finished = [bundle for bundle in self._bundles if bundle[0].done()]
        self._bundles = [bundle for bundle in self._bundles if bundle not in finished]
        lost = [bundle for bundle in finished if bundle[0].status != "finished"]
        if lost:
            with session() as database:
                for future, item_ids in lost:
                    for item_id in item_ids:
                        self._note_loss(database, item_id, future)
        if time.monotonic() < self._counted + COUNT_EVERY and (self._bundles or not finished):
            return
        self._counted = time.monotonic()
        with session() as database:
            for job in database.scalars(select(Job).where(Job.state.in_(OPEN))):
                count(database, job)

    @staticmethod
    def _note_loss(database: Any, item_id: int, future: Future) -> None:
        """A worker died, or met an error that is not the user's: once more, then give the item up and say why."""
        item = database.get(JobItem, item_id)
        if item is None or item.state not in ("pending", "running"):
            return
        item.runner = None
        if item.state == "pending":
            return  # it had not begun
        again = item.attempts < MOST_ATTEMPTS
        item.state = "pending" if again else "failed"
        item.error = (
            ""
            if again
            else "The work ended its worker process twice. The rest of the job goes on; look at this material's maps and values."
        )
        log.error("item %s: %s", item_id, future.exception() if future.status == "error" else future.status)


def _bundled(items: Sequence[tuple[int, str]]) -> list[list[int]]:
    """Short items of one kind together, others alone."""
    found = []
    for work, members in groupby(items, lambda item: item[1]):
        item_ids, most = [number for number, _ in members], TOGETHER.get(work, 1)
        found += [item_ids[begin : begin + most] for begin in range(0, len(item_ids), most)]
    return found
