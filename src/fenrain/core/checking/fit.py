"""Lets the computer tune: approximated values moved until the measured difference is least; and what causes the rest of it.

References
- Branch, Coleman & Li 1999: the trust region that SciPy's `least_squares` walks within bounds.
- The sum of absolute differences, which the quick check measures, as a sum of squares: r = d/√(|d| + ε), so that r² ≈ |d| (the smoothed
  least absolute deviations of Charbonnier et al. 1994).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from scipy.optimize import least_squares

from fenrain.core.checking.quick import Response, differences, lobe_error, response
from fenrain.core.convert.engine import Conversion
from fenrain.core.convert.ledger import By, Entry, Override
from fenrain.core.lobes.aspects import ASPECTS, GLOW
from fenrain.core.material import Material
from fenrain.core.models.parameter import Kind, Parameter, Role
from fenrain.core.models.registry import model_of
from fenrain.core.rules.fidelity import Fidelity
from fenrain.core.surfaces import mean_surface
from fenrain.core.values import Constant, Plain
from fenrain.core.words import describe_plain

MOST_STEPS = 12
LEAST_GAIN = 1e-3
"""A fit that lowers the error by less than this share of it changes nothing."""
IDLE_STEP, IDLE_GAIN = 0.02, 2e-3
"""A value that moved by less than this share of its range is put back where that raises the error by less than this share of it."""
STEP = 1e-3
"""Of a value's range, for finite differences."""
SMOOTH = 1e-3
"""ε as a share of the mean absolute difference."""
FAR_OFF = 0.05
"""Lobe error above which a second start is tried."""
HIGHEST_IOR = 5.0
THINNED = 3
"""The steps look at each third direction; the error before and after, at all."""
HIGHLIGHTS = (Role.ROUGHNESS, Role.COAT_ROUGHNESS)
ROUGHNESSES = (*HIGHLIGHTS, Role.BODY_ROUGHNESS, Role.FUZZ_ROUGHNESS)
INDICES = (Role.INDEX, Role.COAT_INDEX, Role.FILM_INDEX)
FREE_FIDELITIES = (Fidelity.APPROXIMATED, Fidelity.ASSUMED)


@dataclass(frozen=True)
class Fit:
    """A conversion with its fitted values as overrides, the normalised lobe error before and after, and the names that were free."""

    conversion: Conversion
    before: float
    after: float
    free: tuple[str, ...]

    @property
    def changed(self) -> tuple[str, ...]:
        return tuple(name for name, override in self.conversion.overrides.items() if override.by is By.FIT)


def fit(conversion: Conversion, locked: Iterable[str] = ()) -> Fit:
    """Move the approximated constants of a conversion to where the quick check differs least. The same input gives the same result.

    locked: target values that stay; a value set by hand, copied or by a remedy stays too. Never ends with a larger error.
    """
    conversion = _without_earlier_fit(conversion)
    wanted = response(mean_surface(conversion.original))
    before = lobe_error(wanted, response(mean_surface(conversion.material)))
    free = free_values(conversion, frozenset(locked))
    unchanged = Fit(conversion, before, before, tuple(parameter.name for parameter in free))
    if not free or before < 1e-6:
        return unchanged
    vector = _Vector(free)
    start = vector.of(conversion.material)
    residuals = _residuals(conversion.original, conversion.material, vector)
    ends = [_walk(residuals, begin, vector, MOST_STEPS) for begin in _starts(vector, start, before)]
    after, at = min((lobe_error(wanted, _seen(conversion.material, vector, end)), index) for index, end in enumerate(ends))
    after, best = _without_idle_steps(wanted, conversion.material, vector, start, ends[at], after)
    if not after < before * (1.0 - LEAST_GAIN):
        return unchanged
    return replace(unchanged, conversion=_with_fitted(conversion, vector, start, best, before, after), after=after)


def _starts(vector: _Vector, start: np.ndarray, before: float) -> list[np.ndarray]:
    """Where to begin: at what the rules gave; and, where that is far off, with highlights half as wide, since a narrow one does not draw a
    wide one towards it."""
    narrow = vector.where(lambda parameter: parameter.role in HIGHLIGHTS)
    return [start, np.where(narrow, 0.5 * start, start)] if before > FAR_OFF and narrow.any() else [start]


def _without_idle_steps(
    wanted: Response, material: Material, vector: _Vector, start: np.ndarray, best: np.ndarray, after: float
) -> tuple[float, np.ndarray]:
    """The error and the end, with each value back at its start that moved a little without changing the error."""
    for parameter in vector.parameters:
        own = vector.where(lambda other, parameter=parameter: other is parameter)  # type: ignore[misc]
        if np.all(np.abs(best - start)[own] < IDLE_STEP * (vector.high - vector.low)[own]):
            settled = np.where(own, start, best)
            kept = lobe_error(wanted, _seen(material, vector, settled))
            if kept <= after * (1.0 + IDLE_GAIN):
                after, best = kept, settled
    return after, best


def nearest(original: Material, start: Material, parameters: Sequence[Parameter], most_steps: int) -> Material:
    """Where the same walk leads from a material when these parameters of its model are free, whatever their fidelity."""
    vector = _Vector(parameters)
    end = _walk(_residuals(original, start, vector), vector.of(start), vector, most_steps)
    return start.having(**{name: Constant(value) for name, value in vector.values(end).items()})


def _residuals(original: Material, material: Material, vector: _Vector) -> Callable[[np.ndarray], np.ndarray]:
    """The weighted differences to the original, of which least squares sees about the absolute values."""
    thinly = response(mean_surface(original), THINNED)
    scale = float(np.abs(differences(thinly, _seen(material, vector, vector.of(material), THINNED))).mean()) * SMOOTH + 1e-12

    def at(row: np.ndarray) -> np.ndarray:
        found = differences(thinly, _seen(material, vector, row, THINNED))
        return found / np.sqrt(np.abs(found) + scale)

    return at


def _walk(residuals: Callable[[np.ndarray], np.ndarray], begin: np.ndarray, vector: _Vector, most_steps: int) -> np.ndarray:
    inside = np.clip(begin, vector.low + 1e-6, vector.high - 1e-6)
    ranges, bounds = vector.high - vector.low, (vector.low, vector.high)
    return np.round(least_squares(residuals, inside, bounds=bounds, x_scale=ranges, diff_step=STEP, max_nfev=most_steps).x, 6)


def free_values(conversion: Conversion, locked: frozenset[str] = frozenset()) -> tuple[Parameter, ...]:
    """The target values that a fit may move: approximated or assumed numbers and colours without a map, nothing set over them."""
    model, material = model_of(conversion.material.model), conversion.material
    entries = (entry for entry in conversion.ledger if entry.target and entry.target not in locked)
    return tuple(parameter for entry in entries if _is_free(entry, parameter := model.parameter(entry.target), material))


@dataclass(frozen=True)
class Shares:
    """What causes the remaining difference, as shares of the normalised lobe error: by name of the approximated target value, and by name
    of the lost source value."""

    values: dict[str, float] = field(default_factory=dict)
    losses: dict[str, float] = field(default_factory=dict)


def shares(conversion: Conversion) -> Shares:
    """Where the remaining difference comes from.

    A lost effect counts by how much nearer the original is without it. What remains in an optical aspect is shared out among its
    approximated values by how strongly the surface hangs on each.
    """
    wanted, seen = response(mean_surface(conversion.original)), response(mean_surface(conversion.material))
    whole = lobe_error(wanted, seen)
    if whole < 1e-6:
        return Shares()
    lost = {name: _gain_without(conversion, name, seen, whole) for entry in conversion.ledger for name in _lost(entry)}
    total = sum(lost.values())
    lost = {name: gain * min(1.0, whole / total) for name, gain in lost.items() if gain > 0.01 * whole} if total > 0 else {}
    rest = max(whole - sum(lost.values()), 0.0)
    by_aspect = _aspect_differences(conversion)
    hangs = _sensitivities(conversion)
    found: dict[str, float] = {}
    together = sum(difference for aspect, difference in by_aspect.items() if any(group == aspect for group, _ in hangs.values()))
    for aspect, difference in by_aspect.items():
        members = {name: strength for name, (group, strength) in hangs.items() if group == aspect}
        for name, strength in members.items():
            found[name] = rest * difference / together * strength / max(sum(members.values()), 1e-12)
    return Shares(found, lost)


def _without_earlier_fit(conversion: Conversion) -> Conversion:
    return conversion.having({name: override for name, override in conversion.overrides.items() if override.by is not By.FIT})


def _is_free(entry: Entry, parameter: Parameter, material: Material) -> bool:
    if entry.override is not None or not isinstance(entry.derived, Constant) or entry.group == GLOW:
        return False
    if parameter.kind not in (Kind.NUMBER, Kind.COLOUR) or parameter.extra or _says_whether(parameter, entry.derived.value):
        return False
    governing = Constant(0.0) == material.value(parameter.under) if parameter.under else False
    return entry.fidelity in FREE_FIDELITIES and not governing


def _says_whether(parameter: Parameter, value: Plain) -> bool:
    """Whether the value says that an effect is not there at all, or that something is or is no metal: a fit leaves both as they are."""
    if parameter.role is Role.METALNESS and value in (0.0, 1.0):
        return True
    return parameter.kind is Kind.NUMBER and value == parameter.low == 0.0 and parameter.role not in ROUGHNESSES


class _Vector:
    """Values of several parameters in one row of numbers, with their bounds."""

    def __init__(self, parameters: Sequence[Parameter]) -> None:
        self.parameters = parameters
        self.low = np.concatenate([np.full(p.channels, _bounds(p)[0]) for p in parameters])
        self.high = np.concatenate([np.full(p.channels, _bounds(p)[1]) for p in parameters])

    def of(self, material: Material) -> np.ndarray:
        values = [np.atleast_1d(np.asarray(material.value(p.name).value, dtype=float)) for p in self.parameters]  # type: ignore[union-attr]
        return np.clip(np.concatenate(values), self.low, self.high)

    def where(self, holds: Callable[[Parameter], bool]) -> np.ndarray:
        """For each number, whether this holds for its parameter."""
        return np.concatenate([np.full(p.channels, holds(p)) for p in self.parameters])

    def values(self, at: np.ndarray) -> dict[str, Plain]:
        found: dict[str, Plain] = {}
        begin = 0
        for p in self.parameters:
            part = at[begin : begin + p.channels]
            found[p.name] = tuple(float(x) for x in part) if p.channels == 3 else float(part[0])
            begin += p.channels
        return found


def _bounds(parameter: Parameter) -> tuple[float, float]:
    usual = parameter.usual or (0.0, 1.0)
    low = parameter.low if np.isfinite(parameter.low) else usual[0]
    if parameter.role in INDICES:
        return max(low, 1.0), HIGHEST_IOR
    return low, parameter.high if np.isfinite(parameter.high) else max(usual[1], 1.0) * 2.0


def _seen(material: Material, vector: _Vector, at: np.ndarray, every: int = 1) -> Response:
    return response(mean_surface(material.having(**{name: Constant(value) for name, value in vector.values(at).items()})), every)


def _with_fitted(conversion: Conversion, vector: _Vector, start: np.ndarray, best: np.ndarray, before: float, after: float) -> Conversion:
    old, new = vector.values(start), vector.values(best)
    fitted = {
        name: Override(
            Constant(value),
            By.FIT,
            f"least squares on the quick check over {best.size} numbers: {describe_plain(old[name])} → {describe_plain(value)}; "
            f"lobe error {before:.3g} → {after:.3g}",
        )
        for name, value in new.items()
        if not np.allclose(value, old[name], rtol=0, atol=1e-6)
    }
    return conversion.having({**conversion.overrides, **fitted})


def _lost(entry: Entry) -> tuple[str, ...]:
    return () if entry.target else entry.sources[:1]


def _gain_without(conversion: Conversion, name: str, seen: Response, whole: float) -> float:
    """How much nearer the original comes when this value of it is at its default."""
    values = {other: value for other, value in conversion.original.values.items() if other != name}
    return max(whole - lobe_error(response(mean_surface(replace(conversion.original, values=values))), seen), 0.0)


def _aspect_differences(conversion: Conversion) -> dict[str, float]:
    surfaces = [mean_surface(material) for material in (conversion.original, conversion.material)]
    found = {}
    for aspect in ASPECTS:
        ours, theirs = (response(surface.only((aspect,))) for surface in surfaces)
        found[aspect] = float(np.abs(differences(ours, theirs)).sum())
    return {aspect: difference for aspect, difference in found.items() if difference > 1e-9}


def _sensitivities(conversion: Conversion) -> dict[str, tuple[str, float]]:
    """(aspect, how much the surface changes) for a small step of each approximated value."""
    here = response(mean_surface(conversion.material))
    found = {}
    for parameter in free_values(conversion):
        vector = _Vector((parameter,))
        start = vector.of(conversion.material)
        step = 0.01 * (vector.high - vector.low)
        moved = _seen(conversion.material, vector, np.where(start + step > vector.high, start - step, start + step))
        found[parameter.name] = (parameter.group, float(np.abs(differences(here, moved)).sum()))
    return found
