"""Whether nothing that a verdict depends on is worse after a fit than before, on directions and in pictures."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

from fenrain.core.checking.check import RigCheck, refine
from fenrain.core.checking.figures import figures
from fenrain.core.checking.metrics.registry import Limits, Metric, Reading
from fenrain.core.checking.verdict import Tolerances
from fenrain.core.material import Material

MOST_SAMPLES = 48
"""For each pixel of a confirming picture, on each side."""
QUIET = 0.2
"""Share of what a match may read that noise may make in a confirming picture."""
SLACK = 0.03
"""Share of what a match may read by which a reading may grow: less than an eye or a printed figure tells."""
Judged = list[tuple[Metric, Reading, Limits]]


class Confirmation:
    """Holds candidates against the material that they would take the place of. rigs: whose pictures are taken; between: called now and
    then, what it raises ends the work."""

    def __init__(
        self, original: Material, before: Material, rigs: Sequence[str], tolerances: Tolerances, between: Callable[[], None]
    ) -> None:
        self._original, self._before, self._rigs, self._tolerances, self._check_dropped = original, before, rigs, tolerances, between
        self._found: list[tuple[str, Judged]] = []

    def objection(self, candidate: Material) -> str:
        """The first reading that is worse with it, in words; "" where none is."""
        return next(self._worse(candidate), "")

    def _worse(self, candidate: Material) -> Iterator[str]:
        self._found = self._found or list(self._judged(self._before))
        for (rig, judged), (_, again) in zip(self._found, self._judged(candidate), strict=True):
            for (metric, before, limits), (_, after, _) in zip(judged, again, strict=True):
                if after.value > before.value + max(before.floor, after.floor) + SLACK * limits.match:
                    where = f" ({rig})" if rig else ""
                    yield f"{metric.title}{where} would go from {before.value:.3g} to {after.value:.3g}"

    def _judged(self, material: Material) -> Iterator[tuple[str, Judged]]:
        """The readings that decide, by the rig; "" for those that need no picture, which come first."""
        yield "", self._tolerances.deciding(figures(self._original, material).readings, "")
        passes = refine(
            self._original,
            material,
            self._rigs,
            most_samples=MOST_SAMPLES,
            tolerances=self._tolerances,
            pilot_samples=16,
            shown=False,
            enough=self._is_quiet,
            between=self._check_dropped,
        )
        last = {result.rig: result for result in passes}
        for rig in self._rigs:
            yield rig, self._tolerances.deciding(last[rig].readings, rig)

    def _is_quiet(self, result: RigCheck) -> bool:
        deciding = self._tolerances.deciding(result.readings, result.rig)
        return all(reading.floor <= QUIET * limits.match for _, reading, limits in deciding)
