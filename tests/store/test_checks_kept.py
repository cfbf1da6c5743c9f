"""Checks as they are kept: better ones take the place of worse, and two that measure the same at once do not collide."""

from __future__ import annotations

import threading
from concurrent.futures import ThreadPoolExecutor
from threading import Barrier

import numpy as np
import pytest
from sqlalchemy import func, select, update

from fenrain.core.checking.check import RigCheck
from fenrain.core.checking.metrics.registry import Reading
from fenrain.core.errors import ConflictError, MetError
from fenrain.services.checks import find_check, save_check
from fenrain.store.database import retry_transaction, session
from fenrain.store.tables import CheckRow, Project

pytestmark = pytest.mark.usefixtures("database")


def result(value: float, samples: int, size: int = 64, *, more: tuple[str, ...] = ()) -> RigCheck:
    grey = np.full((size, size, 3), 0.5, np.float32)
    readings = {name: Reading(value) for name in ("colour", *more)} if samples else {}
    return RigCheck("soft_studio", "sphere", readings, (), samples, 2, True, grey, grey, 0.0 * grey, grey[..., 0] > 0.0, False)


def test_readings_and_pictures_get_better_each_by_itself() -> None:
    pair = ("a" * 64, "b" * 64)
    for found in (result(1.0, 16), result(2.0, 8, size=128), result(3.0, 32, more=("flip",)), result(4.0, 32)):
        with session() as database:
            save_check(database, pair, found, 0.0)
    with session() as database:
        row = find_check(database, pair, "soft_studio", "sphere", 0.0)
        assert row is not None
        assert (row.numbers.readings["colour"].value, row.numbers.samples, row.size) == (3.0, 32, 128)
        assert set(row.numbers.readings) == {"colour", "flip"}
        assert find_check(database, pair, "soft_studio", "sphere", 90.0) is None


def test_two_who_measure_the_same_at_once_keep_one_row() -> None:
    pair, together = ("c" * 64, "d" * 64), Barrier(4)

    def measure(samples: int) -> None:
        together.wait(20)
        with session() as database:
            save_check(database, pair, result(1.0, samples), 0.0)

    with ThreadPoolExecutor(4) as pool:
        list(pool.map(measure, (8, 16, 24, 32)))
    with session() as database:
        assert database.scalar(select(func.count()).select_from(CheckRow).where(CheckRow.original == pair[0])) == 1


def test_a_deadlock_within_a_savepoint_is_two_changes_that_met() -> None:
    """MariaDB takes the whole transaction back then, and the savepoint with it."""
    with session() as opened:
        projects = [Project(name=f"deadlock {side}", tolerances={}) for side in ("one", "other")]
        opened.add_all(projects)
        opened.flush()
        ids = [project.id for project in projects]
    both = Barrier(2)
    found: list[Exception | None] = []

    def change(first: int, second: int) -> None:
        try:
            with session() as mine, mine.begin_nested():
                mine.execute(update(Project).where(Project.id == first).values(tolerances={"by": first}))
                both.wait(10)
                mine.execute(update(Project).where(Project.id == second).values(tolerances={"by": first}))
            found.append(None)
        except Exception as reason:
            found.append(reason)

    threads = [threading.Thread(target=change, args=pair) for pair in ((ids[0], ids[1]), (ids[1], ids[0]))]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(type(one).__name__ for one in found) == ["MetError", "NoneType"]
    # What may be done twice is done again then.
    calls = []

    def second_time_lucky() -> int:
        calls.append(1)
        if len(calls) == 1:
            raise MetError("Two changes met.")
        return len(calls)

    assert retry_transaction(second_time_lucky) == 2
    # What somebody else has set meanwhile stays as it is, however often one asks.
    asked = []

    def refused() -> None:
        asked.append(1)
        raise ConflictError("It was changed since.")

    with pytest.raises(ConflictError, match="changed since"):
        retry_transaction(refused)
    assert len(asked) == 1
