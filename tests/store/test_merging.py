"""Merging, variants and converting again as acts on many: what they say before, do, deliver, and take back."""

from __future__ import annotations

import json
import zipfile
from typing import Any

import pytest
from sqlalchemy import func, select

from fenrain.core import Material, read
from fenrain.core.errors import ConflictError, InputError
from fenrain.jobs.plans import plan_act, plan_delivery, plan_rehearsal, plan_undo
from fenrain.jobs.queue import ACT, DELIVER, LOOK, UNDO, find_job
from fenrain.services.acts.kinds.convert_again import ConvertAgain
from fenrain.services.acts.kinds.make_variants import MakeVariants
from fenrain.services.acts.kinds.merge_alike import MergeAlike
from fenrain.services.acts.rehearsals import summarise_rehearsal
from fenrain.services.board import MERGED, BoardQuery, BoardRow, board_page, find_material_ids
from fenrain.services.conversions import ensure_conversion, load_conversion, override_value
from fenrain.services.history import list_acts, list_edits
from fenrain.services.targets import project_target
from fenrain.store import blobs
from fenrain.store.database import session
from fenrain.store.rows import add_material, find_conversion, find_conversion_to
from fenrain.store.tables import ConversionRow, Intake, MaterialRow, Project
from tests.store.test_acts import done, looks, rehearsed, worked

pytestmark = pytest.mark.usefixtures("database")
AIM = "metal_rough", "extensions"
counter = 0


@pytest.fixture
def paints(monkeypatch: pytest.MonkeyPatch) -> tuple[int, list[int]]:
    """A project with a paint, one equal, one by a hair off, and another; ids of their conversions."""
    global counter
    counter += 1
    monkeypatch.setattr("tests.store.test_acts.AIM", AIM)
    kinds = {"paint": 0.4, "same": 0.4, "nearly": 0.401, "glossier": 0.1}
    with session() as database:
        project = Project(name=f"merging {counter}", tolerances={})
        database.add(project)
        database.flush()
        intake = Intake(project_id=project.id, state="accepted", files={}, dialects={}, errors=[], unused=[])
        database.add(intake)
        database.flush()
        rows = []
        for name, roughness in kinds.items():
            material = Material.of(name, "metal_rough", {"base_color": (0.2, 0.3, 0.1), "metallic": 0.0, "roughness": roughness})
            rows.append(ensure_conversion(database, add_material(database, project.id, intake, material), *AIM).id)
        return project.id, rows


def board(project: int, state: str = "") -> list[BoardRow]:
    with session() as database:
        target = project_target(database, project, *AIM)
        return board_page(database, project, target, BoardQuery(state=state), sort="came", descending=False, offset=0, most=100).rows


def test_before_it_says_what_would_stand_for_what_and_how_far_they_differ(paints: tuple[int, list[int]]) -> None:
    project, conversions = paints
    job = rehearsed(project, conversions, MergeAlike())
    with session() as database:
        found = summarise_rehearsal(database, job, 10)
        told = {row.conversion.material.name: row.changes["material"][1] for row in found.rows}
    assert set(told) == {"same", "nearly"}
    assert told["same"]["says"] == "merged into “paint” (equal)"
    assert told["nearly"]["says"].startswith("merged into “paint” (match: ")
    assert [row.name for row in board(project)] == ["paint", "same", "nearly", "glossier"]


def test_merged_ones_leave_the_board_share_one_material_and_come_back(paints: tuple[int, list[int]]) -> None:
    project, conversions = paints
    before = looks(conversions)
    made = done(project, conversions, MergeAlike())
    assert [row.name for row in board(project)] == ["paint", "glossier"]
    assert {row.name: row.merged_into for row in board(project, MERGED)} == {"same": "paint", "nearly": "paint"}
    with session() as database:
        target = project_target(database, project, *AIM)
        counts = board_page(database, project, target, BoardQuery(), sort="came", descending=False, offset=0, most=1).counts
        assert (counts["all"], counts[MERGED]) == (2, 2)
        assert len(find_material_ids(database, project, target, BoardQuery())) == 2
        assert list_edits(database, conversions[1])[0].changes["material"][1]["says"] == "merged into “paint” (equal)"
    names, ledger = delivered(project, conversions[:1] + conversions[3:])
    assert names == {"paint", "glossier"}
    assert {entry["material"]: entry.get("merged_into") for entry in ledger["materials"]} == {
        "paint": None, "same": "paint", "nearly": "paint", "glossier": None,
    }  # fmt: skip
    with session() as database:
        undoing = plan_undo(database, made).id
    worked(undoing, UNDO)
    assert [row.name for row in board(project)] == ["paint", "same", "nearly", "glossier"]
    assert looks(conversions) == before
    # What was taken back is merged again by another rehearsal, which sees how it stands then.
    with session() as database:
        last = list_acts(database, project, None, 1)[0]
        assert list_edits(database, conversions[1])[0].changes["material"][1]["says"] == "stands for itself again"
        with pytest.raises(ConflictError, match="another rehearsal"):
            plan_undo(database, last.id)


def delivered(project: int, conversions: list[int]) -> tuple[set[str], Any]:
    """(names of the materials in the files that a delivery writes, its ledger)."""
    with session() as database:
        ids = [find_conversion(database, one).material_id for one in conversions]
        job = plan_delivery(database, project, ids, *AIM).id
    worked(job, DELIVER)
    with session() as database:
        result = find_job(database, job).result
    names = set[str]()
    with zipfile.ZipFile(blobs.path_of(result["archive"])) as archive:
        ledger = json.loads(archive.read(next(name for name in archive.namelist() if name.endswith("ledger.json"))))
        for name in archive.namelist():
            if name.endswith(".glb"):
                held = blobs.path_of(blobs.save_bytes(archive.read(name)))
                glb = held.with_suffix(".glb")
                glb.write_bytes(held.read_bytes())
                names |= {material.name for material in read(glb)}
                glb.unlink()
    assert all(found["errors"] == 0 for found in result["validations"])
    return names, ledger


def test_what_was_merged_into_something_is_not_merged_again(paints: tuple[int, list[int]]) -> None:
    project, conversions = paints
    done(project, conversions, MergeAlike())
    job = rehearsed(project, conversions, MergeAlike())
    with session() as database:
        assert summarise_rehearsal(database, job, 10).changed == 0


def test_variants_are_made_once_of_each_and_go_again_unless_somebody_worked_on_them(paints: tuple[int, list[int]]) -> None:
    project, conversions = paints
    job = rehearsed(project, conversions[:2], MakeVariants(name="wet"))
    with session() as database:
        doing = plan_act(database, job).id
    for _ in range(2):  # as after a crash
        worked(doing, ACT)
        with session() as database:
            for item in find_job(database, doing).items:
                item.state, item.done = "pending", 0
    assert [row.name for row in board(project)] == ["paint", "same", "nearly", "glossier", "paint wet", "same wet"]
    assert looks(conversions[:1])[0][0] == looks([variant_of(project, "paint wet")])[0][0]
    with session() as database:
        row = find_conversion(database, variant_of(project, "same wet"))
        act_id = list_edits(database, row.id)[0].act_id
        override_value(database, row.id, "roughness", 0.05, expected=row.version)
    with session() as database:
        undoing = plan_undo(database, act_id).id
    worked(undoing, UNDO)
    assert [row.name for row in board(project)] == ["paint", "same", "nearly", "glossier", "same wet"]
    with session() as database:
        told = "".join(item.error for item in find_job(database, undoing).items)
    assert "“same wet” was worked on since, and stays." in told


def variant_of(project: int, name: str) -> int:
    with session() as database:
        material = database.scalar(select(MaterialRow.id).where(MaterialRow.project_id == project, MaterialRow.name == name))
        found = find_conversion_to(database, material or 0, *AIM)
        assert found is not None
        return found.id


def test_variants_without_a_name_are_refused(paints: tuple[int, list[int]]) -> None:
    project, _ = paints
    with session() as database, pytest.raises(InputError, match="names of their own"):
        plan_rehearsal(database, project, None, *AIM, MakeVariants(name=" "))
    with session() as database:
        assert (
            database.scalar(select(func.count()).select_from(ConversionRow).join(MaterialRow).where(MaterialRow.project_id == project)) == 4
        )


def test_what_newer_rules_would_change_is_seen_before_and_only_that_is_looked_at_again(paints: tuple[int, list[int]]) -> None:
    """An older version made one of them rougher, one as today's does, and nothing is known to be older of the rest."""
    project, conversions = paints
    before = looks(conversions)
    with session() as database:
        rougher, same = (find_conversion(database, one) for one in conversions[:2])
        rougher.rules = same.rules = "older"
        rougher.digest = "0" * 64
        assert rougher.document is not None
        ledger = [entry.model_copy(update={"shown": "0.9"}) if entry.target == "roughness" else entry for entry in rougher.document.ledger]
        rougher.document = rougher.document.model_copy(update={"ledger": ledger})
    with session() as database:
        target = project_target(database, project, *AIM)
        assert board_page(database, project, target, BoardQuery(), sort="came", descending=False, offset=0, most=1).older == 2
    job = rehearsed(project, conversions, ConvertAgain())
    with session() as database:
        (row,) = summarise_rehearsal(database, job, 10).rows
        assert (row.conversion_id, row.changes["material"][1]) == (conversions[0], {"says": "converted again by newer rules: roughness"})
        assert find_conversion(database, conversions[1]).rules != "older"
        doing = plan_act(database, job)
        looked = [item.payload["each"] for item in doing.items if item.work == LOOK]
        assert looked == [[row.conversion.material_id]]
        identity = doing.id
    worked(identity, ACT)
    assert looks(conversions) == before
    with session() as database:
        act_id = list_edits(database, conversions[0])[0].act_id
        undoing = plan_undo(database, act_id).id
    worked(undoing, UNDO)
    with session() as database:
        assert "was converted again by newer rules, and stays" in "".join(item.error for item in find_job(database, undoing).items)


def test_what_older_rules_made_is_made_anew_before_anybody_measures_it(paints: tuple[int, list[int]]) -> None:
    _, conversions = paints
    with session() as database:
        row = find_conversion(database, conversions[0])
        known, row.rules, row.digest = row.digest, "older", "0" * 64
    with session() as database:
        made = ensure_conversion(database, find_conversion(database, conversions[0]).material, *AIM)
        assert (made.digest, made.digest) == (known, load_conversion(made).material.digest)
