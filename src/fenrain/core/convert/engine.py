"""Runs the rules: source model → hub (OpenPBR) → target, and writes the ledger as it goes."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from fenrain.core.convert.ledger import Entry, Override, Step, describe, describe_as, overridden
from fenrain.core.convert.profile import Profile
from fenrain.core.convert.rule import APPROXIMATED, DROPPED, EXACT, Case, Fidelity, Rule, RuleSet, cut_remark
from fenrain.core.errors import ImageError, ParameterError
from fenrain.core.maps.texels import Texels, small_grid
from fenrain.core.material import PART_PREFIXES, Computed, Constant, Material, Plain, Value
from fenrain.core.models.parameter import Parameter
from fenrain.core.models.registry import HUB, Model, model_of, models


@dataclass(frozen=True)
class Conversion:
    """A converted material, the ledger of how it came about, and the original it came from."""

    original: Material
    material: Material
    ledger: tuple[Entry, ...]
    profile: Profile = field(default_factory=Profile)

    @property
    def overrides(self) -> dict[str, Override]:
        """What stands over derived values, by name."""
        return {entry.target: entry.override for entry in self.ledger if entry.override is not None}

    def having(self, overrides: Mapping[str, Override]) -> Conversion:
        """The same conversion with values over the derived ones. Raises ParameterError."""
        model = model_of(self.material.model)
        groups = {name: model.parameter(name).group for name in overrides}
        entries = overridden(self.ledger, overrides, groups)
        values = {entry.target: entry.value for entry in entries if entry.target and entry.value is not None}
        return replace(self, material=replace(self.material, values=values), ledger=entries)


def convert(material: Material, to: str, profile: Profile | None = None) -> Conversion:
    """Convert a material to another shading model.

    to: id of a model that has rules from the hub, or the hub itself. Returns the converted material and its ledger.
    Raises UnknownModelError, ParameterError.
    """
    chosen, target = profile or Profile(), model_of(to)
    source = model_of(material.model)
    if to == material.model:
        return Conversion(material, material, _unchanged(material, source), chosen)
    if to != HUB and target.from_hub is None:
        raise ParameterError(f"Nothing can be converted to {to}.", place=to, remedy=f"Targets: {', '.join(targets())}.")
    hub = model_of(HUB)
    if material.model == HUB:
        middle, first = material, _origin_of(material, hub)
    else:
        if source.to_hub is None:
            raise ParameterError(f"The model {source.id} has no way out.", place=source.id)
        unfolded, origins, lost_inside = _unfolded(material, chosen)
        middle, first = _run(source.to_hub, unfolded, hub, chosen, origins)
        first.update(lost_inside)
    if to == HUB:
        return Conversion(material, middle, _entries(first, hub, final=True), chosen)
    assert target.from_hub is not None
    origins = {entry.target: (entry.sources, entry.steps) for entry in first.values() if entry.target}
    converted, second = _run(target.from_hub, middle, target, chosen, origins)
    lost = {key: entry for key, entry in first.items() if not entry.target}
    faded = _faded(material, source, first, {**second, **lost}, target)
    return Conversion(material, converted, _entries({**second, **lost, **faded}, target, final=True), chosen)


def _faded(material: Material, source: Model, first: Mapping[str, Entry], known: Mapping[str, Entry], target: Model) -> dict[str, Entry]:
    """Losses of source values that led to a hub value at its default, of which nothing reaches the target."""
    mentioned = {name for entry in known.values() for name in entry.sources}
    found = {}
    for entry in first.values():
        names = tuple(name for name in entry.sources if name not in mentioned and matters(material, source, name))
        if entry.target and names:
            step = Step(f"{target.id}.faded", f"{entry.target} is left at its default, which {target.title} has anyway.", "", DROPPED, ())
            found[f"lost {entry.target}"] = Entry("", entry.group, None, names, (*entry.steps, step))
    return found


def targets() -> tuple[str, ...]:
    """Ids of the models that can be converted to."""
    return tuple(model.id for model in models().values() if model.id == HUB or model.from_hub is not None)


Origins = Mapping[str, tuple[tuple[str, ...], tuple[Step, ...]]]


def _unfolded(
    material: Material, profile: Profile
) -> tuple[Material, dict[str, tuple[tuple[str, ...], tuple[Step, ...]]], dict[str, Entry]]:
    """A mix with the hub forms of its parts as its own values, where each came from, and what the parts lost on the way."""
    origins: dict[str, tuple[tuple[str, ...], tuple[Step, ...]]] = {name: ((name,), ()) for name in model_of(material.model).by_name}
    values, lost = dict(material.values), {}
    for prefix, part in zip(PART_PREFIXES, material.parts, strict=False):
        conversion = convert(part, HUB, profile)
        for entry in conversion.ledger:
            sources = tuple(f"{prefix}{name}" for name in entry.sources)
            if entry.target:
                values[prefix + entry.target] = conversion.material.values[entry.target]
                origins[prefix + entry.target] = (sources, entry.steps)
            else:
                lost[f"lost {prefix}{entry.sources}"] = replace(entry, sources=sources)
    return replace(material, values=values, parts=()), origins, lost


def _run(rules: RuleSet, material: Material, target: Model, profile: Profile, origins: Origins) -> tuple[Material, dict[str, Entry]]:
    """One stage: the material in the target's model, and an entry for each target value or lost source, by name."""
    source = model_of(material.model)
    values: dict[str, Value] = {}
    entries: dict[str, Entry] = {}
    used: set[str] = set()
    case = Case(material, profile.extensions)
    for rule in rules:
        if not rule.applies(case):
            continue
        if rule.kind == "drop":
            used.update(rule.sources)
            if matters(material, source, rule.sources[0]):
                entries[f"lost {rule.sources[0]}"] = _lost(rule, material, source, origins)
            continue
        used.update(rule.sources)
        said = [name for name in rule.sources if name in material.values]
        applied = _apply(rule, material, source)
        step: Step | None = None
        for name, value in applied.values.items():
            if not said and _says_nothing(value, target.parameter(name), values):
                continue
            if name in values:
                raise ParameterError(f"Two rules of {rules.id} give {name}.", place=name)
            values[name] = value
            step = step or _step(rule, material, said, applied)
            entries[name] = _entry(rule, name, value, target, origins, step)
    for name in material.values:
        if name not in used and matters(material, source, name):
            entries[f"lost {name}"] = _unused(name, material, source, target, origins)
    return replace(material, model=target.id, values=values, findings=()), entries


@dataclass(frozen=True)
class _Applied:
    """The targets' values; of constants, what the rule took and what it gave before it was cut."""

    values: dict[str, Value]
    arguments: dict[str, Any] | None = None
    uncut: dict[str, Any] = field(default_factory=dict)


def _apply(rule: Rule, material: Material, source: Model) -> _Applied:
    inputs = {name: material.value(name) for name in rule.sources}
    if rule.kind == "copy":
        return _Applied({rule.targets[0]: inputs[rule.sources[0]]})
    if rule.kind == "judge":
        assert rule.function is not None
        return _Applied({rule.targets[0]: Constant(rule.function(inputs[rule.sources[0]]))})
    if all(isinstance(value, Constant) for value in inputs.values()):
        arguments = {name: as_argument(source.parameter(name), value) for name, value in inputs.items()}
        uncut = rule.uncut(arguments)
        return _Applied({name: Constant(_plain(value)) for name, value in rule.within_bounds(uncut).items()}, arguments, uncut)
    return _Applied({name: Computed(rule.id, name, tuple(inputs.items())) for name in rule.targets})


def as_argument(parameter: Parameter, value: Value) -> Any:
    """A constant as a rule takes it: colours (3,), numbers (1,), flags, choices and tables plain."""
    assert isinstance(value, Constant)
    if parameter.is_plain:
        return value.value
    return np.atleast_1d(np.asarray(value.value, dtype=float))


def _plain(result: Any) -> Plain:
    if isinstance(result, (bool, np.bool_)):
        return bool(result)
    array = np.atleast_1d(np.asarray(result))
    if array.size == 1:
        item = array.item()
        return bool(item) if isinstance(item, bool) else item
    return tuple(float(part) for part in array)


def _says_nothing(value: Value, parameter: Parameter, values: Mapping[str, Value]) -> bool:
    """Whether a value that no source value led to may be left out: it is the default, or its effect is not there."""
    return _is_default(value, parameter) or bool(parameter.under and parameter.under not in values)


def _is_default(value: Value, parameter: Parameter) -> bool:
    if not isinstance(value, Constant):
        return False
    if isinstance(value.value, tuple) and isinstance(parameter.default, tuple):
        pairs = zip(value.value, parameter.default, strict=False)
        return len(value.value) == len(parameter.default) and all(abs(one - other) <= SAME for one, other in pairs)
    return abs(float(value.value) - float(parameter.default)) <= SAME  # type: ignore[arg-type]


SAME = 1e-9
"""Numbers this close are one."""


def matters(material: Material, model: Model, name: str) -> bool:
    """Whether a value is set, differs from the model's default, and the effect that it belongs to is there at all."""
    if name not in material.values or _is_default(material.values[name], model.parameter(name)):
        return False
    governing = model.parameter(name).under
    return not governing or not _is_without_effect(material.value(governing), model.parameter(governing))


def _is_without_effect(value: Value, parameter: Parameter) -> bool:
    """Whether what hangs on this value changes nothing: it is 0 or black, or a normal without a map."""
    return isinstance(value, Constant) and (parameter.kind == "normal" or not np.any(np.asarray(value.value, dtype=float)))


def _step(rule: Rule, material: Material, said: Iterable[str], applied: _Applied | None = None) -> Step:
    source = model_of(material.model)
    shown = {name: describe_as(source.parameter(name), material.value(name)) for name in rule.sources}
    text = rule.text.format_map({name: f"{name} {words}" for name, words in shown.items()})
    fidelity, remark = rule.fidelity, ""
    if applied is not None and (rule.caveat is not None or rule.cut):
        fidelity, remark = _caveat(rule, material, applied) or (fidelity, "")
    if not list(said):
        fidelity, remark = Fidelity.ASSUMED, "The source says nothing; its model's default is taken."
    return Step(rule.id, text, rule.source, fidelity, tuple(shown.items()), remark)


def _caveat(rule: Rule, material: Material, applied: _Applied) -> tuple[Fidelity, str] | None:
    """What the numbers say of this rule's fidelity; of maps, a small copy of them."""
    arguments, uncut = applied.arguments, applied.uncut
    if arguments is None:
        try:
            arguments = _small_arguments(rule, material)
        except ImageError:
            return APPROXIMATED, "A map of this value is damaged, so how faithful the rule is here cannot be said."
        uncut = rule.uncut(arguments) if rule.cut else {}
    found = cut_remark(*(uncut[name] for name in rule.cut)) if rule.cut else None
    return found or (rule.caveat(**arguments) if rule.caveat is not None else None)


def _small_arguments(rule: Rule, material: Material) -> dict[str, Any]:
    source = model_of(material.model)
    values = {name: material.value(name) for name in rule.sources}
    grid = small_grid([value for value in values.values() if not isinstance(value, Constant)])
    with Texels(grid) as texels:
        return {
            name: as_argument(source.parameter(name), value) if isinstance(value, Constant) else texels.at(value, 0, grid.height)
            for name, value in values.items()
        }


def _entry(rule: Rule, name: str, value: Value, target: Model, origins: Origins, step: Step) -> Entry:
    sources, earlier = _traced(rule.sources, origins)
    if earlier and step.fidelity is Fidelity.ASSUMED:
        step = replace(step, fidelity=EXACT, remark="")
    return Entry(name, target.parameter(name).group, value, sources, (*earlier, step))


def _traced(names: tuple[str, ...], origins: Origins) -> tuple[tuple[str, ...], tuple[Step, ...]]:
    """The original's values behind these names, and the steps that led here, each once."""
    sources = dict.fromkeys(source for name in names if name in origins for source in origins[name][0])
    steps = dict.fromkeys(step for name in names if name in origins for step in origins[name][1])
    return tuple(sources), tuple(steps)


def _lost(rule: Rule, material: Material, source: Model, origins: Origins) -> Entry:
    sources, earlier = _traced(rule.sources, origins)
    return Entry("", source.parameter(rule.sources[0]).group, None, sources, (*earlier, _step(rule, material, rule.sources)))


def _unused(name: str, material: Material, source: Model, target: Model, origins: Origins) -> Entry:
    sources, earlier = _traced((name,), origins)
    shown = describe(material.value(name))
    step = Step(f"{target.id}.no_place", f"{name} {shown}: {target.title} has no place for it.", "", DROPPED, ((name, shown),))
    return Entry("", source.parameter(name).group, None, sources, (*earlier, step))


def _entries(found: Mapping[str, Entry], target: Model, *, final: bool) -> tuple[Entry, ...]:
    """In the order of the target's parameters, losses last; an extra that the target itself lacks counts as dropped."""
    order = {name: index for index, name in enumerate(target.by_name)}
    sorted_entries = sorted(found.values(), key=lambda entry: order.get(entry.target, len(order)))
    return tuple(_marked_extra(entry, target) if final else entry for entry in sorted_entries)


def _marked_extra(entry: Entry, target: Model) -> Entry:
    if not entry.target or not target.parameter(entry.target).extra:
        return entry
    step = Step(
        f"{target.id}.carried", f"{target.title} has no place for {entry.target}; it is carried along, not written.", "", DROPPED, ()
    )
    return replace(entry, steps=(*entry.steps, step))


def _origin_of(material: Material, model: Model) -> dict[str, Entry]:
    return {name: Entry(name, model.parameter(name).group, value, (name,), ()) for name, value in material.values.items()}


def _unchanged(material: Material, model: Model) -> tuple[Entry, ...]:
    return tuple(
        Entry(
            name,
            model.parameter(name).group,
            value,
            (name,),
            (Step(f"{model.id}.same", f"{name} {describe(value)}, unchanged", "", EXACT, ((name, describe(value)),)),),
        )
        for name, value in material.values.items()
    )
