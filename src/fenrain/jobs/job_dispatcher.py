"""Feeds the cluster: takes pending items out of the database, hands them to Dask workers, and notes what became of them."""

from __future__ import annotations

import logging
import math
import threading
import time
from collections.abc import Sequence
from contextlib import suppress
from uuid import uuid4

from distributed import Client, Future
from sqlalchemy import insert, select
from sqlalchemy.orm import Session

from fenrain.jobs.cluster import Opened, close_cluster, count_workers, open_cluster_within
from fenrain.jobs.queue import (
    EACH,
    OPEN,
    WAKE,
    JobLease,
    has_free_items,
    leased_item,
    record_heartbeat,
    release_all,
    release_items,
    release_lost_items,
    remaining_materials,
    take_items,
    update_counts,
)
from fenrain.jobs.work import run_item
from fenrain.services.conversion_status import update_some_statuses
from fenrain.services.garbage_collection import collect_garbage
from fenrain.settings import settings
from fenrain.store.database import session
from fenrain.store.tables import Job, JobItem

MOST_ATTEMPTS = 2
PAUSE, LEAST_PAUSE, IDLE_PAUSE = 0.15, 0.05, 2.0
"""Seconds between two rounds, where something was finished meanwhile, and while there is nothing to do: what another process submits may
wait so long."""
SAY_EVERY, ASK_EVERY = 4.0, 5.0
"""Seconds between two signs of life, and two looks at how many workers there are."""
AHEAD = 2
"""How many items a worker is given in advance."""
OPEN_WITHIN = 180.0
"""Seconds until a cluster that does not open is given up and another is tried."""
REST_AFTER = 300.0
"""Seconds without work after which a local cluster is ended; the next work opens one again."""
SETTLE_EVERY = 10.0
"""Seconds between two looks for rows of boards that are to be judged again, where there were none."""
COLLECT_EVERY = 86_400.0
"""Seconds until what nothing needs any more is collected."""
START_AGAIN = 3.0
"""Seconds until the runner tries to start again."""
COUNT_EVERY = 0.4
"""Seconds between two counts of what is done, while there is work."""
log = logging.getLogger("fenrain.jobs")


class JobDispatcher:
    """A thread that keeps the cluster busy. One runs in each application process, of which there may be several on one database; use as a
    context."""

    def __init__(self) -> None:
        self.id = str(uuid4())
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name="job runner", daemon=True)
        self._handed: list[tuple[Future, JobLease]] = []
        self._counted = self._asked = self._settled = -math.inf
        self._worked = time.monotonic()
        self._idle = False
        self._cluster: Opened | None = None
        self.workers = 0

    def __enter__(self) -> JobDispatcher:
        self._thread.start()
        threading.Thread(target=self._beat, name="heartbeat", daemon=True).start()
        threading.Thread(target=self._collect_daily, name="collector", daemon=True).start()
        return self

    def __exit__(self, *_: object) -> None:
        self._stop.set()
        WAKE.set()
        self._thread.join(20)

    def _run(self) -> None:
        if not self._begun():
            return
        try:
            while not self._stop.is_set():
                try:
                    self._round()
                except Exception:
                    log.exception("the job runner met an error and goes on")
                    time.sleep(1.0)
                self._stop.wait(LEAST_PAUSE)
                WAKE.wait(IDLE_PAUSE if self._idle else PAUSE)
                WAKE.clear()
        finally:
            with suppress(Exception), session() as database:
                release_all(database, self.id)
            self._close()

    def _collect_daily(self) -> None:
        while not self._stop.wait(COLLECT_EVERY):
            try:
                found = collect_garbage()
                log.info("collected %s", found)
            except Exception:
                log.exception("nothing could be collected")

    def _round(self) -> None:
        self._leave_lost_cluster()
        self._ask()
        self._collect()
        self._hand_out()
        if self._idle:
            self._settle()
            if time.monotonic() > self._worked + REST_AFTER and not settings().scheduler:
                self._close()

    def _settle(self) -> None:
        """Judge again what boards left, on and on; where there was nothing, a look now and then."""
        if time.monotonic() < self._settled + SETTLE_EVERY:
            return
        with session() as database:
            if update_some_statuses(database) == 0:
                self._settled = time.monotonic()

    def _client(self) -> Client:
        """The cluster's, opened where it rests."""
        if self._cluster is None:
            self._cluster = open_cluster_within(OPEN_WITHIN)
        return self._cluster[0]

    def _leave_lost_cluster(self) -> None:
        """Give back what was handed to a scheduler that has gone, and ask for another at once."""
        if self._cluster is None or self._cluster[0].status != "closed":
            return
        log.warning("the scheduler has gone; what it had is given back")
        self._give_back([lease for _, lease in self._handed])
        self._handed = []
        self._close()

    def _give_back(self, leases: Sequence[JobLease]) -> None:
        with session() as database:
            release_items(database, leases)

    def _close(self) -> None:
        opened, self._cluster = self._cluster, None
        if opened is not None:
            close_cluster(opened)

    def _beat(self) -> None:
        """Say that this process lives, on a thread that nothing blocks: a cluster may take minutes to open."""
        while not self._stop.wait(SAY_EVERY):
            try:
                self._record_heartbeat()
            except Exception:
                log.exception("this process could not say that it lives, and tries again")

    def _record_heartbeat(self) -> None:
        """That this process lives; and then, since that may wait for others, free what dead ones took."""
        with session() as database:
            record_heartbeat(database, self.id)
        with session() as database:
            release_lost_items(database)

    def _begun(self) -> bool:
        """Whether database and scheduler answered; not where the application ends before."""
        while not self._stop.is_set():
            try:
                self._record_heartbeat()
                self._client()
                return True
            except Exception:
                log.exception("the job runner could not start and tries again")
                self._stop.wait(START_AGAIN)
        return False

    def _hand_out(self) -> None:
        room = AHEAD * (self.workers or settings().workers) - len(self._handed)
        self._idle = not self._handed
        if room <= 0:
            return
        with session() as database:
            if not has_free_items(database):
                return
        client = self._client()  # before anything is taken: where it does not open, others go on
        with session() as database:
            taken = take_items(database, self.id, room)
        for count, lease in enumerate(taken):
            try:
                future = client.submit(run_item, lease.item_id, lease.number, pure=False, retries=0)
            except Exception:
                self._give_back(taken[count:])
                raise
            future.add_done_callback(lambda _: WAKE.set())
            self._handed.append((future, lease))
        self._idle, self._worked = False, time.monotonic()

    def _ask(self) -> None:
        """How many workers there are, now and then."""
        if self._cluster is not None and time.monotonic() > self._asked + ASK_EVERY:
            self._asked = time.monotonic()
            self.workers = count_workers(self._cluster)

    def _collect(self) -> None:
        finished = [one for one in self._handed if one[0].done()]
        self._handed = [one for one in self._handed if one not in finished]
        lost = [one for one in finished if one[0].status != "finished"]
        if lost:
            with session() as database:
                for future, lease in lost:
                    self._note_loss(database, lease, future)
        if time.monotonic() < self._counted + COUNT_EVERY and (self._handed or not finished):
            return
        self._counted = time.monotonic()
        if self._idle and not finished:
            return
        with session() as database:
            for job in database.scalars(select(Job).where(Job.state.in_(OPEN))):
                update_counts(database, job)

    @staticmethod
    def _note_loss(database: Session, lease: JobLease, future: Future) -> None:
        """A worker died, or met an error that is not the user's: once more, each material of a bundle by itself, then give it up and say
        why. What only its scheduler has lost is nobody's fault."""
        if future.status != "error":
            release_items(database, [lease])
            return
        item = leased_item(database, lease)
        if item is None or item.state not in ("pending", "running"):
            return
        item.runner, item.lease = None, item.lease + 1
        if item.state == "pending":
            return  # it had not begun
        log.error("item %s: %s", item.id, future.exception())
        left = remaining_materials(item)
        if len(left) > 1:
            _split(database, item, left)
        elif item.attempts < MOST_ATTEMPTS:
            item.state = "pending"
        else:
            item.state, item.failed = "failed", item.size - item.done
            item.error = "The work ended its worker process twice. The rest of the job goes on; look at this material's maps and values."


def _split(database: Session, item: JobItem, left: Sequence[int]) -> None:
    """Every material that a bundle has not done becomes an item of its own, so that only the one whose fault it is fails."""
    alone = {"job_id": item.job_id, "work": item.work, "state": "pending", "size": 1, "lease": 0}
    database.execute(insert(JobItem), [{**alone, "payload": {**item.payload, EACH: [one]}} for one in left])
    item.size, item.state = item.done + item.failed, "failed" if item.failed else "done"
    item.payload = {**item.payload, EACH: item.payload[EACH][: item.size]}
