"""Reports of what the application keeps."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from sqlalchemy.orm import Session

from fenrain.core.checking.verdict import Tolerances
from fenrain.core.conversion.viewing import checklist
from fenrain.core.outside.compare import Look
from fenrain.core.rendering.rigs.registry import rigs
from fenrain.core.reports.report import PICTURES, Elsewhere, Entry, Report, Reviewed, UnderRig
from fenrain.services.checks import checks_of, decided, decided_over_all, overview, readings_of, tolerances_of
from fenrain.services.conversions import refreshed
from fenrain.services.outside import outside_checks_of, outside_decision, standing
from fenrain.services.reviews import Standing, standings
from fenrain.services.surroundings import RIG, own
from fenrain.services.targets import project_target
from fenrain.store import blobs
from fenrain.store.rows import conversions_to, find_project
from fenrain.store.tables import CheckRow, ConversionRow, KitRow, OutsideCheckRow


def report_of(database: Session, project_id: int, target: str, profile: str, material_ids: Sequence[int] | None) -> Report:
    """Of a project's conversions to a target as they stand. material_ids: all where None. Raises NotFoundError."""
    project = find_project(database, project_id)
    aim, tolerances = project_target(database, project_id, target, profile), tolerances_of(project)
    known = conversions_to(database, project_id, target, profile)
    rows = [refreshed(row) for row in known if material_ids is None or row.material_id in material_ids]
    titles = {rig.id: rig.title for rig in rigs().values()} | {one.key: one.name for one in own(database, project_id, RIG)}
    pairs = [(row.material.digest, row.digest) for row in rows]
    checks, outside, said = checks_of(database, pairs), outside_checks_of(database, pairs), standings(database, rows, project, aim)

    def under(check: CheckRow) -> UnderRig:
        pictures = _Kept({side: check.pictures[side] for side in PICTURES})
        title = titles.get(check.rig.partition(":")[0], check.rig)
        return UnderRig(
            check.rig, title, decided(check, tolerances), readings_of(check.numbers["readings"]), check.numbers["samples"], pictures
        )

    def entry(row: ConversionRow, pair: tuple[str, str]) -> Entry:
        shown = [check for check in overview(checks.get(pair, [])) if check.numbers["readings"]]
        elsewhere, review = standing(outside.get(pair, [])), said.get(row.id)
        return Entry(
            row.material.name,
            row.material.document["source"]["file"],
            row.material.model,
            pair,
            decided_over_all(row.document["figures"], shown, tolerances),
            readings_of(row.document["figures"]["readings"]),
            tuple(under(check) for check in shown),
            row.document["ledger"],
            tuple(finding["message"] for finding in row.material.document["findings"]),
            () if elsewhere is None else (_elsewhere(elsewhere, tolerances),),
            None if review is None else _reviewed(review),
        )

    entries = tuple(entry(row, pair) for row, pair in zip(rows, pairs, strict=True))
    needed = checklist([(row.material.name, row.document["features"]) for row in rows], aim.profile)
    return Report(project.name, aim.title, tolerances, entries, tuple(needed))


class _Kept(Mapping[str, bytes]):
    """Pictures by side, read from the file store when they are asked for: a report of a thousand would not fit otherwise."""

    def __init__(self, digests: Mapping[str, str]) -> None:
        self._digests = digests

    def __getitem__(self, side: str) -> bytes:
        return blobs.get(self._digests[side])

    def __iter__(self) -> Iterator[str]:
        return iter(self._digests)

    def __len__(self) -> int:
        return len(self._digests)


def _elsewhere(found: tuple[OutsideCheckRow, KitRow], tolerances: Tolerances) -> Elsewhere:
    row, kit = found
    looks = f"{Look(**row.first)} and {Look(**row.second)}"
    return Elsewhere(kit.title, looks, outside_decision(row, kit.rig, tolerances))


def _reviewed(found: Standing) -> Reviewed:
    last = found.last
    return Reviewed(found.state, last.state, last.by, last.created, last.note, found.changed)
