"""Moves the values of a plain candidate to where it looks nearest to the original, within what is usual.

How wide a highlight is stays: a wider one, or none, may measure nearer, but is not what anybody would keep. A map of the body's colour
moves as a whole, by a factor.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from fenrain.core.aims.settling import DIGITS
from fenrain.core.checking.fitting.free import free_values
from fenrain.core.checking.fitting.search import Search
from fenrain.core.checking.verdict import Tolerances
from fenrain.core.conversion.engine import Conversion
from fenrain.core.descriptions import describe_plain
from fenrain.core.maps.mean import mean_of
from fenrain.core.maps.scaling import Factor, times
from fenrain.core.models.parameter import Role
from fenrain.core.rules.fidelity import Fidelity
from fenrain.core.values import Constant, Plain, Value

MOST_STEPS = 8
LEAST_FACTOR = 0.02
"""A map is left as it is where a factor would change no channel by more than this share."""
FAINTEST = 1e-4
"""A channel of a map whose mean is below this is black, whatever it is multiplied by."""
HELD = (Role.ROUGHNESS, Role.COAT_ROUGHNESS, Role.SPECULAR_COLOR, Role.ANISOTROPY, Role.ROTATION)


def refined(conversion: Conversion, rigs: Sequence[str], tolerances: Tolerances) -> Conversion:
    """The conversion with its constants moved by least squares; what is untinted, or no metal, stays so."""
    graded = _graded(conversion)
    constants = tuple(one for one in free_values(conversion) if one.role not in {*HELD, _unsaid(conversion)})
    if not (constants or graded):
        return conversion
    parameters = (*constants, *(conversion.target.parameter(name) for name in graded))
    flat = conversion.material.having(**{name: Constant(mean) for name, mean in graded.items()})
    search = Search(conversion.original, flat, parameters, rigs, tolerances, usual=True)
    _, row = search.walk(flat, MOST_STEPS)
    found = search.vector.laid_over(flat, np.round(row, DIGITS))
    moved: dict[str, tuple[Value, str]] = {}
    for parameter in parameters:
        before, after = flat.value(parameter.name), found.value(parameter.name)
        if isinstance(before, Constant) and isinstance(after, Constant) and before != after:
            value: Value = after
            words = f"{describe_plain(before.value)} → {describe_plain(after.value)}"
            if parameter.name in graded:
                factor = _factor(before.value, after.value)
                if not _is_seen(factor):
                    continue
                value, words = times(conversion.material.value(parameter.name), factor), f"the map × {describe_plain(factor)}"
            moved[parameter.name] = value, f"Least squares within usual values on what the verdict depends on: {words}."
    return conversion.rederived(moved, "refined")


def _graded(conversion: Conversion) -> dict[str, Plain]:
    """Means of the maps that may move as a whole, by name: colours of the body that are not exact, and that nobody set."""
    body = conversion.target.by_role.get(Role.BASE_COLOR)
    found: dict[str, Plain] = {}
    for entry in conversion.ledger:
        is_map = entry.derived is not None and not isinstance(entry.derived, Constant)
        if body is not None and entry.target == body.name and is_map and entry.override is None and entry.fidelity is not Fidelity.EXACT:
            found[entry.target] = mean_of(conversion.material.value(entry.target))
    return found


def _factor(before: Plain, after: Plain) -> Factor:
    """What one is times the other, by channels; 1 where there is nothing to multiply."""
    start, end = (np.asarray(value, dtype=float) for value in (before, after))
    ratio = np.round(np.divide(end, start, out=np.ones_like(start), where=start > FAINTEST), DIGITS)
    return float(ratio) if ratio.ndim == 0 else tuple(map(float, ratio))


def _is_seen(factor: Factor) -> bool:
    return bool(np.abs(np.asarray(factor) - 1.0).max() > LEAST_FACTOR)


def _unsaid(conversion: Conversion) -> Role:
    """Of weight and index of the reflection the one that stays as it is, so that one number says how much is reflected."""
    weight = conversion.target.by_role.get(Role.SPECULAR_WEIGHT)
    whole = weight is None or conversion.material.value(weight.name) == Constant(weight.default)
    return Role.SPECULAR_WEIGHT if whole else Role.INDEX
