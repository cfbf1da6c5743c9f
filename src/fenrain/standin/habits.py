"""How the stand-in takes a picture, and what can be set wrong about it, by name: to try what is said of it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from fenrain.core.errors import InputError
from fenrain.core.models.parameter import Role
from fenrain.core.models.registry import model_of
from fenrain.core.outside.kit import Kit
from fenrain.core.values import Constant


@dataclass(frozen=True)
class Habits:
    """How it takes a picture, and what is set wrong.

    exposure: stops; white: factors on red, green and blue; shift: of the picture, pixels right and down; scale, roll (degrees clockwise):
    of the picture about its middle; turn_light: degrees; mirror_light: left for right; curve: numbers are encoded for a display; values:
    (material, parameter) → number that is set in place of the right one; glow: how many times too strong it shows own light.
    """

    exposure: float = 0.12
    white: tuple[float, float, float] = (1.02, 1.0, 0.97)
    shift: tuple[float, float] = (0.0, 0.0)
    scale: float = 1.0
    roll: float = 0.0
    samples: int = 256
    seed: int = 11
    turn_light: float = 0.0
    mirror_light: bool = False
    curve: bool = False
    values: Mapping[tuple[str, str], float] = field(default_factory=dict)
    glow: float = 1.0


def _gloss(kit: Kit) -> Habits:
    """Gloss for roughness in every material that has one number for it."""
    values = {}
    for pair in kit.pairs:
        for material in (pair.original, *((pair.converted,) if pair.converted is not None else ())):
            for role in (Role.ROUGHNESS, Role.GLOSSINESS):
                parameter = model_of(material.model).by_role.get(role)
                value = material.value(parameter.name) if parameter is not None else None
                if parameter is not None and isinstance(value, Constant) and isinstance(value.value, int | float):
                    values[material.name, parameter.name] = 1.0 - float(value.value)
    return Habits(values=values)


WRONG: dict[str, Callable[[Kit], Habits]] = {
    "": lambda _: Habits(),
    "light mirrored": lambda _: Habits(mirror_light=True),
    "light turned": lambda _: Habits(turn_light=90.0),
    "exposed a stop too dark": lambda _: Habits(exposure=-1.0),
    "gloss for roughness": _gloss,
    "own light twice too strong": lambda _: Habits(glow=2.0),
}


def habits_for(wrong: str, kit: Kit) -> Habits:
    """Raises InputError for what it cannot be set wrong."""
    if wrong not in WRONG:
        raise InputError(f"The stand-in cannot be set “{wrong}”.", place="wrong", remedy=f"Choose {', '.join(filter(None, WRONG))}.")
    return WRONG[wrong](kit)
