"""The same act on many conversions: which values stand over the derived ones after it, whatever else stands there."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from fenrain.core.conversion.engine import Conversion
from fenrain.core.conversion.ledger import By, Override
from fenrain.core.descriptions import describe_plain
from fenrain.core.errors import InputError, ParameterError
from fenrain.core.lobes.aspects import known_aspects
from fenrain.core.models.registry import Model
from fenrain.core.steps import ValueStep
from fenrain.core.values import Constant

SET, COPY, GRADE, PUT_BACK, FIT = "set", "copy", "grade", "put back", "fit"
MERGE, VARIANT, RENEW, PROFILE, DIALECT = "merge", "variant", "renew", "profile", "dialect"
OF_VALUES = (SET, COPY, GRADE, PUT_BACK, FIT)
"""Those that change what stands over derived values."""
OF_TEXTS = (PROFILE, DIALECT)
"""Those that begin with a text which somebody wrote, and keep it."""
OF_LOOKS = (*OF_VALUES, RENEW, *OF_TEXTS)
"""Those after which looks are others."""
KINDS = (*OF_LOOKS, MERGE, VARIANT)


@dataclass(frozen=True)
class ManyAct:
    """What is done to each of many conversions to one target; all of their other values stay.

    kind: SET replaces values of optical groups by constants, the rest of these groups standing as it was derived; COPY takes over what
    stands in these groups of another conversion, maps too; GRADE takes steps on one value, in place of those taken before; PUT_BACK lets
    what was derived stand again in these groups; FIT lets the computer tune what is not exact, but for what a person set; MERGE lets one
    material stand for others that are equal or nearly so; VARIANT makes second versions; RENEW converts again by today's rules; PROFILE
    keeps a target profile and converts again by it; DIALECT keeps a dialect and reads the sheets again that are written in it. groups:
    optical aspects; values: by name; name, steps: of GRADE; name: what is put after a variant's, or what the profile or dialect is called;
    text: that of the profile or dialect.
    """

    kind: str
    groups: tuple[str, ...] = ()
    values: Mapping[str, Any] = field(default_factory=dict)
    name: str = ""
    steps: tuple[ValueStep, ...] = ()
    text: str = ""

    def checked(self, target: Model) -> ManyAct:
        """The act, once it fits the target. Raises InputError, ParameterError."""
        if self.kind not in KINDS:
            raise InputError(f"There is no act “{self.kind}”.", place="kind", remedy=f"Acts: {', '.join(KINDS)}.")
        groups = known_aspects(self.groups, "groups")
        if self.kind == VARIANT and not self.name.strip():
            raise InputError("Variants have names of their own.", place="name", remedy="Say what is put after each name.")
        if self.kind in (SET, COPY, PUT_BACK) and not groups:
            raise InputError("It is not said which groups of values are meant.", place="groups", remedy="Name at least one.")
        if self.kind == SET and not self.values:
            raise InputError("Nothing is set.", place="values", remedy="Set at least one value of the group.")
        for name, raw in self.values.items():
            parameter = target.parameter(name)
            if parameter.group not in groups:
                raise ParameterError(f"{name} belongs to {parameter.group}.", place=name, remedy="Name that group too, or leave it out.")
            parameter.accept(raw)
        if self.kind == GRADE:
            target.parameter(self.name)
        return self

    def after(self, conversion: Conversion, source: Conversion | None = None) -> dict[str, Override]:
        """What stands over the derived values of a conversion after it, where no search is needed for it. source: from which COPY takes.
        Raises ParameterError."""
        standing = dict(conversion.overrides)
        inside = {parameter.name for parameter in conversion.target.parameters if parameter.group in self.groups}
        others = {name: override for name, override in standing.items() if name not in inside}
        if self.kind == SET:
            laid = {name: Constant(conversion.target.parameter(name).accept(raw)) for name, raw in self.values.items()}
            return {**others, **{name: Override(value, By.HAND, f"set on many: {', '.join(self.groups)}") for name, value in laid.items()}}
        if self.kind == COPY:
            assert source is not None
            return {**others, **_copied(conversion, source, inside)}
        if self.kind == GRADE:
            known = standing.get(self.name, Override(None))
            graded = Override(known.value, known.by, known.why, self.steps)
            rest = {name: override for name, override in standing.items() if name != self.name}
            return rest if not self.steps and known.value is None else {**rest, self.name: graded}
        return others

    def in_words(self, source: str = "") -> str:
        """What it does, in words. source: what the conversion is called from which it copies."""
        groups = ", ".join(self.groups)
        if self.kind == SET:
            return f"replace {groups}: {', '.join(f'{name} {describe_plain(value)}' for name, value in self.values.items())}"
        if self.kind == COPY:
            return f"copy {groups} from {source}"
        if self.kind == GRADE:
            taken = "; ".join(f"{name} {describe_plain(value)}" for name, value in (step.said for step in self.steps))
            return f"grade {self.name}: {taken}" if taken else f"take grades off {self.name}"
        if self.kind == MERGE:
            return "merge what is equal, or differs by no more than a match allows"
        if self.kind == RENEW:
            return "convert again by today's rules"
        if self.kind == FIT:
            return "let the computer tune what is not exact"
        if self.kind == PROFILE:
            return f"save the target profile “{self.name}” and convert again by it"
        if self.kind == DIALECT:
            return f"save the dialect “{self.name}” and read its sheets again"
        if self.kind == VARIANT:
            return f"make a variant of each, “… {self.name}”"
        return f"reset {groups}"


def _copied(conversion: Conversion, source: Conversion, inside: set[str]) -> dict[str, Override]:
    """What differs, so that nothing stands over a derived value that is the same."""
    values = {name: source.material.value(name) for name in inside}
    why = f"copied from {source.original.name}"
    derived = conversion.having({}).material
    return {name: Override(value, By.COPY, why) for name, value in values.items() if derived.value(name) != value}
