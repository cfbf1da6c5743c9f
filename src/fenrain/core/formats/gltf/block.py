"""An object of a glTF document that knows what of it was never asked for: what a reader does not know, it can name."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

NO_STATEMENTS = frozenset({"extras", "extensions", "name"})
"""What says nothing about a look: data of applications, extensions, which are blocks of their own, and names (glTF 2.0 §3.12)."""


class Block(Mapping[str, Any]):
    """place: where it stands in the document."""

    def __init__(self, values: Mapping[str, Any], place: str) -> None:
        self.place = place
        self._values, self._asked = values, set(NO_STATEMENTS)

    def __getitem__(self, key: str) -> Any:
        self._asked.add(key)
        return self._values[key]

    def __iter__(self) -> Iterator[str]:
        return iter(self._values)

    def __len__(self) -> int:
        return len(self._values)

    def list_unasked(self) -> list[str]:
        """The keys that nobody has asked for."""
        return [key for key in self._values if key not in self._asked]
