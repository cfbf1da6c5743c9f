"""What the database sorts, filters and pages is what one gets by looking at every row."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from sqlalchemy import delete, select, update

from fenrain.core.conversion.targets import ServedTarget
from fenrain.jobs.plans import plan_conversion
from fenrain.jobs.queue import SETTLE
from fenrain.services import reviews
from fenrain.services.board import SORTS, BoardQuery, BoardRow, board_page, find_material_ids, list_filters
from fenrain.services.checks import decide_over_all, list_checks, load_tolerances, select_overview
from fenrain.services.conversion_status import update_some_statuses, update_statuses
from fenrain.services.conversions import ensure_conversion, override_value
from fenrain.services.found_materials import list_found_materials
from fenrain.services.intakes import accept_found, create_intake
from fenrain.services.surroundings import list_rigs
from fenrain.services.targets import project_target
from fenrain.store.database import session
from fenrain.store.rows import find_conversion, find_material, find_project, list_conversions_to
from fenrain.store.status_changes import mark_pairs_changed
from fenrain.store.tables import CheckRow, ConversionStatusRow, MaterialRow
from tests.conftest import finished
from tests.store.many import copied
from tests.store.test_store import project

pytestmark = pytest.mark.usefixtures("database")
TARGET = "metal_rough", "core"
COUNT = 240
MATERIALS = ("engine-green enamel", "gauge-brass bezel", "galvanised_rail")
"""The last one loses its ambient colour."""


@pytest.fixture(scope="module")
def many(heron_lode: Path) -> int:
    first = project("boards")
    with session() as database:
        intake = create_intake(database, first, heron_lode)
        chosen = [index for index, one in enumerate(list_found_materials(database, intake.id)) if one.name in MATERIALS]
        ids = [row.id for row in accept_found(database, intake.id, chosen)]
        items = [item.id for item in plan_conversion(database, first, ids, *TARGET).items if item.work != SETTLE]
    for item in items:
        finished(item)
    made = copied(first, COUNT, "many boards")
    with session() as database:  # some are not converted yet
        for row in list_conversions_to(database, made, *TARGET)[:17]:
            database.delete(row)
    return made


def target(database: Any, project_id: int) -> ServedTarget:
    return project_target(database, project_id, *TARGET)


def page(project_id: int, question: BoardQuery = BoardQuery(), **how: Any) -> Any:
    with session() as database:
        how = {"sort": "came", "descending": False, "offset": 0, "most": COUNT, **how}
        for _ in range(COUNT):
            found = board_page(database, project_id, target(database, project_id), question, **how)
            if found.unsettled == 0:
                return found
        raise AssertionError(f"{found.unsettled} are never judged again")


def by_hand(project_id: int) -> dict[int, tuple[str, float]]:
    """The verdict and the worst reading of each conversion, judged one by one."""
    with session() as database:
        of = find_project(database, project_id)
        tolerances, rigs = load_tolerances(of), list_rigs(of)
        found = {}
        for row in list_conversions_to(database, project_id, *TARGET):
            pair = row.material.digest, row.digest
            decision = decide_over_all(
                row.document.figures if row.document else None,
                select_overview(list_checks(database, [pair]).get(pair, []), rigs),
                tolerances,
            )
            assert decision is not None
            found[row.material_id] = decision.verdict.value, decision.excess
        return found


def test_every_row_says_what_it_says_alone(many: int) -> None:
    expected = by_hand(many)
    rows = {row.material_id: row for row in page(many).rows}
    assert len(rows) == COUNT
    assert {one.verdict.verdict for one in rows.values() if one.verdict} >= {"match", "off"}
    for identity, row in rows.items():
        if identity in expected:
            assert (row.verdict.verdict, row.verdict.excess) == expected[identity]
        else:
            assert (row.conversion_id, row.verdict) == (None, None)


@pytest.mark.parametrize("sort", [*SORTS, "rig:", "rig:soft_studio"])
@pytest.mark.parametrize("descending", [False, True])
def test_pages_put_together_are_the_whole_in_its_order(many: int, sort: str, descending: bool) -> None:
    whole = [row.material_id for row in page(many, sort=sort, descending=descending).rows]
    pages = [page(many, sort=sort, descending=descending, offset=begin, most=70) for begin in range(0, COUNT, 70)]
    parts = [row.material_id for one in pages for row in one.rows]
    assert parts == whole
    assert len(set(whole)) == COUNT
    if sort == "worst":
        expected = by_hand(many)
        in_order([expected[identity][1] if identity in expected else None for identity in whole], descending)
    if sort.startswith("rig:"):
        rows = page(many, sort=sort, descending=descending).rows
        in_order([None if row.conversion_id is None else worst_at(row, sort.removeprefix("rig:")) for row in rows], descending)


def in_order(worst: list[float | None], descending: bool) -> None:
    """What is converted is in its order, and what is not, without a reading, comes after it."""
    converted = [one for one in worst if one is not None]
    assert worst == [*sorted(converted, reverse=descending), *[None] * (len(worst) - len(converted))]
    assert len(set(converted)) > 2
    assert len(converted) < len(worst)


@pytest.mark.parametrize("question", [BoardQuery(find="enamel"), BoardQuery(state="needs attention"), BoardQuery(state="not converted")])
@pytest.mark.parametrize("sort", ["name", "worst"])
def test_pages_of_what_is_asked_for_are_the_whole_of_it(many: int, question: BoardQuery, sort: str) -> None:
    pages = [page(many, question, sort=sort, offset=begin, most=13) for begin in range(0, COUNT, 13)]
    assert sorted(row.material_id for one in pages for row in one.rows) == [row.material_id for row in page(many, question).rows]
    assert pages[0].total == sum(len(one.rows) for one in pages) > 13


def worst_at(row: BoardRow, rig: str) -> float:
    """By how much the worst reading of a row exceeds what a match may read in one light, by its quick figures where none is named."""
    found = row.figures if rig == "" else next((check.decision for check in row.checks if check.rig == rig), None)
    return float(np.float32(found.excess)) if found else -1.0


def passes(row: BoardRow, question: BoardQuery) -> bool:
    verdict = row.verdict and row.verdict.verdict
    doubtful = any(finding.severity != "note" for finding in row.findings)
    states = {
        "": True,
        "all": True,
        "not converted": row.conversion_id is None,
        "needs attention": row.conversion_id is not None and (verdict != "match" or bool(row.losses) or doubtful),
    }
    return (
        states.get(question.state, verdict == question.state)
        and question.find.lower() in row.name.lower()
        and question.file in ("", row.file)
        and question.model in ("", row.model)
        and any(question.lost in lost for lost in row.losses or [""])
        and question.reason in ("", row.verdict and row.verdict.metric)
        and row.material_id not in question.without
    )


QUESTIONS = [
    BoardQuery(),
    *(BoardQuery(state=state) for state in ("all", "match", "near", "off", "undecided", "not converted", "needs attention")),
    BoardQuery(find="ENAMEL"),
    BoardQuery(find="100%"),
    BoardQuery(find="_"),
    BoardQuery(model="spec_gloss"),
    BoardQuery(state="match", model="spec_gloss", find="1"),
    BoardQuery(file="heron_lode_engine_house.glb"),
    BoardQuery(lost="ambient"),
    BoardQuery(lost="%"),
    BoardQuery(reason="above_white"),
    BoardQuery(reason="colour", state="off"),
]


@pytest.mark.parametrize("question", QUESTIONS, ids=[str(number) for number in range(len(QUESTIONS))])
def test_what_is_asked_for_is_what_passes_one_by_one(many: int, question: BoardQuery) -> None:
    rows = page(many).rows
    expected = [row.material_id for row in rows if passes(row, question)]
    found = page(many, question)
    assert [row.material_id for row in found.rows] == expected
    assert found.total == len(expected)
    for state, count in found.counts.items():
        assert count == sum(passes(row, question.model_copy(update={"state": state})) for row in rows), state
    with session() as database:
        assert find_material_ids(database, many, target(database, many), question) == expected
        without = question.model_copy(update={"without": expected[:3]})
        assert find_material_ids(database, many, target(database, many), without) == expected[3:]


def test_what_a_board_can_be_filtered_by_is_what_its_rows_say(many: int) -> None:
    rows = page(many).rows
    with session() as database:
        found = list_filters(database, many, target(database, many))
    assert set(found["losses"]) == {loss for row in rows for loss in row.losses}
    assert set(found["reasons"]) == {row.verdict.metric for row in rows if row.verdict and row.verdict.metric}
    assert found["losses"]
    assert found["reasons"]


def test_other_tolerances_are_judged_by_and_what_is_left_is_done_elsewhere(many: int) -> None:
    page(many)
    with session() as database:
        find_project(database, many).tolerances = {"*": {"colour": [0.01, 0.02], "mirrored_detail": [0.01, 0.02]}}
    with session() as database:
        first = board_page(database, many, target(database, many), BoardQuery(), sort="came", descending=False, offset=0, most=10)
        assert 0 < first.unsettled < COUNT
    with session() as database:
        assert update_some_statuses(database) > 0
    assert {verdict for verdict, _ in by_hand(many).values()} == {row.verdict.verdict for row in page(many).rows if row.verdict}
    assert page(many).counts["match"] < 20
    with session() as database:
        find_project(database, many).tolerances = {}


@pytest.mark.population
def test_an_edit_and_a_review_show_at_once(many: int, heron_lode: Path) -> None:
    first = project("edited boards")
    with session() as database:
        (identity,) = [row.id for row in accept_found(database, create_intake(database, first, heron_lode).id, [0])]
        row = ensure_conversion(database, find_material(database, identity), *TARGET)
        conversion, version = row.id, row.version
    assert page(first).rows[0].overrides == 0
    with session() as database:
        version = override_value(database, conversion, "roughness", 0.9, expected=version).version
    assert page(first).rows[0].overrides == 1
    with session() as database:
        reviews.add_review(database, conversion, "sent back", "too rough", None, expected=version)
    assert page(first, BoardQuery(review="sent back")).total == 1
    with session() as database:
        override_value(database, conversion, "roughness", 0.8, expected=version)
    assert page(first, BoardQuery(review="open again")).total == 1
    assert page(first, BoardQuery(review="waiting")).total == 0


def test_what_is_marked_while_it_is_worked_out_is_worked_out_again(many: int) -> None:
    page(many)
    with session() as database:
        one = database.scalar(select(ConversionStatusRow.conversion_id).limit(1))
    with session() as working:
        working.execute(
            update(ConversionStatusRow).where(ConversionStatusRow.conversion_id == one).values(changes=ConversionStatusRow.changes + 1)
        )
        update_statuses(working, find_project(working, many), target(working, many), None)
        working.execute(
            update(ConversionStatusRow).where(ConversionStatusRow.conversion_id == one).values(changes=ConversionStatusRow.changes + 1)
        )
    with session() as database:
        row = database.scalars(select(ConversionStatusRow).where(ConversionStatusRow.conversion_id == one)).one()
        assert row.changes != row.changes_seen
    assert page(many).unsettled == 0


def test_a_material_is_found_by_where_it_came_from(many: int) -> None:
    with session() as database:
        rows = database.scalars(select(MaterialRow).where(MaterialRow.project_id == many)).all()
    for row in rows:
        assert row.file == row.document["source"]["file"]
        assert row.doubtful == any(finding["severity"] != "note" for finding in row.document["findings"])


def test_a_light_that_is_not_the_projects_does_not_judge(many: int) -> None:
    seen = next(row for row in page(many).rows if row.verdict and row.verdict.verdict == "match")
    with session() as database:
        row = find_conversion(database, seen.conversion_id)
        check = database.scalars(select(CheckRow).where(CheckRow.original == row.material.digest, CheckRow.converted == row.digest)).first()
        assert check is not None
        assert "single_lamp" not in list_rigs(find_project(database, many))
        worse = {name: replace(reading, value=1e3, floor=0.0) for name, reading in check.numbers.readings.items()}
        numbers = check.numbers.model_copy(update={"readings": worse})
        columns = {"original": check.original, "converted": check.converted, "stand": check.stand, "turn": check.turn, "size": check.size}
        database.add(CheckRow(**columns, key="e" * 64, rig="single_lamp", numbers=numbers, pictures=check.pictures))
        database.flush()
        mark_pairs_changed(database, [(check.original, check.converted)])
    after = next(row for row in page(many).rows if row.conversion_id == seen.conversion_id)
    assert (after.verdict.verdict, [one.rig for one in after.checks]) == ("match", [one.rig for one in seen.checks])
    with session() as database:  # chosen for the project, it does
        project = find_project(database, many)
        project.rigs = [*list_rigs(project), "single_lamp"]
    assert next(row for row in page(many).rows if row.conversion_id == seen.conversion_id).verdict.verdict == "off"
    with session() as database:
        find_project(database, many).rigs = []
        database.execute(delete(CheckRow).where(CheckRow.key == "e" * 64))


def test_a_board_whose_target_is_gone_holds_up_no_other(many: int) -> None:
    page(many)
    with session() as database:
        first, second = database.scalars(select(ConversionStatusRow).where(ConversionStatusRow.project_id == many).limit(2)).all()
        columns = {column.key: getattr(first, column.key) for column in ConversionStatusRow.__mapper__.column_attrs}
        gone = find_conversion(database, first.conversion_id)
        database.execute(update(ConversionStatusRow).where(ConversionStatusRow.conversion_id == gone.id).values(profile="!taken away"))
        marked = (first.conversion_id, second.conversion_id)
        newer = ConversionStatusRow.changes + 1
        database.execute(update(ConversionStatusRow).where(ConversionStatusRow.conversion_id.in_(marked)).values(changes=newer))
    for _ in range(20):  # boards of other tests may wait, too
        with session() as database:
            if update_some_statuses(database) == 0:
                break
    with session() as database:
        one = database.scalars(select(ConversionStatusRow).where(ConversionStatusRow.conversion_id == marked[1])).one()
        assert one.changes == one.changes_seen
        values = {"profile": columns["profile"]}
        database.execute(update(ConversionStatusRow).where(ConversionStatusRow.conversion_id == marked[0]).values(values))
    page(many)
