"""Acts that set, grade or reset what stands over derived values."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy.orm import Session

from fenrain.core.checking.figures import figures
from fenrain.core.checking.verdict import Tolerances
from fenrain.core.conversion.engine import Conversion
from fenrain.core.conversion.ledger import Override
from fenrain.core.errors import InputError
from fenrain.core.lobes.aspects import known_aspects
from fenrain.services.acts.act import Act
from fenrain.services.acts.rehearsals import Rehearsal, RehearsalResult, picture_before_and_after
from fenrain.services.checks import load_tolerances
from fenrain.services.conversions import apply_overrides, load_conversion
from fenrain.services.history import list_changes
from fenrain.services.surroundings import list_rigs, open_surroundings
from fenrain.store.database import session
from fenrain.store.rows import find_conversion, find_project
from fenrain.store.tables import ActRow, ConversionRow, EditRow

Overrides = Mapping[str, Override]


class OverridingAct(Act):
    """Changes what stands over derived values, and nothing else."""

    @abstractmethod
    def overrides_after(self, conversion: Conversion, tolerances: Tolerances, rigs: Sequence[str]) -> Overrides:
        """What stands over the derived values of a conversion after it. tolerances, rigs: of the project. Raises ParameterError."""

    def rehearse(self, rehearsal: Rehearsal) -> str:
        with session() as database:
            rows = rehearsal.find_conversions(database)
            if not rows:
                return ""
            row = rows[0]  # these acts are rehearsed on one after the other
            conversion, before = load_conversion(row), dict(row.overrides)
            project = find_project(database, row.material.project_id)
            tolerances, rigs, conversion_id, version = load_tolerances(project), list_rigs(project), row.id, row.version
            open_surroundings(database, rigs)
            pictured = rehearsal.wants_pictures(database)
        after = conversion.having(self.overrides_after(conversion, tolerances, rigs))
        changes = list_changes(before, {name: override.to_document() for name, override in after.overrides.items()})
        if not changes:
            return ""
        decisions = [tolerances.decided(figures(one.original, one.material).readings) for one in (conversion, after)]
        pictures = picture_before_and_after(conversion, after) if pictured else {}
        with session() as database:
            rehearsal.keep(database, RehearsalResult(conversion_id, version, changes, decisions[0], decisions[1], pictures))
        return ""

    def perform(self, database: Session, row: ConversionRow, changes: Mapping[str, Any], act: ActRow) -> None:
        laid = {name: after for name, (_, after) in changes.items() if after is not None}
        others = {name: stored for name, stored in row.overrides.items() if name not in changes}
        apply_overrides(database, row, {**others, **laid}, act.kind, act)

    def undo(self, database: Session, done: EditRow, undoing: ActRow) -> str:
        return undo_overrides(database, done, undoing)


def undo_overrides(database: Session, done: EditRow, undoing: ActRow) -> str:
    """Take back what an edit set over derived values, but for values that were changed again since, which are named."""
    row = find_conversion(database, done.conversion_id)
    still = {name: pair for name, pair in done.changes.items() if row.overrides.get(name) == pair[1]}
    stays = [name for name in done.changes if name not in still]
    before = {name: pair[0] for name, pair in still.items() if pair[0] is not None}
    others = {name: stored for name, stored in row.overrides.items() if name not in still}
    if still:
        apply_overrides(database, row, {**others, **before}, undoing.kind, undoing)
    return f"{', '.join(stays)} of “{row.material.name}” was changed again since, and stays." if stays else ""


def require_groups(groups: Sequence[str]) -> frozenset[str]:
    """The groups, at least one. Raises InputError."""
    if not groups:
        raise InputError("It is not said which groups of values are meant.", place="groups", remedy="Name at least one.")
    return frozenset(known_aspects(tuple(groups), "groups"))


def overrides_outside(conversion: Conversion, groups: Sequence[str]) -> dict[str, Override]:
    """What stands over derived values in other groups than these."""
    return {name: override for name, override in conversion.overrides.items() if conversion.target.parameter(name).group not in groups}
