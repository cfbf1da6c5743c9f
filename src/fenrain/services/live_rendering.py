"""What a person looks at, drawn at once and then better and better, in a process of its own that no batch keeps waiting.

The newest view goes first; one that nobody looks at any more is dropped between two passes. A task that needs pictures of its own runs
there too, and steps aside for what is looked at meanwhile.
"""

from __future__ import annotations

import logging
import os
import queue
import threading
from collections.abc import Callable, Iterator
from contextlib import suppress
from functools import partial
from multiprocessing import get_context
from multiprocessing.connection import Connection
from multiprocessing.process import BaseProcess
from types import TracebackType
from typing import Any, TypeVar

from fenrain.core.errors import EngineError, FenrainError, in_a_line
from fenrain.services.picture_frames import PictureFrame, RenderTask, ViewRequest
from fenrain.store.current_person import as_person, current_person

DIED = EngineError("The process that draws ended unexpectedly.", remedy="Try again; another one stands ready.")
log = logging.getLogger("fenrain.live")


Answer = TypeVar("Answer")
Deliver = Callable[[PictureFrame], None]


class LiveRendering:
    """Use as a context; while it is open, `look` has views drawn by its process."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._process: BaseProcess | None = None
        self._pipe: Connection | None = None
        self._waiting: dict[int, Deliver] = {}
        self._last = 0

    def __enter__(self) -> LiveRendering:
        global _open
        with self._lock:
            self._start()
        _open = self
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        global _open
        _open = None
        with self._lock:
            process, self._process, pipe = self._process, None, self._pipe
        if pipe is not None:
            pipe.close()
        if process is not None:
            process.terminate()
            process.join(5)

    def run(self, task: RenderTask) -> Any:
        """Have a task done, and wait for what it gives back. Raises what it raises."""
        frames = queue.SimpleQueue[PictureFrame]()
        self.look(task, frames.put)
        frame = frames.get()
        if frame.problem is not None:
            raise frame.problem
        return frame.answer

    def look(self, request: ViewRequest | RenderTask, deliver: Deliver) -> int:
        """Begin a view; `deliver` is called with each frame, from another thread. Returns the number by which it is dropped."""
        with self._lock:
            self._last += 1
            if not self._sent((self._last, request)):
                self._start()
                self._sent((self._last, request))
            self._waiting[self._last] = deliver
            return self._last

    def drop(self, number: int) -> None:
        """End a view that nobody looks at any more."""
        with self._lock:
            if self._waiting.pop(number, None) is not None:
                self._sent((number, None))

    def _sent(self, message: tuple[int, ViewRequest | RenderTask | None]) -> bool:
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
                deliver(PictureFrame(problem=DIED, done=True))


_open: LiveRendering | None = None


def run_render_task(function: Callable[..., Answer], **values: Any) -> Answer:
    """Run a function that takes pictures in the live process, or here where there is none. It is given `between`, to call now and then."""
    if _open is None:
        return function(**values, between=lambda: None)
    found: Answer = _open.run(RenderTask(function, values, current_person()))
    return found


def _run(pipe: Connection) -> None:
    """The process: one pass of the newest view after another, until nobody is at the other end."""
    os.environ["FENRAIN_ENGINE_THREADS"] = str(os.cpu_count() or 1)
    from fenrain.services.live_views import frames, warm

    warm()
    views = _Views(pipe, frames)
    try:
        while views.advance():
            pass
    except (EOFError, OSError):
        return


class _ViewEndedError(Exception):
    """The view that is being drawn is not looked at any more."""


class _Views:
    """The views that are looked at and the tasks that run, by their numbers."""

    def __init__(
        self, pipe: Connection, frames: Callable[[ViewRequest, Callable[[], None], Callable[[PictureFrame], None]], Iterator[PictureFrame]]
    ) -> None:
        self._pipe, self._frames = pipe, frames
        self._open: dict[int, Iterator[PictureFrame]] = {}
        self._drawn = 0

    def advance(self) -> bool:
        """One pass of the newest, waiting until there is one. Whether the process can go on."""
        self._receive(wait=True)
        outer, self._drawn = self._drawn, max(self._open)
        number = self._drawn
        try:
            frame = _next(self._open[number])
        finally:
            self._drawn = outer
        if frame is None:
            return True
        self._send(number, frame)
        if frame.done:
            self._open.pop(number, None)
        return not isinstance(frame.problem, EngineError)

    def _receive(self, *, wait: bool) -> None:
        while self._pipe.poll(None if wait and not self._open else 0):
            number, request = self._pipe.recv()
            self._open.pop(number, None)
            if isinstance(request, RenderTask):
                self._open[number] = self._frames_of(request)
            elif request is not None:
                self._open[number] = self._frames(request, self._check_dropped, partial(self._send, number))

    def _send(self, number: int, frame: PictureFrame) -> None:
        """Hand a frame on. Another thread may call this while a pass is computed: the process itself sends nothing until that has ended."""
        self._pipe.send((number, frame))

    def _check_dropped(self) -> None:
        """Between two turns of a picture. Raises _ViewEndedError."""
        self._receive(wait=False)
        if self._drawn not in self._open:
            raise _ViewEndedError

    def _frames_of(self, task: RenderTask) -> Iterator[PictureFrame]:
        with as_person(task.by):
            answer = task.function(**task.values, between=self._step_aside)
        yield PictureFrame(answer=answer, done=True)

    def _step_aside(self) -> None:
        """For what is newer than the task that runs. Raises _ViewEndedError."""
        self._check_dropped()
        while max(self._open) > self._drawn:
            if not self.advance():
                raise DIED
            self._check_dropped()


def _next(view: Iterator[PictureFrame]) -> PictureFrame | None:
    """The next frame; None where the view was dropped meanwhile."""
    try:
        return next(view, PictureFrame(done=True))
    except _ViewEndedError:
        return None
    except FenrainError as refused:
        return PictureFrame(problem=refused, done=True)
    except Exception as error:
        log.exception("a view met an error of Fenrain's own")
        return PictureFrame(
            problem=EngineError(
                f"Fenrain met an error of its own ({in_a_line(error)}).",
                remedy="Report it with the server's log; the rest goes on.",
            ),
            done=True,
        )
