"""Colour difference ΔE2000 over pictures: of the body as a display shows it, of what is brighter than its white, and on the ground."""

from __future__ import annotations

import numpy as np

from fenrain.core.checking.metrics.registry import Limits, Metric, Pair

DARKER = -4.0
"""Stops by which pictures are darkened to see what lies above display white."""


def median(pair: Pair) -> float:
    return _percentile(pair.delta_e(), pair.body, 50)


def percentile_95(pair: Pair) -> float:
    return _percentile(pair.delta_e(), pair.body, 95)


def above_white(pair: Pair) -> float:
    return _percentile(pair.delta_e(DARKER), pair.body, 95)


def on_the_ground(pair: Pair) -> float:
    """At display white and darkened, whichever shows more; 0 where light on the ground does not depend on the body's looks."""
    if not pair.lit:
        return 0.0
    return max(_percentile(pair.delta_e(exposure), pair.ground, 95) for exposure in (0.0, DARKER))


def worst(pair: Pair) -> float:
    return _percentile(pair.delta_e(), pair.body, 100)


def _percentile(delta_e: np.ndarray, where: np.ndarray, percent: float) -> float:
    """Between neighbours in order, as `numpy.percentile` has it, which takes ten times as long over so few."""
    ordered = np.sort(delta_e[where])
    return float(np.interp(percent / 100.0 * (len(ordered) - 1), np.arange(len(ordered)), ordered)) if len(ordered) else 0.0


COLOUR = "ΔE2000"
METRICS = (
    Metric(
        "colour",
        "median colour difference",
        "over the body, at display white",
        median,
        1,
        unit=COLOUR,
        limits=Limits(1.0, 2.5),
    ),
    Metric(
        "colour_95",
        "95th percentile of colour difference",
        "over the body; leaves out rims and sparkles",
        percentile_95,
        2,
        unit=COLOUR,
        limits=Limits(3.0, 8.0),
    ),
    Metric(
        "above_white",
        "light above white",
        "95th percentile over the body, shown four stops darker",
        above_white,
        3,
        unit=COLOUR,
        limits=Limits(3.0, 8.0),
    ),
    Metric(
        "on_ground",
        "light on the ground",
        "95th percentile over what is seen of it, at white and darker",
        on_the_ground,
        4,
        unit=COLOUR,
        limits=Limits(3.0, 8.0),
    ),
    Metric("worst", "largest colour difference", "over the body, at display white", worst, 20, unit=COLOUR),
)
