"""Runs one rule over many materials: their constants as one array, maps as values to be computed when they are needed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cache
from typing import Any

import numpy as np

from fenrain.core.errors import ImageError
from fenrain.core.maps.texels import Texels, small_grid
from fenrain.core.material import Material, is_at_default
from fenrain.core.models.parameter import Kind, Parameter
from fenrain.core.models.registry import Model, model_of, rule_of
from fenrain.core.rules.fidelity import APPROXIMATED, Caveat, Fidelity, cut_remark
from fenrain.core.rules.rule import Kind as RuleKind
from fenrain.core.rules.rule import Rule
from fenrain.core.values import Computed, Constant, Value


@dataclass(frozen=True)
class Applied:
    """What a rule gave one material: the targets' values by name, and how faithful it was with these numbers."""

    values: Mapping[str, Value]
    fidelity: Fidelity
    remark: str = ""


def apply_to_all(rule: Rule, materials: Sequence[Material], source: Model, target: Model) -> list[Applied]:
    """What the rule gives each of the materials, all of the source's model, in their order."""
    if rule.kind is RuleKind.COPY:
        return [_copied(rule, material, source) for material in materials]
    if rule.kind is RuleKind.CHOOSE:
        assert rule.function is not None
        judged = [rule.function(material.value(rule.sources[0])) for material in materials]
        return [Applied({rule.targets[0]: Constant(choice)}, rule.fidelity) for choice in judged]
    parameters = [source.parameter(name) for name in rule.sources]
    found: dict[int, Applied] = {}
    alike: dict[tuple[Any, ...], list[tuple[int, list[Any]]]] = {}
    for index, material in enumerate(materials):
        inputs = [material.value(name) for name in rule.sources]
        said = [value.value for value in inputs if isinstance(value, Constant)]
        if len(said) == len(inputs):
            plain = tuple(value for parameter, value in zip(parameters, said, strict=True) if parameter.is_plain)
            alike.setdefault(plain, []).append((index, said))
        else:
            found[index] = _to_be_worked_out(rule, inputs, parameters, target)
    for members in alike.values():
        together = _applied_together(rule, [said for _, said in members], parameters, target)
        found |= dict(zip((index for index, _ in members), together, strict=True))
    return [found[index] for index in range(len(materials))]


def _copied(rule: Rule, material: Material, source: Model) -> Applied:
    """The value as it is, and what the numbers, or a small copy of the maps, say of it."""
    values = {rule.targets[0]: material.value(rule.sources[0])}
    if rule.caveat is None:
        return Applied(values, rule.fidelity)
    parameters = [source.parameter(name) for name in rule.sources]
    inputs = [material.value(parameter.name) for parameter in parameters]
    try:
        taken = _small_arguments(inputs, parameters) if any(not isinstance(value, Constant) for value in inputs) else None
    except ImageError:
        return Applied(values, rule.fidelity)
    constants = {p.name: _as_argument(p, value) for p, value in zip(parameters, inputs, strict=True) if isinstance(value, Constant)}
    return Applied(values, *(rule.remark(taken or constants) or (rule.fidelity,)))


@cache
def applied_to_defaults(rule_id: str, source_id: str, target_id: str) -> Applied:
    """What the rule gives a material that sets none of its values, without what is the target's default as well."""
    target = model_of(target_id)
    applied = apply_to_all(rule_of(rule_id), [Material("", source_id)], model_of(source_id), target)[0]
    given = Material("", target_id, applied.values)
    return replace(applied, values={name: value for name, value in given.values.items() if not is_at_default(given, target, name)})


def _applied_together(rule: Rule, rows: Sequence[Sequence[Any]], parameters: Sequence[Parameter], target: Model) -> list[Applied]:
    """The rule over constants that agree in all flags, choices and tables: it runs once, its numbers in (materials, channels)."""
    columns = {
        parameter.name: column[0] if parameter.is_plain else np.array(column, dtype=float).reshape(len(rows), -1)
        for parameter, column in zip(parameters, zip(*rows, strict=True), strict=True)
    }
    uncut = rule.uncut(columns)
    given = {name: _given_to_each(value, target.parameter(name), len(rows)) for name, value in rule.within_bounds(uncut).items()}
    names, each = tuple(given), zip(*given.values(), strict=True)
    caveats = _caveats(rule, columns, uncut, len(rows))
    return [
        Applied({name: Constant(value) for name, value in zip(names, values, strict=True)}, *(caveat or (rule.fidelity,)))
        for values, caveat in zip(each, caveats, strict=True)
    ]


def _given_to_each(value: Any, parameter: Parameter, count: int) -> list[Any]:
    """What a rule returned as one plain value for each material."""
    if parameter.kind is Kind.SPECTRUM:
        return [value] * count
    found = np.asarray(value) if parameter.is_plain else np.asarray(value, dtype=float)
    rows = np.broadcast_to(found, (count, parameter.channels)).tolist()
    return [tuple(row) for row in rows] if parameter.channels > 1 else [row[0] for row in rows]


def _caveats(rule: Rule, columns: Mapping[str, Any], uncut: Mapping[str, Any], count: int) -> list[Caveat]:
    """What the numbers of each material say of the rule's fidelity."""
    found: list[Caveat] = [None] * count
    if rule.cut:
        highest = np.max([np.broadcast_to(np.max(uncut[name], axis=-1), count) for name in rule.cut], axis=0)
        found = [cut_remark(each, why=rule.why_cut) for each in highest.tolist()]
    if rule.caveat is not None:
        for index in (index for index, caveat in enumerate(found) if caveat is None):
            of_one = {name: column[index] if isinstance(column, np.ndarray) else column for name, column in columns.items()}
            found[index] = rule.remark(of_one)
    return found


def _to_be_worked_out(rule: Rule, inputs: Sequence[Value], parameters: Sequence[Parameter], target: Model) -> Applied:
    """The rule over maps: values that say how they come about. How faithful it is, a small copy of the maps says, and which flag or
    choice most of their texels ask for, since no map can stand for one."""
    taken = tuple(zip(rule.sources, inputs, strict=True))
    values: dict[str, Value] = {name: Computed(rule.id, name, taken) for name in rule.targets}
    plain = [target.parameter(name) for name in rule.targets if target.parameter(name).is_plain]
    if not (rule.cut or rule.caveat is not None or plain):
        return Applied(values, rule.fidelity)
    caveat: Caveat = None
    try:
        arguments = _small_arguments(inputs, parameters)
        uncut = rule.uncut(arguments) if rule.cut or plain else {}
        chosen = {parameter.name: _of_most(uncut[parameter.name]) for parameter in plain}
        values |= {name: Constant(choice) for name, (choice, _) in chosen.items()}
        decided = min((share for _, share in chosen.values()), default=1.0)
        if decided < 1.0:
            caveat = APPROXIMATED, f"{100.0 * decided:.3g} % of the texels ask for it, and decide for the whole."
        if caveat is None and rule.cut:
            caveat = cut_remark(*(uncut[name] for name in rule.cut), why=rule.why_cut)
        caveat = caveat or rule.remark(arguments)
    except ImageError:
        values |= {parameter.name: Constant(parameter.default) for parameter in plain}
        caveat = APPROXIMATED, "A map of this value is damaged, so how faithful the rule is here cannot be said."
    return Applied(values, *(caveat or (rule.fidelity,)))


def _of_most(asked: Any) -> tuple[Any, float]:
    """The flag or choice that most texels ask for, and their share."""
    choices, texels = np.unique(np.asarray(asked), return_counts=True)
    most = int(np.argmax(texels))
    return choices[most].item(), float(texels[most] / texels.sum())


def _small_arguments(inputs: Sequence[Value], parameters: Sequence[Parameter]) -> dict[str, Any]:
    grid = small_grid([value for value in inputs if not isinstance(value, Constant)])
    with Texels(grid) as texels:
        return {
            parameter.name: _as_argument(parameter, value) if isinstance(value, Constant) else texels.at(value, 0, grid.height)
            for parameter, value in zip(parameters, inputs, strict=True)
        }


def _as_argument(parameter: Parameter, value: Constant) -> Any:
    """A constant as a rule takes it: colours (3,), numbers (1,), flags, choices and tables plain."""
    return value.value if parameter.is_plain else np.atleast_1d(np.asarray(value.value, dtype=float))
