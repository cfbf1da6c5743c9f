"""A verdict without pictures: what a sphere under each rig would show, worked out on directions, beside the figures that need no picture.

It chooses among conversions, some hundredths of a second each; what a delivery relies on is the look check.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np

from fenrain.core.checking.angular import Angular
from fenrain.core.checking.directions import VIEW_COSINES, directions
from fenrain.core.checking.figures import has_maps, looks_at_places, readings_at_places
from fenrain.core.checking.fitting.look import look_of
from fenrain.core.checking.fitting.rig_light import AROUND
from fenrain.core.checking.metrics.delta_e import DARKER
from fenrain.core.checking.metrics.registry import Reading, delta_e_of_pictures
from fenrain.core.checking.quick import lobe_error, response
from fenrain.core.checking.verdict import Decision, Tolerances, Verdict, decisive, verdict_of
from fenrain.core.conversion.engine import Conversion
from fenrain.core.lobes.surface import Surface
from fenrain.core.material import Material
from fenrain.core.rendering.rigs.registry import rigs as rigs_by_id
from fenrain.core.surfaces import mean_surface, open_share

PLACES = 4
"""Of maps at which figures are taken."""
MARGIN = 0.85
"""Share of a limit up to which pictures agree with an estimate (measured, see `bench`)."""


@dataclass(frozen=True)
class Estimate:
    """What two looks are expected to read. decision: the reading that decides; error: normalised lobe error."""

    decision: Decision
    error: float

    @property
    def verdict(self) -> Verdict:
        return self.decision.verdict

    def is_no_worse_than(self, other: Estimate) -> bool:
        """Whether the verdict is expected to be at least as good, with a margin on both sides for what an estimate does not know."""
        if self.decision.excess <= other.decision.excess:
            return self.verdict.rank <= other.verdict.rank
        at_worst, at_best = self._verdict_at(1.0 / MARGIN), other._verdict_at(MARGIN)
        return at_worst is not Verdict.OFF and at_worst.rank <= at_best.rank

    def _verdict_at(self, share: float) -> Verdict:
        return verdict_of(self.decision.reading.value * share, self.decision.limits)


class Estimator:
    """Estimates verdicts of looks against one original, which is looked at once; maps count as their mean, in figures at places of them.

    rigs: ids; surroundings that are no rigs of Fenrain's own are left to the look check.
    """

    def __init__(self, original: Material, rigs: Sequence[str], tolerances: Tolerances = Tolerances()) -> None:
        self._original, self._tolerances = original, tolerances
        self._rigs = tuple(rig for rig in rigs if rig in rigs_by_id())
        self._places: dict[bool, list[Angular]] = {}
        self._is_mapped, self._open = has_maps(original), open_share(original)
        surface = mean_surface(original)
        self._response, self._shown = response(surface), _shown(surface, self._rigs)

    def estimate(self, converted: Material) -> Estimate:
        """What the verdict of this look is expected to be."""
        mapped = self._is_mapped or has_maps(converted)
        if mapped not in self._places:
            self._places[mapped] = looks_at_places(self._original, mapped, PLACES)
        figures = readings_at_places(self._places[mapped], looks_at_places(converted, mapped, PLACES), (self._open, open_share(converted)))
        surface = mean_surface(converted)
        decisions = [self._tolerances.decided(figures), *self._under_rigs(_shown(surface, self._rigs))]
        return Estimate(decisive(decisions), lobe_error(self._response, response(surface)))

    def lobe_error(self, converted: Material) -> float:
        """Normalised lobe error alone, in a tenth of the time."""
        return lobe_error(self._response, response(mean_surface(converted)))

    def _under_rigs(self, shown: Sequence[np.ndarray]) -> Iterator[Decision]:
        for rig, ours, theirs in zip(self._rigs, self._shown, shown, strict=True):
            at_white, darker = (delta_e_of_pictures(ours * 2.0**stops, theirs * 2.0**stops) for stops in (0.0, DARKER))
            found = {"colour": _percentile(at_white, 50), "colour_95": _percentile(at_white, 95), "above_white": _percentile(darker, 95)}
            yield self._tolerances.decided({name: Reading(value) for name, value in found.items()}, rig)


def _shown(surface: Surface, rigs: Sequence[str]) -> list[np.ndarray]:
    """Places of a sphere under each rig, (places, 3)."""
    return np.split(look_of(surface, 0, rigs, behind=False).pixels[0], len(rigs)) if rigs else []


def _percentile(delta_e: np.ndarray, percent: float) -> float:
    """Over places of a sphere, each by the area that the camera sees of it."""
    order = np.argsort(delta_e)
    share = np.cumsum(_areas()[order])
    return float(np.interp(percent / 100.0, share / share[-1], delta_e[order]))


@cache
def _areas() -> np.ndarray:
    """Area of the picture that each place stands for: between cosines a and b lies a² − b² of a sphere's disc."""
    edges = np.concatenate([[1.0], np.convolve(VIEW_COSINES, [0.5, 0.5], "valid"), [0.0]])
    by_cosine = dict(zip(VIEW_COSINES, edges[:-1] ** 2 - edges[1:] ** 2, strict=True))
    return np.repeat([by_cosine[round(float(cosine), 6)] for cosine in directions().cosines], AROUND)


def expected_decision(conversion: Conversion, rigs: Sequence[str], tolerances: Tolerances) -> Decision:
    """The decision to expect of a conversion."""
    return Estimator(conversion.original, rigs, tolerances).estimate(conversion.material).decision
