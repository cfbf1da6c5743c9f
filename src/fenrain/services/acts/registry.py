"""Finds the acts on many: every module of `kinds` that declares an `ACT`."""

from __future__ import annotations

from collections.abc import Mapping
from functools import reduce
from operator import or_
from typing import TYPE_CHECKING, Annotated, Any

from pydantic import Field, TypeAdapter

from fenrain.core.discovery import declarations
from fenrain.services.acts.act import Act
from fenrain.services.acts.overriding_act import OverridingAct
from fenrain.store.tables import ActRow

if TYPE_CHECKING:
    AnyAct = Act
else:
    AnyAct = Annotated[reduce(or_, declarations("fenrain.services.acts.kinds", "ACT")), Field(discriminator="kind")]
"""One of the acts, told apart by its kind."""
_ADAPTER: TypeAdapter[Act] = TypeAdapter(AnyAct)


def act_from_document(document: Mapping[str, Any]) -> Act:
    """An act as a job, the history or a saved act holds it."""
    return _ADAPTER.validate_python(document)


def act_of(row: ActRow) -> Act | None:
    """What a row of the history did to many, or took back of that; None for an edit of one conversion."""
    return act_from_document(row.rule["act"]) if "act" in row.rule else None


def can_be_undone(row: ActRow) -> bool:
    """Whether there is a way back: what took another act back is taken back where that changed values alone."""
    return not row.undone and ("undoes" not in row.rule or isinstance(act_of(row), OverridingAct | None))
