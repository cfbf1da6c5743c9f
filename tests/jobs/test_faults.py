"""Nothing that was acknowledged is lost, nothing is there twice, and every job ends, whatever is killed.

The short suite misses: workers, helpers and the database, and what one kill in ten does.
"""

from __future__ import annotations

import random
from pathlib import Path

import pytest

from tests.faults import DATABASE, HELPER, SERVER, WORKER, Site, begun, injected, lost
from tests.sizes import sized

VICTIMS = sized([SERVER], [WORKER] * 39 + [HELPER] * 4 + [DATABASE] * 5 + [SERVER] * 2)


@pytest.mark.faults
def test_nothing_is_lost_whoever_is_killed(tmp_path: Path) -> None:
    site = Site(tmp_path)
    try:
        project, conversions = begun(site)
        said, killed = injected(site, project, conversions, random.Random(7).sample(VICTIMS, len(VICTIMS)), seed=7, rest=0.7)
        assert lost(site, project, said) == []
        assert (killed[WORKER] > 0) == (WORKER in VICTIMS)  # as many as were up when they were to be killed
        assert all(killed[what] == VICTIMS.count(what) for what in (DATABASE, SERVER))
    finally:
        site.end()
