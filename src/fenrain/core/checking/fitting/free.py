"""Which values of a conversion a fit may move, and within what bounds."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from fenrain.core.conversion.aim import Aim
from fenrain.core.conversion.engine import Conversion
from fenrain.core.conversion.ledger import Entry
from fenrain.core.lobes.aspects import GLOW
from fenrain.core.material import Material
from fenrain.core.models.parameter import INDICES, Kind, Parameter, Role
from fenrain.core.models.registry import model_of
from fenrain.core.models.usual import INDEX_OF_OPAQUE, ROUGHEST, SMOOTHEST
from fenrain.core.rules.fidelity import Fidelity
from fenrain.core.values import Constant, Plain

HIGHEST_IOR = 5.0
ROUGHNESSES = (Role.ROUGHNESS, Role.COAT_ROUGHNESS, Role.BODY_ROUGHNESS, Role.FUZZ_ROUGHNESS)


def free_values(conversion: Conversion, locked: frozenset[str] = frozenset()) -> tuple[Parameter, ...]:
    """The target values that a fit may move: numbers and colours without a map that are not exact, nothing set over them. Plain values stay
    untinted."""
    model, material = model_of(conversion.material.model), conversion.material
    entries = (entry for entry in conversion.ledger if entry.target and entry.target not in locked)
    free = (parameter for entry in entries if _is_free(entry, parameter := model.parameter(entry.target), material))
    return tuple(one for one in free if conversion.aim is not Aim.PLAIN or one.role is not Role.SPECULAR_COLOR)


def _is_free(entry: Entry, parameter: Parameter, material: Material) -> bool:
    if entry.override is not None or not isinstance(entry.derived, Constant) or entry.group == GLOW:
        return False
    if parameter.kind not in (Kind.NUMBER, Kind.COLOUR) or parameter.extra or _says_whether(parameter, entry.derived.value):
        return False
    governing = Constant(0.0) == material.value(parameter.under) if parameter.under else False
    return entry.fidelity is not Fidelity.EXACT and not governing


def _says_whether(parameter: Parameter, value: Plain) -> bool:
    """Whether the value says that an effect is not there at all, or that something is or is no metal: a fit leaves both as they are."""
    if parameter.role is Role.METALNESS and value in (0.0, 1.0):
        return True
    return parameter.kind is Kind.NUMBER and value == parameter.low == 0.0 and parameter.role not in ROUGHNESSES


class Vector:
    """Values of several parameters in one row of numbers, with their bounds. usual: whether those are of what is usual."""

    def __init__(self, parameters: Sequence[Parameter], *, usual: bool = False) -> None:
        self.parameters = parameters
        self.low, self.high = (np.concatenate([np.full(p.channels, _bounds(p, usual)[end]) for p in parameters]) for end in (0, 1))

    @property
    def range(self) -> np.ndarray:
        return np.asarray(self.high - self.low)

    def values_of(self, material: Material) -> np.ndarray:
        values = [np.atleast_1d(np.asarray(material.value(p.name).value, dtype=float)) for p in self.parameters]  # type: ignore[union-attr]
        return np.clip(np.concatenate(values), self.low, self.high)

    def where(self, holds: Callable[[Parameter], bool]) -> np.ndarray:
        """For each number, whether this holds for its parameter."""
        return np.concatenate([np.full(p.channels, holds(p)) for p in self.parameters])

    def columns(self, rows: np.ndarray) -> dict[str, np.ndarray]:
        """Rows of numbers by name: (n,), colours (n, 3)."""
        ends = np.cumsum([p.channels for p in self.parameters])
        parts = np.split(rows, ends[:-1], axis=1)
        return {p.name: part if p.channels == 3 else part[:, 0] for p, part in zip(self.parameters, parts, strict=True)}

    def values(self, row: np.ndarray) -> dict[str, Plain]:
        """One row by name, as plain values."""
        return {
            name: tuple(float(x) for x in column[0]) if column.ndim == 2 else float(column[0])
            for name, column in self.columns(row[None]).items()
        }

    def laid_over(self, material: Material, row: np.ndarray) -> Material:
        return material.having(**{name: Constant(value) for name, value in self.values(row).items()})


USUAL = {
    Role.INDEX: INDEX_OF_OPAQUE,
    Role.COAT_INDEX: INDEX_OF_OPAQUE,
    Role.SPECULAR_WEIGHT: (0.0, 1.0),
    Role.ROUGHNESS: (SMOOTHEST, ROUGHEST),
    Role.COAT_ROUGHNESS: (0.0, ROUGHEST),
}


def _bounds(parameter: Parameter, usual: bool) -> tuple[float, float]:
    if usual and parameter.role in USUAL:
        return USUAL[parameter.role]
    seen = parameter.usual or (0.0, 1.0)
    low = parameter.low if np.isfinite(parameter.low) else seen[0]
    if parameter.role in INDICES:
        return max(low, 1.0), HIGHEST_IOR
    return low, parameter.high if np.isfinite(parameter.high) else max(seen[1], 1.0) * 2.0
