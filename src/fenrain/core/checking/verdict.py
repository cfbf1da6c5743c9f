"""From readings to a verdict: match, near or off; or undecided, where something that is set was not drawn."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from enum import StrEnum


class Verdict(StrEnum):
    """Best first. Undecided stands for what looks like a match or near but leaves out something that cannot be drawn."""

    MATCH = "match"
    NEAR = "near"
    UNDECIDED = "undecided"
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

    def verdict(self, readings: Mapping[str, float]) -> Verdict:
        return self._judged(readings["median"], readings["p95"])

    def decided_by(self, readings: Mapping[str, float]) -> str:
        """Id of the reading that is nearest to its limit, or furthest beyond it."""
        limits = {"median": self.match_median, "p95": self.match_p95}
        return max(limits, key=lambda name: readings[name] / limits[name])

    def is_clear(self, readings: Mapping[str, float], floor: float) -> bool:
        """Whether noise of the size of `floor` could not change the verdict."""
        low = self._judged(max(readings["median"] - floor / 3, 0.0), max(readings["p95"] - floor, 0.0))
        return low is self.verdict(readings)

    def _judged(self, median: float, p95: float) -> Verdict:
        if median <= self.match_median and p95 <= self.match_p95:
            return Verdict.MATCH
        return Verdict.NEAR if median <= self.near_median and p95 <= self.near_p95 else Verdict.OFF


def worst(verdicts: Iterable[Verdict]) -> Verdict:
    return max(verdicts, key=lambda verdict: verdict.rank)
