"""What a conversion is made of: rules, each a pure function of a typed view of its source's parameters.

The view holds the values that the rule declares and no others, with channels last (colours (…, 3), numbers (…, 1); flags and choices
plain); the function returns one such value for each target. It is the same function for a constant and for the texels of a 4K map.
"""

from __future__ import annotations

import string
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from enum import Enum, auto
from typing import Any, Generic, TypeVar

import numpy as np

from fenrain.core.rules.case import Case, When
from fenrain.core.rules.fidelity import DROPPED, EXACT, TOO_BRIGHT, Caveat, Fidelity

View = TypeVar("View")


class Kind(Enum):
    """What a rule does: works values out; takes one over as it is, maps and all; makes a choice from what a value is; or gives one up."""

    COMPUTE = auto()
    COPY = auto()
    CHOOSE = auto()
    DROP = auto()


@dataclass(frozen=True)
class Rule:
    """One step of a conversion.

    id: `model.direction.name`, stable, since stored ledgers hold it; sources: the values that its view holds, those of its text first;
    when: whether it applies; caveat: from the view to a fidelity and a remark, where the numbers decide; cut: targets that the function
    may give beyond what any material reaches, and which are cut to 0…1; why_cut: how they come to be there; whole: works on a whole
    image at once; binary: gives 0 or 1 and nothing between; view: makes the function's argument from values by name.
    """

    id: str
    kind: Kind
    targets: tuple[str, ...]
    sources: tuple[str, ...]
    fidelity: Fidelity
    text: str
    source: str
    function: Callable[[Any], Any] | None = None
    when: When | None = None
    caveat: Callable[[Any], Caveat] | None = None
    cut: tuple[str, ...] = ()
    why_cut: str = TOO_BRIGHT
    whole: bool = False
    binary: bool = False
    view: Callable[[Mapping[str, Any]], Any] = dict

    def applies(self, case: Case) -> bool:
        return self.when is None or self.when(case)

    def results(self, arguments: Mapping[str, Any]) -> dict[str, Any]:
        """The targets' values by name, from the sources' by name."""
        return self.within_bounds(self.uncut(arguments))

    def uncut(self, arguments: Mapping[str, Any]) -> dict[str, Any]:
        """The same, as the function gives them."""
        assert self.function is not None
        returned = self.function(self.view(arguments))
        return dict(zip(self.targets, returned if len(self.targets) > 1 else (returned,), strict=True))

    def within_bounds(self, uncut: Mapping[str, Any]) -> dict[str, Any]:
        return {name: np.clip(value, 0.0, 1.0) if name in self.cut else value for name, value in uncut.items()}

    def remark(self, arguments: Mapping[str, Any]) -> Caveat:
        """What the numbers say of the rule's fidelity."""
        return None if self.caveat is None else self.caveat(self.view(arguments))


@dataclass
class RuleSet(Generic[View]):
    """The rules of one model in one direction, in the order in which they stand in its file. view: of the source's parameters."""

    id: str
    view: Callable[[Mapping[str, Any]], View]
    rules: dict[str, Rule] = field(default_factory=dict)

    def __iter__(self) -> Iterator[Rule]:
        return iter(self.rules.values())

    def gives(self, target: str) -> bool:
        """Whether any rule gives this value."""
        return any(target in rule.targets for rule in self)

    def rule(
        self,
        *targets: str,
        id: str,
        fidelity: Fidelity,
        text: str,
        source: str,
        needs: tuple[str, ...] = (),
        when: When | None = None,
        caveat: Callable[[View], Caveat] | None = None,
        cut: tuple[str, ...] = (),
        why_cut: str = TOO_BRIGHT,
        whole: bool = False,
        binary: bool = False,
    ) -> Callable[[Callable[[View], Any]], Callable[[View], Any]]:
        """Declare the function below as the rule that gives `targets`. It reads the values that its text names in braces, and `needs`."""

        def register(function: Callable[[View], Any]) -> Callable[[View], Any]:
            self._add(
                Rule(
                    f"{self.id}.{id}",
                    Kind.COMPUTE,
                    targets,
                    tuple(dict.fromkeys((*named_in(text), *needs))),
                    fidelity,
                    text,
                    source,
                    function,
                    when,
                    caveat,
                    cut,
                    why_cut,
                    whole,
                    binary,
                    self.view,
                )
            )
            return function

        return register

    def choose(
        self, target: str, source_parameter: str, *, id: str, fidelity: Fidelity, text: str, source: str, when: When | None = None
    ) -> Callable[[Callable[[Any], Any]], Callable[[Any], Any]]:
        """Declare a rule that looks at what the value is (a constant, or made by which rule) and returns a plain choice."""

        def register(function: Callable[[Any], Any]) -> Callable[[Any], Any]:
            self._add(Rule(f"{self.id}.{id}", Kind.CHOOSE, (target,), (source_parameter,), fidelity, text, source, function, when))
            return function

        return register

    def copy(
        self,
        target: str,
        source_parameter: str,
        *,
        source: str,
        id: str = "",
        fidelity: Fidelity = EXACT,
        text: str = "",
        when: When | None = None,
        also: tuple[str, ...] = (),
        caveat: Callable[[View], Caveat] | None = None,
    ) -> None:
        """The value goes over unchanged; a map stays the same map. id: the target's name where it is left out; also: source values that
        say the same, or that the caveat depends on."""
        words = text or f"{{{source_parameter}}}, unchanged"
        rule_id = f"{self.id}.{id or target}"
        sources = (source_parameter, *also)
        self._add(Rule(rule_id, Kind.COPY, (target,), sources, fidelity, words, source, when=when, caveat=caveat, view=self.view))

    def drop(self, source_parameter: str, *, why: str, nearest: str, id: str = "", when: When | None = None) -> None:
        """The target cannot carry it: say why, and what is done instead. id: needed where a value is dropped for several reasons."""
        text = f"{{{source_parameter}}}: {why} Instead: {nearest}."
        rule_id = f"{self.id}.{id or f'drop_{source_parameter}'}"
        self._add(Rule(rule_id, Kind.DROP, (), (source_parameter,), DROPPED, text, "", when=when))

    def _add(self, rule: Rule) -> None:
        if rule.id in self.rules:
            raise ValueError(f"two rules are called {rule.id}")
        self.rules[rule.id] = rule


def named_in(text: str) -> tuple[str, ...]:
    """The names that stand in braces in a rule's text, in their order."""
    return tuple(name for _, name, _, _ in string.Formatter().parse(text) if name)
