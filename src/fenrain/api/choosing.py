"""Which materials of a board a request is about: said in its address, or in its body."""

from __future__ import annotations

from typing import Annotated

from fastapi import Depends, Query
from sqlalchemy.orm import Session

from fenrain.api.schemas.shared import Chosen
from fenrain.core.conversion.targets import ServedTarget
from fenrain.core.errors import InputError
from fenrain.services.board import Question, asked_for
from fenrain.services.targets import project_target
from fenrain.store.rows import find_project

Word = Annotated[str, Query(max_length=400)]
Sort = Annotated[str, Query(max_length=60)]


def question(
    state: Word = "", find: Word = "", file: Word = "", model: Word = "", lost: Word = "", reason: Word = "", review: Word = ""
) -> Question:
    """What a board is filtered by."""
    return Question(state, find, file, model, lost, reason, review)


Asked = Annotated[Question, Depends(question)]


def aim_of(database: Session, project_id: int, target: str, profile: str) -> ServedTarget:
    """A project's target. Raises NotFoundError."""
    return project_target(database, find_project(database, project_id).id, target, profile)


def chosen_of(database: Session, project_id: int, target: str, profile: str, chosen: Chosen) -> list[int] | None:
    """Ids of the materials that a request names or asks for; None where it means all of the project. Raises InputError where it says
    both, or finds none, NotFoundError."""
    aim = aim_of(database, project_id, target, profile)
    if chosen.question is None:
        return chosen.material_ids
    if chosen.material_ids is not None:
        raise InputError("Materials are named or asked for, not both.", place="question", remedy="Leave one of the two out.")
    said = chosen.question.model_dump()
    found = asked_for(database, project_id, aim, Question(**{**said, "without": tuple(said["without"])}))
    if not found:
        raise InputError("No material is like that.", place="question", remedy="Load the board again.")
    return found


def named_of(database: Session, project_id: int, target: str, profile: str, chosen: Chosen) -> list[int]:
    """The same, where all of a project is not meant by saying nothing. Raises InputError for none."""
    found = chosen_of(database, project_id, target, profile, chosen)
    if not found:
        raise InputError("No material is named.", place="material_ids", remedy="Name at least one.")
    return found
