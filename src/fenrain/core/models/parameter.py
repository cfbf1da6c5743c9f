"""The declaration of a parameter. Interface, command line, findings, fits, rules and docs all read it."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Any, ClassVar

import numpy as np

from fenrain.core.errors import ParameterError
from fenrain.core.lobes.aspects import RELIEF
from fenrain.core.lobes.surface import Surface
from fenrain.core.optics.arrays import Array
from fenrain.core.values import Plain

SAME = 1e-9
"""Numbers this close are one."""

WHITE = "× display white"
"""Unit of own light where 1 is white at exposure 0."""


class Kind(StrEnum):
    """What sort of value a parameter takes."""

    NUMBER = "number"
    COLOUR = "colour"
    FLAG = "flag"
    CHOICE = "choice"
    NORMAL = "normal"
    SPECTRUM = "spectrum"


class Role(StrEnum):
    """What a parameter is, whatever its model calls it. Fit, findings, check and interface ask for roles, never for names."""

    BASE_COLOR = "base colour"
    METALNESS = "metalness"
    ROUGHNESS = "roughness"
    GLOSSINESS = "glossiness"
    SPECULAR_WEIGHT = "weight of the reflection"
    SPECULAR_COLOR = "colour of the reflection"
    INDEX = "index of refraction"
    ANISOTROPY = "anisotropy"
    ROTATION = "rotation of the tangent"
    TRANSMISSION = "transmission"
    TRANSMISSION_COLOR = "colour of the transmission"
    TRANSMISSION_DEPTH = "depth of the transmission"
    SUBSURFACE = "subsurface"
    SUBSURFACE_COLOR = "colour of the subsurface"
    COAT = "coat"
    COAT_ROUGHNESS = "roughness of the coat"
    COAT_INDEX = "index of the coat"
    COAT_NORMAL = "normal of the coat"
    FILM_INDEX = "index of the film"
    BODY_ROUGHNESS = "roughness of the body"
    FUZZ_ROUGHNESS = "roughness of the fuzz"
    FUZZ = "fuzz"
    EMISSION_COLOR = "colour of the emission"
    EMISSION_WEIGHT = "strength of the emission"
    OPACITY = "opacity"
    NORMAL = "normal"
    HEIGHT = "height"
    DISPLACEMENT = "displacement"
    OCCLUSION = "occlusion"
    PAINTED_REFLECTION = "painted surroundings"
    TILE_WIDTH = "width of a tile"
    TILE_HEIGHT = "height of a tile"
    FLAKES = "flakes"


INDICES = (Role.INDEX, Role.COAT_INDEX, Role.FILM_INDEX)
"""Roles of indices of refraction."""


OPPOSITES = {Role.ROUGHNESS: Role.GLOSSINESS, Role.GLOSSINESS: Role.ROUGHNESS}
"""Roles of which one is what is missing of the other."""

LENGTHS = {"scene units": 1, "mesh units": 1, "metres": 1, "1/scene unit": -1}
"""Units of values that depend on the asset's unit of length, with the power by which they do."""


@dataclass(frozen=True)
class Parameter:
    """low and high: what the model allows; usual: what is seen in practice; group: its optical aspect; role: what it is in every model.

    under: the parameter without which this one has no effect; extra: carried along by Fenrain, not part of the standard's own set;
    undrawn: why the model's surface does not draw it, "" where it does; turned_by: a choice of the model, and the option of it under which
    the number is counted from 1 down, and its default with it (see `Model.default`); idle_at: another parameter, and its value at which
    this one changes nothing.
    """

    name: str
    kind: Kind
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
    role: Role | None = None
    undrawn: str = ""
    turned_by: tuple[str, int] | None = None
    idle_at: tuple[str, Plain] | None = None

    @property
    def length(self) -> int:
        """The power with which a value grows with the unit of length: 1 for a distance, −1 for what is counted along one, else 0."""
        return LENGTHS.get(self.unit, 0)

    @property
    def channels(self) -> int:
        return 3 if self.kind in (Kind.COLOUR, Kind.NORMAL) else 1

    @property
    def is_plain(self) -> bool:
        """Whether surfaces and rules take the value as it is stored, and no map can stand for it."""
        return self.kind in (Kind.FLAG, Kind.CHOICE, Kind.SPECTRUM)

    @staticmethod
    def are_same(one: Plain, other: Plain) -> bool:
        """Whether two values are the same, but for rounding."""
        if isinstance(one, tuple) and isinstance(other, tuple):
            return len(one) == len(other) and all(abs(first - second) <= SAME for first, second in zip(one, other, strict=True))
        if isinstance(one, (int, float)) and isinstance(other, (int, float)):
            return abs(one - other) <= SAME
        return one == other

    def is_without_effect(self, value: Plain) -> bool:
        """Whether what depends on this value changes nothing: it is 0 or black, or a normal without a map."""
        return self.kind is Kind.NORMAL or not np.any(np.asarray(value, dtype=float))

    def accept(self, value: Any) -> Plain:
        """The value as the code holds it. Raises ParameterError for a wrong kind, or a number that is not finite or not allowed."""
        if self.kind is Kind.FLAG:
            return self._flag(value)
        if self.kind is Kind.CHOICE:
            return self._choice(value)
        if self.kind is Kind.COLOUR:
            parts = [value] * 3 if isinstance(value, (int, float)) and not isinstance(value, bool) else value
            if not isinstance(parts, Sequence) or isinstance(parts, str) or len(parts) != 3:
                raise self._refused(value, "Give three numbers (linear red, green, blue).")
            return tuple(self._number(part) for part in parts)
        if self.kind is Kind.SPECTRUM:
            return self._spectrum(value)
        if self.kind is Kind.NORMAL:
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
        if isinstance(value, bool) or (isinstance(value, (int, float)) and value in (0, 1)):
            return bool(value)
        raise self._refused(value, "Give true or false.")

    def _choice(self, value: Any) -> int:
        allowed = [key for key, _ in self.options]
        if isinstance(value, (int, float)) and not isinstance(value, bool) and value in allowed:
            return int(value)
        raise self._refused(value, f"Choose one of {', '.join(f'{key} ({label})' for key, label in self.options)}.")

    def range_text(self) -> str:
        low = f"{self.low:g}" if math.isfinite(self.low) else "any"
        high = f"{self.high:g}" if math.isfinite(self.high) else "any"
        return f"{low} to {high}"

    def _refused(self, value: Any, remedy: str) -> ParameterError:
        return ParameterError(f"“{str(value)[:80]}” is not a value for {self.name}.", place=self.name, remedy=remedy)


class Parameters:
    """A typed view of a material's values, and at once the declaration of its model's parameters: subclass it and declare each one.

        class SpecGloss(Parameters):
            glossiness: Array = number(default=1.0, high=1.0, group=REFLECTION, says="1 is a perfect mirror")

    `declared` lists them, those of the class before those that it inherits. An instance holds the values that it was given and no
    others: reading one that is not there raises AttributeError, so that a rule reads what it declares.
    up: cosine between the surface and the vertical, where there is a scene; parts: the surfaces of a mix's materials, where it has any.
    """

    declared: ClassVar[tuple[Parameter, ...]] = ()
    _places: ClassVar[Mapping[str, tuple[str, str, type[Parameters]]]] = {}
    up: Array = None
    parts: tuple[Surface, ...] = ()

    def __init_subclass__(cls) -> None:
        own: list[Parameter] = []
        places: dict[str, tuple[str, str, type[Parameters]]] = {}
        for name, found in list(vars(cls).items()):
            if isinstance(found, Parameter):
                own.append(replace(found, name=name))
                delattr(cls, name)
            elif isinstance(found, _Group):
                for parameter in found.parameters(f"{name}_"):
                    own.append(parameter)
                    places[parameter.name] = (name, parameter.name.removeprefix(f"{name}_"), found.view)
                delattr(cls, name)
        inherited = dict.fromkeys(parameter for base in cls.__bases__ for parameter in getattr(base, "declared", ()))
        cls.declared = (*own, *inherited)
        cls._places = {**{name: place for base in cls.__bases__ for name, place in getattr(base, "_places", {}).items()}, **places}

    def __init__(self, values: Mapping[str, Any]) -> None:
        """values: by the flat names under which the model knows them."""
        own = self.__dict__
        for name, value in values.items():
            place = self._places.get(name)
            if place is None:
                own[name] = value
            else:
                group, inner, view = place
                if group not in own:
                    own[group] = view({})
                own[group].__dict__[inner] = value


@dataclass(frozen=True)
class _Group:
    """Parameters that stand in a view of their own under one name; changes: fields that differ here, by the parameter's own name."""

    view: type[Parameters]
    shared: Mapping[str, Any]
    changes: Mapping[str, Mapping[str, Any]]

    def parameters(self, prefix: str) -> list[Parameter]:
        return [replace(p, **{**self.shared, **self.changes.get(p.name, {}), **_prefixed(p, prefix)}) for p in self.view.declared]


def _prefixed(parameter: Parameter, prefix: str) -> dict[str, Any]:
    """The names of a parameter within a group."""
    idle = parameter.idle_at and (prefix + parameter.idle_at[0], parameter.idle_at[1])
    return {"name": prefix + parameter.name, "under": parameter.under and prefix + parameter.under, "idle_at": idle}


def group_of(view: type[Parameters], changes: Mapping[str, Mapping[str, Any]] | None = None, **shared: Any) -> Any:
    """The parameters of another view, each called by this attribute's name before its own. shared, changes: fields that differ here."""
    return _Group(view, shared, changes or {})


def number(
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
    role: Role | None = None,
    undrawn: str = "",
    turned_by: tuple[str, int] | None = None,
    idle_at: tuple[str, Plain] | None = None,
) -> Any:
    return Parameter(
        "",
        Kind.NUMBER,
        float(default),
        group,
        says,
        low,
        high,
        usual,
        unit,
        under=under,
        extra=extra,
        role=role,
        undrawn=undrawn,
        turned_by=turned_by,
        idle_at=idle_at,
    )


def colour(
    *,
    default: float | tuple[float, float, float],
    group: str,
    says: str,
    low: float = 0.0,
    high: float = math.inf,
    usual: tuple[float, float] | None = None,
    unit: str = "",
    under: str = "",
    role: Role | None = None,
    undrawn: str = "",
    idle_at: tuple[str, Plain] | None = None,
) -> Any:
    value = default if isinstance(default, tuple) else (float(default),) * 3
    found = Parameter("", Kind.COLOUR, value, group, says, low, high, usual, unit)
    return replace(found, under=under, role=role, undrawn=undrawn, idle_at=idle_at)


def flag(*, default: bool, group: str, says: str, under: str = "") -> Any:
    return Parameter("", Kind.FLAG, default, group, says, under=under)


def choice(*, default: int, options: Sequence[tuple[int, str]], group: str, says: str, under: str = "", undrawn: str = "") -> Any:
    return Parameter("", Kind.CHOICE, default, group, says, options=tuple(options), under=under, undrawn=undrawn)


def spectrum(*, group: str, says: str) -> Any:
    """A table of wavelength, index and extinction; by default an even grey metal."""
    return Parameter("", Kind.SPECTRUM, (360.0, 1.5, 5.0, 830.0, 1.5, 5.0), group, says)


def normal_map(
    *,
    group: str = RELIEF,
    says: str,
    under: str = "",
    role: Role | None = None,
    undrawn: str = "",
    idle_at: tuple[str, Plain] | None = None,
) -> Any:
    """A tangent-space normal map; without a map the surface's own normal."""
    return Parameter("", Kind.NORMAL, (0.0, 0.0, 1.0), group, says, under=under, role=role, undrawn=undrawn, idle_at=idle_at)


def _is_list(value: Any) -> bool:
    return isinstance(value, Sequence) and not isinstance(value, str)
