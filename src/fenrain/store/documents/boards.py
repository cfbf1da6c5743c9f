"""What a board knows of a conversion: shown as it is, and sorted and filtered by what `COLUMNS` takes from it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, ClassVar

from fenrain.store.documents.checking import CheckPictures, DecisionDocument, Measurements
from fenrain.store.documents.column import Document
from fenrain.store.documents.reviews import OPEN, ReviewDocument

OPEN_AGAIN = "open again"
"""A review since which something has changed."""


class Outline(Document):
    """What is known of a conversion without checks. losses: names of values, or of values together; approximated: how many values are;
    plainness: how plain its values are, in words; unusual: how many of them are not; figures: what was measured on directions, None where
    it was written before there were any."""

    EDITION: ClassVar[int] = 2

    losses: list[str] = []
    approximated: int = 0
    plainness: str = ""
    unusual: int = 0
    figures: Measurements | None = None


class BoardCheck(Document):
    """A check as the board shows it. samples: for each pixel that was measured."""

    rig: str
    samples: int
    decision: DecisionDocument | None
    pictures: CheckPictures


class BoardEntry(Document):
    """overrides: how many values are set over derived ones; plainness, unusual: as in `Outline`; figures: what the quick figures say;
    verdict: over figures and rigs; outside: what another renderer showed of it as it is now, null where none did; review: what was said of
    it last, null where nothing was."""

    EDITION: ClassVar[int] = 4

    overrides: int = 0
    losses: list[str] = []
    approximated: int = 0
    plainness: str = ""
    unusual: int = 0
    figures: DecisionDocument | None = None
    verdict: DecisionDocument | None = None
    checks: list[BoardCheck] = []
    outside: DecisionDocument | None = None
    review: ReviewDocument | None = None

    def excess_by_rig(self) -> dict[str, float]:
        """The worst reading under each light as a multiple of what a match may read; "" for the quick figures."""
        decisions = {"": self.figures, **{check.rig: check.decision for check in self.checks}}
        return {rig: decision.excess for rig, decision in decisions.items() if decision is not None}

    def review_stage(self) -> str:
        """The review that stands, OPEN_AGAIN where something has changed since, "" where nothing was said."""
        if self.review is None or (self.review.state == OPEN and not self.review.changed):
            return ""
        return OPEN_AGAIN if self.review.changed else self.review.state


COLUMNS: Mapping[str, Callable[[BoardEntry], Any]] = {
    "verdict": lambda entry: entry.verdict.verdict if entry.verdict else "",
    "worst": lambda entry: entry.verdict.excess if entry.verdict else 0.0,
    "reason": lambda entry: entry.verdict.metric if entry.verdict else "",
    "losses": lambda entry: len(entry.losses),
    "unusual": lambda entry: entry.unusual,
    "review": BoardEntry.review_stage,
}
"""By the column of `ConversionStatusRow` that holds it: what the database sorts and filters a board by."""
