"""Every earlier state of the tables, with rows in each, is brought up to date: the tables are today's, and no row is lost."""

from __future__ import annotations

import json
from collections.abc import Iterator
from datetime import datetime
from typing import Any

import pytest
from alembic import command
from alembic.script import ScriptDirectory
from sqlalchemy import Connection, MetaData, Table, create_engine, func, insert, select
from sqlalchemy.types import JSON, DateTime, Float, Integer, LargeBinary, String

from fenrain.store.database import empty_database, migrations, upgrade

pytestmark = [pytest.mark.usefixtures("database"), pytest.mark.population]
REVISIONS = sorted(one.revision for one in ScriptDirectory.from_config(migrations()).walk_revisions())
RENAMED = {
    "outcomes": "conversion_statuses",
    "outcome_readings": "status_readings",
    "outcome_losses": "status_losses",
    "outcome_documents": "status_documents",
    "kept_acts": "saved_acts",
    "rehearsed": "rehearsals",
}
MADE_ANEW = {"checks", "status_documents", "conversion_statuses"}
"""What is measured or judged again where its form has changed."""
SCRATCH = "fenrain_of_earlier_times"
DOCUMENT = {
    "name": "enamel", "model": "spec_gloss", "digest": "0" * 64, "values": {"glossiness": {"constant": 0.5}},
    "source": {"file": "enamel.mtl"}, "findings": [], "parts": [], "verdict": "match", "readings": [], "rows": [], "files": {}, "steps": [],
}  # fmt: skip


@pytest.fixture
def earlier() -> Iterator[Connection]:
    """An empty database beside the one of the tests."""
    with empty_database(SCRATCH) as url:
        other = create_engine(url)
        with other.connect() as connection:
            yield connection
        other.dispose()


def test_rows_of_every_version_become_those_of_today(earlier: Connection) -> None:
    """At each version a row is added to every table that there is then; all of them go the whole way to today's."""
    added: dict[str, int] = {}
    for number, revision in enumerate(REVISIONS, start=1):
        upgrade(earlier, revision)
        for table in _tables(earlier):
            earlier.execute(insert(table).values({column.name: _some(table, column, number) for column in table.columns}))
            name = RENAMED.get(table.name, table.name)
            added[name] = added.get(name, 0) + 1
        earlier.commit()
    upgrade(earlier, "head")
    command.check(migrations(earlier))
    left = {table.name: earlier.scalar(select(func.count()).select_from(table)) for table in _tables(earlier)}
    earlier.rollback()
    kept = {name: count for name, count in added.items() if name not in MADE_ANEW}
    assert {name: left[name] for name in kept} == kept
    assert left["conversion_statuses"] == left["conversions"]


def _tables(connection: Connection) -> list[Table]:
    """Those there are, each after what it refers to."""
    known = MetaData()
    known.reflect(connection)
    connection.rollback()
    return [table for table in known.sorted_tables if table.name != "alembic_version"]


def _some(table: Table, column: Any, number: int) -> Any:
    """A value that the column takes. Every row has a number, and refers to those of the same number."""
    if column.primary_key or column.foreign_keys:
        return number if isinstance(column.type, Integer) else str(number)
    kind = column.type
    if isinstance(kind, DateTime):
        return datetime(2026, 1, 2)
    if isinstance(kind, (Integer, Float)):
        return 1 if isinstance(kind, Float) else number
    if isinstance(kind, LargeBinary):
        return b"0"
    if (isinstance(kind, String) and kind.length is None) or isinstance(kind, JSON):
        return json.dumps(DOCUMENT)
    return str(number)
