"""From readings to a verdict: match, near or off; or undecided, where noise or something that is not drawn leaves it open.

Readings are judged when they are read: other tolerances judge the same readings again, and nothing is rendered for it.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum

from fenrain.core.checking.metrics.registry import Limits, Metric, Reading, metrics
from fenrain.core.errors import ParameterError

ANY_RIG = "*"
SURFACES = "surfaces"
"""Stands for a rig's id where readings need no picture."""
UPWARDS = 0.5
"""Share of the floor by which a reading may be larger without noise."""


class Verdict(StrEnum):
    """Best first."""

    MATCH = "match"
    NEAR = "near"
    UNDECIDED = "undecided"
    OFF = "off"

    @property
    def rank(self) -> int:
        return list(Verdict).index(self)


@dataclass(frozen=True)
class Decision:
    """A verdict and the reading that it depends on. least, most: at best and at worst, for all that noise leaves open; rig: "" for
    what needs no picture; metric: its id; limits: those that it was held against; unseen: what is set and was not drawn, in words."""

    least: Verdict
    most: Verdict
    rig: str
    metric: str
    reading: Reading
    limits: Limits
    unseen: tuple[str, ...] = ()

    @property
    def verdict(self) -> Verdict:
        """Undecided where noise leaves it open, or where what looks like a match or near leaves something out."""
        open_still = not self.is_clear or (self.unseen and self.least is not Verdict.OFF)
        return Verdict.UNDECIDED if open_still else self.least

    @property
    def is_clear(self) -> bool:
        """Whether noise could not change the verdict."""
        return self.least is self.most

    def __str__(self) -> str:
        """In words: “off: mirrored detail 28, at most 6”."""
        metric = metrics()[self.metric]
        value, unit = f"{self.reading.value:.3g}", f" {metric.unit}" if metric.unit else ""
        if self.verdict is not Verdict.UNDECIDED:
            return f"{self.verdict}: {metric.title} {value}{unit}, at most {self.limits.match:g}"
        if not self.is_clear:
            value = f"{value} ± {self.reading.floor:.2g}"
            return f"{self.least} or {self.most}: {metric.title} {value}{unit}, too near a limit to tell from noise"
        return f"{self.verdict}: {self.unseen[0]}"

    @property
    def excess(self) -> float:
        """The reading as a multiple of what a match may read."""
        return self.reading.value / max(self.limits.match, 1e-9)


@dataclass(frozen=True)
class Tolerances:
    """Limits by rig (`*` for any) and metric; where a project sets none, the metric's own."""

    limits: Mapping[str, Mapping[str, Limits]] = field(default_factory=dict)

    @staticmethod
    def from_document(document: Mapping[str, Mapping[str, tuple[float, float]]]) -> Tolerances:
        """From {rig: {metric: [match, near]}}. Raises ParameterError for a metric that decides nothing, or limits in the wrong order."""
        found: dict[str, dict[str, Limits]] = {}
        for rig, by_metric in document.items():
            for metric_id, (match, near) in by_metric.items():
                metric = metrics().get(metric_id)
                if metric is None or metric.limits is None:
                    deciding = ", ".join(metric.id for metric in metrics().values() if metric.limits is not None)
                    raise ParameterError(f"No verdict depends on “{metric_id}”.", place=metric_id, remedy=f"These decide: {deciding}.")
                if not 0.0 < match <= near:
                    raise ParameterError(
                        f"The limits of {metric.title} are {match:g} and {near:g}.",
                        place=metric_id,
                        remedy="Give two positive numbers: what a match may read at most, then what near may, not less.",
                    )
                found.setdefault(rig, {})[metric_id] = Limits(float(match), float(near))
        return Tolerances(found)

    def to_document(self) -> dict[str, dict[str, list[float]]]:
        return {rig: {name: [limit.match, limit.near] for name, limit in by.items()} for rig, by in self.limits.items()}

    def limits_of(self, metric: Metric, rig: str) -> Limits | None:
        """None for a metric that decides nothing."""
        for place in (rig, ANY_RIG):
            if metric.id in self.limits.get(place, {}):
                return self.limits[place][metric.id]
        return metric.limits

    def decided(self, readings: Mapping[str, Reading], rig: str = "", unseen: tuple[str, ...] = ()) -> Decision:
        """The reading that decides, and how. readings: of one rig, or of surfaces. Raises ValueError where none of them decides."""
        return decisive(
            Decision(*_judged(reading, limits), rig, metric.id, reading, limits, unseen)
            for metric, reading, limits in self.deciding(readings, rig)
        )

    def deciding(self, readings: Mapping[str, Reading], rig: str) -> list[tuple[Metric, Reading, Limits]]:
        """The readings that a verdict depends on, with their limits."""
        known = ((metrics()[name], reading) for name, reading in readings.items() if name in metrics())
        held = ((metric, reading, self.limits_of(metric, rig)) for metric, reading in known)
        return [(metric, reading, limits) for metric, reading, limits in held if limits is not None]


def decisive(decisions: Iterable[Decision]) -> Decision:
    """The one that decides over all: the worst, and of those the furthest beyond its limit. What noise leaves open in one does not matter
    where another is as bad in any case."""
    held = list(decisions)
    least, most = (max((getattr(one, end) for one in held), key=lambda verdict: verdict.rank) for end in ("least", "most"))
    worst = max((one for one in held if one.most is most and (least is not most or one.least is least)), key=lambda one: one.excess)
    return replace(worst, least=least, most=most, unseen=next((one.unseen for one in held if one.unseen), ()))


def verdict_of(value: float, limits: Limits) -> Verdict:
    """Of a value that is known without noise."""
    return Verdict.MATCH if value <= limits.match else Verdict.NEAR if value <= limits.near else Verdict.OFF


def _judged(reading: Reading, limits: Limits) -> tuple[Verdict, Verdict]:
    """At best and at worst. Noise makes differences look larger more than smaller, so less is allowed for upwards."""
    return verdict_of(max(reading.value - reading.floor, 0.0), limits), verdict_of(reading.value + UPWARDS * reading.floor, limits)
