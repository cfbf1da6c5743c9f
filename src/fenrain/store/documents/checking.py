"""What is measured of two looks, and what was decided by it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Literal, Self

from pydantic import Field

from fenrain.core.checking.metrics.registry import Reading
from fenrain.core.checking.verdict import Decision, Tolerances
from fenrain.store.documents.column import Document

VerdictName = Literal["match", "near", "undecided", "off"]


class Measurements(Document):
    """Readings by their metrics. unseen: what is set and was not drawn, in words."""

    readings: Mapping[str, Reading] = Field(default_factory=dict)
    unseen: tuple[str, ...] = ()

    def decide(self, tolerances: Tolerances, rig: str = "") -> Decision:
        """The verdict under these tolerances. rig: "" for what needs no picture. Raises ValueError where no reading decides."""
        return tolerances.decided(self.readings, rig, self.unseen)


class PictureMeasurements(Measurements):
    """samples: for each pixel that was measured."""

    samples: int = 0


class OutsideMeasurements(Measurements):
    """Of looks of which one came from another renderer. statements: what explains the difference."""

    statements: tuple[str, ...] = ()


class Curves(Document):
    """What can be shown of two looks on directions, without a picture. reflectance: at each of the angles of view, red, green, blue;
    profile: brightness of the highlight by degrees from its middle."""

    lobe_error: float
    angles: Sequence[float]
    reflectance_original: Sequence[Sequence[float]]
    reflectance_converted: Sequence[Sequence[float]]
    profile_degrees: Sequence[float]
    profile_original: Sequence[float]
    profile_converted: Sequence[float]


class DirectionMeasurements(Measurements, Curves):
    """The quick figures."""


class DecisionDocument(Document):
    """A verdict, the metric that it depends on, and both in words. least, most: at best and at worst, where noise leaves it open;
    excess: the reading as a multiple of what a match may read; unseen: what is set and was not drawn."""

    verdict: VerdictName
    least: VerdictName
    most: VerdictName
    metric: str
    rig: str
    text: str
    excess: float
    unseen: tuple[str, ...]

    @classmethod
    def from_decision(cls, decision: Decision) -> Self:
        return cls(
            verdict=decision.verdict.value,
            least=decision.least.value,
            most=decision.most.value,
            metric=decision.metric,
            rig=decision.rig,
            text=str(decision),
            excess=decision.excess,
            unseen=decision.unseen,
        )


class CheckPictures(Document):
    """Digests of PNG files, to be had from /api/v1/files/{digest}; or data URLs. pixels: what is known of each
    pixel, empty where it is not kept: deflated half floats, plane after plane, row by row (red, green, blue of the original and of the
    converted picture, linear; ΔE2000; ΔE2000 four stops darker; relative difference; ΔE2000 of the noise; where the body is seen)."""

    original: str
    converted: str
    difference: str
    pixels: str = ""
