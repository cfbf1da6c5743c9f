"""Reports of a thousand materials, of each kind: how long one takes, how large it is, and how much memory it needs."""

from __future__ import annotations

import resource
import time
from pathlib import Path

from bench.own_database import own_database

COUNT = 1_000


def bench_reports() -> None:
    with own_database() as folder:
        _written(folder)


def _written(folder: Path) -> None:
    from bench.boards import project_of
    from fenrain.core.reports.writing import WRITERS, write_report
    from fenrain.services.reports import build_report
    from fenrain.store.database import session

    many = project_of(COUNT)
    for suffix in WRITERS:
        path, begun = folder / f"report{suffix}", time.perf_counter()
        with session() as database:
            write_report(path, build_report(database, many, "metal_rough", "core", None))
        peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        print(
            f"{COUNT} materials as {suffix}: {time.perf_counter() - begun:.1f} s, {path.stat().st_size / 1e6:.1f} MB, peak {peak:.0f} MiB"
        )


if __name__ == "__main__":
    bench_reports()
