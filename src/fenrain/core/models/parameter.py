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


SAME = 1e-9
"""Numbers this close are one."""


@dataclass(frozen=True)
class Parameter:
    """kind: number, colour, flag, choice, normal or spectrum; low and high: what the model allows; usual: what is seen in practice.

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

    @property
    def is_plain(self) -> bool:
        """Whether looks and rules take the value as it is stored, and no map can stand for it."""
        return self.kind in ("flag", "choice", "spectrum")

    def is_default(self, value: Plain) -> bool:
        """Whether a value is the default, but for rounding."""
        if isinstance(value, tuple) and isinstance(self.default, tuple):
            pairs = zip(value, self.default, strict=False)
            return len(value) == len(self.default) and all(abs(one - other) <= SAME for one, other in pairs)
        if isinstance(value, (int, float)) and isinstance(self.default, (int, float)):
            return abs(value - self.default) <= SAME
        return value == self.default

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
        if self.kind == "spectrum":
            return self._spectrum(value)
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

    def _spectrum(self, value: Any) -> tuple[float, ...]:
        """Rows of wavelength, n, k in one row, ascending."""
        rows = [row if isinstance(row, Sequence) and not isinstance(row, str) else [row] for row in value] if _is_list(value) else []
        parts = tuple(self._number(part) for row in rows for part in row)
        rising = all(first < second for first, second in zip(parts[::3], parts[3::3], strict=False))
        if len(parts) < 6 or len(parts) % 3 or not rising or min(parts) < 0:
            raise self._refused("the table", "Give at least two rows of wavelength (nm, ascending), n and k, none below 0.")
        return parts

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


def flag(name: str, *, default: bool, group: str, says: str, under: str = "") -> Parameter:
    return Parameter(name, "flag", default, group, says, under=under)


def choice(name: str, *, default: int, options: Sequence[tuple[int, str]], group: str, says: str, under: str = "") -> Parameter:
    return Parameter(name, "choice", default, group, says, options=tuple(options), under=under)


def spectrum(name: str, *, group: str, says: str) -> Parameter:
    """A table of wavelength, index and extinction; by default an even grey metal."""
    return Parameter(name, "spectrum", (360.0, 1.5, 5.0, 830.0, 1.5, 5.0), group, says)


def _is_list(value: Any) -> bool:
    return isinstance(value, Sequence) and not isinstance(value, str)


def normal(name: str, *, group: str = RELIEF, says: str, under: str = "") -> Parameter:
    """A tangent-space normal map; without a map the surface's own normal."""
    return Parameter(name, "normal", (0.0, 0.0, 1.0), group, says, under=under)
