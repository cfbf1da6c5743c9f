"""The topics of the reference, each read off what the code declares; words and guide are written beside this file."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from functools import cache
from importlib import resources
from importlib.resources.abc import Traversable
from typing import Any

import yaml

from fenrain.core.checking.metrics.registry import Metric, metrics
from fenrain.core.convert.targets import served_targets
from fenrain.core.findings import NOT_TAKEN_IN
from fenrain.core.formats.registry import formats
from fenrain.core.models.parameter import Parameter
from fenrain.core.models.registry import Model, models
from fenrain.core.reference.document import Section, Table, Topic
from fenrain.core.rendering.rigs.registry import rigs
from fenrain.core.rendering.stands.registry import stands
from fenrain.core.rules.rule import Rule, RuleSet
from fenrain.core.steps import GRADES, OF_COLOURS, Step
from fenrain.core.words import describe_plain

SEVERITIES = ("note", "warning", "problem")


@cache
def topics() -> tuple[Topic, ...]:
    """All of them, what is read first first."""
    return (_guide(), _words(), _models(), _rules(), _readings(), _findings(), _steps(), _looking(), _formats())


def _guide() -> Topic:
    steps = enumerate(_written("guide.yaml"), start=1)
    sections = (
        Section(f"step-{number}", f"{number}. {one['title']}", tuple(one["text"]), place=one["place"], command=one.get("command", ""))
        for number, one in steps
    )
    return Topic("guide", "Guide", "One asset from intake to a signed delivery.", tuple(sections))


def _words() -> Topic:
    sections = (Section(one["id"], one["title"], (one["text"],), mark=one.get("mark", "")) for one in _written("words.yaml"))
    return Topic("words", "Words and marks", "What the words and the marks of the screens mean.", tuple(sections))


def _written(name: str) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = yaml.safe_load(resources.files(__package__).joinpath(name).read_text(encoding="utf-8"))
    return found


def _models() -> Topic:
    says = "The shading models and their parameters, as their definitions name them."
    return Topic("models", "Shading models", says, tuple(map(_model, models().values())))


def _model(model: Model) -> Section:
    columns = ("parameter", "group", "kind", "range", "default", "unit", "what it is")
    return Section(model.id, model.title, (f"Defined by: {model.source}.",), Table(columns, tuple(map(_parameter, model.parameters))))


def _parameter(one: Parameter) -> tuple[str, ...]:
    default = dict(one.options).get(int(one.default), "") if one.options else describe_plain(one.default)  # type: ignore[arg-type]
    return one.name, one.group, str(one.kind), one.range_text(), default, one.unit, one.says


def _rules() -> Topic:
    sections = []
    for model in models().values():
        for rules, title in ((model.to_hub, f"{model.title} to OpenPBR"), (model.from_hub, f"OpenPBR to {model.title}")):
            if rules is not None:
                sections.append(_rule_set(f"{model.id}-{'to' if rules is model.to_hub else 'from'}", title, rules))
    says = "What a conversion is made of: for each value, from what it is worked out, how faithful that is, and where the rule comes from."
    return Topic("rules", "Rules", says, tuple(sections))


def _rule_set(identity: str, title: str, rules: RuleSet[Any]) -> Section:
    return Section(identity, title, (), Table(("values", "from", "rule", "fidelity", "source"), tuple(map(_rule, rules.rules.values()))))


def _rule(rule: Rule) -> tuple[str, ...]:
    return (
        ", ".join(rule.targets) or "nothing",
        ", ".join(rule.sources),
        rule.text.replace("{", "").replace("}", ""),
        str(rule.fidelity),
        rule.source,
    )


def _readings() -> Topic:
    table = Table(("reading", "unit", "match up to", "near up to", "what it shows"), tuple(map(_metric, metrics().values())))
    says = "What is measured of a pair of looks. Those with limits decide a verdict; a project may set others."
    return Topic("readings", "Readings", says, (Section("readings", "Readings", (), table),))


def _metric(metric: Metric) -> tuple[str, ...]:
    limits = ("–", "–") if metric.limits is None else (f"{metric.limits.match:g}", f"{metric.limits.near:g}")
    return metric.title, metric.unit, *limits, metric.says


def _findings() -> Topic:
    found = set(_found_in(resources.files("fenrain")))
    said = {code for code, _, _ in found}
    found |= {(code, "problem", "Something that a file refers to was not taken in.") for code in NOT_TAKEN_IN if code not in said}
    table = Table(("finding", "severity", "said by"), tuple(sorted(found)))
    says = "What is looked for at the door and after converting. Each finding names the material, the value, the evidence and a remedy."
    return Topic("findings", "Findings", says, (Section("findings", "Findings", (), table),))


def _found_in(folder: Traversable) -> Iterator[tuple[str, str, str]]:
    """Code, severity, and what the module that says it is for."""
    for entry in folder.iterdir():
        if entry.is_dir():
            yield from _found_in(entry)
        elif entry.name.endswith(".py"):
            module = ast.parse(entry.read_text(encoding="utf-8"))
            about = (ast.get_docstring(module) or "").split("\n\n")[0]
            for call in (node for node in ast.walk(module) if isinstance(node, ast.Call)):
                named = isinstance(call.func, ast.Name) and call.func.id in SEVERITIES
                if named and call.args and isinstance(call.args[0], ast.Constant) and isinstance(call.args[0].value, str):
                    yield call.args[0].value, call.func.id, about  # type: ignore[attr-defined]


def _steps() -> Topic:
    rows = tuple(
        (name, field.description or "", "a grade too" if name in GRADES else "", "colours" if name in OF_COLOURS else "")
        for name, field in Step.model_fields.items()
    )
    table = Table(("step", "what it does", "taken by a person", "only on"), rows)
    says = (
        "By steps a dialect makes a renderer's value a model's, in the order in which they stand; some are also grades that a person takes."
    )
    return Topic("steps", "Steps of dialects and grades", says, (Section("steps", "Steps", (), table),))


def _looking() -> Topic:
    of_rigs = Table(("rig", "what it shows"), tuple((one.title, one.says) for one in rigs().values()))
    of_stands = Table(("stand", "what it shows"), tuple((one.title, one.says) for one in stands().values()))
    says = "By which light, and on which object, looks are compared."
    return Topic("looking", "Rigs and stands", says, (Section("rigs", "Rigs", (), of_rigs), Section("stands", "Stands", (), of_stands)))


def _formats() -> Topic:
    files = tuple(
        (one.title, ", ".join(one.suffixes), " and ".join(word for word, can in (("read", one.read), ("written", one.write)) if can))
        for one in formats().values()
    )
    aims = tuple((one.title, one.says, one.format.title if one.format is not None else "not written") for one in served_targets())
    sections = (
        Section("formats", "File formats", (), Table(("format", "names", "is"), files)),
        Section("targets", "Targets", (), Table(("target", "what it is", "written as"), aims)),
    )
    return Topic("formats", "Formats and targets", "What is read and written.", sections)
