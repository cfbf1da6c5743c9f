"""The topics of the reference, each read off what the code declares; words and guide are written beside this file."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from importlib import resources
from importlib.resources.abc import Traversable
from typing import Any

import yaml

from fenrain.core.checking.metrics.registry import Metric, metrics
from fenrain.core.conversion.targets import served_targets
from fenrain.core.descriptions import describe_plain
from fenrain.core.findings import UNREAD
from fenrain.core.formats.registry import formats
from fenrain.core.models.parameter import Parameter
from fenrain.core.models.registry import models
from fenrain.core.reference.document import Section, Table, Topic
from fenrain.core.rendering.rigs.registry import rigs
from fenrain.core.rendering.stands.registry import stands
from fenrain.core.rules.rule import Rule
from fenrain.core.steps import GRADES, OF_COLOURS, ValueStep


def _guide() -> Iterator[Section]:
    for number, one in enumerate(_written("guide.yaml"), start=1):
        title, command = f"{number}. {one['title']}", one.get("command", "")
        yield Section(f"step-{number}", title, tuple(one["text"]), place=one["place"], command=command)


def _words() -> Iterator[Section]:
    for one in _written("words.yaml"):
        yield Section(one["id"], one["title"], (one["text"],), mark=one.get("mark", ""))


def _written(name: str) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = yaml.safe_load(resources.files(__package__).joinpath(name).read_text(encoding="utf-8"))
    return found


def _models() -> Iterator[Section]:
    columns = ("parameter", "group", "kind", "range", "default", "unit", "what it is")
    for model in models().values():
        table = Table(columns, tuple(map(_parameter, model.parameters)))
        yield Section(model.id, model.title, (f"Defined by: {model.source}.",), table)


def _parameter(one: Parameter) -> tuple[str, ...]:
    default = dict(one.options).get(int(one.default), "") if one.options else describe_plain(one.default)  # type: ignore[arg-type]
    return one.name, one.group, str(one.kind), one.range_text(), default, one.unit, one.says


def _rules() -> Iterator[Section]:
    columns = ("values", "from", "rule", "fidelity", "source")
    for model in models().values():
        directions = (("to", f"{model.title} to OpenPBR", model.to_hub), ("from", f"OpenPBR to {model.title}", model.from_hub))
        for way, title, rules in directions:
            if rules is not None:
                yield Section(f"{model.id}-{way}", title, (), Table(columns, tuple(map(_rule, rules.rules.values()))))
        for rules in (*model.restated, *model.meant):
            kind = rules.id.partition(".")[2].replace("_", " ")
            yield Section(
                rules.id.replace(".", "-"), f"{model.title} said again {kind}", (), Table(columns, tuple(map(_rule, rules.rules.values())))
            )


def _rule(rule: Rule) -> tuple[str, ...]:
    said = rule.text.replace("{", "").replace("}", "")
    return ", ".join(rule.targets) or "nothing", ", ".join(rule.sources), said, str(rule.fidelity), rule.source


def _readings() -> Iterator[Section]:
    columns = ("reading", "unit", "match up to", "near up to", "what it shows")
    yield Section("readings", "Readings", (), Table(columns, tuple(map(_metric, metrics().values()))))


def _metric(metric: Metric) -> tuple[str, ...]:
    limits = ("–", "–") if metric.limits is None else (f"{metric.limits.match:g}", f"{metric.limits.near:g}")
    return metric.title, metric.unit, *limits, metric.says


def _findings() -> Iterator[Section]:
    found = set(_found_in(resources.files("fenrain")))
    said = {code for code, _, _ in found}
    found |= {(code, "problem", "Something that a file refers to was not taken in.") for code in UNREAD if code not in said}
    yield Section("findings", "Findings", (), Table(("finding", "severity", "said by"), tuple(sorted(found))))


FINDING = re.compile(r"(?:\b|_)(note|warning|problem|unread)\(\s*\"([\w-]+)\"")


def _found_in(folder: Traversable) -> Iterator[tuple[str, str, str]]:
    """Code, severity, and what the module that says it is for."""
    for entry in folder.iterdir():
        if entry.is_dir():
            yield from _found_in(entry)
        elif entry.name.endswith(".py"):
            text = entry.read_text(encoding="utf-8")
            for severity, code in FINDING.findall(text):
                yield code, severity.replace("unread", "problem"), (ast.get_docstring(ast.parse(text)) or "").split("\n\n")[0]


def _steps() -> Iterator[Section]:
    rows = tuple(
        (name, field.description or "", "a grade too" if name in GRADES else "", "colours" if name in OF_COLOURS else "")
        for name, field in ValueStep.model_fields.items()
    )
    yield Section("steps", "Steps", (), Table(("step", "what it does", "taken by a person", "only on"), rows))


def _looking() -> Iterator[Section]:
    for identity, title, known in (("rigs", "Rigs", rigs()), ("stands", "Stands", stands())):
        yield Section(identity, title, (), Table((identity, "what it shows"), tuple((one.title, one.says) for one in known.values())))


def _formats() -> Iterator[Section]:
    files = tuple(
        (one.title, ", ".join(one.suffixes), " and ".join(word for word, can in (("read", one.read), ("written", one.write)) if can))
        for one in formats().values()
    )
    aims = tuple((one.title, one.says, one.format.title if one.format is not None else "not written") for one in served_targets())
    yield Section("formats", "File formats", (), Table(("format", "names", "is"), files))
    yield Section("targets", "Targets", (), Table(("target", "what it is", "written as"), aims))


TOPICS = (
    Topic("guide", "Guide", "One asset from intake to a signed delivery.", _guide),
    Topic("words", "Words and marks", "What the words and the marks of the screens mean.", _words),
    Topic("models", "Shading models", "The models and their parameters, as their definitions name them.", _models),
    Topic("rules", "Rules", "From what each value is computed, how faithful that is, and where the rule comes from.", _rules),
    Topic("readings", "Readings", "What is measured of a pair of looks. Those with limits decide; a project may set others.", _readings),
    Topic("findings", "Findings", "What is found on import and after converting.", _findings),
    Topic("steps", "Steps", "What a dialect does with a renderer's value, and how a person grades one.", _steps),
    Topic("looking", "Rigs and stands", "By which light, and on which object, looks are compared.", _looking),
    Topic("formats", "Formats and targets", "What is read and written.", _formats),
)
"""What is read first first."""
