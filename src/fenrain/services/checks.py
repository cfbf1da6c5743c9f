"""Checks as they are kept: found by what was compared and how, judged by the project's tolerances when they are read."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Sequence

from sqlalchemy import select, tuple_
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from fenrain.core.checking.check import RigCheck
from fenrain.core.checking.figures import Figures
from fenrain.core.checking.metrics.registry import MetricSubject, metrics
from fenrain.core.checking.verdict import Decision, Tolerances, decisive
from fenrain.core.rendering.half_floats import pack_planes
from fenrain.core.rendering.png import pair_pngs
from fenrain.store import blobs
from fenrain.store.documents.checking import CheckPictures, DirectionMeasurements, Measurements, PictureMeasurements
from fenrain.store.rows import check_key
from fenrain.store.status_changes import mark_pairs_changed
from fenrain.store.tables import CheckRow, Project


def load_tolerances(project: Project) -> Tolerances:
    return Tolerances.from_document(project.tolerances)


def find_check(database: Session, digests: tuple[str, str], rig: str, stand: str, turn: float) -> CheckRow | None:
    """What was measured of these two looks under this light by the code of today."""
    return find_checks(database, digests, (rig,), stand, turn).get(rig)


def find_checks(database: Session, digests: tuple[str, str], rigs: Sequence[str], stand: str, turn: float) -> dict[str, CheckRow]:
    """The same under several rigs, by the rig, those that there are."""
    keys = [check_key(*digests, rig=rig, stand=stand, turn=turn) for rig in rigs]
    return {row.rig: row for row in database.scalars(select(CheckRow).where(CheckRow.key.in_(keys)))}


def save_check(database: Session, digests: tuple[str, str], result: RigCheck, turn: float) -> CheckRow:
    """Keep a result; in place of an earlier one where it is the better: from more samples, with more readings, or with larger pictures.

    Readings and pictures get better each by itself: a small picture that was measured well does not take a large one's place.
    """
    row = find_check(database, digests, result.rig, result.stand, turn) or _find_or_add_check(database, digests, result, turn)
    size = result.original.shape[0]
    drawn = encode_pictures(result, pixels=size >= LEAST_WITH_PIXELS) if size >= row.size else {}
    pictures = {side: blobs.save_bytes(data) for side, data in drawn.items()}
    database.refresh(row, with_for_update=True)  # a job and a person may measure the same: whoever comes second sees what the first kept
    if result.readings and (result.samples, len(result.readings)) > (row.numbers.samples, len(row.numbers.readings)):
        row.numbers = PictureMeasurements(readings=dict(result.readings), unseen=result.unseen, samples=result.samples)
    if pictures and size >= row.size:
        row.size, row.pictures = size, CheckPictures(**pictures)
    database.flush()
    mark_pairs_changed(database, [digests])
    return row


def _find_or_add_check(database: Session, digests: tuple[str, str], result: RigCheck, turn: float) -> CheckRow:
    """A new row, or the one that somebody else has begun meanwhile: a job and a person may measure the same pair at once."""
    row = CheckRow(
        key=check_key(*digests, rig=result.rig, stand=result.stand, turn=turn),
        original=digests[0],
        converted=digests[1],
        rig=result.rig,
        stand=result.stand,
        turn=turn,
        size=0,
        numbers=PictureMeasurements(),
        pictures=None,
    )
    try:
        with database.begin_nested():
            database.add(row)
    except IntegrityError:
        found = find_check(database, digests, result.rig, result.stand, turn)
        assert found is not None
        return found
    return row


LEAST_WITH_PIXELS = 256
"""Edge in pixels from which what is known of each pixel is kept as well: smaller pictures are for overviews."""


def encode_pictures(result: RigCheck, *, pixels: bool) -> dict[str, bytes]:
    """PNG of each side and of the difference; pixels: and all that is known of each pixel."""
    pictures = pair_pngs(result.original, result.converted, result.delta_e)
    return {**pictures, "pixels": pack_planes(result.planes())} if pixels else pictures


OVERVIEW_STAND, OVERVIEW_TURN = "sphere", 0.0
"""On which, and under which light, every material of a board is checked."""


def select_overview(checks: Sequence[CheckRow], rigs: Collection[str]) -> list[CheckRow]:
    """For each rig of the project the check that stands for it on a board: the newest on the overview's stand. What somebody looked at
    under another light says nothing of the project's verdict."""
    standing = (check for check in checks if (check.stand, check.turn) == (OVERVIEW_STAND, OVERVIEW_TURN) and check.pictures)
    standing = (check for check in standing if check.rig in rigs)
    return list({check.rig: check for check in standing}.values())


def decide_check(row: CheckRow, tolerances: Tolerances) -> Decision:
    """What a kept check says under these tolerances."""
    return row.numbers.decide(tolerances, row.rig)


def list_checks(database: Session, pairs: Sequence[tuple[str, str]]) -> dict[tuple[str, str], list[CheckRow]]:
    """All that was measured of pairs of looks, by their digests, newest last."""
    found: dict[tuple[str, str], list[CheckRow]] = defaultdict(list)
    if pairs:
        query = select(CheckRow).where(tuple_(CheckRow.original, CheckRow.converted).in_(set(pairs))).order_by(CheckRow.id)
        for row in database.scalars(query):
            found[row.original, row.converted].append(row)
    return found


def is_measured_enough(row: CheckRow, tolerances: Tolerances, most_samples: int, *, shown: bool) -> bool:
    """Whether so many samples would tell nothing new: what was measured is clear, or was measured as well. shown: readings that are only
    shown are wanted, too."""
    wanted = {metric.id for metric in metrics().values() if metric.of is MetricSubject.PICTURES and (shown or metric.limits is not None)}
    return wanted <= set(row.numbers.readings) and (row.numbers.samples >= most_samples or decide_check(row, tolerances).is_clear)


def decide_over_all(figures: Measurements | None, checks: Sequence[CheckRow], tolerances: Tolerances) -> Decision | None:
    """The verdict on a conversion: from its quick figures and every check of it; None where there is nothing of either."""
    found = [decide_check(check, tolerances) for check in checks if check.numbers.readings]
    every = found if figures is None else [figures.decide(tolerances), *found]
    return decisive(every) if every else None


def direction_measurements(found: Figures, unseen: Sequence[str]) -> DirectionMeasurements:
    """The quick figures as a conversion keeps them."""
    return DirectionMeasurements.model_validate(
        {
            "readings": dict(found.readings),
            "unseen": tuple(unseen),
            "lobe_error": found.quick.lobe_error,
            "angles": found.quick.angles,
            "reflectance_original": found.quick.original,
            "reflectance_converted": found.quick.converted,
            "profile_degrees": found.profile.degrees,
            "profile_original": found.profile.original,
            "profile_converted": found.profile.converted,
        }
    )
