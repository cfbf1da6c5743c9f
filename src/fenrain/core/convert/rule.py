"""What a conversion is made of: rules, each a pure function with its targets, its fidelity and its source.

A rule's function takes source values with channels last (colours (…, 3), numbers (…, 1); flags and choices plain) and returns
one such value for each target. It is the same function for a constant and for the texels of a 4K map.
"""

from __future__ import annotations

import inspect
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any

import numpy as np

from fenrain.core.material import Constant, Material, Plain


class Fidelity(StrEnum):
    """How faithful a converted value is, best first."""

    EXACT = "exact"
    EQUIVALENT = "equivalent"
    APPROXIMATED = "approximated"
    ASSUMED = "assumed"
    DROPPED = "dropped"

    @property
    def rank(self) -> int:
        return list(Fidelity).index(self)


EXACT, EQUIVALENT, APPROXIMATED = Fidelity.EXACT, Fidelity.EQUIVALENT, Fidelity.APPROXIMATED
ASSUMED, DROPPED = Fidelity.ASSUMED, Fidelity.DROPPED


def worst(*fidelities: Fidelity) -> Fidelity:
    return max(fidelities, key=lambda fidelity: fidelity.rank)


Caveat = tuple[Fidelity, str] | None
"""What the numbers say of a rule's fidelity; None where they say nothing new."""


TOO_BRIGHT = "The source gives back more light than it receives"


def cut_remark(*wanted: Any, why: str = TOO_BRIGHT) -> Caveat:
    """A caveat for values that no energy-conserving material reaches."""
    highest = max(float(np.max(value)) for value in wanted)
    if highest > 1.0 + 1e-6:
        return APPROXIMATED, f"{why}; {highest:.3g} is cut to 1."
    return None


@dataclass(frozen=True)
class Case:
    """What a rule may look at to tell whether it applies: the material, and the extensions that the target may use."""

    material: Material
    extensions: frozenset[str]

    def says(self, name: str) -> bool:
        """Whether the material sets this value itself."""
        return name in self.material.values

    def is_at(self, name: str, plain: Plain) -> bool:
        """Whether the value is this constant, set or by default."""
        value = self.material.value(name)
        return isinstance(value, Constant) and value.value == plain

    def is_below(self, name: str, limit: float) -> bool:
        """Whether the value is a constant number below this."""
        value = self.material.value(name)
        return isinstance(value, Constant) and isinstance(value.value, (int, float)) and value.value < limit

    def exceeds(self, name: str, limit: float) -> bool:
        """Whether the value is a constant with a channel above this."""
        value = self.material.value(name)
        return isinstance(value, Constant) and isinstance(value.value, tuple) and max(value.value) > limit

    def has_map(self, name: str) -> bool:
        return not isinstance(self.material.value(name), Constant)

    def allows(self, extension: str) -> bool:
        return extension in self.extensions


When = Callable[[Case], bool]


@dataclass(frozen=True)
class Rule:
    """One step of a conversion.

    kind: "compute", "copy" (the value goes over as it is, maps and all), "judge" (a choice made from what a value is) or
    "drop"; when: whether it applies; caveat: from the arguments to a fidelity and a remark, where the numbers decide;
    cut: targets that the function may give beyond what any material reaches, and which are cut to 0…1; why_cut: how they come to be
    there; whole: works on a whole image at once.
    """

    id: str
    kind: str
    targets: tuple[str, ...]
    sources: tuple[str, ...]
    fidelity: Fidelity
    text: str
    source: str
    function: Callable[..., Any] | None = None
    when: When | None = None
    caveat: Callable[..., Caveat] | None = None
    cut: tuple[str, ...] = ()
    why_cut: str = TOO_BRIGHT
    whole: bool = False

    def applies(self, case: Case) -> bool:
        return self.when is None or self.when(case)

    def results(self, arguments: dict[str, Any]) -> dict[str, Any]:
        """The targets' values by name."""
        return self.within_bounds(self.uncut(arguments))

    def uncut(self, arguments: dict[str, Any]) -> dict[str, Any]:
        """The same, as the function gives them."""
        assert self.function is not None
        returned = self.function(**arguments)
        return dict(zip(self.targets, returned if len(self.targets) > 1 else (returned,), strict=True))

    def within_bounds(self, uncut: dict[str, Any]) -> dict[str, Any]:
        return {name: np.clip(value, 0.0, 1.0) if name in self.cut else value for name, value in uncut.items()}


@dataclass
class RuleSet:
    """The rules of one model in one direction, in the order in which they stand in its file."""

    id: str
    rules: dict[str, Rule] = field(default_factory=dict)

    def __iter__(self) -> Iterator[Rule]:
        return iter(self.rules.values())

    def rule(
        self,
        *targets: str,
        fidelity: Fidelity,
        text: str,
        source: str,
        when: When | None = None,
        caveat: Callable[..., Caveat] | None = None,
        cut: tuple[str, ...] = (),
        why_cut: str = TOO_BRIGHT,
        whole: bool = False,
        sources: tuple[str, ...] = (),
    ) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
        """Declare the function below as the rule that gives `targets`; its argument names are the sources, unless those are named."""

        def register(function: Callable[..., Any]) -> Callable[..., Any]:
            self._add(
                Rule(
                    f"{self.id}.{function.__name__}",
                    "compute",
                    targets,
                    sources or tuple(inspect.signature(function).parameters),
                    fidelity,
                    text,
                    source,
                    function,
                    when,
                    caveat,
                    cut,
                    why_cut,
                    whole,
                )
            )
            return function

        return register

    def judge(
        self, target: str, source_parameter: str, *, fidelity: Fidelity, text: str, source: str, when: When | None = None
    ) -> Callable[..., Any]:
        """Declare a rule that looks at what the value is (a constant, or made by which rule) and returns a plain choice."""

        def register(function: Callable[..., Any]) -> Callable[..., Any]:
            self._add(
                Rule(
                    f"{self.id}.{function.__name__}",
                    "judge",
                    (target,),
                    (source_parameter,),
                    fidelity,
                    text,
                    source,
                    function,
                    when,
                )
            )
            return function

        return register

    def copy(
        self,
        target: str,
        source_parameter: str,
        *,
        source: str,
        fidelity: Fidelity = EXACT,
        text: str = "",
        when: When | None = None,
        also: tuple[str, ...] = (),
    ) -> None:
        """The value goes over unchanged; a map stays the same map. also: source values that say the same."""
        words = text or f"{{{source_parameter}}}, unchanged"
        name = f"{self.id}.{target}"
        rule_id = f"{name}_kept" if name in self.rules else name
        self._add(Rule(rule_id, "copy", (target,), (source_parameter, *also), fidelity, words, source, when=when))

    def drop(self, source_parameter: str, *, why: str, nearest: str, when: When | None = None) -> None:
        """The target cannot carry it: say why, and what is done instead. A value may be dropped for several reasons, by case."""
        text = f"{{{source_parameter}}}: {why} Instead: {nearest}."
        reasons = sum(rule.kind == "drop" and rule.sources == (source_parameter,) for rule in self)
        name = f"{self.id}.drop_{source_parameter}" + (f"_{reasons + 1}" if reasons else "")
        self._add(Rule(name, "drop", (), (source_parameter,), DROPPED, text, "", when=when))

    def _add(self, rule: Rule) -> None:
        if rule.id in self.rules:
            raise ValueError(f"two rules are called {rule.id}")
        self.rules[rule.id] = rule
