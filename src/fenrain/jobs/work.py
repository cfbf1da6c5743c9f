"""What a worker does: one function a kind of work. Each may run twice and then changes nothing the second time."""

from __future__ import annotations

import logging
import os
import tempfile
from collections.abc import Callable, Mapping, Sequence
from functools import cache, partial
from pathlib import Path
from typing import Any

from distributed import get_worker
from sqlalchemy.orm import Session

from fenrain.core.checking.check import refine
from fenrain.core.errors import FenrainError, describe_own_error
from fenrain.core.outside.kit import CONVERTED, Kit
from fenrain.core.paths import safe_name
from fenrain.core.rendering.probe import load_engine
from fenrain.core.reports.writing import write_report
from fenrain.core.surfaces import scatters
from fenrain.jobs.queue import (
    ACT,
    CHECK,
    COMPARE,
    CONVERT,
    DELIVER,
    EACH,
    KIT,
    LOOK,
    REHEARSE,
    REHEARSE_ON_ALL,
    REPORT,
    SETTLE,
    STAND_IN,
    UNDO,
    WEB_VIEW,
    JobLease,
    current_lease,
    find_job,
    leased_item,
    remaining_materials,
    should_go_on,
)
from fenrain.services.acts.carrying_out import perform_act, rehearse_act, undo_act
from fenrain.services.checks import OVERVIEW_STAND, OVERVIEW_TURN, find_checks, is_measured_enough, load_tolerances, save_check
from fenrain.services.conversions import ensure_conversion, load_conversion, refresh_conversion
from fenrain.services.delivery_writing import write_delivery
from fenrain.services.outside import compare_kit, find_kit, make_kit, restore_kit, save_picture
from fenrain.services.reports import build_report
from fenrain.services.surroundings import list_rigs, open_stand, open_surroundings
from fenrain.standin.habits import habits_for
from fenrain.store import blobs
from fenrain.store.current_person import as_person
from fenrain.store.database import retry_transaction, session
from fenrain.store.rows import find_conversion, find_material, find_project
from fenrain.store.tables import ConversionRow, MaterialRow
from fenrain.webviewer import VIEWERS
from fenrain.webviewer.render import take_picture as draw_in_browser

log = logging.getLogger("fenrain.jobs")
Payload = Mapping[str, Any]
RUNNABLE = ("pending", "running")
LOOK_SAMPLES, SETTLE_SAMPLES = 8, 64
"""For each pixel that is measured: at first, and where that leaves a verdict open. What is still undecided then is measured further when
somebody looks at it."""
STAND_IN_WIDTH, WEB_WIDTH = 1400, 2400
"""Pixels across the pictures of the stand-in, and of the web viewer."""
BEHIND = 10
"""How far a worker stands back behind what a person looks at, in steps of the system's niceness."""


def run_item(item_id: int, number: int | None = None) -> str:
    """Do one item of a job, piece by piece, and say so in the database. number: of the lease by which it was handed out, the one that is in
    force where None. Returns its new state. An error ends the piece, not the job; whoever's lease was taken away says nothing more."""
    _stand_back()
    with session() as database:
        lease = current_lease(database, item_id) if number is None else JobLease(item_id, number)
        item = leased_item(database, lease)
        if item is None or item.state not in RUNNABLE:
            return "gone" if item is None else item.state
        item.state, item.attempts = "running", item.attempts + 1
        work, whole, left, job_id, by = WORK[item.work], dict(item.payload), remaining_materials(item), item.job_id, item.job.by
    pieces = [whole] if EACH not in whole else [{**whole, "material_id": identity} for identity in left]
    unusable = False
    for count, payload in enumerate(pieces):
        if unusable or (count and not _should_go_on(lease)):
            break
        failed, said = False, ""
        try:
            with as_person(by):
                said = retry_transaction(partial(work.run, job_id, payload))  # each may run twice
        except FenrainError as refused:
            failed, said = True, f"{work.subject(payload)}: {refused}"
        except Exception as error:
            log.exception("item %s met an error of Fenrain's own", item_id)
            failed, said, unusable = True, f"{work.subject(payload)}: {describe_own_error(error)}", work.renders
        retry_transaction(partial(_note_piece, lease, failed, said))
    state = retry_transaction(partial(_finish_item, lease))
    if unusable:
        _leave_worker()
    return state


def _should_go_on(lease: JobLease) -> bool:
    with session() as database:
        return should_go_on(database, lease)


def _finish_item(lease: JobLease) -> str:
    """Leave an item: done or failed, or to be taken again for what is left of it, unless it was taken away."""
    with session() as database:
        item = leased_item(database, lease)
        if item is None or item.state != "running":
            return "gone" if item is None else item.state
        if item.done + item.failed < item.size:
            item.state, item.runner, item.attempts = "pending", None, 0
        else:
            item.state = "failed" if item.failed else "done"
        return item.state


def _note_piece(lease: JobLease, failed: bool, said: str) -> None:
    with session() as database:
        item = leased_item(database, lease)
        if item is not None and item.state == "running":
            item.done, item.failed = item.done + (not failed), item.failed + failed
            item.error = "\n".join(filter(None, (item.error, said)))


@cache
def _stand_back() -> None:
    """Let this worker process, where it is one, run behind what a person looks at; once."""
    try:
        get_worker()
    except ValueError:
        return
    os.nice(BEHIND)


def _leave_worker() -> None:
    """End this worker process, where it is one: an error in the middle of a recorded loop leaves the rendering engine unusable, and the
    next item would meet it too. The cluster starts another process."""
    try:
        get_worker()
    except ValueError:
        return
    os._exit(1)


def convert(_: int, payload: Payload) -> str:
    """Convert one material, with its quick figures."""
    with session() as database:
        _ensure_converted(database, payload)
    return ""


def _ensure_converted(database: Session, payload: Payload) -> ConversionRow:
    """The conversion that an item is about, made if it is not there yet."""
    return ensure_conversion(database, find_material(database, payload["material_id"]), payload["target"], payload["profile"])


def look(_: int, payload: Payload) -> str:
    """Look at one conversion under the project's rigs for the first time."""
    _measure(lambda database: _ensure_converted(database, payload), None, OVERVIEW_STAND, OVERVIEW_TURN, LOOK_SAMPLES, shown=False)
    return ""


def settle(_: int, payload: Payload) -> str:
    """Measure on, under every rig of the project that leaves the verdict on a conversion open; not where light scatters in a body, where
    that takes many times longer and seldom settles it."""
    overview = None, OVERVIEW_STAND, OVERVIEW_TURN
    _measure(lambda database: _ensure_converted(database, payload), *overview, SETTLE_SAMPLES, shown=False, patient=False)
    return ""


def check(_: int, payload: Payload) -> str:
    """Check one conversion under some rigs."""
    view = payload["rigs"], payload["stand"], payload["turn"]
    _measure(lambda database: refresh_conversion(find_conversion(database, payload["conversion_id"])), *view, SETTLE_SAMPLES, shown=True)
    return ""


def _measure(
    found_in: Callable[[Session], ConversionRow],
    chosen: Sequence[str] | None,
    stand: str,
    turn: float,
    most_samples: int,
    *,
    shown: bool,
    patient: bool = True,
) -> None:
    """Compare two looks and keep what was found, but for rigs of which enough is known. chosen: rigs, those of the project where None;
    shown: with readings that are only shown; patient: where light scatters in a body, too."""
    with session() as database:
        row = found_in(database)
        digests = (row.material.digest, row.digest)
        project = find_project(database, row.material.project_id)
        tolerances, rigs = load_tolerances(project), list_rigs(project) if chosen is None else chosen
        known = find_checks(database, digests, rigs, stand, turn)
        left = [rig for rig in rigs if rig not in known or not is_measured_enough(known[rig], tolerances, most_samples, shown=shown)]
        if not left:
            return
        conversion = load_conversion(row)
        open_surroundings(database, left)
        stand = open_stand(database, stand, row.material)
    looks = conversion.original, conversion.material
    if not patient and any(map(scatters, looks)):
        return
    results = refine(*looks, left, stand, turn=turn, tolerances=tolerances, most_samples=most_samples, shown=shown)
    last = {result.rig: result for result in results}
    with session() as database:
        for result in last.values():
            save_check(database, digests, result, turn)


def kit(job_id: int, payload: Payload) -> str:
    """Write a check kit."""
    make_kit(job_id, payload["project_id"], payload)
    return ""


def compare(_: int, payload: Payload) -> str:
    """Compare what came back for a kit with ours."""
    compare_kit(payload["kit_id"])
    return ""


def stand_in(_: int, payload: Payload) -> str:
    """Have the stand-in render a kit, hand its picture in, and compare it."""
    load_engine()
    from fenrain.standin.render import take_picture

    def draw_by_stand_in(kit: Kit, path: Path) -> None:
        take_picture(kit.folder, path, payload["shows"], habits_for(payload["wrong"], kit), STAND_IN_WIDTH)

    _return_picture(payload["kit_id"], payload["shows"], "the stand-in", draw_by_stand_in)
    return ""


def web_view(_: int, payload: Payload) -> str:
    """Have a web viewer draw the converted materials of a kit, hand its picture in, and compare it."""
    viewer = payload["viewer"]
    _return_picture(payload["kit_id"], CONVERTED, VIEWERS[viewer], lambda kit, path: draw_in_browser(kit.folder, path, WEB_WIDTH, viewer))
    return ""


def _return_picture(kit_id: int, shows: str, by: str, taken: Callable[[Kit, Path], None]) -> None:
    """Take a picture of a kit, keep it as one that came back, and compare it."""
    with session() as database:
        files = dict(find_kit(database, kit_id).files)
    with restore_kit(files) as made, tempfile.TemporaryDirectory(prefix="fenrain-picture-") as scratch:
        picture = Path(scratch) / f"{shows}.exr"
        taken(made, picture)
        save_picture(kit_id, picture, f"{shows} by {by}.exr", shows, "")
    compare_kit(kit_id)


def report(job_id: int, payload: Payload) -> str:
    """Write a report of conversions as they stand, and keep it."""
    with session() as database:
        request = payload["project_id"], payload["target"], payload["profile"], payload["material_ids"]
        found = build_report(database, *request)
    with tempfile.TemporaryDirectory(prefix="fenrain-report-") as scratch:
        path = Path(scratch) / f"report.{payload['kind']}"
        write_report(path, found)
        digest, size = blobs.save_file(path), path.stat().st_size
    with session() as database:
        name = safe_name(f"{found.title}_{found.target}_{found.made:%Y-%m-%d}", set())
        find_job(database, job_id).result = {"report": digest, "name": f"{name}.{payload['kind']}", "size": size}
    return ""


class Work:
    """A kind of work: what runs, what it is about in words, and whether it uses the rendering engine."""

    def __init__(self, run: Callable[[int, Payload], str], subject: Callable[[Payload], str], *, renders: bool) -> None:
        self.run, self.subject, self.renders = run, subject, renders


def _subject(payload: Payload) -> str:
    """The material or the kit that an item is about, by its name."""
    with session() as database:
        if "kit_id" in payload:
            return f"“{find_kit(database, payload['kit_id']).title}”"
        if "material_id" in payload:
            row = database.get(MaterialRow, payload["material_id"])
            return f"“{row.name}”" if row is not None else "a material that is gone"
        conversion = find_conversion(database, payload["conversion_id"])
        return f"“{conversion.material.name}”"


WORK: dict[str, Work] = {
    CONVERT: Work(convert, _subject, renders=False),
    REHEARSE: Work(rehearse_act, _subject, renders=True),
    REHEARSE_ON_ALL: Work(rehearse_act, lambda payload: "The rehearsal", renders=True),
    ACT: Work(perform_act, _subject, renders=False),
    UNDO: Work(undo_act, _subject, renders=False),
    LOOK: Work(look, _subject, renders=True),
    SETTLE: Work(settle, _subject, renders=True),
    CHECK: Work(check, _subject, renders=True),
    KIT: Work(kit, lambda payload: "The kit", renders=False),
    COMPARE: Work(compare, _subject, renders=True),
    REPORT: Work(report, lambda payload: "The report", renders=False),
    WEB_VIEW: Work(web_view, _subject, renders=True),
    STAND_IN: Work(stand_in, _subject, renders=True),
    DELIVER: Work(write_delivery, lambda payload: "The delivery", renders=False),
}
