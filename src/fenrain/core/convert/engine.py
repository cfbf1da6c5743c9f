"""Runs the rules: source model → hub (OpenPBR) → target, and writes the ledger as it goes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cache

import numpy as np

from fenrain.core.convert.applying import Applied, applied_to_defaults, apply_to_all, is_default
from fenrain.core.convert.ledger import Entry, Override, Step, overridden
from fenrain.core.convert.profile import Profile
from fenrain.core.convert.rule import ASSUMED, DROPPED, EXACT, Case, Fidelity, Rule, RuleSet
from fenrain.core.errors import ParameterError
from fenrain.core.material import PART_PREFIXES, Constant, Material, Value
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
    return convert_all([material], to, profile)[0]


def convert_all(materials: Sequence[Material], to: str, profile: Profile | None = None) -> list[Conversion]:
    """Convert materials of any models to one, in their order: the same as one by one, but each rule runs once over all their numbers."""
    by_model: dict[str, list[int]] = {}
    for index, material in enumerate(materials):
        by_model.setdefault(material.model, []).append(index)
    found: dict[int, Conversion] = {}
    for model_id, members in by_model.items():
        alike = [materials[index] for index in members]
        found |= dict(zip(members, _convert_alike(alike, model_of(model_id), model_of(to), profile or Profile()), strict=True))
    return [found[index] for index in range(len(materials))]


def _convert_alike(materials: Sequence[Material], source: Model, target: Model, profile: Profile) -> list[Conversion]:
    """The same for materials of one model."""
    if target is source:
        return [Conversion(material, material, _unchanged(material, source), profile) for material in materials]
    if target.id != HUB and target.from_hub is None:
        raise ParameterError(f"Nothing can be converted to {target.id}.", place=target.id, remedy=f"Targets: {', '.join(targets())}.")
    hub = model_of(HUB)
    if source is hub:
        first = [Stage(material, _origin_of(material, hub)) for material in materials]
    else:
        first = _to_hub(materials, source, hub, profile)
    if target is hub:
        return [
            Conversion(material, stage.material, _entries(stage.entries, hub), profile)
            for material, stage in zip(materials, first, strict=True)
        ]
    assert target.from_hub is not None
    origins = [{entry.target: (entry.sources, entry.steps) for entry in stage.entries.values() if entry.target} for stage in first]
    second = _run(target.from_hub, [stage.material for stage in first], target, profile, origins)
    return [_joined(*stages, source, target, profile) for stages in zip(materials, first, second, strict=True)]


def _joined(material: Material, first: Stage, second: Stage, source: Model, target: Model, profile: Profile) -> Conversion:
    """The conversion that the way to the hub and the way from it make."""
    lost = {key: entry for key, entry in first.entries.items() if not entry.target}
    faded = _faded(material, source, first.entries, {**second.entries, **lost}, target)
    return Conversion(material, second.material, _entries({**second.entries, **lost, **faded}, target), profile)


def _faded(material: Material, source: Model, first: Mapping[str, Entry], known: Mapping[str, Entry], target: Model) -> dict[str, Entry]:
    """Losses of source values that led to a hub value at its default, of which nothing reaches the target."""
    mentioned = {name for entry in known.values() for name in entry.sources}
    found = {}
    for entry in first.values():
        names = tuple(name for name in entry.sources if name not in mentioned and matters(material, source, name))
        if entry.target and names:
            step = Step(f"{target.id}.faded", f"{entry.target} is left at its default, which {target.title} has anyway.", "", DROPPED)
            found[f"lost {entry.target}"] = Entry("", entry.group, None, names, (*entry.steps, step))
    return found


def targets() -> tuple[str, ...]:
    """Ids of the models that can be converted to."""
    return tuple(model.id for model in models().values() if model.id == HUB or model.from_hub is not None)


Origins = Mapping[str, tuple[tuple[str, ...], tuple[Step, ...]]]
"""For values by name: the original's values behind them, and the steps that led there."""


@dataclass(frozen=True)
class Stage:
    """One half of the way: the material in the model it leads to, and an entry for each value of it or lost source, by name."""

    material: Material
    entries: dict[str, Entry]


def _to_hub(materials: Sequence[Material], source: Model, hub: Model, profile: Profile) -> list[Stage]:
    if source.to_hub is None:
        raise ParameterError(f"The model {source.id} has no way out.", place=source.id)
    unfolded = _unfolded(materials, source, profile)
    stages = _run(source.to_hub, [material for material, _, _ in unfolded], hub, profile, [origins for _, origins, _ in unfolded])
    return [replace(stage, entries={**stage.entries, **lost}) for stage, (_, _, lost) in zip(stages, unfolded, strict=True)]


def _unfolded(materials: Sequence[Material], source: Model, profile: Profile) -> list[tuple[Material, Origins | None, dict[str, Entry]]]:
    """Each mix with the hub forms of its parts as its own values, where each came from, and what the parts lost on the way."""
    parts = iter(convert_all([part for material in materials for part in material.parts], HUB, profile))
    return [_with_parts(material, source, [next(parts) for _ in material.parts]) for material in materials]


def _with_parts(material: Material, source: Model, parts: Sequence[Conversion]) -> tuple[Material, Origins | None, dict[str, Entry]]:
    if not parts:
        return material, None, {}
    values, lost = dict(material.values), {}
    origins = dict(_own_origins(source.id))
    for prefix, conversion in zip(PART_PREFIXES, parts, strict=False):
        for entry in conversion.ledger:
            sources = tuple(f"{prefix}{name}" for name in entry.sources)
            if entry.target:
                values[prefix + entry.target] = conversion.material.values[entry.target]
                origins[prefix + entry.target] = (sources, entry.steps)
            else:
                lost[f"lost {prefix}{entry.sources}"] = replace(entry, sources=sources)
    return replace(material, values=values, parts=()), origins, lost


@cache
def _own_origins(model_id: str) -> Origins:
    return {name: ((name,), ()) for name in model_of(model_id).by_name}


def _run(rules: RuleSet, materials: Sequence[Material], target: Model, profile: Profile, origins: Sequence[Origins | None]) -> list[Stage]:
    """One stage of materials of one model; without origins their values are the original's own."""
    if not materials:
        return []
    source = model_of(materials[0].model)
    records = [
        _Record(Case(material, profile.extensions), source, target, known) for material, known in zip(materials, origins, strict=True)
    ]
    for rule in rules:
        chosen = [record for record in records if rule.applies(record.case)]
        if rule.kind == "drop":
            for record in chosen:
                record.dropped(rule)
            continue
        saying = [record for record in chosen if record.says(rule)]
        given = apply_to_all(rule, [record.case.material for record in saying], source, target)
        for record, applied in zip(saying, given, strict=True):
            record.given(rule, applied)
        of_defaults = applied_to_defaults(rule.id, source.id, target.id)
        for record in chosen if of_defaults.values else ():
            if not record.says(rule):
                record.assumed(rule, of_defaults)
    return [record.finished() for record in records]


@dataclass
class _Record:
    """What the rules have given one material so far."""

    case: Case
    source: Model
    target: Model
    origins: Origins | None
    values: dict[str, Value] = field(default_factory=dict)
    entries: dict[str, Entry] = field(default_factory=dict)
    used: set[str] = field(default_factory=set)

    def dropped(self, rule: Rule) -> None:
        self.used.update(rule.sources)
        name = rule.sources[0]
        if matters(self.case.material, self.source, name):
            self._lose(name, self._step(rule, rule.fidelity, ""))

    def says(self, rule: Rule) -> bool:
        """Whether the material itself sets any value that the rule takes."""
        return not self.case.material.values.keys().isdisjoint(rule.sources)

    def given(self, rule: Rule, applied: Applied) -> None:
        """What a rule made of values that the material sets."""
        self.used.update(rule.sources)
        step = self._step(rule, applied.fidelity, applied.remark)
        self._add(rule, applied.values, *_traced(rule.sources, self.origins), step)

    def assumed(self, rule: Rule, of_defaults: Applied) -> None:
        """What a rule makes of the defaults of the source's model; left out where the effect that it belongs to is not there."""
        known = self.values.keys() | of_defaults.values.keys()
        governed = {name: self.target.parameter(name).under for name in of_defaults.values}
        there = {name: value for name, value in of_defaults.values.items() if not governed[name] or governed[name] in known}
        if there:
            sources, earlier = _traced(rule.sources, self.origins)
            unsaid = (ASSUMED, "The source says nothing; its model's default is taken.")
            self._add(rule, there, sources, earlier, self._step(rule, *((EXACT, "") if earlier else unsaid)))

    def _add(self, rule: Rule, values: Mapping[str, Value], sources: tuple[str, ...], earlier: tuple[Step, ...], step: Step) -> None:
        for name, value in values.items():
            if name in self.values:
                raise ParameterError(f"Two rules give {name}: the second is {rule.id}.", place=name)
            self.values[name] = value
            self.entries[name] = Entry(name, self.target.parameter(name).group, value, sources, (*earlier, step))

    def finished(self) -> Stage:
        for name in self.case.material.values:
            if name not in self.used and matters(self.case.material, self.source, name):
                text = f"{{{name}}}: {self.target.title} has no place for it."
                self._lose(name, Step(f"{self.target.id}.no_place", text, "", DROPPED, "", (name,), self.case.material))
        return Stage(replace(self.case.material, model=self.target.id, values=self.values, findings=()), self.entries)

    def _lose(self, name: str, step: Step) -> None:
        sources, earlier = _traced((name,), self.origins)
        self.entries[f"lost {name}"] = Entry("", self.source.parameter(name).group, None, sources, (*earlier, step))

    def _step(self, rule: Rule, fidelity: Fidelity, remark: str) -> Step:
        return Step(rule.id, rule.text, rule.source, fidelity, remark, rule.sources, self.case.material)


def matters(material: Material, model: Model, name: str) -> bool:
    """Whether a value is set, differs from the model's default, and the effect that it belongs to is there at all."""
    if name not in material.values or is_default(material.values[name], model.parameter(name)):
        return False
    governing = model.parameter(name).under
    return not governing or not _is_without_effect(material.value(governing), model.parameter(governing))


def _is_without_effect(value: Value, parameter: Parameter) -> bool:
    """Whether what hangs on this value changes nothing: it is 0 or black, or a normal without a map."""
    return isinstance(value, Constant) and (parameter.kind == "normal" or not np.any(np.asarray(value.value, dtype=float)))


def _traced(names: tuple[str, ...], origins: Origins | None) -> tuple[tuple[str, ...], tuple[Step, ...]]:
    """The original's values behind these names, and the steps that led here, each once."""
    if origins is None:
        return names, ()
    sources = dict.fromkeys(source for name in names if name in origins for source in origins[name][0])
    steps = dict.fromkeys(step for name in names if name in origins for step in origins[name][1])
    return tuple(sources), tuple(steps)


def _entries(found: Mapping[str, Entry], target: Model) -> tuple[Entry, ...]:
    """In the order of the target's parameters, losses last; an extra that the target itself lacks counts as dropped."""
    order = target.order
    sorted_entries = sorted(found.values(), key=lambda entry: order.get(entry.target, len(order)))
    return tuple(_marked_extra(entry, target) for entry in sorted_entries)


def _marked_extra(entry: Entry, target: Model) -> Entry:
    if not entry.target or not target.parameter(entry.target).extra:
        return entry
    step = Step(f"{target.id}.carried", f"{target.title} has no place for {entry.target}; it is carried along, not written.", "", DROPPED)
    return replace(entry, steps=(*entry.steps, step))


def _origin_of(material: Material, model: Model) -> dict[str, Entry]:
    return {name: Entry(name, model.parameter(name).group, value, (name,), ()) for name, value in material.values.items()}


def _unchanged(material: Material, model: Model) -> tuple[Entry, ...]:
    def same(name: str, value: Value) -> Entry:
        step = Step(f"{model.id}.same", f"{{{name}}}, unchanged", "", EXACT, "", (name,), material)
        return Entry(name, model.parameter(name).group, value, (name,), (step,))

    return tuple(same(name, value) for name, value in material.values.items())
