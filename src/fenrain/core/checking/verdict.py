"""From numbers to a verdict: match, near or off."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class Verdict(StrEnum):
    MATCH = "match"
    NEAR = "near"
    OFF = "off"

    @property
    def rank(self) -> int:
        return list(Verdict).index(self)


@dataclass(frozen=True)
class Tolerances:
    """Upper limits of the median and the 95th percentile of ΔE2000 for a match and for near.

    ΔE2000 of 1 is about what can just be seen side by side (common practice); the 95th percentile leaves room for rims and sparkles.
    """

    match_median: float = 1.0
    match_p95: float = 3.0
    near_median: float = 2.5
    near_p95: float = 8.0

    def verdict(self, median: float, p95: float) -> Verdict:
        if median <= self.match_median and p95 <= self.match_p95:
            return Verdict.MATCH
        return Verdict.NEAR if median <= self.near_median and p95 <= self.near_p95 else Verdict.OFF

    def is_clear(self, median: float, p95: float, floor: float) -> bool:
        """Whether noise of the size of `floor` could not change the verdict."""
        low = self.verdict(max(median - floor / 3, 0.0), max(p95 - floor, 0.0))
        return low == self.verdict(median, p95)


def worst(verdicts: list[Verdict]) -> Verdict:
    return max(verdicts, key=lambda verdict: verdict.rank)
