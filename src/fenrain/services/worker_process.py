"""The worker process: it stands beside the web server, reads images and does what takes long but not long enough for a job.

Its functions open their own session, and give back plain data. Without one (tests, the command line) they run where they are called.
"""

from __future__ import annotations

import os
import resource
import threading
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from functools import partial
from multiprocessing import get_context
from types import TracebackType
from typing import ParamSpec, TypeVar

from fenrain.core.errors import EngineError
from fenrain.processes import end_with_parent
from fenrain.store.current_person import as_person, current_person

Given = ParamSpec("Given")
Answer = TypeVar("Answer")


class WorkerProcess:
    """Use as a context; while it is open, `run_in_worker_process` runs functions in its process."""

    def __init__(self) -> None:
        self._pool: ProcessPoolExecutor | None = None
        self._lock = threading.Lock()

    def __enter__(self) -> WorkerProcess:
        global _open
        _open = self
        self._process().submit(_warm)
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        global _open
        _open = None
        if self._pool is not None:
            self._pool.shutdown(cancel_futures=True)

    def run(self, function: Callable[Given, Answer], *args: Given.args, **kwargs: Given.kwargs) -> Answer:
        """Raises what the function raises; EngineError where its process died, after which a new one stands ready."""
        try:
            return self._process().submit(_run_as, current_person(), partial(function, *args, **kwargs)).result()
        except BrokenProcessPool as died:
            with self._lock:
                self._pool = None
            raise EngineError(
                "The process that read these files ended unexpectedly.", remedy="Try again; if it comes back, hand the files in one by one."
            ) from died

    def _process(self) -> ProcessPoolExecutor:
        with self._lock:
            if self._pool is None:
                self._pool = ProcessPoolExecutor(1, mp_context=get_context("spawn"), initializer=_begin)
            return self._pool


def _run_as(name: str, wanted: Callable[[], Answer]) -> Answer:
    with as_person(name):
        return wanted()


_open: WorkerProcess | None = None


def run_in_worker_process(function: Callable[Given, Answer], *args: Given.args, **kwargs: Given.kwargs) -> Answer:
    """Run a function in the open worker process, or here where there is none."""
    return function(*args, **kwargs) if _open is None else _open.run(function, *args, **kwargs)


MOST_MEMORY = 0.6
"""Share of the machine's that the worker process may ask for: a damaged file can name any size, and some libraries believe it."""


def _begin() -> None:
    end_with_parent()
    whole = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    resource.setrlimit(resource.RLIMIT_AS, (int(MOST_MEMORY * whole), resource.getrlimit(resource.RLIMIT_AS)[1]))


def _warm() -> None:
    """Load what the worker process needs, so that the first request does not wait for it."""
    from fenrain.core.conversion.targets import served_targets
    from fenrain.core.dialects.dialect import shipped
    from fenrain.services import worker_tasks  # noqa: F401  its modules are what takes the time

    served_targets()
    shipped()
