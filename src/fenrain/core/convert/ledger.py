"""The ledger: for every converted value, which source values it came from, by which rule, and how faithful it is."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

from fenrain.core.convert.rule import Fidelity, worst
from fenrain.core.errors import ImageError
from fenrain.core.material import Computed, Constant, Map, Material, Value, value_to_document
from fenrain.core.models.parameter import Parameter
from fenrain.core.models.registry import model_of


@dataclass(frozen=True, eq=False)
class Step:
    """One rule at work. Its words are put together when they are first asked for.

    template: what the rule says, with the names of values in braces; source: where the rule comes from; names: of the values that went
    in, from the material.
    """

    rule: str
    template: str
    source: str
    fidelity: Fidelity
    remark: str = ""
    names: tuple[str, ...] = ()
    material: Material | None = None

    @cached_property
    def inputs(self) -> tuple[tuple[str, str], ...]:
        """What went in, by name, in words."""
        if self.material is None:
            return ()
        model = model_of(self.material.model)
        return tuple((name, describe_as(model.parameter(name), self.material.value(name))) for name in self.names)

    @property
    def text(self) -> str:
        """What the rule says, with the numbers filled in."""
        return self.template.format_map({name: f"{name} {words}" for name, words in self.inputs})

    def to_document(self) -> dict[str, Any]:
        return {
            "rule": self.rule,
            "text": self.text,
            "source": self.source,
            "fidelity": str(self.fidelity),
            "inputs": [{"name": name, "value": value} for name, value in self.inputs],
            "remark": self.remark,
        }


BY_HAND, BY_FIT, BY_REMEDY, BY_COPY = "hand", "fit", "remedy", "copy"


@dataclass(frozen=True)
class Override:
    """A value that stands over the derived one. by: set by hand, by the fit, by a finding's remedy, or copied; why: in words."""

    value: Value
    by: str = BY_HAND
    why: str = ""

    def to_document(self) -> dict[str, Any]:
        return {"value": value_to_document(self.value), "by": self.by, "why": self.why}


@dataclass(frozen=True)
class Entry:
    """One line of the ledger.

    target: the converted parameter, or "" for something dropped; group: its optical aspect; derived: what the rules gave;
    override: what stands over it; sources: names of the original's values; steps: from the original to the target.
    """

    target: str
    group: str
    derived: Value | None
    sources: tuple[str, ...]
    steps: tuple[Step, ...]
    override: Override | None = None

    @property
    def fidelity(self) -> Fidelity:
        return worst(Fidelity.EXACT, *(step.fidelity for step in self.steps))

    @property
    def value(self) -> Value | None:
        return self.derived if self.override is None else self.override.value

    def to_document(self) -> dict[str, Any]:
        return {
            "target": self.target,
            "group": self.group,
            "fidelity": str(self.fidelity),
            "sources": list(self.sources),
            "derived": None if self.derived is None else value_to_document(self.derived),
            "override": None if self.override is None else value_to_document(self.override.value),
            "override_by": "" if self.override is None else self.override.by,
            "override_why": "" if self.override is None else self.override.why,
            "shown": "" if self.value is None else describe(self.value),
            "shown_derived": "" if self.derived is None else describe(self.derived),
            "steps": [step.to_document() for step in self.steps],
        }


def overridden(entries: tuple[Entry, ...], overrides: Mapping[str, Override], groups: Mapping[str, str]) -> tuple[Entry, ...]:
    """The entries with values laid over them; a value no rule had set gets an entry of its own."""
    known = {entry.target for entry in entries}
    laid = tuple(replace(entry, override=overrides.get(entry.target)) if entry.target else entry for entry in entries)
    return laid + tuple(Entry(name, groups[name], None, (), (), override=value) for name, value in overrides.items() if name not in known)


def describe(value: Value) -> str:
    """A value in words, for a ledger line."""
    if isinstance(value, Constant):
        return describe_plain(value.value)
    if isinstance(value, Map):
        return f"map {value.image.name} ({value.channels.upper()}{_levels(value)})"
    return f"map{_mean(value)}"


def _mean(value: Computed) -> str:
    """The mean of a worked-out map, in words; nothing for normals, whose mean says nothing."""
    from fenrain.core.maps.mean import mean_of

    try:
        return "" if "normal" in value.output else f", mean {describe_plain(mean_of(value))}"
    except ImageError:
        return " of a damaged image"


def describe_as(parameter: Parameter, value: Value) -> str:
    """The same, with the words of a choice instead of its number."""
    if isinstance(value, Constant) and parameter.options:
        return dict(parameter.options).get(int(value.value), describe(value))  # type: ignore[arg-type]
    return describe(value)


def describe_plain(value: Any) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, tuple) and len(value) > 3:
        return f"{len(value) // 3} rows from {value[0]:g} to {value[-3]:g} nm"
    if isinstance(value, tuple):
        return f"({', '.join(_digits(part) for part in value)})"
    return _digits(value) if isinstance(value, (int, float)) else str(value)


def _digits(number: float) -> str:
    if abs(number) >= 1e4:
        return f"{number:,.0f}" if abs(number) < 1e9 else f"{number:.3g}"
    return f"{number:.3g}" if abs(number) < 1 else f"{number:.4g}"


def _levels(value: Map) -> str:
    scaled = "" if value.scale == 1.0 else f" × {describe_plain(value.scale)}"
    return scaled if value.bias == 0.0 else f"{scaled} + {describe_plain(value.bias)}"


def source_images(value: Value) -> tuple[str, ...]:
    """Names of the images that a value is worked out from."""
    if isinstance(value, Map):
        return (value.image.name,)
    if isinstance(value, Computed):
        return tuple(dict.fromkeys(name for _, argument in value.inputs for name in source_images(argument)))
    return ()
