"""Reports of what the application keeps."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from sqlalchemy.orm import Session

from fenrain.core.checking.verdict import Tolerances
from fenrain.core.conversion.viewing import checklist
from fenrain.core.outside.compare import Look
from fenrain.core.rendering.rigs.registry import rigs
from fenrain.core.reports.report import PICTURES, Elsewhere, Entry, Report, Reviewed, UnderRig
from fenrain.services.checks import decide_check, decide_over_all, list_checks, load_tolerances, select_overview
from fenrain.services.conversions import refresh_conversion
from fenrain.services.outside import outside_checks_of, select_standing_check
from fenrain.services.reviews import list_review_states
from fenrain.services.surroundings import RIG, list_own, list_rigs
from fenrain.services.targets import project_target
from fenrain.store import blobs
from fenrain.store.documents.reviews import ReviewDocument
from fenrain.store.rows import find_project, list_conversions_to
from fenrain.store.tables import CheckRow, ConversionRow, KitRow, OutsideCheckRow


def build_report(database: Session, project_id: int, target: str, profile: str, material_ids: Sequence[int] | None) -> Report:
    """Of a project's conversions to a target as they stand. material_ids: all where None. Raises NotFoundError."""
    project = find_project(database, project_id)
    served, tolerances = project_target(database, project_id, target, profile), load_tolerances(project)
    chosen_rigs = list_rigs(project)
    known = list_conversions_to(database, project_id, target, profile)
    rows = [refresh_conversion(row) for row in known if material_ids is None or row.material_id in material_ids]
    titles = {rig.id: rig.title for rig in rigs().values()} | {one.key: one.name for one in list_own(database, project_id, RIG)}
    pairs = [(row.material.digest, row.digest) for row in rows]
    checks, outside, said = (
        list_checks(database, pairs),
        outside_checks_of(database, pairs),
        list_review_states(database, rows, project, served),
    )

    def reading_under(check: CheckRow) -> UnderRig:
        pictures = _StoredPictures(check.pictures.model_dump(include=set(PICTURES)) if check.pictures is not None else {})
        title = titles.get(check.rig.partition(":")[0], check.rig)
        numbers = check.numbers
        return UnderRig(check.rig, title, decide_check(check, tolerances), numbers.readings, numbers.samples, pictures)

    def entry(row: ConversionRow, pair: tuple[str, str]) -> Entry:
        shown = [check for check in select_overview(checks.get(pair, []), chosen_rigs) if check.numbers.readings]
        elsewhere, review = select_standing_check(outside.get(pair, [])), said.get(row.id)
        assert row.document is not None  # just refreshed
        return Entry(
            row.material.name,
            row.material.document["source"]["file"],
            row.material.model,
            pair,
            decide_over_all(row.document.figures, shown, tolerances),
            row.document.figures.readings,
            tuple(reading_under(check) for check in shown),
            [line.model_dump(mode="json") for line in row.document.ledger],
            tuple(finding["message"] for finding in row.material.document["findings"]),
            () if elsewhere is None else (_describe_outside(elsewhere, tolerances),),
            None if review is None else _describe_review(review),
        )

    entries = tuple(entry(row, pair) for row, pair in zip(rows, pairs, strict=True))
    needed = checklist([(row.material.name, row.document.features if row.document else []) for row in rows], served.profile)
    return Report(project.name, served.title, tolerances, entries, tuple(needed))


class _StoredPictures(Mapping[str, bytes]):
    """Pictures by side, read from the file store when they are asked for: a report of a thousand would not fit otherwise."""

    def __init__(self, digests: Mapping[str, str]) -> None:
        self._digests = digests

    def __getitem__(self, side: str) -> bytes:
        return blobs.read_bytes(self._digests[side])

    def __iter__(self) -> Iterator[str]:
        return iter(self._digests)

    def __len__(self) -> int:
        return len(self._digests)


def _describe_outside(found: tuple[OutsideCheckRow, KitRow], tolerances: Tolerances) -> Elsewhere:
    row, kit = found
    looks = " and ".join(str(Look(one.by, one.shows)) for one in (row.first, row.second))
    return Elsewhere(kit.title, looks, row.numbers.decide(tolerances, kit.rig))


def _describe_review(found: ReviewDocument) -> Reviewed:
    return Reviewed(found.state, found.said, found.by, found.created, found.note, tuple(found.changed))
