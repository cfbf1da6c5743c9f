"""On whose behalf something is done: whoever keeps a row of it names them."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar

_name: ContextVar[str] = ContextVar("acting", default="")


def current_person() -> str:
    """The name of the person for whom this is done, "" where Fenrain does it by itself."""
    return _name.get()


@contextmanager
def as_person(name: str) -> Iterator[None]:
    """Everything inside is done for this person."""
    before = _name.set(name)
    try:
        yield
    finally:
        _name.reset(before)
