"""Tells whoever waits in this process that a job has changed, once that can be seen."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from threading import Lock
from typing import Any

from sqlalchemy import event
from sqlalchemy.orm import Session

from fenrain.store.tables import Job

_lock = Lock()
_waiting: set[Callable[[], object]] = set()
CHANGED = "fenrain.jobs changed"


@contextmanager
def notify_on_change(call: Callable[[], object]) -> Iterator[None]:
    """While it is open, `call` is called after every commit that changed a job, from the thread that committed."""
    with _lock:
        _waiting.add(call)
    try:
        yield
    finally:
        with _lock:
            _waiting.discard(call)


@event.listens_for(Session, "after_flush")
def _note_changed_jobs(database: Session, _: Any) -> None:
    if any(isinstance(row, Job) for row in (*database.new, *database.dirty)):
        database.info[CHANGED] = True


@event.listens_for(Session, "after_commit")
def _notify(database: Session) -> None:
    if database.info.pop(CHANGED, False):
        with _lock:
            calls = tuple(_waiting)
        for call in calls:
            call()
