"""The search of a fit: from several starts, least squares within bounds, all steps of a derivative looked at in one go.

Reference: Branch, Coleman & Li 1999, the trust region that SciPy's `least_squares` walks within bounds.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from fenrain.core.checking.fitting.free import Vector, free_values
from fenrain.core.checking.fitting.look import Distance, Look, look_of
from fenrain.core.checking.verdict import Tolerances
from fenrain.core.conversion.engine import Conversion
from fenrain.core.conversion.ledger import By, Override
from fenrain.core.material import Material
from fenrain.core.models.parameter import Parameter, Role
from fenrain.core.models.registry import Model
from fenrain.core.surfaces import LEAST_ROWS, mean_surface, surface_over
from fenrain.core.values import Constant, Value

MOST_STEPS = 15
ENOUGH = 1e-4
"""A step that gains or moves less than this share ends the walk."""
STEP = 1e-3
"""Of a value's range, for finite differences."""
STAYING = 1e-3
"""What a way over a value's whole range costs, as a residual: values that do not matter stay."""
HIGHLIGHTS = (Role.ROUGHNESS, Role.COAT_ROUGHNESS)


@dataclass(frozen=True)
class Start:
    """Where a search begins: title, in words; lends: roles of an effect that the conversion does not have, its amount first."""

    title: str
    lends: tuple[Role, ...] = ()


AS_CONVERTED = Start("as converted")
NARROW = Start("highlights half as wide")
HELD = Start("as converted, lamps held")
LENT = (
    Start("with a coat and fuzz", (Role.COAT, Role.COAT_ROUGHNESS, Role.FUZZ, Role.FUZZ_ROUGHNESS)),
    Start("with a coat", (Role.COAT, Role.COAT_ROUGHNESS)),
    Start("with fuzz", (Role.FUZZ, Role.FUZZ_ROUGHNESS)),
)


class Search:
    """Looks for values of these parameters with which a material looks like another one. between: called before each
    step; holding: see `Distance`; usual: whether only usual values are looked for."""

    def __init__(
        self,
        original: Material,
        material: Material,
        parameters: Sequence[Parameter],
        rigs: Sequence[str],
        tolerances: Tolerances,
        *,
        between: Callable[[], None] = lambda: None,
        holding: bool = False,
        usual: bool = False,
    ) -> None:
        self.vector, self._material, self._rigs, self._check_dropped = Vector(parameters, usual=usual), material, tuple(rigs), between
        surfaces = mean_surface(original), mean_surface(material)
        self._behind = any(surface.transmits for surface in surfaces)
        wanted, start = (look_of(surface, 0, rigs, behind=self._behind) for surface in surfaces)
        self._distance = Distance(wanted, start, rigs, tolerances, holding=holding)
        self._home = self.vector.values_of(material)
        self._last: tuple[np.ndarray, np.ndarray, np.ndarray] | None = None

    def walk(self, begin: Material, most_steps: int = MOST_STEPS) -> tuple[float, np.ndarray]:
        """Where a walk from a material leads: the squared distance there, and the row of numbers."""
        vector = self.vector
        inside = np.clip(vector.values_of(begin), vector.low + 1e-6, vector.high - 1e-6)
        from scipy.optimize import least_squares  # loads long, and is seldom needed

        found = least_squares(
            lambda row: self._looked(row)[0],
            inside,
            jac=lambda row: self._looked(row)[1],
            bounds=(vector.low, vector.high),
            x_scale=vector.range,
            max_nfev=most_steps,
            ftol=ENOUGH,
            xtol=ENOUGH,
        )
        return 2.0 * float(found.cost), np.round(found.x, 6)

    def _looked(self, row: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Residuals and their derivatives, (residuals, numbers). Asked for in turn, and computed together."""
        if self._last is None or not np.array_equal(self._last[0], row):
            self._check_dropped()
            self._last = (row.copy(), *self._worked_out(row))
        return self._last[1:]

    def _worked_out(self, row: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        step = STEP * self.vector.range
        step = np.where(row + step > self.vector.high, -step, step)
        found = self._residuals(np.concatenate([row[None], row + np.diag(step)]))
        return found[0], ((found[1:] - found[0]) / step[:, None]).T

    def _residuals(self, rows: np.ndarray) -> np.ndarray:
        stays = STAYING * (rows - self._home) / self.vector.range
        return np.concatenate([self._distance.residuals(self._seen(rows)), stays], axis=1)

    def _seen(self, rows: np.ndarray) -> Look:
        padded = np.concatenate([rows, np.repeat(rows[-1:], max(LEAST_ROWS - len(rows), 0), axis=0)])
        whole = look_of(surface_over(self._material, self.vector.columns(padded)), len(padded), self._rigs, behind=self._behind)
        return Look(*(part[: len(rows)] for part in (whole.energy, whole.pixels, whole.lamps)))


def narrowed(material: Material, vector: Vector) -> Material:
    """The material with highlights half as wide, since a narrow one does not draw a wide one towards it."""
    row = vector.values_of(material)
    return vector.laid_over(material, np.where(vector.where(lambda parameter: parameter.role in HIGHLIGHTS), 0.5 * row, row))


LENT_COAT, LEFT_REFLECTION, LENT_FUZZ, LENT_FUZZ_ROUGHNESS = 0.8, 0.2, 0.05, 0.5
"""Amounts to begin with: most of the reflection goes to the coat, a trace of fuzz."""


def lendable(conversion: Conversion, locked: frozenset[str]) -> Iterator[tuple[Start, Material, tuple[Parameter, ...]]]:
    """The start with most of an effect that the conversion does not have and its target can hold: (start, material there, free parameters).

    Only for opaque bodies that are no metal: a reflection shared out between a surface and its coat, and fuzz for the rim of rough ones,
    stand for what other models' layers say otherwise. And only where no value is locked or set by a person: it would be worked around.
    """
    model, material = conversion.target, conversion.material
    metal, free = model.by_role.get(Role.METALNESS), free_values(conversion, locked)
    if (
        locked
        or conversion.overrides
        or mean_surface(material).transmits
        or (metal is not None and material.value(metal.name) != Constant(0.0))
    ):
        return
    for start in LENT:
        added = [model.by_role[role] for role in start.lends if role in model.by_role]
        laid = _begun(material, model, start)
        if len(added) < len(start.lends) or not _can_hold(conversion, laid):
            continue
        if all(_is_nothing(material.value(parameter.name)) for parameter in added if parameter.role in (Role.COAT, Role.FUZZ)):
            names = {parameter.name for parameter in free} | laid.keys()
            yield start, material.having(**laid), tuple(parameter for parameter in model.parameters if parameter.name in names)
            return


def _begun(material: Material, model: Model, start: Start) -> dict[str, Value]:
    """What a lent effect begins with, by name; nothing where the reflection is not made of constants."""
    roughness, weight = (_number(material, model, role) for role in (Role.ROUGHNESS, Role.SPECULAR_WEIGHT))
    if roughness is None or weight is None:
        return {}
    values: dict[Role, float] = {}
    if Role.COAT in start.lends:
        values |= {Role.COAT: LENT_COAT, Role.COAT_ROUGHNESS: roughness, Role.SPECULAR_WEIGHT: LEFT_REFLECTION * weight}
    if Role.FUZZ in start.lends:
        values |= {Role.FUZZ: LENT_FUZZ, Role.FUZZ_ROUGHNESS: LENT_FUZZ_ROUGHNESS}
    parameters = {model.by_role[role]: value for role, value in values.items() if role in model.by_role}
    return {p.name: Constant((value,) * 3 if p.channels == 3 else value) for p, value in parameters.items()}


def _number(material: Material, model: Model, role: Role) -> float | None:
    """A number by its role: 1 where the model has none, None for a map."""
    if role not in model.by_role:
        return 1.0
    value = material.value(model.by_role[role].name)
    return float(np.mean(value.value)) if isinstance(value, Constant) else None  # type: ignore[arg-type]


def _is_nothing(value: Value) -> bool:
    return isinstance(value, Constant) and not np.any(value.value)


def _can_hold(conversion: Conversion, laid: Mapping[str, Value]) -> bool:
    """Whether the target's format and profile hold these values."""
    held = conversion.having({**conversion.overrides, **{name: Override(value, By.FIT, "") for name, value in laid.items()}})
    return bool(laid) and all(held.material.value(name) == value for name, value in laid.items())
