"""The declaration of a parameter. Interface, command line, findings, fits and docs all read it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from fenrain.core.errors import ParameterError
from fenrain.core.material import Plain

BODY, REFLECTION, TRANSMISSION, VOLUME = "body", "reflection", "transmission", "volume"
COAT, FUZZ, GLOW, RELIEF, CUT_OUT = "coat", "fuzz", "glow", "relief", "cut-out"
ASPECTS = (BODY, REFLECTION, TRANSMISSION, VOLUME, COAT, FUZZ, GLOW, RELIEF, CUT_OUT)
"""The optical aspects that a look is sorted by."""


@dataclass(frozen=True)
class Parameter:
    """kind: number, colour, flag, choice or normal; low and high: what the model allows; usual: what is seen in practice.

    under: the parameter without which this one has no effect; extra: carried along by Fenrain, not part of the standard's own set.
    """

    name: str
    kind: str
    default: Plain
    group: str
    says: str
    low: float = -math.inf
    high: float = math.inf
    usual: tuple[float, float] | None = None
    unit: str = ""
    options: tuple[tuple[int, str], ...] = ()
    under: str = ""
    extra: bool = False

    @property
    def channels(self) -> int:
        return 3 if self.kind in ("colour", "normal") else 1

    def accept(self, value: Any) -> Plain:
        """The value as the code holds it. Raises ParameterError for a wrong kind, or a number that is not finite or not allowed."""
        if self.kind == "flag":
            return self._flag(value)
        if self.kind == "choice":
            return self._choice(value)
        if self.kind == "colour":
            parts = [value] * 3 if isinstance(value, (int, float)) and not isinstance(value, bool) else value
            if not isinstance(parts, Sequence) or isinstance(parts, str) or len(parts) != 3:
                raise self._refused(value, "Give three numbers (linear red, green, blue).")
            return tuple(self._number(part) for part in parts)
        if self.kind == "normal":
            raise self._refused(value, "This value takes a map.")
        return self._number(value)

    def _number(self, value: Any) -> float:
        if isinstance(value, bool) or not isinstance(value, (int, float)):
            raise self._refused(value, "Give a number.")
        number = float(value)
        if not math.isfinite(number):
            raise self._refused(value, "Give a finite number.")
        if not self.low <= number <= self.high:
            raise self._refused(value, f"Allowed: {self.range_text()}.")
        return number

    def _flag(self, value: Any) -> bool:
        if isinstance(value, bool) or value in (0, 1):
            return bool(value)
        raise self._refused(value, "Give true or false.")

    def _choice(self, value: Any) -> int:
        allowed = [key for key, _ in self.options]
        if isinstance(value, (int, float)) and not isinstance(value, bool) and int(value) == value and int(value) in allowed:
            return int(value)
        raise self._refused(value, f"Choose one of {', '.join(f'{key} ({label})' for key, label in self.options)}.")

    def range_text(self) -> str:
        low = f"{self.low:g}" if math.isfinite(self.low) else "any"
        high = f"{self.high:g}" if math.isfinite(self.high) else "any"
        return f"{low} to {high}"

    def _refused(self, value: Any, remedy: str) -> ParameterError:
        return ParameterError(f"“{value}” is not a value for {self.name}.", place=self.name, remedy=remedy)


def number(
    name: str,
    *,
    default: float,
    group: str,
    says: str,
    low: float = 0.0,
    high: float = math.inf,
    usual: tuple[float, float] | None = None,
    unit: str = "",
    under: str = "",
    extra: bool = False,
) -> Parameter:
    return Parameter(name, "number", float(default), group, says, low, high, usual, unit, under=under, extra=extra)


def colour(
    name: str,
    *,
    default: float | tuple[float, float, float],
    group: str,
    says: str,
    low: float = 0.0,
    high: float = math.inf,
    usual: tuple[float, float] | None = None,
    unit: str = "",
    under: str = "",
    extra: bool = False,
) -> Parameter:
    value = default if isinstance(default, tuple) else (float(default),) * 3
    return Parameter(name, "colour", value, group, says, low, high, usual, unit, under=under, extra=extra)


def flag(name: str, *, default: bool, group: str, says: str) -> Parameter:
    return Parameter(name, "flag", default, group, says)


def choice(name: str, *, default: int, options: Sequence[tuple[int, str]], group: str, says: str) -> Parameter:
    return Parameter(name, "choice", default, group, says, options=tuple(options))


def normal(name: str, *, group: str = RELIEF, says: str, under: str = "") -> Parameter:
    """A tangent-space normal map; without a map the surface's own normal."""
    return Parameter(name, "normal", (0.0, 0.0, 1.0), group, says, under=under)
