"""What a person looks at, drawn at once and then better and better, in a process of its own that no batch keeps waiting.

The newest view goes first; one that nobody looks at any more is dropped between two passes.
"""

from __future__ import annotations

import logging
import os
import threading
from collections.abc import Callable, Iterator
from contextlib import suppress
from multiprocessing import get_context
from multiprocessing.connection import Connection
from multiprocessing.process import BaseProcess
from types import TracebackType

from fenrain.core.errors import EngineError, FenrainError, InputError, NotFoundError
from fenrain.services.frame import Frame, Wish

DIED = EngineError("The process that draws ended unexpectedly.", remedy="Try again; another one stands ready.")
log = logging.getLogger("fenrain.live")


Deliver = Callable[[Frame], None]


class Live:
    """Use as a context; while it is open, `look` has views drawn by its process."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._process: BaseProcess | None = None
        self._pipe: Connection | None = None
        self._waiting: dict[int, Deliver] = {}
        self._last = 0

    def __enter__(self) -> Live:
        with self._lock:
            self._start()
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        with self._lock:
            process, self._process, pipe = self._process, None, self._pipe
        if pipe is not None:
            pipe.close()
        if process is not None:
            process.terminate()
            process.join(5)

    def look(self, wish: Wish, deliver: Deliver) -> int:
        """Begin a view; `deliver` is called with each frame, from another thread. Returns the number by which it is dropped."""
        with self._lock:
            self._last += 1
            if not self._sent((self._last, wish)):
                self._start()
                self._sent((self._last, wish))
            self._waiting[self._last] = deliver
            return self._last

    def drop(self, number: int) -> None:
        """End a view that nobody looks at any more."""
        with self._lock:
            if self._waiting.pop(number, None) is not None:
                self._sent((number, None))

    def _sent(self, message: tuple[int, Wish | None]) -> bool:
        """Whether there is a process that takes it. Called with the lock held."""
        if self._pipe is None or self._process is None or not self._process.is_alive():
            return False
        try:
            self._pipe.send(message)
        except OSError:
            return False
        return True

    def _start(self) -> None:
        """Start the process, and a thread that hands on what it sends. Called with the lock held."""
        self._give_up()
        context = get_context("spawn")
        self._pipe, theirs = context.Pipe()
        self._process = context.Process(target=_run, args=(theirs,), name="live pictures", daemon=True)
        self._process.start()
        theirs.close()
        threading.Thread(target=self._hand_on, args=(self._pipe,), name="live frames", daemon=True).start()

    def _hand_on(self, pipe: Connection) -> None:
        while True:
            try:
                number, frame = pipe.recv()
            except (EOFError, OSError):
                break
            with self._lock:
                deliver = self._waiting.get(number)
                if frame.done:
                    self._waiting.pop(number, None)
            if deliver is not None:
                try:
                    deliver(frame)
                except Exception:
                    log.info("view %s: whoever asked for it is gone", number)
                    self.drop(number)
        with self._lock:
            if self._pipe is pipe:
                self._give_up()

    def _give_up(self) -> None:
        """Tell everybody who waits that the process has died. Called with the lock held."""
        lost, self._waiting, self._pipe = self._waiting, {}, None
        for deliver in lost.values():
            with suppress(Exception):  # whoever asked may be gone
                deliver(Frame(problem=DIED, done=True))


def _run(pipe: Connection) -> None:
    """The process: one pass of the newest view after another, until nobody is at the other end."""
    os.environ["FENRAIN_ENGINE_THREADS"] = str(os.cpu_count() or 1)
    from fenrain.services.looking import frames, warm

    warm()
    views = _Views(pipe, frames)
    try:
        while True:
            newest = views.newest()
            frame = _next(views.open[newest])
            if frame is not None:
                pipe.send((newest, frame))
                if frame.done:
                    views.open.pop(newest, None)
                if frame.problem is not None and not isinstance(frame.problem, InputError | NotFoundError):
                    return
    except (EOFError, OSError):
        return


class _Dropped(Exception):
    """The view that is being drawn is not looked at any more."""


class _Views:
    """The views that are looked at, by their numbers."""

    def __init__(self, pipe: Connection, frames: Callable[[Wish, Callable[[], None]], Iterator[Frame]]) -> None:
        self._pipe, self._frames = pipe, frames
        self.open: dict[int, Iterator[Frame]] = {}
        self._drawn = 0

    def newest(self) -> int:
        """The one to draw next; waits until there is one."""
        self._receive(wait=not self.open)
        while not self.open:
            self._receive(wait=True)
        self._drawn = max(self.open)
        return self._drawn

    def _receive(self, *, wait: bool) -> None:
        while self._pipe.poll(None if wait and not self.open else 0):
            number, wish = self._pipe.recv()
            self.open.pop(number, None)
            if wish is not None:
                self.open[number] = self._frames(wish, self._between)

    def _between(self) -> None:
        """Between two turns of a picture. Raises _Dropped."""
        self._receive(wait=False)
        if self._drawn not in self.open:
            raise _Dropped


def _next(view: Iterator[Frame]) -> Frame | None:
    """The next frame; None where the view was dropped meanwhile."""
    try:
        return next(view, Frame(done=True))
    except _Dropped:
        return None
    except FenrainError as refused:
        return Frame(problem=refused, done=True)
    except Exception as error:
        log.exception("a view met an error of Fenrain's own")
        said = str(error).splitlines()[0][:160] if str(error) else "no more is known"
        return Frame(
            problem=EngineError(
                f"Fenrain met an error of its own ({type(error).__name__}: {said}).",
                remedy="Report it with the server's log; the rest goes on.",
            ),
            done=True,
        )
