"""Nothing that was acknowledged is lost, nothing is there twice, and every job ends, whatever is killed."""

from __future__ import annotations

import random
from pathlib import Path

from tests.faults import DATABASE, HELPER, SERVER, WORKER, Site, begun, injected, lost

FIFTY = [WORKER] * 39 + [HELPER] * 4 + [DATABASE] * 5 + [SERVER] * 2


def test_nothing_is_lost_in_fifty_kills(tmp_path: Path) -> None:
    site = Site(tmp_path)
    try:
        project, conversions = begun(site)
        said, killed = injected(site, project, conversions, random.Random(7).sample(FIFTY, len(FIFTY)), seed=7, rest=0.7)
        assert lost(site, project, said) == []
        assert killed[WORKER] > 0  # as many as were up when they were to be killed
        assert (killed[DATABASE], killed[SERVER]) == (5, 2)
    finally:
        site.end()
