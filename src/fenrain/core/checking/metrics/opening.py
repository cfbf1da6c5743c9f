"""What shows behind: how far the openings of two surfaces differ."""

from __future__ import annotations

from fenrain.core.checking.metrics.registry import Limits, Metric, MetricSubject, Reading, Surfaces


def opening(surfaces: Surfaces) -> Reading:
    """Percent of what lies behind that shows on one side only, over all places: where the holes are, pictures tell."""
    first, second = (100.0 * share for share in surfaces.open_shares)
    return Reading(abs(second - first), 0.0, first, second)


METRICS = (
    Metric("opening", "openings", "share of what lies behind that shows", opening, 7, MetricSubject.SURFACES, "%", Limits(1.5, 5.0)),
)
