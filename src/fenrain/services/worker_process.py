"""The worker processes: they stand beside the web server, read images and do what takes long but not long enough for a job. Each piece of
work has a limit of time and memory, which ends its process and says so.

Their functions open their own session, and give back plain data. Without one (tests, the command line) they run where they are called.
"""

from __future__ import annotations

import os
import resource
import signal
import threading
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass
from functools import partial
from multiprocessing import get_context
from types import TracebackType
from typing import ParamSpec, TypeVar

from fenrain.core.errors import EngineError, TooManyError
from fenrain.processes import end_with_parent
from fenrain.store.current_person import as_person, current_person

Given = ParamSpec("Given")
Answer = TypeVar("Answer")


@dataclass(frozen=True)
class Limits:
    """What a piece of work may take before its process is ended: seconds; work: what it is, in words; waiting: requests that may wait for
    the process, each of which holds a thread of the server."""

    seconds: int
    work: str
    waiting: int


EDITS, FILES = Limits(120, "This edit", 26), Limits(600, "Reading these files", 8)
"""Edits, which somebody waits for at every value, never stand behind files, which may be large or hostile. Both together leave the server a
few of its forty threads."""


class WorkerProcess:
    """Use as a context; while it is open, functions run in its processes, one for edits and one for files."""

    def __init__(self) -> None:
        self._lines = {limits: _Line(limits) for limits in (EDITS, FILES)}

    def __enter__(self) -> WorkerProcess:
        global _open
        _open = self
        for line in self._lines.values():
            line.warm()
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        global _open
        _open = None
        for line in self._lines.values():
            line.close()

    def run(self, limits: Limits, wanted: Callable[[], Answer]) -> Answer:
        """Raises what the function raises; EngineError where its process died or took too long, after which a new one stands ready."""
        return self._lines[limits].run(wanted)


class _Line:
    """One process, and those who wait for it in turn."""

    def __init__(self, limits: Limits) -> None:
        self._limits, self._turn = limits, threading.Lock()
        self._room = threading.BoundedSemaphore(limits.waiting)
        self._pool: ProcessPoolExecutor | None = None

    def warm(self) -> None:
        with self._turn:
            self._process().submit(_warm)

    def close(self) -> None:
        if self._pool is not None:
            self._pool.shutdown(cancel_futures=True)

    def run(self, wanted: Callable[[], Answer]) -> Answer:
        if not self._room.acquire(blocking=False):
            raise TooManyError(f"{self._limits.waiting} others wait for the same already.", place="server", remedy="Try again in a minute.")
        try:
            with self._turn:
                return self._in_turn(wanted)
        finally:
            self._room.release()

    def _in_turn(self, wanted: Callable[[], Answer]) -> Answer:
        begun = time.monotonic()
        try:
            return self._process().submit(_run_as, current_person(), self._limits.seconds, wanted).result()
        except BrokenProcessPool as died:
            self._pool = None
            took_too_long = time.monotonic() - begun >= self._limits.seconds
            what = f"took longer than {self._limits.seconds} s and was ended" if took_too_long else "ended its process"
            raise EngineError(
                f"{self._limits.work} {what}.", place="server", remedy="Try again; if it comes back, hand the files in one by one."
            ) from died

    def _process(self) -> ProcessPoolExecutor:
        if self._pool is None:
            self._pool = ProcessPoolExecutor(1, mp_context=get_context("spawn"), initializer=_begin)
        return self._pool


def _run_as(name: str, seconds: int, wanted: Callable[[], Answer]) -> Answer:
    """The alarm's own action ends the process, whatever library it is in."""
    signal.alarm(seconds)
    try:
        with as_person(name):
            return wanted()
    finally:
        signal.alarm(0)


_open: WorkerProcess | None = None


def run_in_worker_process(function: Callable[Given, Answer], *args: Given.args, **kwargs: Given.kwargs) -> Answer:
    """Run a function in the open process for edits, or here where there is none."""
    return function(*args, **kwargs) if _open is None else _open.run(EDITS, partial(function, *args, **kwargs))


def read_in_worker_process(function: Callable[Given, Answer], *args: Given.args, **kwargs: Given.kwargs) -> Answer:
    """Run a function that reads files of others in the open process for that, or here where there is none."""
    return function(*args, **kwargs) if _open is None else _open.run(FILES, partial(function, *args, **kwargs))


MOST_MEMORY = 0.6
"""Share of the machine's that a worker process may ask for: a damaged file can name any size, and some libraries believe it."""


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
