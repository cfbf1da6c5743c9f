"""The states of a job, on a real MariaDB.

The short suite misses: most orders in which things may happen to a bundle.
"""

from __future__ import annotations

import random
import time
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from functools import partial
from threading import Barrier, Event
from typing import Any

import pytest
from sqlalchemy import func, select, text, update
from sqlalchemy.orm import Session

from fenrain.core.checking.metrics.registry import metrics
from fenrain.core.errors import InputError, NotFoundError
from fenrain.core.material import Material
from fenrain.core.rendering.rigs.registry import standing_rigs
from fenrain.jobs import cluster, job_dispatcher, work
from fenrain.jobs.job_dispatcher import JobDispatcher
from fenrain.jobs.job_events import notify_on_change
from fenrain.jobs.plans import plan_check, plan_check_again, plan_conversion, plan_delivery
from fenrain.jobs.queue import (
    CHECK,
    CONVERT,
    LOOK,
    SETTLE,
    JobLease,
    bundle,
    cancel,
    current_lease,
    find_job,
    leased_item,
    pause,
    record_heartbeat,
    release_all,
    release_lost_items,
    remaining_materials,
    resume,
    submit,
    take_items,
    update_counts,
)
from fenrain.jobs.work import run_item
from fenrain.services.checks import OVERVIEW_STAND, OVERVIEW_TURN, find_check
from fenrain.services.conversions import ensure_conversion
from fenrain.store.database import session
from fenrain.store.documents.checking import PictureMeasurements
from fenrain.store.rows import add_material, find_material, find_project
from fenrain.store.tables import Intake, Job, JobItem, MaterialRow, Project, RunnerRow, now
from tests.sizes import sized

pytestmark = pytest.mark.usefixtures("database")


@pytest.fixture
def job() -> int:
    """A job of four items that say they are done as they are told."""
    with session() as database:
        project = database.scalar(select(Project).where(Project.name == "queue tests"))
        if project is None:
            project = Project(name="queue tests", tolerances={})
            database.add(project)
            database.flush()
        return submit(database, project.id, "convert", "four", [("look", {"n": n}) for n in range(4)]).id


def set_states(job: int, *states: str) -> tuple[str, int, int]:
    """Give the items these states; returns the job's own state, done and failed."""
    with session() as database:
        for item, state in zip(database.scalars(select(JobItem).where(JobItem.job_id == job).order_by(JobItem.id)), states, strict=True):
            item.state, item.done, item.failed = state, int(state == "done"), int(state == "failed")
        found = find_job(database, job)
        update_counts(database, found)
        return found.state, found.done, found.failed


def states(job: int) -> list[str]:
    with session() as database:
        return list(database.scalars(select(JobItem.state).where(JobItem.job_id == job).order_by(JobItem.id)))


@pytest.mark.parametrize(
    ("items", "expected"),
    [
        (("pending",) * 4, ("queued", 0, 0)),
        (("running", "pending", "pending", "pending"), ("running", 0, 0)),
        (("done", "pending", "pending", "pending"), ("running", 1, 0)),
        (("done", "done", "failed", "pending"), ("running", 2, 1)),
        (("done",) * 4, ("done", 4, 0)),
        (("done", "done", "done", "failed"), ("failed", 3, 1)),
    ],
)
def test_a_job_is_what_its_items_are(job: int, items: tuple[str, ...], expected: tuple[str, int, int]) -> None:
    assert set_states(job, *items) == expected


def test_cancelling_keeps_what_is_done_and_resuming_takes_up_the_rest(job: int) -> None:
    set_states(job, "done", "running", "pending", "failed")
    with session() as database:
        assert cancel(database, job).state == "cancelled"
    assert states(job) == ["done", "cancelled", "cancelled", "failed"]
    with session() as database:
        assert resume(database, job).state == "running"
    assert states(job) == ["done", "pending", "pending", "pending"]


def test_a_cancelled_item_is_not_begun(job: int) -> None:
    with session() as database:
        cancel(database, job)
        item = database.scalars(select(JobItem.id).where(JobItem.job_id == job)).first()
    assert item is not None
    assert run_item(item) == "cancelled"
    assert run_item(10**9) == "gone"


def test_after_a_crash_what_was_running_is_to_be_done_again(job: int) -> None:
    set_states(job, "done", "running", "running", "pending")
    with session() as database:
        release_lost_items(database)
    assert states(job) == ["done", "pending", "pending", "pending"]


def test_a_finished_job_stays_as_it_is(job: int) -> None:
    set_states(job, "done", "done", "done", "done")
    with session() as database:
        database.execute(update(Job).where(Job.id == job).values(state="done"))
        assert cancel(database, job).state == "done"


def test_a_job_without_items_is_done_at_once(job: int) -> None:
    with session() as database:
        project = find_job(database, job).project_id
        assert plan_conversion(database, project, [], "open_pbr", "extensions").state == "done"


def test_a_wish_that_cannot_be_is_refused_before_anything_starts(job: int) -> None:
    with session() as database:
        project = find_job(database, job).project_id
        with pytest.raises(NotFoundError, match="spec_gloss"):
            plan_delivery(database, project, [1], "spec_gloss", "")
        with pytest.raises(InputError, match="not in this project"):
            plan_delivery(database, project, [10**9], "open_pbr", "extensions")
        with pytest.raises(NotFoundError):
            find_job(database, 10**9)


def entered(database: Session, project: int, material: Material) -> MaterialRow:
    intake = Intake(project_id=project, state="accepted", files={}, dialects={}, errors=[], unused=[])
    database.add(intake)
    database.flush()
    return add_material(database, project, intake, material)


def test_an_edit_drops_what_was_still_to_be_checked_before_it(job: int) -> None:
    with session() as database:
        project = find_job(database, job).project_id
        material = entered(database, project, Material.of("edited", "open_pbr", {}))
        row = ensure_conversion(database, material, "metal_rough", "core")
        first = plan_check_again(database, row)
        second = plan_check_again(database, row)
        assert (first.state, second.state) == ("cancelled", "queued")
        assert [item.payload["rigs"] for item in second.items] == [list(standing_rigs())]


@pytest.mark.pictures
def test_what_a_first_look_leaves_near_a_limit_is_measured_on(job: int) -> None:
    with session() as database:
        project = find_job(database, job).project_id
        material = entered(database, project, Material.of("settled", "spec_gloss", {"glossiness": 0.4}))
        planned = plan_conversion(database, project, [material.id], "metal_rough", "core")
        kinds = {item.work: item.id for item in planned.items}
    assert list(kinds) == [CONVERT, LOOK, SETTLE]
    assert [run_item(kinds[kind]) for kind in (CONVERT, LOOK)] == ["done", "done"]

    def looks() -> dict[str, PictureMeasurements]:
        with session() as database:
            row = find_material(database, material.id)
            made = ensure_conversion(database, row, "metal_rough", "core")
            found = [find_check(database, (row.digest, made.digest), rig, OVERVIEW_STAND, OVERVIEW_TURN) for rig in standing_rigs()]
            return {check.rig: check.numbers for check in found if check is not None}

    first = looks()
    assert list(first) == list(standing_rigs())
    # A limit on the very reading: noise leaves open on which side of it the truth lies.
    doubtful, clear = list(standing_rigs())[:2]
    reading = first[doubtful].readings["colour_95"].value
    with session() as database:
        wide = {metric.id: (500.0, 900.0) for metric in metrics().values() if metric.limits is not None}
        find_project(database, project).tolerances = {"*": wide, doubtful: {"colour_95": (reading, 900.0)}}
    assert run_item(kinds[SETTLE]) == "done"
    second = looks()
    assert second[doubtful].samples > first[doubtful].samples
    assert second[clear] == first[clear]
    # Whoever asks for a check gets the readings that decide nothing, too, which the batch left out.
    assert "flip" not in second[clear].readings
    with session() as database:
        row = ensure_conversion(database, find_material(database, material.id), "metal_rough", "core")
        asked = plan_check(database, row, [clear], OVERVIEW_STAND, OVERVIEW_TURN).items[0].id
    assert run_item(asked) == "done"
    assert "flip" in looks()[clear].readings


def test_two_who_convert_the_same_at_once_make_one_conversion(job: int) -> None:
    with session() as database:
        project = find_job(database, job).project_id
        material = entered(database, project, Material.of("twice", "spec_gloss", {"glossiness": 0.3})).id
    together = Barrier(3)

    def make(_: int) -> int:
        together.wait(20)
        with session() as database:
            return ensure_conversion(database, find_material(database, material), "open_pbr", "extensions").id

    with ThreadPoolExecutor(3) as pool:
        assert len(set(pool.map(make, range(3)))) == 1


def test_the_runner_starts_once_the_database_answers(monkeypatch: pytest.MonkeyPatch) -> None:
    """A hiccup at its start must not leave every job waiting for ever."""
    tried = []

    def hiccup(_: Session) -> None:
        tried.append(1)
        if len(tried) < 3:
            raise OSError("the database does not answer yet")

    monkeypatch.setattr(job_dispatcher, "release_lost_items", hiccup)
    monkeypatch.setattr(job_dispatcher, "open_cluster_within", lambda _: ("client", None))
    monkeypatch.setattr(job_dispatcher, "START_AGAIN", 0.01)
    started = JobDispatcher()
    assert started._begun()
    assert started._client() == "client"
    assert len(tried) == 3


def test_a_cluster_that_does_not_open_is_given_up_and_closed_where_it_opens_later(monkeypatch: pytest.MonkeyPatch) -> None:
    goes_on, closed = Event(), Event()

    class Opened:
        def close(self) -> None:
            closed.set()

    def hang() -> tuple[Any, Any]:
        goes_on.wait(30)
        return Opened(), Opened()

    monkeypatch.setattr(cluster, "open_cluster", hang)
    with pytest.raises(TimeoutError):
        cluster.open_cluster_within(0.05)
    assert not closed.is_set()
    goes_on.set()
    assert closed.wait(30)
    monkeypatch.setattr(cluster, "open_cluster", lambda: 1 / 0)
    with pytest.raises(ZeroDivisionError):
        cluster.open_cluster_within(30)


def test_an_item_that_ends_its_worker_is_tried_twice_and_its_neighbours_are_not_blamed(job: int) -> None:
    def begin(position: int) -> int:
        with session() as database:
            item = database.scalars(select(JobItem).where(JobItem.job_id == job).order_by(JobItem.id)).all()[position]
            item.state, item.attempts = "running", item.attempts + 1
            return item.id

    def lose(*items: int) -> None:
        with session() as database:
            for item in items:
                JobDispatcher._note_loss(database, current_lease(database, item), Died())  # type: ignore[arg-type]

    with session() as database:
        waiting = database.scalars(select(JobItem.id).where(JobItem.job_id == job).order_by(JobItem.id)).all()
    lose(begin(0), *waiting[1:])
    assert states(job) == ["pending"] * 4
    lose(begin(0), *waiting[1:])
    assert states(job) == ["failed", "pending", "pending", "pending"]


def _leave_open(database: Session, job: int | None) -> None:
    """Cancel every other job that tests before left open."""
    for other in database.scalars(select(Job).where(Job.state.in_(("queued", "running")))).all():
        if other.id != job:
            cancel(database, other.id)


def test_processes_share_work_without_doing_any_twice(job: int) -> None:
    """Two that hand out at once pass over what the other is just taking (MariaDB: SELECT … FOR UPDATE SKIP LOCKED)."""
    with session() as database:
        project = find_job(database, job).project_id
        _leave_open(database, None)
        many = submit(database, project, "convert", "many", [(LOOK, {"n": n}) for n in range(200)]).id
    start, taken = Barrier(4), dict[str, list[int]]()

    def hand_out(name: str) -> None:
        taken[name] = []
        start.wait()
        # Whoever finds all rows locked for a moment finds nothing, and asks again.
        while len(taken[name]) < 50:
            with session() as database:
                taken[name] += [lease.item_id for lease in take_items(database, name, 5)]

    with ThreadPoolExecutor(4) as pool:
        list(pool.map(hand_out, ("a", "b", "c", "d")))
    each = [number for numbers in taken.values() for number in numbers]
    assert len(each) == len(set(each)) == 200
    assert [len(numbers) for numbers in taken.values()] == [50] * 4
    with session() as database:
        cancel(database, many)


def test_what_a_dead_process_took_is_taken_by_another_and_what_a_living_one_took_is_not(job: int) -> None:
    def taken_by() -> list[str | None]:
        with session() as database:
            return list(database.scalars(select(JobItem.runner).where(JobItem.job_id == job).order_by(JobItem.id)))

    with session() as database:
        _leave_open(database, job)
        record_heartbeat(database, "dead")
        record_heartbeat(database, "living")
        assert [len(take_items(database, name, 2)) for name in ("dead", "living")] == [2, 2]
    with session() as database:
        items = database.scalars(select(JobItem).where(JobItem.job_id == job).order_by(JobItem.id)).all()
        items[1].state = items[3].state = "running"
        database.execute(
            update(RunnerRow).where(RunnerRow.id == "dead").values(seen=func.date_sub(func.utc_timestamp(6), text("INTERVAL 60 SECOND")))
        )
        release_lost_items(database)
    assert taken_by() == [None, None, "living", "living"]
    assert states(job) == ["pending", "pending", "pending", "running"]
    with session() as database:
        assert len(take_items(database, "living", 10)) == 2
        release_all(database, "living")
    assert taken_by() == [None] * 4
    assert states(job) == ["pending"] * 4


class Died:
    status = "error"

    def exception(self) -> Exception:
        return RuntimeError("the worker died")


def add_bundle(material_ids: list[int], work: str = CONVERT) -> tuple[int, int]:
    """A job of one bundle; returns its id, and that of its item."""
    with session() as database:
        _leave_open(database, None)
        project = database.scalar(select(Project.id).where(Project.name == "queue tests"))
        assert project is not None
        pieces = bundle(work, material_ids, {"target": "metal_rough", "profile": "core"})
        made = submit(database, project, "convert", "bundle", pieces)
        return made.id, made.items[0].id


@pytest.fixture
def materials(job: int) -> list[int]:
    with session() as database:
        project = find_job(database, job).project_id
        return [entered(database, project, Material.of(f"b{number}", "spec_gloss", {"glossiness": number / 4})).id for number in range(4)]


def counts_of(job: int) -> tuple[str, int, int, int]:
    with session() as database:
        found = find_job(database, job)
        update_counts(database, found)
        return found.state, found.done, found.failed, found.total


def test_thousands_are_few_rows(job: int) -> None:
    with session() as database:
        project = find_job(database, job).project_id
        made = submit(database, project, "convert", "many", bundle(LOOK, list(range(5000)), {}))
        assert made.total == 5000
        assert sum(len(item.payload["each"]) for item in made.items) == 5000
        assert len(made.items) == 625
        cancel(database, made.id)


def test_of_a_bundle_one_that_fails_is_named_and_the_others_are_done(materials: list[int]) -> None:
    made, item = add_bundle([materials[0], 10**9, materials[1]])
    assert run_item(item) == "failed"
    assert counts_of(made) == ("failed", 2, 1, 3)
    with session() as database:
        assert "There is no such material" in database.get_one(JobItem, item).error
        assert resume(database, made).total == 3
    assert run_item(item) == "failed"
    assert counts_of(made) == ("failed", 2, 1, 3)


@pytest.mark.parametrize("stop", [cancel, pause])
def test_a_bundle_stops_between_two_pieces(materials: list[int], stop: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    made, item = add_bundle(materials)
    one_by_one = work.WORK[CONVERT].run

    def stopped_after_the_second(job_id: int, payload: Any) -> str:
        if payload["material_id"] == materials[1]:
            with session() as database:
                stop(database, made)
        return one_by_one(job_id, payload)

    monkeypatch.setattr(work.WORK[CONVERT], "run", stopped_after_the_second)
    assert run_item(item) in ("gone", "pending")
    done = counts_of(made)[1]
    assert 1 <= done < 4
    with session() as database:
        assert take_items(database, "nobody", 10) == []
        resume(database, made)
    monkeypatch.undo()
    assert run_item(item) == "done"
    assert counts_of(made) == ("done", 4, 0, 4)


def test_a_bundle_steps_aside_for_what_a_person_looks_at(materials: list[int], monkeypatch: pytest.MonkeyPatch) -> None:
    made, item = add_bundle(materials)
    one_by_one = work.WORK[CONVERT].run

    def somebody_looks(job_id: int, payload: Any) -> str:
        if payload["material_id"] == materials[1]:
            with session() as database:
                row = ensure_conversion(database, find_material(database, materials[0]), "metal_rough", "core")
                plan_check(database, row, None, OVERVIEW_STAND, OVERVIEW_TURN)
        return one_by_one(job_id, payload)

    monkeypatch.setattr(work.WORK[CONVERT], "run", somebody_looks)
    assert run_item(item) == "pending"
    assert counts_of(made)[1] == 2
    with session() as database:
        (first, second) = take_items(database, "runner", 2)
        assert (database.get_one(JobItem, first.item_id).work, second.item_id) == (CHECK, item)
        _leave_open(database, made)
    monkeypatch.undo()
    assert run_item(item) == "done"
    assert counts_of(made) == ("done", 4, 0, 4)


def test_of_a_bundle_that_ends_its_worker_only_the_one_at_fault_fails(materials: list[int]) -> None:
    made, item = add_bundle(materials)
    with session() as database:
        row = database.get_one(JobItem, item)
        row.state, row.attempts, row.done = "running", 1, 1
        JobDispatcher._note_loss(database, current_lease(database, item), Died())  # type: ignore[arg-type]
    assert states(made) == ["done", "pending", "pending", "pending"]
    with session() as database:
        alone = [one for one in find_job(database, made).items if one.state == "pending"]
        assert [one.payload["each"] for one in alone] == [[identity] for identity in materials[1:]]
        bad = alone[0].id
        for _ in range(2):
            row = database.get_one(JobItem, bad)
            row.state, row.attempts = "running", row.attempts + 1
            JobDispatcher._note_loss(database, current_lease(database, bad), Died())  # type: ignore[arg-type]
        others = [one.id for one in alone[1:]]
    assert [run_item(other) for other in others] == ["done", "done"]
    assert counts_of(made) == ("failed", 3, 1, 4)


def test_a_job_says_how_long_it_will_take_by_what_it_has_done(materials: list[int]) -> None:
    made, _ = add_bundle(materials, LOOK)
    with session() as database:
        found = find_job(database, made)
        found.begun = now() - timedelta(seconds=30)
        found.items[0].state, found.items[0].done = "running", 3
        update_counts(database, found)
        # Three of four took half a minute.
        assert found.seconds_left == pytest.approx(10.0, abs=0.5)


def test_a_job_that_changes_is_told_of_once_it_can_be_seen(job: int) -> None:
    seen: list[str] = []

    def look() -> None:
        with session() as database:
            seen.append(find_job(database, job).state)

    with notify_on_change(look):
        with session() as database:
            pause(database, job)
            assert seen == []
        assert seen == ["paused"]
        with pytest.raises(ZeroDivisionError), session() as database:
            find_job(database, job).state = "done"
            database.flush()
            raise ZeroDivisionError
        with session() as database:
            database.add(Project(name=f"no job {job}", tolerances={}))
        assert seen == ["paused"]


def test_a_split_bundle_that_is_resumed_does_its_own_part_alone(materials: list[int]) -> None:
    made, item = add_bundle(materials)
    with session() as database:
        row = database.get_one(JobItem, item)
        row.state, row.attempts, row.done, row.failed = "running", 1, 1, 1
        JobDispatcher._note_loss(database, current_lease(database, item), Died())  # type: ignore[arg-type]
        assert row.payload["each"] == materials[:2]
    with session() as database:
        for one in find_job(database, made).items:
            one.runner = None
        pending = [one.id for one in find_job(database, made).items if one.state == "pending"]
    assert [run_item(one) for one in pending] == ["done", "done"]
    assert counts_of(made) == ("failed", 3, 1, 4)
    with session() as database:
        resume(database, made)
    assert run_item(item) == "done"
    assert counts_of(made) == ("done", 4, 0, 4)


def test_whoever_was_silent_too_long_says_nothing_more(materials: list[int]) -> None:
    """A process that is stopped for a minute (SIGSTOP) and goes on (SIGCONT) holds an older lease: nothing of it is counted or written."""
    made, _ = add_bundle(materials)
    with session() as database:
        _leave_open(database, made)
        record_heartbeat(database, "stopped")
        (older,) = take_items(database, "stopped", 1)
        past = func.date_sub(func.utc_timestamp(6), text("INTERVAL 60 SECOND"))
        database.execute(update(RunnerRow).where(RunnerRow.id == "stopped").values(seen=past))
        release_lost_items(database)
    assert run_item(*older) == "gone", "not even before another has taken it"
    with session() as database:
        record_heartbeat(database, "other")
        (newer,) = take_items(database, "other", 1)
    assert newer.number > older.number
    assert run_item(*older) == "gone"
    assert counts_of(made) == ("queued", 0, 0, 4)
    assert run_item(*newer) == "done"
    assert run_item(*older) == "gone"
    assert counts_of(made) == ("done", 4, 0, 4)


@pytest.mark.faults
@pytest.mark.parametrize("seed", range(sized(6, 200)))
def test_counts_hold_whatever_happens_in_whatever_order(materials: list[int], seed: int, monkeypatch: pytest.MonkeyPatch) -> None:
    """Taken, done, stopped, resumed, lost by a scheduler, ended by a worker, said late: what is done never exceeds what there is, no
    bundle ends with pieces unrun, and in the end each was run."""
    chance, ran = random.Random(seed), set[int]()
    monkeypatch.setattr(work.WORK[CONVERT], "run", lambda _, payload: ran.add(payload["material_id"]) or "")
    made, item = add_bundle(materials)
    leases = [JobLease(item, 0)]

    def take() -> None:
        with session() as database:
            _leave_open(database, made)
            record_heartbeat(database, "one")
            leases.extend(take_items(database, "one", chance.randint(1, 3)))

    def begin() -> None:
        with session() as database:
            found = leased_item(database, chance.choice(leases))
            if found is not None and found.state == "pending":
                found.state, found.attempts = "running", found.attempts + 1

    def note() -> None:
        lease = chance.choice(leases)
        with session() as database:
            found = leased_item(database, lease)
            left = [] if found is None else remaining_materials(found)
        if left:
            ran.add(left[0])
            work._note_piece(lease, failed=False, said="")
            work._finish_item(lease)

    def lose() -> None:
        with session() as database:
            JobDispatcher._note_loss(database, chance.choice(leases), chance.choice([Died(), Lost()]))  # type: ignore[arg-type]

    def change(by: Any) -> None:
        with session() as database:
            by(database, made)

    acts = [take, begin, begin, note, note, lose, *(partial(change, by) for by in (cancel, pause, resume, resume))]
    for _ in range(25):
        chance.choice(acts)()
        state, done, failed, total = counts_of(made)
        assert total == 4
        assert done + failed <= total
        assert state != "done" or ran == set(materials)
    with session() as database:
        resume(database, made)
    for _ in range(20):
        take()
        for lease in leases:
            run_item(*lease)
    assert counts_of(made) == ("done", 4, 0, 4)
    assert ran == set(materials)


class Lost:
    status = "lost"


class Scheduler:
    """Stands for a client of a scheduler that takes so many items and then is out of reach."""

    def __init__(self, takes: int) -> None:
        self.status, self._takes, self.closed = "running", takes, False

    def submit(self, *_: Any, **__: Any) -> Any:
        if self._takes == 0:
            raise OSError("the scheduler does not answer")
        self._takes -= 1
        return Waiting()

    def close(self) -> None:
        self.closed = True


class Waiting:
    def add_done_callback(self, _: Any) -> None: ...

    def done(self) -> bool:
        return False


def test_what_a_scheduler_does_not_take_or_loses_is_given_back_at_once(job: int) -> None:
    def taken() -> int:
        with session() as database:
            query = select(func.count()).where(JobItem.job_id == job, JobItem.runner.is_not(None))
            return database.scalar(query) or 0

    with session() as database:
        _leave_open(database, job)
    dispatcher, scheduler = JobDispatcher(), Scheduler(takes=1)
    dispatcher.workers, dispatcher._cluster = 2, (scheduler, None)  # type: ignore[assignment]
    with pytest.raises(OSError, match="does not answer"):
        dispatcher._hand_out()
    assert taken() == 1
    scheduler.status = "closed"
    dispatcher._leave_lost_cluster()
    assert (taken(), scheduler.closed, dispatcher._cluster) == (0, True, None)
    assert states(job) == ["pending"] * 4


def test_a_process_says_that_it_lives_while_its_cluster_opens(monkeypatch: pytest.MonkeyPatch) -> None:
    opening, ended = Event(), Event()

    def hang(_: float) -> Any:
        opening.set()
        ended.wait(30)
        raise TimeoutError

    def seen() -> Any:
        with session() as database:
            return database.scalar(select(RunnerRow.seen).where(RunnerRow.id == dispatcher.id))

    monkeypatch.setattr(job_dispatcher, "open_cluster_within", hang)
    monkeypatch.setattr(job_dispatcher, "SAY_EVERY", 0.05)
    with JobDispatcher() as dispatcher:
        try:
            assert opening.wait(10)
            first = seen()
            deadline = time.monotonic() + 10
            while seen() == first:
                assert time.monotonic() < deadline, "it is silent, and would be taken for dead"
        finally:
            ended.set()
