"""Rigs and stands that are no files of ours: what somebody brought, known to one process by ids that name its content."""

from __future__ import annotations

from typing import Protocol, TypeVar


class HasId(Protocol):
    @property
    def id(self) -> str: ...


Thing = TypeVar("Thing", bound=HasId)


class RecentItems(dict[str, Thing]):
    """The last that this process has opened, by id. most: how many it keeps."""

    def __init__(self, most: int) -> None:
        super().__init__()
        self._most = most

    def keep(self, thing: Thing) -> Thing:
        """Have it be found by its id; one that is known already stays. Returns the one that is found."""
        known = self.setdefault(thing.id, thing)
        while len(self) > self._most:
            del self[next(iter(self))]
        return known
