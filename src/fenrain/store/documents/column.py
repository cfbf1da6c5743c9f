"""A column that holds a model as JSON."""

from __future__ import annotations

from typing import Any, ClassVar, Generic, TypeVar

from pydantic import BaseModel, ConfigDict, TypeAdapter, ValidationError
from sqlalchemy import JSON, Dialect
from sqlalchemy.types import TypeDecorator

M = TypeVar("M")


class Document(BaseModel):
    """Something that a column holds. One that has an EDITION above 0 carries it, and is read only where it has today's."""

    model_config = ConfigDict(frozen=True, json_schema_serialization_defaults_required=True)

    EDITION: ClassVar[int] = 0


class DocumentColumn(TypeDecorator[M], Generic[M]):
    """JSON that is a model in Python: None for an empty one, and for one of another edition, which has to be made again."""

    impl = JSON
    cache_ok = True

    def __init__(self, model: Any) -> None:
        super().__init__(none_as_null=False)
        self.model = model
        self._adapter: TypeAdapter[M] = TypeAdapter(model)
        self._edition = getattr(model, "EDITION", 0)

    def process_bind_param(self, value: M | None, dialect: Dialect) -> Any:
        """None is stored as an empty document."""
        if value is None:
            return {}
        dumped = self._adapter.dump_python(value, mode="json", warnings="error")
        return {**dumped, "edition": self._edition} if self._edition else dumped

    def process_result_value(self, value: Any, dialect: Dialect) -> M | None:
        if value is None or value == {}:
            return None
        return self._adapter.validate_python(value) if not self._edition else self._of_edition(value)

    def _of_edition(self, value: Any) -> M | None:
        """What can be made again is not trusted: what another edition wrote, or what is damaged, counts as not there."""
        try:
            return self._adapter.validate_python(value) if value["edition"] == self._edition else None
        except (ValidationError, KeyError, TypeError):
            return None
