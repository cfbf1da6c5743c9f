"""A thousand kills at random moments: of workers, helpers, the database and the server, while people and jobs work."""

from __future__ import annotations

import random
import tempfile
import time
from collections import Counter
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from tests.faults import DATABASE, HELPER, SERVER, WORKER, Said, Site, begun, injected, lost

SITES = 2
"""Applications that are killed beside each other, each with a database and people of its own."""
KILLS = {WORKER: 260, HELPER: 120, DATABASE: 75, SERVER: 45}
"""Of each application."""
PATIENCE = 30.0
"""Seconds that are waited for somebody to kill."""


def bench_faults() -> None:
    began = time.monotonic()
    with ThreadPoolExecutor(SITES) as beside:
        told = list(beside.map(_killed, range(SITES)))
    killed = sum((count for count, _, _ in told), Counter[str]())
    found = [one for _, _, missing in told for one in missing]
    values = sum(len(values) for _, said, _ in told for values in said.values.values())
    reviews, materials = sum(len(said.notes) for _, said, _ in told), sum(len(said.materials) for _, said, _ in told)
    unanswered = sum(said.unanswered for _, said, _ in told)
    print(f"killed in {time.monotonic() - began:.0f} s: {killed.total()}, {dict(killed)}")
    print(f"acknowledged: {values} values, {reviews} reviews, {materials} materials with a job each")
    print(f"asked without an answer: {unanswered}; lost, doubled or without an end: {len(found)}")
    print("\n".join(found[:20]))


def _killed(seed: int) -> tuple[Counter[str], Said, list[str]]:
    """How often what was killed, what people were told, and what of that is missing."""
    victims = [what for what, count in KILLS.items() for _ in range(count)]
    random.Random(seed).shuffle(victims)
    with tempfile.TemporaryDirectory(prefix="fenrain-bench-") as scratch:
        site = Site(Path(scratch))
        try:
            project, conversions = begun(site)
            said, killed = injected(site, project, conversions, victims, seed=seed, rest=0.6, patience=PATIENCE)
            return killed, said, lost(site, project, said)
        finally:
            site.end()


if __name__ == "__main__":
    bench_faults()
