"""Every earlier state of the tables, with rows in each, is brought up to date: the tables are today's, and no row is lost."""

from __future__ import annotations

import json
from collections.abc import Iterator
from datetime import datetime
from typing import Any

import pytest
from alembic import command
from alembic.script import ScriptDirectory
from sqlalchemy import Connection, MetaData, Table, create_engine, func, insert, select, text
from sqlalchemy.types import JSON, DateTime, Float, Integer, LargeBinary, String

from fenrain.services.acts.registry import act_from_document
from fenrain.services.history import describe_changes
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


def test_acts_and_edits_say_what_they_did_as_today(earlier: Connection) -> None:
    """As 0.2 kept them, with every field of every act, and edits of whole materials told apart by their keys."""
    upgrade(earlier, "0021")
    tables = {table.name: table for table in _tables(earlier)}
    flat = {"groups": ["coat"], "values": {}, "from_id": 0, "name": "", "steps": [], "text": "", "version": 0}
    merged = {"material": [None, {"into": 7, "name": "paint", "difference": "equal"}]}
    rules = [{"act": {**flat, "kind": "put back"}}, {"act": {**flat, "kind": "merge"}}, {"undoes": 2}]
    for number, rule in enumerate(rules, start=1):
        for name in ("projects", "intakes", "materials", "conversions", "jobs"):
            row = {column.name: _some(tables[name], column, number) for column in tables[name].columns}
            earlier.execute(insert(tables[name]).values(row))
        row = {column.name: _some(tables["acts"], column, number) for column in tables["acts"].columns}
        earlier.execute(insert(tables["acts"]).values({**row, "rule": json.dumps(rule)}))
        row = {column.name: _some(tables["edits"], column, number) for column in tables["edits"].columns}
        earlier.execute(insert(tables["edits"]).values({**row, "changes": json.dumps(merged)}))
    earlier.commit()
    upgrade(earlier, "head")
    acts, edits = (
        [json.loads(one) for one in earlier.scalars(text(f"SELECT {column} FROM {name} ORDER BY id"))]
        for name, column in (("acts", "rule"), ("edits", "changes"))
    )
    earlier.rollback()
    assert acts == [{"act": {"kind": "reset", "groups": ["coat"]}}, {"act": {"kind": "merge"}}, {"undoes": 2, "act": {"kind": "merge"}}]
    assert [act_from_document(rule["act"]).kind for rule in acts] == ["reset", "merge", "merge"]
    assert edits[1] == {"material": [None, {"says": "merged into “paint” (equal)", "into": 7}]}
    assert describe_changes(edits[1]) == "material merged into “paint” (equal)"


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
