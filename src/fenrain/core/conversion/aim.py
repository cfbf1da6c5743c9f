"""What a conversion is to be good for, and what was chosen for it."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from fenrain.core.errors import InputError


class Aim(StrEnum):
    """PLAIN: values that a person would keep, of those that look the same; NEAREST: the least difference, whatever the values;
    PHYSICAL: what the source's author meant rather than what its renderer drew."""

    PLAIN = "plain"
    NEAREST = "nearest"
    PHYSICAL = "physical"


AIM_TITLES = {
    Aim.PLAIN: "the plainest values that look the same",
    Aim.NEAREST: "the nearest values",
    Aim.PHYSICAL: "what the author meant",
}
"""What each gives, after “convert to”."""


def aim_called(name: str) -> Aim:
    """By its word. Raises InputError."""
    if name not in list(Aim):
        raise InputError(f"“{name}” is no aim.", place="aim", remedy=f"Say {', '.join(Aim)}.")
    return Aim(name)


@dataclass(frozen=True)
class Choice:
    """Which of several answers an aim took. title: what it is, in words; verdict: the one that is expected of it; nearest: of the nearest
    answer; costs: whether it is expected to look worse; text: why, with the readings that decide."""

    title: str
    verdict: str
    nearest: str
    costs: bool
    text: str

    def __str__(self) -> str:
        return f"{self.title}: {self.text}".removeprefix(": ")
