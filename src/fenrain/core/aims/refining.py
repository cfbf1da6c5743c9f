"""Moves the values of a plain candidate to where it looks nearest to the original, within what is usual.

How wide a highlight is stays: a wider one, or none, may measure nearer, but is not what anybody would keep.
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
from fenrain.core.models.parameter import Role
from fenrain.core.values import Constant, Value

MOST_STEPS = 8
HELD = (Role.ROUGHNESS, Role.COAT_ROUGHNESS, Role.SPECULAR_COLOR, Role.ANISOTROPY, Role.ROTATION)


def refined(conversion: Conversion, rigs: Sequence[str], tolerances: Tolerances) -> Conversion:
    """The conversion with its constants moved by least squares; what is untinted, or no metal, stays so."""
    parameters = tuple(parameter for parameter in free_values(conversion) if parameter.role not in {*HELD, _unsaid(conversion)})
    if not parameters:
        return conversion
    search = Search(conversion.original, conversion.material, parameters, rigs, tolerances, usual=True)
    _, row = search.walk(conversion.material, MOST_STEPS)
    found = search.vector.laid_over(conversion.material, np.round(row, DIGITS))
    moved: dict[str, tuple[Value, str]] = {}
    for parameter in parameters:
        before, after = conversion.material.value(parameter.name), found.value(parameter.name)
        if isinstance(before, Constant) and isinstance(after, Constant) and before != after:
            words = f"{describe_plain(before.value)} → {describe_plain(after.value)}"
            moved[parameter.name] = after, f"Least squares within usual values on what the verdict depends on: {words}."
    return conversion.rederived(moved, "refined")


def _unsaid(conversion: Conversion) -> Role:
    """Of weight and index of the reflection the one that stays as it is, so that one number says how much is reflected."""
    weight = conversion.target.by_role.get(Role.SPECULAR_WEIGHT)
    whole = weight is None or conversion.material.value(weight.name) == Constant(weight.default)
    return Role.SPECULAR_WEIGHT if whole else Role.INDEX
