"""Where work is done: a local cluster of worker processes, or a scheduler with workers on other machines."""

from __future__ import annotations

import asyncio
import logging
import os
import threading
from collections.abc import Sequence
from concurrent.futures import Future
from typing import Any

import dask
from distributed import Client, LocalCluster, Nanny, Scheduler
from distributed.security import Security

from fenrain.core.errors import StorageError
from fenrain.core.rendering.llvm import ONE_THREAD
from fenrain.jobs.certificates import security
from fenrain.settings import settings

HOW = {
    # An item that ends its worker is noted by the runner, which tries it once more by itself.
    "distributed.scheduler.allowed-failures": 0,
    "distributed.worker.daemon": False,
    "distributed.worker.multiprocessing-method": "spawn",
    "distributed.admin.tick.limit": "1h",
    # On a busy machine a worker takes longer to come back than the fifteen seconds after which it would be given up.
    "distributed.deploy.lost-worker-timeout": "60s",
    # A worker that holds more than it may is ended; nothing of it is laid on disk.
    "distributed.worker.memory.target": False,
    "distributed.worker.memory.spill": False,
    "distributed.worker.memory.pause": False,
}


Opened = tuple[Client, LocalCluster | None]


def open_cluster_within(seconds: float) -> Opened:
    """The cluster, or TimeoutError where it is not there by then, so that one which never opens does not hold up every job. What is opened
    later all the same is closed."""
    opening: Future[Opened] = Future()

    def work() -> None:
        try:
            opening.set_result(open_cluster())
        except Exception as reason:
            opening.set_exception(reason)

    threading.Thread(target=work, name="opens the cluster", daemon=True).start()
    try:
        return opening.result(seconds)
    except TimeoutError:
        opening.add_done_callback(lambda late: close_cluster(late.result()) if late.exception() is None else None)
        raise


def close_cluster(opened: Opened) -> None:
    client, cluster = opened
    client.close()
    if cluster is not None:
        cluster.close()


def count_workers(opened: Opened) -> int:
    """How many workers there are. Those that a local cluster has given up, since they were not back in time, are restarted: nothing else
    does."""
    client, cluster = opened
    if cluster is not None and len(cluster.workers) < len(cluster.worker_spec):
        cluster.scale(len(cluster.worker_spec))
    return len(client.scheduler_info()["workers"])


def open_cluster() -> Opened:
    """A client of the scheduler that the settings name, or of a local cluster of worker processes with one engine thread each."""
    _prepare()
    if settings().scheduler:
        return Client(settings().scheduler, security=security()), None
    own = Security.temporary()  # other users of this machine reach its ports as well
    cluster = LocalCluster(
        n_workers=settings().workers,
        threads_per_worker=1,
        processes=True,
        host="127.0.0.1",
        dashboard_address=None,
        security=own,
        silence_logs=logging.CRITICAL,
        **_of_a_worker(),
    )
    return Client(cluster, security=own), cluster


def schedule(host: str, port: int) -> None:
    """Run a scheduler until the process ends, that applications and workers on other machines reach."""

    async def run() -> None:
        async with Scheduler(host=host, port=port, dashboard=False, security=security(), protocol=_protocol()) as scheduler:
            print(f"The scheduler is ready: {scheduler.address}", flush=True)
            await scheduler.finished()

    _prepare()
    asyncio.run(run())


def work(scheduler: str, count: int) -> None:
    """Run worker processes for a scheduler until they are ended. They reach database and files by the settings. Raises StorageError where
    the scheduler does not answer."""

    async def run() -> None:
        nannies: Sequence[Any] = await asyncio.gather(*(_nanny(scheduler) for _ in range(count)))
        print(f"{count} workers are ready for {scheduler}.", flush=True)
        await asyncio.gather(*(nanny.finished() for nanny in nannies))

    _prepare()
    try:
        asyncio.run(run())
    except (OSError, TimeoutError) as reason:
        raise StorageError(f"The scheduler does not answer ({reason}).", place=scheduler, remedy="Check its address.") from reason


def _nanny(scheduler: str) -> Any:
    """What starts a worker process, and another where it ends."""
    return Nanny(scheduler, nthreads=1, death_timeout=60, dashboard=False, security=security(), protocol=_protocol(), **_of_a_worker())


def _protocol() -> str:
    return "tcp" if settings().certificate is None else "tls"


def _of_a_worker() -> dict[str, Any]:
    return {"memory_limit": settings().worker_memory, "local_directory": str(settings().data.resolve() / "dask")}


def _prepare() -> None:
    os.environ |= ONE_THREAD
    logging.getLogger("distributed").setLevel(logging.CRITICAL)
    dask.config.set(HOW)
