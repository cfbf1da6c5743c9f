"""Acts on many against the same done one by one; what they say before, and what takes them back."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import pytest
from sqlalchemy import func, select

from bench.production import production_like
from fenrain.core.conversion.ledger import By
from fenrain.core.errors import ConflictError, InputError, ParameterError
from fenrain.core.lobes.aspects import BODY, COAT, REFLECTION
from fenrain.core.steps import ValueStep
from fenrain.core.values import Constant
from fenrain.jobs.plans import plan_act, plan_rehearsal, plan_undo
from fenrain.jobs.queue import ACT, REHEARSE, REHEARSE_ON_ALL, UNDO, find_job, update_counts
from fenrain.services.acts.act import Act
from fenrain.services.acts.kinds.copy_groups import CopyGroups
from fenrain.services.acts.kinds.grade_value import GradeValue
from fenrain.services.acts.kinds.make_variants import MakeVariants
from fenrain.services.acts.kinds.reset_groups import ResetGroups
from fenrain.services.acts.kinds.set_values import SetValues
from fenrain.services.acts.rehearsals import summarise_rehearsal
from fenrain.services.acts.saved_acts import delete_saved_act, list_saved_acts, save_act
from fenrain.services.conversions import copy_value, ensure_conversion, grade_value, load_conversion, override_values, reset_value
from fenrain.services.history import list_acts, list_edits
from fenrain.store.current_person import as_person
from fenrain.store.database import session
from fenrain.store.rows import find_conversion
from fenrain.store.tables import ConversionRow, EditRow, JobItem, MaterialRow, Project
from tests.conftest import finished
from tests.jobs.test_queue import entered

pytestmark = [pytest.mark.usefixtures("database"), pytest.mark.population]
AIM = "open_pbr", "extensions"
VARNISH = {"specular_roughness": 0.15, "specular_ior": 1.35, "specular_weight": 0.75}
"""Common practice: a quick reflection for flat painted bodies is index 1.35, slight roughness, strength 75 %."""
WARMER = (ValueStep(hue=12.0),)
counter = 0


@pytest.fixture
def twins() -> tuple[int, list[int], list[int]]:
    """A project with two conversions of each of some materials: one to act on with others, one to do the same to alone."""
    global counter
    counter += 1
    with session() as database:
        project = Project(name=f"acts {counter}", tolerances={})
        database.add(project)
        database.flush()
        sides = []
        for _ in range(2):
            rows = []
            for model in ("spec_gloss", "weighted", "facing_grazing"):
                for material in production_like(model, 2):
                    rows.append(ensure_conversion(database, entered(database, project.id, material), *AIM).id)
            sides.append(rows)
        # Some values were set by hand before, within the group and outside of it.
        for rows in sides:
            for number in (0, 3):
                row = find_conversion(database, rows[number])
                override_values(
                    database, row.id, {"specular_roughness": 0.5, "base_color": (0.1, 0.2, 0.3)}, By.HAND, "", expected=row.version
                )
    return project.id, sides[0], sides[1]


def worked(job: int, kind: str) -> None:
    with session() as database:
        items = database.scalars(select(JobItem.id).where(JobItem.job_id == job, JobItem.work == kind)).all()
    for item in items:
        finished(item)


def rehearsed(project: int, conversions: Sequence[int], act: Act) -> int:
    with session() as database:
        ids = list(database.scalars(select(ConversionRow.material_id).where(ConversionRow.id.in_(conversions))))
        job = plan_rehearsal(database, project, ids, *AIM, act).id
    worked(job, REHEARSE_ON_ALL if act.together else REHEARSE)
    with session() as database:
        update_counts(database, find_job(database, job))
        assert find_job(database, job).state == "done", [item.error for item in find_job(database, job).items]
    return job


def done(project: int, conversions: Sequence[int], act: Act) -> int:
    """Rehearse and do it, for Mira; returns the act's id."""
    job = rehearsed(project, conversions, act)
    with as_person("Mira"), session() as database:
        doing = plan_act(database, job).id
    worked(doing, ACT)
    with session() as database:
        return list_acts(database, project, None, 1)[0].id


def looks(conversions: Sequence[int]) -> list[tuple[str, dict[str, Any]]]:
    """What each is converted to, and what stands over its derived values, but for why."""
    with session() as database:
        rows = [find_conversion(database, one) for one in conversions]
        return [(row.digest, {name: {**kept, "why": ""} for name, kept in row.overrides.items()}) for row in rows]


def alone(conversion: int, act: Act) -> None:
    """The same done by the single edits of the bench."""
    with session() as database:
        row = find_conversion(database, conversion)
        target = load_conversion(row).target
        groups = getattr(act, "groups", ())
        inside = [parameter.name for parameter in target.parameters if parameter.group in groups]
        for name in [name for name in inside if name in row.overrides]:
            reset_value(database, row.id, name, expected=row.version)
        if isinstance(act, SetValues):
            override_values(database, row.id, act.values, By.HAND, "", expected=row.version)
        if isinstance(act, CopyGroups):
            source = load_conversion(find_conversion(database, act.from_id)).material
            for name in inside:
                if load_conversion(row).material.value(name) != source.value(name):
                    copy_value(database, row.id, name, act.from_id, name, expected=row.version)
        if isinstance(act, GradeValue):
            grade_value(database, row.id, act.name, WARMER, expected=row.version)


@pytest.mark.parametrize(
    "act",
    [
        SetValues(groups=(REFLECTION,), values=VARNISH),
        CopyGroups(groups=(BODY, REFLECTION), from_id=1),
        GradeValue(name="base_color", steps=WARMER),
        ResetGroups(groups=(REFLECTION,)),
    ],
)
def test_an_act_on_many_is_the_same_done_one_by_one(twins: tuple[int, list[int], list[int]], act: Act) -> None:
    project, many, single = twins
    if isinstance(act, CopyGroups):
        act = act.model_copy(update={"from_id": many[5]})
    before = looks(many)
    done(project, many[:5], act)
    for conversion in single[:5]:
        alone(conversion, act)
    assert looks(many) == looks(single)
    assert looks(many) != before
    # What was left out is as it was.
    assert looks(many[5:]) == before[5:]


def test_all_other_values_are_kept_and_one_undo_takes_it_back(twins: tuple[int, list[int], list[int]]) -> None:
    project, many, _ = twins
    before = looks(many)
    made = done(project, many, SetValues(groups=(REFLECTION,), values=VARNISH))
    with session() as database:
        for conversion in many:
            material = load_conversion(find_conversion(database, conversion)).material
            assert {name: material.value(name) for name in VARNISH} == {name: Constant(value) for name, value in VARNISH.items()}
        assert find_conversion(database, many[0]).overrides["base_color"]["value"] == {"constant": [0.1, 0.2, 0.3]}
        (entry,) = [one for one in list_acts(database, project, None, 100) if one.id == made]
        assert (entry.by, entry.kind) == ("Mira", "many")
        assert database.scalar(select(func.count()).where(EditRow.act_id == made)) == len(many)
        undoing = plan_undo(database, made).id
    worked(undoing, UNDO)
    assert looks(many) == before
    with session() as database:
        assert plan_undo(database, made).id == undoing, "what it changed is still looked at"
        find_job(database, undoing).state = "done"
        with pytest.raises(ConflictError, match="taken back already"):
            plan_undo(database, made)
    # What took it back is an act of the history, and is taken back itself.
    with session() as database:
        again = plan_undo(database, list_acts(database, project, None, 1)[0].id).id
    worked(again, UNDO)
    with session() as database:
        assert find_conversion(database, many[1]).overrides["specular_ior"]["value"] == {"constant": 1.35}


def test_undo_leaves_what_was_set_again_since_and_names_it(twins: tuple[int, list[int], list[int]]) -> None:
    project, many, _ = twins
    made = done(project, many, SetValues(groups=(REFLECTION,), values=VARNISH))
    with session() as database:
        row = find_conversion(database, many[1])
        override_values(database, row.id, {"specular_ior": 1.6}, By.HAND, "", expected=row.version)
    with session() as database:
        undoing = plan_undo(database, made).id
    worked(undoing, UNDO)
    with session() as database:
        assert set(find_conversion(database, many[1]).overrides) == {"specular_ior"}
        assert not find_conversion(database, many[2]).overrides
        told = "\n".join(item.error for item in find_job(database, undoing).items)
    assert "specular_ior of" in told
    assert told.count("stays") == 1


def test_what_was_changed_since_the_rehearsal_is_left_as_it_is(twins: tuple[int, list[int], list[int]]) -> None:
    project, many, _ = twins
    job = rehearsed(project, many, SetValues(groups=(REFLECTION,), values=VARNISH))
    with as_person("Ole"), session() as database:
        row = find_conversion(database, many[2])
        override_values(database, row.id, {"specular_roughness": 0.9}, By.HAND, "", expected=row.version)
    with session() as database:
        doing = plan_act(database, job).id
    worked(doing, ACT)
    with session() as database:
        assert find_conversion(database, many[2]).overrides["specular_roughness"]["value"] == {"constant": 0.9}
        assert find_conversion(database, many[3]).overrides["specular_roughness"]["value"] == {"constant": 0.15}
        assert "changed since it was rehearsed" in "".join(item.error for item in find_job(database, doing).items)
        # Whoever comes second alone is told who was first, and with what.
        row = find_conversion(database, many[2])
        with pytest.raises(ConflictError, match=r"Ole at .*specular_roughness set to 0\.9"):
            override_values(database, row.id, {"specular_roughness": 0.1}, By.HAND, "", expected=row.version - 1)
        assert [edit.act.by for edit in list_edits(database, many[2])][:1] == ["Ole"]


def test_an_act_that_is_done_twice_after_a_crash_is_done_once(twins: tuple[int, list[int], list[int]]) -> None:
    project, many, _ = twins
    job = rehearsed(project, many, GradeValue(name="base_color", steps=WARMER))
    with session() as database:
        doing = plan_act(database, job).id
    worked(doing, ACT)
    first = looks(many)
    with session() as database:
        for item in find_job(database, doing).items:
            item.state, item.done = "pending", 0
    worked(doing, ACT)
    assert looks(many) == first
    with session() as database:
        assert len(list_edits(database, many[1])) == 1


def test_a_rehearsal_changes_nothing_and_says_what_would_become_of_it(twins: tuple[int, list[int], list[int]]) -> None:
    project, many, _ = twins
    before = looks(many)
    job = rehearsed(project, many, SetValues(groups=(REFLECTION,), values={"specular_roughness": 0.95}))
    assert looks(many) == before
    with session() as database:
        found = summarise_rehearsal(database, job, 100)
        assert found.changed == len(many)
        assert sum(found.before.values()) == sum(found.after.values()) == len(many)
        assert found.after.get("match", 0) < found.before["match"]
        assert found.worse >= 3
        pictured = [row for row in found.rows if row.pictures]
        assert 0 < len(pictured) <= 4
        assert all(row.pictures["before"] != row.pictures["after"] for row in pictured)
        # What is like that already is not counted.
        same = plan_rehearsal(database, project, None, *AIM, ResetGroups(groups=(COAT,))).id
    worked(same, REHEARSE)
    with session() as database:
        update_counts(database, find_job(database, same))
        assert summarise_rehearsal(database, same, 10).changed == 0
        with pytest.raises(ConflictError, match="change nothing"):
            plan_act(database, same)


@pytest.mark.parametrize(
    ("change", "error"),
    [
        (SetValues(groups=(REFLECTION,), values={"base_color": [1, 0, 0]}), ParameterError),
        (SetValues(groups=("shine",), values={"specular_roughness": 0.1}), InputError),
        (SetValues(groups=(REFLECTION,), values={"specular_roughness": "rough"}), ParameterError),
        (SetValues(groups=(REFLECTION,), values={}), InputError),
        (SetValues(groups=(), values={"specular_roughness": 0.1}), InputError),
        (GradeValue(name="nothing", steps=WARMER), ParameterError),
    ],
)
def test_what_cannot_be_done_is_refused_before_anything_starts(
    twins: tuple[int, list[int], list[int]], change: Act, error: type[Exception]
) -> None:
    project, _, _ = twins
    with session() as database, pytest.raises(error):
        plan_rehearsal(database, project, None, *AIM, change)


def test_acts_are_kept_by_name(twins: tuple[int, list[int], list[int]]) -> None:
    project, _, _ = twins
    rule = {"question": {"find": "paint"}, "act": SetValues(groups=(REFLECTION,), values=VARNISH).model_dump()}
    with session() as database:
        kept = save_act(database, project, "varnish", rule)
        assert [(one.name, one.rule) for one in list_saved_acts(database, project)] == [("varnish", rule)]
        with pytest.raises(InputError, match="already"):
            save_act(database, project, "varnish", rule)
        delete_saved_act(database, kept.id)
        assert list_saved_acts(database, project) == []
        assert database.scalar(select(func.count()).select_from(MaterialRow)) > 0


def test_a_variant_that_was_worked_on_in_another_target_stays(twins: tuple[int, list[int], list[int]]) -> None:
    project, chosen, _ = twins
    act = done(project, chosen[:2], MakeVariants(name="worn"))
    with session() as database:
        kept, gone = database.scalars(
            select(MaterialRow).where(MaterialRow.project_id == project, MaterialRow.name.endswith(" worn"))
        ).all()
        elsewhere = ensure_conversion(database, kept, "metal_rough", "core")
        override_values(database, elsewhere.id, {"roughness": 0.7}, By.HAND, "", expected=elsewhere.version)
        ensure_conversion(database, gone, "metal_rough", "core")
        names = kept.name, gone.name
    with session() as database:
        undoing = plan_undo(database, act).id
    worked(undoing, UNDO)
    with session() as database:
        left = set(database.scalars(select(MaterialRow.name).where(MaterialRow.project_id == project, MaterialRow.name.in_(names))))
        assert left == {names[0]}
        said = [item.error for item in find_job(database, undoing).items]
    assert any("was worked on since, and stays" in one for one in said)
