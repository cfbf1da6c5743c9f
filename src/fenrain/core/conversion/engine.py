"""Runs the rules: source model → hub (OpenPBR) → target, and writes the ledger as it goes."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cache
from typing import Any

from fenrain.core.conversion.aim import Aim, Choice
from fenrain.core.conversion.applying import Applied, applied_to_defaults, apply_to_all
from fenrain.core.conversion.evenness import EVEN, same_everywhere
from fenrain.core.conversion.flakes import FLAKES, flaked
from fenrain.core.conversion.ledger import Entry, LedgerStep, Override, overridden
from fenrain.core.errors import ParameterError
from fenrain.core.formats.holding import Shortfall
from fenrain.core.formats.limits import fitted
from fenrain.core.formats.registry import format_for
from fenrain.core.formats.writing import responses
from fenrain.core.material import SIZES_OF_MAPS, Material, is_idle, matters
from fenrain.core.models.mix.parameters import PART_PREFIXES
from fenrain.core.models.parameter import Kind as ParameterKind
from fenrain.core.models.registry import HUB, Model, model_of, target_models
from fenrain.core.models.target import Profile
from fenrain.core.rules.case import Case
from fenrain.core.rules.fidelity import ASSUMED, DROPPED, EQUIVALENT, EXACT, Fidelity
from fenrain.core.rules.rule import Kind, Rule, RuleSet
from fenrain.core.values import Computed, Constant, Value, with_maps


@dataclass(frozen=True)
class Conversion:
    """A converted material, the ledger of how it came about, and the original it came from. aim: by which it was made; choice: what was
    taken for it in place of the nearest answer, None where that is it."""

    original: Material
    material: Material
    ledger: tuple[Entry, ...]
    profile: Profile = field(default_factory=Profile)
    aim: Aim = Aim.NEAREST
    choice: Choice | None = None

    @property
    def target(self) -> Model:
        return model_of(self.material.model)

    @property
    def overrides(self) -> dict[str, Override]:
        """What stands over derived values, by name."""
        return {entry.target: entry.override for entry in self.ledger if entry.override is not None}

    @property
    def losses(self) -> tuple[Entry, ...]:
        """The entries of what does not come through."""
        return tuple(entry for entry in self.ledger if entry.fidelity is DROPPED)

    def having(self, overrides: Mapping[str, Override]) -> Conversion:
        """The same conversion with values over the derived ones, as far as the target's format can hold them. Raises ParameterError."""
        entries = overridden(self.ledger, {name: self._as_held(name, override) for name, override in overrides.items()}, self.target)
        values = {entry.target: entry.value for entry in entries if entry.target and entry.value is not None}
        return replace(self, material=replace(self.material, values=values), ledger=entries)

    def rederived(self, moved: Mapping[str, tuple[Value, str]], step: str) -> Conversion:
        """The same conversion with other values in place of derived ones. moved: the value and why, in words, by name; step: what moved
        them."""
        known = {entry.target: entry for entry in self.ledger if entry.target}
        lines = list(self.ledger)
        for name, (value, text) in moved.items():
            taken = LedgerStep(f"aim.{step}", text, "", EQUIVALENT)
            before = known.get(name) or Entry(name, self.target.parameter(name).group, None, (), ())
            after = replace(before, derived=value, steps=(*before.steps, taken))
            lines = [after if line is before else line for line in lines] if name in known else [*lines, after]
        material = self.material.having(**{name: value for name, (value, _) in moved.items()})
        return replace(self, material=material, ledger=_sorted(lines, self.target))

    def _as_held(self, name: str, override: Override) -> Override:
        derived = next((entry.derived for entry in self.ledger if entry.target == name and entry.derived is not None), None)
        if derived is None and override.value is None:
            override = replace(override, value=self.material.value(name))
        wanted = override.over(derived)
        laid = self.material.having(**{name: wanted})
        kept, shortfalls = fitted(laid, format_for(self.target, self.profile), self.profile)
        words = " ".join(shortfall.text for shortfall in shortfalls if shortfall.parameter == name)
        why = override.why if words in override.why else f"{override.why} {words}".strip()
        if kept.value(name) == wanted:
            return replace(override, why=why)
        return replace(override, value=kept.value(name), why=why, grade=())


def convert(material: Material, to: str, profile: Profile | None = None) -> Conversion:
    """Convert a material to another shading model.

    to: id of a model that is a target; profile: what the target may hold, the model's first where it is left out. Returns the converted
    material and its ledger. Raises UnknownModelError, ParameterError.
    """
    return convert_all([material], to, profile)[0]


def convert_all(
    materials: Sequence[Material], to: str, profile: Profile | None = None, restated: RuleSet[Any] | None = None
) -> list[Conversion]:
    """Convert materials of any models to one, in their order: the same as one by one, but each rule runs once over all their numbers.

    restated: rules of the hub that say each again with usual values, on the way to the target.
    """
    target = model_of(to)
    limits = profile or (target.targets[0].profile if target.targets else Profile())
    return [_as_held(without_idle(conversion)) for conversion in converted_by_rules(materials, target, limits, restated)]


def converted_by_rules(
    materials: Sequence[Material], target: Model, profile: Profile, restated: RuleSet[Any] | None = None
) -> list[Conversion]:
    """The same before what the target's format cannot hold is taken out."""
    by_model: dict[str, list[int]] = {}
    for index, material in enumerate(materials):
        by_model.setdefault(material.model, []).append(index)
    found: dict[int, Conversion] = {}
    for model_id, members in by_model.items():
        alike = [materials[index] for index in members]
        found |= dict(zip(members, _convert_alike(alike, model_of(model_id), target, profile, restated), strict=True))
    return [found[index] for index in range(len(materials))]


def _convert_alike(
    materials: Sequence[Material], source: Model, target: Model, profile: Profile, restated: RuleSet[Any] | None
) -> list[Conversion]:
    """The same for materials of one model."""
    if target is source:
        return [Conversion(material, material, _unchanged(material, source), profile) for material in materials]
    if not target.targets:
        known = ", ".join(model.id for model in target_models())
        raise ParameterError(f"Nothing can be converted to {target.id}.", place=target.id, remedy=f"Targets: {known}.")
    hub = model_of(HUB)
    first = [_as_it_is(material, hub) for material in materials] if source is hub else _to_hub(materials, source, hub, profile)
    if restated is not None:
        first = _said_again(first, restated, hub, profile)
    if target is hub:
        return [
            Conversion(material, stage.material, _sorted((*stage.entries.values(), *stage.losses), hub), profile)
            for material, stage in zip(materials, first, strict=True)
        ]
    assert target.from_hub is not None
    origins = [{entry.target: Origin(entry.sources, entry.steps) for entry in stage.entries.values()} for stage in first]
    second = _run(target.from_hub, [stage.material for stage in first], target, profile, origins)
    return [_joined(*stages, source, target, profile) for stages in zip(materials, first, second, strict=True)]


def _joined(material: Material, first: Stage, second: Stage, source: Model, target: Model, profile: Profile) -> Conversion:
    """The conversion that the way to the hub and the way from it make."""
    known = (*second.entries.values(), *second.losses, *first.losses)
    faded = _faded(material, source, first.entries.values(), known, target)
    conversion = Conversion(material, second.material, _sorted((*known, *faded), target), profile)
    thickness = second.entries.get("thickness")
    if not material.geometry.depth or thickness is None or thickness.derived == Constant(0.0):
        return conversion
    deep = _as_deep_as_its_mesh(thickness, material.geometry.depth, target)
    assert deep.derived is not None
    ledger = tuple(deep if entry is thickness else entry for entry in conversion.ledger)
    return replace(conversion, material=second.material.having(thickness=deep.derived), ledger=ledger)


def _as_deep_as_its_mesh(entry: Entry, depth: float, target: Model) -> Entry:
    """The line of how thick a body is, which only the mesh that carries it knows."""
    text = f"{depth:.4g}, the mean depth of the meshes that carry it (4 × volume ÷ area), for viewers that do not trace."
    step = LedgerStep(
        f"{target.id}.depth_of_mesh", text, "Cauchy 1841: the mean chord; KHR_materials_volume: thickness of the volume", EQUIVALENT
    )
    return replace(entry, derived=Constant(depth), steps=(*entry.steps, step))


def _faded(material: Material, source: Model, first: Iterable[Entry], known: Sequence[Entry], target: Model) -> list[Entry]:
    """Losses of source values that led to a hub value at its default, of which nothing reaches the target."""
    mentioned = {name for entry in known for name in entry.sources}
    found = []
    for entry in first:
        names = tuple(name for name in entry.sources if name not in mentioned and matters(material, source, name))
        if names:
            step = LedgerStep(f"{target.id}.faded", f"{entry.target} is left at its default, which {target.title} has anyway.", "", DROPPED)
            found.append(Entry("", entry.group, None, names, (*entry.steps, step)))
    return found


def without_idle(conversion: Conversion) -> Conversion:
    """The conversion without values of effects that are not there, which came about on the way; but for those that alone say what became of
    a source's value."""
    target, material = conversion.target, conversion.material
    if conversion.original.model == target.id:
        return conversion
    idle = {name for name in material.values if is_idle(material, target, name)}
    said = {source for entry in conversion.ledger if entry.target not in idle for source in entry.sources}
    idle -= {entry.target for entry in conversion.ledger if not said.issuperset(entry.sources)}
    values = {name: value for name, value in material.values.items() if name not in idle}
    ledger = tuple(entry for entry in conversion.ledger if entry.target not in idle)
    return replace(conversion, material=replace(material, values=values), ledger=ledger)


def _as_held(conversion: Conversion) -> Conversion:
    """The conversion with what the target's format can hold of it and its profile takes; the ledger says what it cannot, before anything is
    written."""
    target, profile = conversion.target, conversion.profile
    kept, shortfalls = fitted(conversion.material, format_for(target, profile), profile)
    ledger = conversion.ledger
    if shortfalls:
        by_name = {name: [s for s in shortfalls if s.parameter == name] for name in dict.fromkeys(s.parameter for s in shortfalls)}
        ledger = tuple(_with_shortfalls(entry, by_name.pop(entry.target, []), kept) for entry in ledger)
        ledger += tuple(_said_only_by_profile(target, said, kept) for said in by_name.values() if said[0].parameter in kept.values)
    factors = responses(target, profile, conversion.original.geometry.unit)
    return replace(conversion, material=kept, ledger=tuple(_answered(entry, factors, target) for entry in ledger))


def _with_shortfalls(entry: Entry, shortfalls: Sequence[Shortfall], kept: Material) -> Entry:
    if not entry.target or not shortfalls:
        return entry
    return replace(entry, derived=kept.values.get(entry.target), steps=(*entry.steps, *map(_step_of, shortfalls)))


def _said_only_by_profile(target: Model, shortfalls: Sequence[Shortfall], kept: Material) -> Entry:
    """The line of a value that no rule gave: its default, as the profile asks for it."""
    name = shortfalls[0].parameter
    return Entry(name, target.parameter(name).group, kept.values[name], (), tuple(map(_step_of, shortfalls)))


def _step_of(shortfall: Shortfall) -> LedgerStep:
    return LedgerStep(f"{shortfall.format}.holds", shortfall.text, "", shortfall.fidelity)


def _answered(entry: Entry, factors: Mapping[str, tuple[float, str]], target: Model) -> Entry:
    """The line of a value that is multiplied when it is written, so that the target's renderer shows it as it is meant."""
    found = factors.get(entry.target) if entry.target else None
    if found is None:
        return entry
    factor, why = found
    return replace(
        entry, steps=(*entry.steps, LedgerStep(f"{target.id}.response", f"Written times {factor:.4g}, {why}.", "the target profile", EXACT))
    )


@dataclass(frozen=True)
class Origin:
    """Where a value comes from: names of the original's values, and the steps that led here."""

    sources: tuple[str, ...]
    steps: tuple[LedgerStep, ...] = ()


Origins = Mapping[str, Origin]
"""For values by name."""


@dataclass(frozen=True)
class Stage:
    """One half of the way: the material in the model it leads to, an entry for each value of it by name, and the sources that were lost."""

    material: Material
    entries: dict[str, Entry]
    losses: tuple[Entry, ...] = ()


def _as_it_is(material: Material, model: Model) -> Stage:
    entries = {name: Entry(name, model.parameter(name).group, value, (name,), ()) for name, value in material.values.items()}
    return Stage(material, entries)


def _to_hub(materials: Sequence[Material], source: Model, hub: Model, profile: Profile) -> list[Stage]:
    if source.to_hub is None:
        raise ParameterError(f"The model {source.id} has no way out.", place=source.id)
    unfolded = _unfolded(materials, source, hub, profile)
    stages = _run(source.to_hub, [one.material for one in unfolded], hub, profile, [one.origins for one in unfolded])
    return [
        _with_sizes(_with_flakes(_with_coat_normals(replace(stage, losses=(*stage.losses, *one.losses)), source), material), material)
        for stage, one, material in zip(stages, unfolded, materials, strict=True)
    ]


def _said_again(stages: Sequence[Stage], rules: RuleSet[Any], hub: Model, profile: Profile) -> list[Stage]:
    """The stages with what these rules make of them; values of which they say nothing stay. Maps that say one thing everywhere are numbers,
    before and after."""
    stages = [_with_numbers_for_even_maps(stage, hub) for stage in stages]
    origins = [{name: Origin(entry.sources, entry.steps) for name, entry in stage.entries.items()} for stage in stages]
    again = _run(rules, [stage.material for stage in stages], hub, profile, origins)
    return [
        _with_numbers_for_even_maps(
            Stage(stage.material.having(**said.material.values), {**stage.entries, **said.entries}, stage.losses), hub
        )
        for stage, said in zip(stages, again, strict=True)
    ]


def _with_numbers_for_even_maps(stage: Stage, hub: Model) -> Stage:
    """The stage with a number in place of every computed map that is the same everywhere."""
    entries, values = dict(stage.entries), dict(stage.material.values)
    for name, value in stage.material.values.items():
        parameter = hub.parameter(name)
        if isinstance(value, Computed) and parameter.kind in (ParameterKind.NUMBER, ParameterKind.COLOUR):
            found = same_everywhere(parameter, value)
            if found is not None:
                step = LedgerStep(f"{hub.id}.even", EVEN, "", EQUIVALENT)
                values[name] = Constant(found)
                entries[name] = replace(entries[name], derived=values[name], steps=(*entries[name].steps, step))
    return Stage(replace(stage.material, values=values), entries, stage.losses)


def _with_sizes(stage: Stage, original: Material) -> Stage:
    """The stage with maps that cover as much as the original says in metres."""
    by_role = model_of(original.model).by_role
    names = tuple(by_role[role].name for role in SIZES_OF_MAPS if role in by_role)
    stated = [original.value(name) for name in names]
    width, height = (float(one.value) if isinstance(one, Constant) else 0.0 for one in stated) if stated else (0.0, 0.0)  # type: ignore[arg-type]
    if not width and not height:
        return stage
    losses = tuple(entry for entry in stage.losses if not set(names).issuperset(entry.sources))
    step = LedgerStep(f"{original.model}.size", f"Its maps cover {width:g} × {height:g} m.", "common practice: real sizes of tiles", EXACT)
    entries, values = dict(stage.entries), dict(stage.material.values)
    for name, value in stage.material.values.items():
        laid = with_maps(value, lambda leaf: replace(leaf, placement=replace(leaf.placement, size=(width, height))))
        if laid != value:
            values[name], entry = laid, entries[name]
            entries[name] = replace(entry, derived=laid, sources=tuple(dict.fromkeys((*entry.sources, *names))), steps=(*entry.steps, step))
    return Stage(replace(stage.material, values=values), entries, losses)


def _with_coat_normals(stage: Stage, source: Model) -> Stage:
    """The stage with the surface's normals for its coat too, where the source bends all that it reflects by them."""
    assert source.to_hub is not None
    normals, coat = stage.entries.get("geometry_normal"), stage.material.value("coat_weight")
    if normals is None or normals.value is None or coat == Constant(0.0) or source.to_hub.gives("geometry_coat_normal"):
        return stage
    step = LedgerStep(
        f"{source.id}.coat_normal", "The coat follows the relief, as it does in the source.", "OpenPBR 1.1: geometry_coat_normal", EXACT
    )
    entry = replace(normals, target="geometry_coat_normal", steps=(*normals.steps, step))
    material = stage.material.having(geometry_coat_normal=normals.value)
    return replace(stage, material=material, entries={**stage.entries, entry.target: entry})


def _with_flakes(stage: Stage, original: Material) -> Stage:
    """The stage with the original's flakes laid over it, where they can be drawn."""
    entries = flaked(stage.entries, stage.material, original)
    if entries is None:
        return stage
    carried = {name for entry in entries.values() for name in entry.sources if name in FLAKES}
    given = {name: entry.value for name, entry in entries.items() if entry.value is not None}
    losses = tuple(entry for entry in stage.losses if not carried.issuperset(entry.sources))
    return replace(stage, material=stage.material.having(**given), entries=entries, losses=losses)


@dataclass(frozen=True)
class _Unfolded:
    """A mix with the hub forms of its parts as its own values, where each came from, and what the parts lost on the way."""

    material: Material
    origins: Origins | None = None
    losses: tuple[Entry, ...] = ()


def _unfolded(materials: Sequence[Material], source: Model, hub: Model, profile: Profile) -> list[_Unfolded]:
    """Each material as rules take it: mixes with their parts unfolded."""
    parts = iter(converted_by_rules([part for material in materials for part in material.parts], hub, profile))
    return [_with_parts(material, source, [next(parts) for _ in material.parts]) for material in materials]


def _with_parts(material: Material, source: Model, parts: Sequence[Conversion]) -> _Unfolded:
    if not parts:
        return _Unfolded(material)
    values, losses = dict(material.values), []
    origins = dict(_own_origins(source.id))
    for prefix, conversion in zip(PART_PREFIXES, parts, strict=False):
        for entry in conversion.ledger:
            sources = tuple(f"{prefix}{name}" for name in entry.sources)
            if entry.target:
                values[prefix + entry.target] = conversion.material.values[entry.target]
                origins[prefix + entry.target] = Origin(sources, entry.steps)
            else:
                losses.append(replace(entry, sources=sources))
    return _Unfolded(replace(material, values=values, parts=()), origins, tuple(losses))


@cache
def _own_origins(model_id: str) -> Origins:
    return {name: Origin((name,)) for name in model_of(model_id).by_name}


def _run(
    rules: RuleSet[Any], materials: Sequence[Material], target: Model, profile: Profile, origins: Sequence[Origins | None]
) -> list[Stage]:
    """One stage of materials of one model; without origins their values are the original's own."""
    if not materials:
        return []
    source = model_of(materials[0].model)
    records = [
        _Record(material, source.case(material.values, profile), source, target, known)
        for material, known in zip(materials, origins, strict=True)
    ]
    for rule in rules:
        chosen = [record for record in records if rule.applies(record.case)]
        if rule.kind is Kind.DROP:
            for record in chosen:
                record.dropped(rule)
            continue
        saying = [record for record in chosen if record.sets_any_of(rule)]
        given = apply_to_all(rule, [record.material for record in saying], source, target)
        for record, applied in zip(saying, given, strict=True):
            record.given(rule, applied)
        of_defaults = applied_to_defaults(rule.id, source.id, target.id)
        for record in chosen if of_defaults.values else ():
            if not record.sets_any_of(rule):
                record.assumed(rule, of_defaults)
    return [record.finished() for record in records]


@dataclass
class _Record:
    """What the rules have given one material so far."""

    material: Material
    case: Case
    source: Model
    target: Model
    origins: Origins | None
    values: dict[str, Value] = field(default_factory=dict)
    entries: dict[str, Entry] = field(default_factory=dict)
    losses: dict[str, Entry] = field(default_factory=dict)
    used: set[str] = field(default_factory=set)

    def dropped(self, rule: Rule) -> None:
        """A value of which a rule says that it cannot be carried."""
        self.used.update(rule.sources)
        name = rule.sources[0]
        if matters(self.material, self.source, name):
            self._lose(name, self._step(rule, rule.fidelity, ""))

    def sets_any_of(self, rule: Rule) -> bool:
        """Whether the material itself sets any value that the rule takes."""
        return not self.material.values.keys().isdisjoint(rule.sources)

    def given(self, rule: Rule, applied: Applied) -> None:
        """What a rule made of values that the material sets."""
        self.used.update(rule.sources)
        step = self._step(rule, applied.fidelity, applied.remark)
        self._add(rule, applied.values, _traced(rule.sources, self.origins), step)

    def assumed(self, rule: Rule, of_defaults: Applied) -> None:
        """What a rule makes of the defaults of the source's model; left out where the effect that it belongs to is not there."""
        known = self.values.keys() | of_defaults.values.keys()
        governed = {name: self.target.parameter(name).under for name in of_defaults.values}
        there = {name: value for name, value in of_defaults.values.items() if not governed[name] or governed[name] in known}
        if there:
            origin = _traced(rule.sources, self.origins)
            unsaid = (ASSUMED, "The source says nothing; its model's default is taken.")
            self._add(rule, there, origin, self._step(rule, *((EXACT, "") if origin.steps else unsaid)))

    def _add(self, rule: Rule, values: Mapping[str, Value], origin: Origin, step: LedgerStep) -> None:
        for name, value in values.items():
            if name in self.values:
                raise ParameterError(f"Two rules give {name}: the second is {rule.id}.", place=name)
            self.values[name] = value
            self.entries[name] = Entry(name, self.target.parameter(name).group, value, origin.sources, (*origin.steps, step))

    def finished(self) -> Stage:
        """The stage, with every set value that no rule took among the losses."""
        for name in self.material.values:
            if name not in self.used and matters(self.material, self.source, name):
                text = f"{{{name}}}: {self.target.title} has no place for it."
                self._lose(name, LedgerStep(f"{self.target.id}.no_place", text, "", DROPPED, "", (name,), self.material))
        material = replace(self.material, model=self.target.id, values=self.values, findings=())
        return Stage(material, self.entries, tuple(self.losses.values()))

    def _lose(self, name: str, step: LedgerStep) -> None:
        origin = _traced((name,), self.origins)
        self.losses[name] = Entry("", self.source.parameter(name).group, None, origin.sources, (*origin.steps, step))

    def _step(self, rule: Rule, fidelity: Fidelity, remark: str) -> LedgerStep:
        return LedgerStep(rule.id, rule.text, rule.source, fidelity, remark, rule.sources, self.material)


def _traced(names: tuple[str, ...], origins: Origins | None) -> Origin:
    """The original's values behind these names, and the steps that led here, each once."""
    if origins is None:
        return Origin(names)
    sources = dict.fromkeys(source for name in names if name in origins for source in origins[name].sources)
    steps = dict.fromkeys(step for name in names if name in origins for step in origins[name].steps)
    return Origin(tuple(sources), tuple(steps))


def _sorted(found: Sequence[Entry], target: Model) -> tuple[Entry, ...]:
    """In the order of the target's parameters, losses last."""
    order = target.order
    return tuple(sorted(found, key=lambda entry: order.get(entry.target, len(order))))


def _unchanged(material: Material, model: Model) -> tuple[Entry, ...]:
    def same(name: str, value: Value) -> Entry:
        step = LedgerStep(f"{model.id}.same", f"{{{name}}}, unchanged", "", EXACT, "", (name,), material)
        return Entry(name, model.parameter(name).group, value, (name,), (step,))

    return tuple(same(name, value) for name, value in material.values.items())
