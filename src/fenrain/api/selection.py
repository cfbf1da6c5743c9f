"""Which materials of a board a request is about: said in its address, or in its body."""

from __future__ import annotations

from typing import Annotated

from fastapi import Depends, Query
from sqlalchemy.orm import Session

from fenrain.api.schemas.shared import Selection
from fenrain.core.conversion.targets import ServedTarget
from fenrain.core.errors import InputError
from fenrain.services.board import BoardQuery, find_material_ids
from fenrain.services.targets import project_target
from fenrain.store.rows import find_project

Word = Annotated[str, Query(max_length=400)]
Sort = Annotated[str, Query(max_length=60)]


def board_query(
    state: Word = "", find: Word = "", file: Word = "", model: Word = "", lost: Word = "", reason: Word = "", review: Word = ""
) -> BoardQuery:
    """What a board is filtered by."""
    return BoardQuery(state=state, find=find, file=file, model=model, lost=lost, reason=reason, review=review)


Asked = Annotated[BoardQuery, Depends(board_query)]


def find_target(database: Session, project_id: int, target: str, profile: str) -> ServedTarget:
    """A project's target. Raises NotFoundError."""
    return project_target(database, find_project(database, project_id).id, target, profile)


def selected_ids(database: Session, project_id: int, target: str, profile: str, chosen: Selection) -> list[int] | None:
    """Ids of the materials that a request names or asks for; None where it means all of the project. Raises InputError where it says
    both, or finds none, NotFoundError."""
    served = find_target(database, project_id, target, profile)
    if chosen.question is None:
        return chosen.material_ids
    if chosen.material_ids is not None:
        raise InputError("Materials are named or asked for, not both.", place="question", remedy="Leave one of the two out.")
    found = find_material_ids(database, project_id, served, chosen.question)
    if not found:
        raise InputError("No material is like that.", place="question", remedy="Load the board again.")
    return found


def required_ids(database: Session, project_id: int, target: str, profile: str, chosen: Selection) -> list[int]:
    """The same, where all of a project is not meant by saying nothing. Raises InputError for none."""
    found = selected_ids(database, project_id, target, profile, chosen)
    if not found:
        raise InputError("No material is named.", place="material_ids", remedy="Name at least one.")
    return found
