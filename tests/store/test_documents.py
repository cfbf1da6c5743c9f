"""What columns hold as JSON: today's edition comes back as it was, another one counts as not there, and nothing else is ever written."""

from __future__ import annotations

import json
from typing import Any

import pytest
from pydantic_core import PydanticSerializationError
from sqlalchemy import text

from fenrain.core.material import Material
from fenrain.services.conversions import ensure_conversion
from fenrain.store.database import session
from fenrain.store.documents.boards import COLUMNS, BoardEntry, Outline
from fenrain.store.documents.column import DocumentColumn
from fenrain.store.documents.conversions import ConversionDocument
from fenrain.store.rows import find_conversion
from fenrain.store.tables import ConversionStatusRow, Project
from tests.jobs.test_queue import entered

pytestmark = pytest.mark.usefixtures("database")
counter = 0


@pytest.fixture
def conversion() -> int:
    global counter
    counter += 1
    with session() as database:
        project = Project(name=f"documents {counter}", tolerances={})
        database.add(project)
        database.flush()
        material = entered(database, project.id, Material.of("paint", "spec_gloss", {"glossiness": 0.6}))
        return ensure_conversion(database, material, "metal_rough", "core").id


def written(document: ConversionDocument | None) -> Any:
    """As JSON holds it."""
    assert document is not None
    return document.model_dump(mode="json")


@pytest.mark.parametrize(
    "damage",
    [
        "JSON_SET(document, '$.edition', 0)",
        "JSON_REMOVE(document, '$.edition')",
        "JSON_REMOVE(document, '$.ledger')",
        "JSON_SET(document, '$.figures', 'none')",
        "'{}'",
        "'[]'",
    ],
)
def test_what_another_edition_wrote_or_what_is_damaged_is_made_again(conversion: int, damage: str) -> None:
    with session() as database:
        before = written(find_conversion(database, conversion).document)
        database.execute(text(f"UPDATE conversions SET document = {damage} WHERE id = {conversion}"))
    with session() as database:
        row = find_conversion(database, conversion)
        assert row.document is None
        assert written(ensure_conversion(database, row.material, "metal_rough", "core").document) == before


def test_what_is_no_such_document_is_never_written(conversion: int) -> None:
    with pytest.raises(Exception, match="Expected `ConversionDocument`"), session() as database:
        find_conversion(database, conversion).document = {"ledger": []}  # type: ignore[assignment]
    with session() as database:
        assert find_conversion(database, conversion).document is not None


def test_a_document_says_its_edition_and_an_empty_one_is_nothing() -> None:
    column: DocumentColumn[Outline] = DocumentColumn(Outline)
    stored = column.process_bind_param(Outline(losses=["ambient"]), None)  # type: ignore[arg-type]
    assert json.loads(json.dumps(stored))["edition"] == Outline.EDITION
    assert column.process_result_value(stored, None) == Outline(losses=["ambient"])  # type: ignore[arg-type]
    assert column.process_bind_param(None, None) == {}  # type: ignore[arg-type]
    with pytest.raises(PydanticSerializationError):
        column.process_bind_param({"losses": []}, None)  # type: ignore[arg-type]


def test_every_column_that_a_board_is_sorted_by_is_one_of_the_database() -> None:
    columns = ConversionStatusRow.__table__.columns
    for name, value in COLUMNS.items():
        assert columns[name].default.arg == value(BoardEntry()), name
