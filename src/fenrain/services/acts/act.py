"""What an act on many materials is: checked, rehearsed, done and taken back; and what a rehearsal keeps of it."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from typing import Annotated, Any, ClassVar

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.orm import Session

from fenrain.core.conversion.targets import ServedTarget
from fenrain.services.acts.rehearsals import Rehearsal
from fenrain.store.tables import ActRow, ConversionRow, EditRow

WHOLE = "material"
"""Under which an edit names what became of a material as a whole, beside the names of values."""
Document = dict[str, Any]
Groups = Annotated[tuple[str, ...], Field(max_length=20)]
"""Optical aspects."""
Name = Annotated[str, Field(max_length=80)]
Text = Annotated[str, Field(max_length=1_000_000)]
"""Of a file that somebody wrote."""


class WholeChange(BaseModel):
    """What becomes of a material as a whole, as an edit keeps it. says: in words."""

    says: str


class Act(BaseModel, ABC):
    """Something that is done to each of many conversions to one target. `kind`, a literal of each act, tells them apart."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    kind: str
    together: ClassVar[bool] = False
    """Whether it is rehearsed on all that were chosen at once, and not on one after the other."""
    changes_looks: ClassVar[bool] = True
    keeps_overrides: ClassVar[bool] = False
    """Whether it leaves what stands over derived values as it is, whoever has set it since the rehearsal."""

    def check(self, database: Session, project_id: int, target: ServedTarget) -> None:
        """Raises InputError, ParameterError or NotFoundError where it does not fit the target, before anything is rehearsed."""

    @abstractmethod
    def describe(self, database: Session) -> str:
        """What it does, in words."""

    @abstractmethod
    def rehearse(self, rehearsal: Rehearsal) -> str:
        """Find what it would change of the chosen conversions, and keep that. Says what could not be found out."""

    def begin(self, database: Session, project_id: int) -> None:
        """What is done once, before any material. Raises ConflictError where somebody was first."""

    def also_converted(self, database: Session, project_id: int, profile: str) -> Sequence[int]:
        """Ids of materials that are converted again although the rehearsal found no change of their look."""
        return ()

    @abstractmethod
    def perform(self, database: Session, row: ConversionRow, changes: Mapping[str, Any], act: ActRow) -> None:
        """Do to a conversion what was rehearsed, and note it in the history."""

    @abstractmethod
    def undo(self, database: Session, done: EditRow, undoing: ActRow) -> str:
        """Take back what was done to a conversion. Says why where something stays."""


def note_whole_change(database: Session, act: ActRow, row: ConversionRow, before: Document | None, after: Document) -> None:
    """Add what became of a material as a whole to the history."""
    database.add(EditRow(act_id=act.id, conversion_id=row.id, version=row.version, changes={WHOLE: [before, after]}))
