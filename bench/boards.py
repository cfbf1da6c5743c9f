"""Boards of many materials: how long a page of one takes, filtered and sorted, and how long it takes to enter thousands."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from bench.own_database import own_database

if TYPE_CHECKING:
    from fastapi.testclient import TestClient

COUNT, ENTERED, TIMES = 10_000, 5_000, 60
AIM = "target=metal_rough&profile=core"
PAGES = {
    "first page": "",
    "page 50": "offset=5000",
    "worst first": "sort=worst&descending=true",
    "needs attention": "state=needs attention",
    "search": "find=brass",
    "worst in one light": "sort=rig:soft_studio&descending=true",
    "model and loss": "model=exponent&lost=ambient",
}


def bench_boards() -> None:
    with own_database() as folder:
        from fastapi.testclient import TestClient

        from fenrain.api.app import create_app
        from tests.api.conftest import ADDRESS, token_of

        client = TestClient(create_app(run_jobs=False), ADDRESS, headers=token_of("Mira"))
        _pages(client)
        _entered(client, folder)


def project_of(count: int) -> int:
    """A project with so many materials, converted and checked as a few of the demo are."""
    from fenrain.demo.heron_lode import write_heron_lode
    from fenrain.jobs.plans import plan_conversion
    from fenrain.jobs.queue import SETTLE
    from fenrain.services.intakes import accept_found, create_intake
    from fenrain.store.database import session
    from fenrain.store.tables import Project
    from tests.conftest import finished
    from tests.store.many import copied

    with tempfile.TemporaryDirectory() as scratch, session() as database:
        write_heron_lode(Path(scratch))
        project = Project(name="few", tolerances={})
        database.add(project)
        database.flush()
        few = project.id
        accept_found(database, create_intake(database, few, Path(scratch)).id, None)
        items = [item.id for item in plan_conversion(database, few, None, "metal_rough", "core").items if item.work != SETTLE]
    for item in items:
        finished(item)
    return copied(few, count, "many")


def _pages(client: TestClient) -> None:
    many = project_of(COUNT)
    board = f"/api/v1/projects/{many}/board?{AIM}"
    begun = time.perf_counter()
    while (left := client.get(f"{board}&most=1").json()["unsettled"]) > 0:
        print(f"  {left} are judged yet", end="\r", flush=True)
    print(f"{COUNT} materials judged again: {time.perf_counter() - begun:.1f} s")
    for title, asked in PAGES.items():
        _asked(client, title, f"{board}&{asked}")


def _asked(client: TestClient, title: str, address: str) -> None:
    """How long one waits for a page."""
    taken = []
    for _ in range(TIMES):
        begun = time.perf_counter()
        answer = client.get(address)
        taken.append(1000 * (time.perf_counter() - begun))
    found = answer.json()
    print(
        f"{title}: {len(found['rows'])} of {found['total']} rows, {len(answer.content) / 1000:.0f} kB; half within "
        f"{np.median(taken):.0f} ms, 95 % within {np.percentile(taken, 95):.0f} (aim ≤ 100)"
    )


def _entered(client: TestClient, folder: Path) -> None:
    from fenrain.services.intakes import accept_found, create_intake
    from fenrain.store.database import session
    from fenrain.store.tables import Project

    handed = folder / "handed"
    handed.mkdir()
    materials = (f"newmtl paint_{n}\nKd {n / ENTERED:.4f} 0.2 0.1\nKs 0.04 0.04 0.04\nNs 60\nillum 2\n" for n in range(ENTERED))
    (handed / "paints.mtl").write_text("\n".join(materials))
    with session() as database:
        project = Project(name="entered", tolerances={})
        database.add(project)
        database.flush()
        begun = time.perf_counter()
        intake = create_intake(database, project.id, handed).id
        read = time.perf_counter() - begun
    _asked(client, "what was found, a page", f"/api/v1/intakes/{intake}/found?offset=2500")
    _asked(client, "what was found, by name", f"/api/v1/intakes/{intake}/found?find=_49")
    begun = time.perf_counter()
    with session() as database:
        entered = len(accept_found(database, intake, None))
    print(f"{entered} materials: read in {read:.1f} s, entered in {time.perf_counter() - begun:.1f} s")


if __name__ == "__main__":
    bench_boards()
