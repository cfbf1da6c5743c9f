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

from fenrain.jobs.queue import CONVERT, OPEN, count, recover
from fenrain.jobs.work import run_item
from fenrain.settings import settings
from fenrain.store.database import session
from fenrain.store.tables import Job, JobItem

MOST_ATTEMPTS = 2
PAUSE = 0.15
log = logging.getLogger("fenrain.jobs")


def open_cluster() -> tuple[Client, LocalCluster | None]:
    """A client of the scheduler that the settings name, or of a local cluster of worker processes with one engine thread each."""
    if settings().scheduler:
        return Client(settings().scheduler), None
    # A worker is one of several: threads of its own for small products of matrices would only be in the others' way.
    os.environ |= {"FENRAIN_ENGINE_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"}
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
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name="job runner", daemon=True)
        self._futures: dict[int, Future] = {}
        self.workers = 0

    def __enter__(self) -> Runner:
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._stop.set()
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
                self._stop.wait(PAUSE)
        finally:
            client.close()
            if cluster is not None:
                cluster.close()

    def _hand_out(self, client: Client) -> None:
        room = 2 * self.workers - len(self._futures)
        if room <= 0:
            return
        with session() as database:
            items = database.scalars(
                select(JobItem.id)
                .join(Job)
                .where(Job.state.in_(OPEN), JobItem.state == "pending", JobItem.id.not_in(self._futures or [0]))
                .order_by(case((JobItem.work == CONVERT, 0), else_=1), Job.total, JobItem.id)
                .limit(room)
            ).all()
        for item_id in items:
            self._futures[item_id] = client.submit(run_item, item_id, pure=False, retries=0)

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
