"""How long something takes."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable


def seconds(work: Callable[[], object], runs: int = 5) -> float:
    """Median of several runs after one that does not count."""
    work()
    taken = []
    for _ in range(runs):
        started = time.perf_counter()
        work()
        taken.append(time.perf_counter() - started)
    return statistics.median(taken)
