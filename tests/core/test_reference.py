"""The reference says what the code declares: nothing of it is missing, and every word that a screen asks for is explained."""

from __future__ import annotations

import re
from pathlib import Path

from fenrain.core.checking.metrics.registry import metrics
from fenrain.core.models.registry import models
from fenrain.core.reference import TOPICS, Topic, as_markdown
from fenrain.core.rules.fidelity import Fidelity
from fenrain.core.steps import ValueStep
from tests.conftest import fenrain

WEB = Path(__file__).parents[2] / "web" / "src"


def topic(identity: str) -> Topic:
    return next(one for one in TOPICS if one.id == identity)


def rows(identity: str, section: str = "") -> list[tuple[str, ...]]:
    return [row for one in topic(identity).sections if section in ("", one.id) and one.table for row in one.table.rows]


def test_every_parameter_of_every_model_is_there() -> None:
    for model in models().values():
        assert [row[0] for row in rows("models", model.id)] == [parameter.name for parameter in model.parameters]
    # MaterialX, open_pbr_surface: specular_ior is 1.5 where nothing is said.
    assert next(row[4] for row in rows("models", "open_pbr") if row[0] == "specular_ior") == "1.5"


def test_every_rule_is_there_with_its_source() -> None:
    sets = [rules for model in models().values() for rules in (model.to_hub, model.from_hub, *model.restated, *model.meant)]
    declared = sum(len(rules.rules) for rules in sets if rules is not None)
    assert len(rows("rules")) == declared
    assert all(row[4] for row in rows("rules") if row[3] != "dropped")
    # KHR_materials_pbrSpecularGlossiness: roughness is 1 less the glossiness.
    assert any(row[1] == "glossiness" and "1 − glossiness" in row[2] for row in rows("rules", "spec_gloss-to"))


def test_every_reading_step_and_finding_is_there() -> None:
    assert [row[0] for row in rows("readings")] == [metric.title for metric in metrics().values()]
    assert [row[0] for row in rows("steps")] == list(ValueStep.model_fields)
    assert all(row[1] for row in rows("steps"))
    found = {row[0]: row[1] for row in rows("findings")}
    assert [found[code] for code in ("index_below_one", "flat-map", "duplicate", "missing-map")] == [
        "warning",
        "note",
        "problem",
        "problem",
    ]


def test_every_word_that_a_screen_explains_is_there() -> None:
    known = {section.id for section in topic("words").sections}
    asked = {
        word
        for path in WEB.rglob("*.tsx")
        if ".test." not in path.name
        for said in re.findall(r"(?:words=\{|(?:MARKS|WORDS) = )\[([^\]]*)\]", path.read_text())
        for word in re.findall(r'"([\w-]+)"', said)
    }
    assert len(asked) > 15
    assert asked <= known
    assert {str(fidelity) for fidelity in Fidelity} <= known


def test_the_guide_names_screens_and_commands_that_there_are() -> None:
    pages = (WEB / "Pages.tsx").read_text()
    commands = fenrain("--help").stdout
    for step in topic("guide").sections:
        assert f'path="{step.place.removeprefix("/")}"' in pages
        if step.command:
            assert f" {step.command.split()[1]} " in commands


def test_the_command_line_prints_it() -> None:
    told = fenrain("reference", "readings")
    assert told.stdout.rstrip() == as_markdown([topic("readings")]).rstrip()
    whole = fenrain("reference").stdout
    for one in TOPICS:
        assert f"# {one.title}" in whole
    assert "## fenrain difference" in whole
    assert fenrain("reference", "nothing").returncode == 2
