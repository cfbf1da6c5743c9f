"""How many times too strong a viewer shows own light and metal, told from pictures of converted materials: what a target profile corrects.

A picture is taken to be ours without the effect plus so many times what the effect adds; that factor is found by least squares over the
body.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np

from fenrain.core.material import Material
from fenrain.core.models.parameter import Parameter, Role
from fenrain.core.models.registry import model_of
from fenrain.core.outside.diagnosis import FINE, Seen, drawn
from fenrain.core.rendering.rigs.registry import Rig
from fenrain.core.values import Constant

Effect = Literal["emission", "metal"]
EMISSION: Final = "emission"
METAL: Final = "metal"
EFFECTS: Mapping[Effect, tuple[Role, ...]] = {EMISSION: (Role.EMISSION_WEIGHT, Role.EMISSION_COLOR), METAL: (Role.METALNESS,)}
"""By the response that a profile states: what is set to nothing, the first that a model has."""
LEAST_SEEN = 0.02
"""Mean light that an effect must add to be told by."""
WELL_EXPLAINED = 0.3
"""How much of what an effect adds may be left unexplained, root mean square."""
LEAST_OFF = 0.06
"""From where a response is told: less is within what renderers differ by anyway."""
Between = Callable[[], None]


@dataclass(frozen=True)
class Learned:
    """of: emission or metal; factor: how many times too strong it is shown, over what the profile corrects already; materials: by which it
    was told."""

    of: Effect
    factor: float
    materials: tuple[str, ...]

    def __str__(self) -> str:
        what = "own light" if self.of == EMISSION else "metal"
        strength = f"{self.factor:.2f} times too strong" if self.factor > 1.0 else f"too weak, {self.factor:.2f} times what it should be"
        return f"This viewer shows {what} {strength}"


def learned(seen: Sequence[Seen], rig: Rig, turn: float, between: Between) -> tuple[Learned, ...]:
    """What pictures of converted materials tell of their viewer; nothing where it shows both as they are meant, or differs otherwise."""
    found = []
    for effect, roles in EFFECTS.items():
        factors = {}
        for one in seen:
            parameter = _set_by(one.material, roles)
            if parameter is not None:
                between()
                factor = _factor(one, parameter, rig, turn)
                if factor is not None:
                    factors[one.material.name] = factor
        middle = float(np.median(list(factors.values()))) if factors else 1.0
        if abs(middle - 1.0) > LEAST_OFF and middle > 0.0:
            found.append(Learned(effect, middle, tuple(factors)))
    return tuple(found)


def _set_by(material: Material, roles: Sequence[Role]) -> Parameter | None:
    """The parameter that switches an effect off, where the effect is there."""
    by_role = model_of(material.model).by_role
    for role in roles:
        parameter = by_role.get(role)
        if parameter is not None:
            value = material.value(parameter.name)
            is_nothing = isinstance(value, Constant) and not np.any(np.asarray(value.value, dtype=float))
            return None if is_nothing else parameter
    return None


def _factor(one: Seen, parameter: Parameter, rig: Rig, turn: float) -> float | None:
    nothing = (0.0, 0.0, 0.0) if parameter.channels == 3 else 0.0
    without = drawn(one.material.having(**{parameter.name: Constant(nothing)}), one.stand, rig, turn, FINE)[one.body]
    added = drawn(one.material, one.stand, rig, turn, FINE)[one.body] - without
    strength = float(np.square(added).sum())
    if float(np.abs(added).mean()) < LEAST_SEEN:
        return None
    beyond = one.picture[one.body] - without
    factor = float((beyond * added).sum()) / strength
    left = float(np.sqrt(np.square(beyond - factor * added).sum() / strength))
    return factor if left <= WELL_EXPLAINED * max(factor, 1.0) else None
