"""Feeds the cluster: takes pending items out of the database, hands them to Dask workers, and notes what became of them."""

from __future__ import annotations

import logging
import os
import threading
import time
from typing import Any

import dask
from distributed import Client, Future, LocalCluster
from sqlalchemy import case, select

from fenrain.jobs.queue import CONVERT, OPEN, URGENCY, count, recover
from fenrain.jobs.work import run_item
from fenrain.settings import settings
from fenrain.store.database import session
from fenrain.store.tables import Job, JobItem

MOST_ATTEMPTS = 2
PAUSE, LEAST_PAUSE = 0.15, 0.03
"""Seconds between two rounds, and where something was finished meanwhile."""
AHEAD, QUICK_AHEAD = 2, 8
"""How many items a worker is handed in advance, and of those that take some hundredths of a second."""
log = logging.getLogger("fenrain.jobs")


def open_cluster() -> tuple[Client, LocalCluster | None]:
    """A client of the scheduler that the settings name, or of a local cluster of worker processes with one engine thread each."""
    if settings().scheduler:
        return Client(settings().scheduler), None
    # A worker is one of several: threads of its own, which wait for each other by spinning, would only be in the others' way.
    os.environ |= {"FENRAIN_ENGINE_THREADS": "1", "OPENBLAS_NUM_THREADS": "1", "OMP_NUM_THREADS": "1"}
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
    """A thread that keeps the cluster busy. One runs in each application process; use as a context."""

    def __init__(self) -> None:
        self._stop, self._finished = threading.Event(), threading.Event()
        self._thread = threading.Thread(target=self._run, name="job runner", daemon=True)
        self._futures: dict[int, Future] = {}
        self.workers = 0

    def __enter__(self) -> Runner:
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._stop.set()
        self._finished.set()
        self._thread.join(20)

    def _run(self) -> None:
        with session() as database:
            recover(database)
        client, cluster = open_cluster()
        try:
            while not self._stop.is_set():
                try:
                    self.workers = len(client.scheduler_info()["workers"]) or settings().workers
                    self._collect()
                    self._hand_out(client)
                except Exception:
                    log.exception("the job runner met an error and goes on")
                    time.sleep(1.0)
                self._stop.wait(LEAST_PAUSE)
                self._finished.wait(PAUSE - LEAST_PAUSE)
                self._finished.clear()
        finally:
            client.close()
            if cluster is not None:
                cluster.close()

    def _hand_out(self, client: Client) -> None:
        if len(self._futures) >= QUICK_AHEAD * self.workers:
            return
        with session() as database:
            items = database.execute(
                select(JobItem.id, JobItem.work)
                .join(Job)
                .where(Job.state.in_(OPEN), JobItem.state == "pending", JobItem.id.not_in(self._futures or [0]))
                .order_by(case(URGENCY, value=JobItem.work, else_=1), Job.total, JobItem.id)
                .limit(QUICK_AHEAD * self.workers - len(self._futures))
            ).all()
        for item_id, work in items:
            if len(self._futures) < (QUICK_AHEAD if work == CONVERT else AHEAD) * self.workers:
                future = client.submit(run_item, item_id, pure=False, retries=0)
                future.add_done_callback(lambda _: self._finished.set())
                self._futures[item_id] = future

    def _collect(self) -> None:
        finished = {item_id: future for item_id, future in self._futures.items() if future.done()}
        if finished:
            with session() as database:
                for item_id, future in finished.items():
                    if future.status != "finished":
                        self._note_loss(database, item_id, future)
        for item_id in finished:
            del self._futures[item_id]
        with session() as database:
            for job in database.scalars(select(Job).where(Job.state.in_(OPEN))):
                count(database, job)

    @staticmethod
    def _note_loss(database: Any, item_id: int, future: Future) -> None:
        """A worker died, or met an error that is not the user's: once more, then give the item up and say why."""
        item = database.get(JobItem, item_id)
        if item is None or item.state not in ("pending", "running"):
            return
        item.attempts += 1
        again = item.attempts < MOST_ATTEMPTS + 1
        item.state = "pending" if again else "failed"
        item.error = (
            ""
            if again
            else "The work ended its worker process twice. The rest of the job goes on; look at this material's maps and values."
        )
        log.error("item %s: %s", item_id, future.exception() if future.status == "error" else future.status)
