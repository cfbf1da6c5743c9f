"""What a rule may look at to tell whether it applies: which values are set and what they are, never texels."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from fenrain.core.errors import ParameterError
from fenrain.core.values import Constant, Plain, Value


@dataclass(frozen=True)
class Case:
    """values: what the material sets; defaults: of all its model's parameters; extensions: those that the target may use."""

    values: Mapping[str, Value]
    defaults: Mapping[str, Plain]
    extensions: frozenset[str] = frozenset()

    def is_set(self, name: str) -> bool:
        """Whether the material sets this value itself."""
        return name in self.values

    def value(self, name: str) -> Value:
        """The value, or the model's default. Raises ParameterError where the model has no such parameter."""
        found = self.values.get(name)
        if found is not None:
            return found
        if name not in self.defaults:
            raise ParameterError(f"A rule asks for “{name}”, which its model does not have.", place=name)
        return Constant(self.defaults[name])

    def is_at(self, name: str, plain: Plain) -> bool:
        """Whether the value is this constant, set or by default."""
        value = self.value(name)
        return isinstance(value, Constant) and value.value == plain

    def is_below(self, name: str, limit: float) -> bool:
        """Whether the value is a constant number below this."""
        value = self.value(name)
        return isinstance(value, Constant) and isinstance(value.value, (int, float)) and value.value < limit

    def exceeds(self, name: str, limit: float) -> bool:
        """Whether the value is a constant with a channel above this."""
        value = self.value(name)
        return isinstance(value, Constant) and isinstance(value.value, tuple) and max(value.value) > limit

    def has_map(self, name: str) -> bool:
        return not isinstance(self.value(name), Constant)

    def allows(self, extension: str) -> bool:
        return extension in self.extensions


When = Callable[[Case], bool]
