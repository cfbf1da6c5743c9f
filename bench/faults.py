"""A thousand kills at random moments: of workers, of the database and of the server, while people and jobs work."""

from __future__ import annotations

import random
import tempfile
import time
from pathlib import Path

from tests.faults import DATABASE, HELPER, SERVER, WORKER, Site, begun, injected, lost

KILLS = {WORKER: 780, HELPER: 60, DATABASE: 110, SERVER: 50}


def bench_faults() -> None:
    victims = [what for what, count in KILLS.items() for _ in range(count)]
    random.Random(1).shuffle(victims)
    with tempfile.TemporaryDirectory(prefix="fenrain-bench-") as scratch:
        site = Site(Path(scratch))
        try:
            began = time.monotonic()
            project, conversions = begun(site)
            said, killed = injected(site, project, conversions, victims, seed=1, rest=1.0)
            found = lost(site, project, said)
            values = sum(map(len, said.values.values()))
            print(f"killed in {time.monotonic() - began:.0f} s: {dict(killed)}")
            print(f"acknowledged: {values} values, {len(said.notes)} reviews, {len(said.materials)} materials with a job each")
            print(f"asked without an answer: {said.unanswered}; lost, doubled or without an end: {len(found)}")
            print("\n".join(found[:20]))
        finally:
            site.end()
