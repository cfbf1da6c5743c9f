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
ROUNDS = 4
"""In each of which an application and its database begin again, and are looked through at the end."""
KILLS = {WORKER: 65, HELPER: 30, DATABASE: 19, SERVER: 11}
"""Of each application in each round."""
PATIENCE = 30.0
"""Seconds that are waited for somebody to kill."""


def bench_faults() -> None:
    began, killed = time.monotonic(), Counter[str]()
    values = reviews = materials = unanswered = missing = 0
    with ThreadPoolExecutor(SITES) as beside:
        for count, said, found in beside.map(_killed, range(SITES * ROUNDS)):
            killed += count
            values += sum(len(values) for values in said.values.values())
            reviews, materials = reviews + len(said.notes), materials + len(said.materials)
            unanswered, missing = unanswered + said.unanswered, missing + len(found)
            print(f"killed in {time.monotonic() - began:.0f} s: {killed.total()}, {dict(killed)}; acknowledged: {values} values, ", end="")
            print(f"{reviews} reviews, {materials} materials with a job each; asked without an answer: {unanswered}; ", end="")
            print(f"lost, doubled or without an end: {missing}", *found[:20], sep="\n", flush=True)


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
