"""What is set wrong at the other end, by name: light that comes from elsewhere, and values that were read another way.

Each is tried: our renderer takes the picture as it would be then, and what comes much nearer than the right one is named. Nothing of this
is taken out of the comparison.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from fenrain.core.checking.check import READ_EDGE, average_down
from fenrain.core.checking.metrics.delta_e import DARKER
from fenrain.core.checking.metrics.registry import delta_e_of_pictures
from fenrain.core.material import Material
from fenrain.core.models.parameter import Parameter, Role
from fenrain.core.models.registry import model_of
from fenrain.core.outside.light import reoriented
from fenrain.core.rendering.probe import load_engine
from fenrain.core.rendering.rigs.registry import Rig
from fenrain.core.values import Constant

TURNS = 24
"""Steps of a whole turn in which the light is tried, then ever smaller ones about the best."""
OTHER_WAYS = {
    "mirrored left for right": np.diag([-1.0, 1.0, 1.0]),
    "upside down": np.diag([1.0, -1.0, 1.0]),
    "with z for y up": np.array([[1.0, 0.0, 0.0], [0.0, 0.0, -1.0], [0.0, 1.0, 0.0]]),
    "with y for z up": np.array([[1.0, 0.0, 0.0], [0.0, 0.0, 1.0], [0.0, -1.0, 0.0]]),
}
"""By how it is said: where light comes from instead of from where it should."""
MUCH_NEARER = 0.6
"""Share of the difference, without what noise makes of it, that is left where something explains it."""
LEAST_DIFFERENCE = 0.4
"""ΔE2000, mean over the body, without what noise makes of it, below which nothing is looked for."""
LEAST_BY_LIGHT = 1.5
"""The same, below which no other light is looked for: light from elsewhere changes much more."""
SAMPLES, FINE = 16, 2 * READ_EDGE
"""For each pixel of the pictures that are tried; the edge of those for values, whose differences are small."""
GLOSS = (Role.ROUGHNESS, Role.GLOSSINESS)
READ_OTHERWISE: dict[str, Callable[[float], float]] = {
    "1 less it": lambda value: 1.0 - value,
    "its square": lambda value: value * value,
    "its square root": lambda value: value**0.5,
}
SEARCHES = 7
"""Steps of the search for the value that explains a highlight best."""
ABOUT = 0.1
"""How near a value, and the difference that it leaves, must be to another to be told as that."""
Between = Callable[[], None]


@dataclass(frozen=True)
class Seen:
    """A tile of a picture, laid over ours and matched. material: what should be seen; stand: its stand's id; picture: (64, 64, 3) linear;
    body: (64, 64) bool; noise: about what is random in the picture, (64, 64, 3)."""

    material: Material
    stand: str
    picture: np.ndarray
    body: np.ndarray
    noise: np.ndarray

    def difference(self, drawn: np.ndarray) -> float:
        """How far a picture of ours is from it, ΔE2000, mean over the body, without what noise makes of it."""
        return float(np.sqrt(max(self._mean(drawn) ** 2 - self._by_noise**2, 0.0)))

    @cached_property
    def _by_noise(self) -> float:
        return self._mean(self.picture + self.noise)

    def _mean(self, other: np.ndarray) -> float:
        """Of the pictures as a display shows them, and of the same four stops darker."""
        pairs = ((self.picture[self.body] * by, other[self.body] * by) for by in (1.0, 2.0**DARKER))
        return float(np.mean([delta_e_of_pictures(*pair).mean() for pair in pairs]))


@dataclass(frozen=True)
class Turned:
    """How light was set instead. way: "" or one of `OTHER_WAYS`; degrees: turned about the vertical."""

    way: str
    degrees: float

    def __str__(self) -> str:
        parts = [self.way] if self.way else []
        return "the light is " + " and ".join([*parts, *([f"turned by {self.degrees:.0f}°"] if self.degrees else [])])


@dataclass(frozen=True)
class Misread:
    """A value that explains a picture better than the right one. how: "" or one of `READ_OTHERWISE`."""

    material: str
    parameter: Parameter
    right: float
    instead: float
    how: str

    def __str__(self) -> str:
        said = f", which is {self.how}" if self.how else ""
        role = str(self.parameter.role)
        return f"“{self.material}” is shown as with {role} {self.instead:.2f} instead of {self.right:.2f} ({self.parameter.name}){said}"


def wrong_light(seen: Sequence[Seen], rig: Rig, turn: float, between: Between) -> Turned | None:
    """How the light was set, where another way explains several materials much better than the right one; None where none does."""

    def difference(way: str, degrees: float) -> float:
        between()
        lit = reoriented(rig, way, OTHER_WAYS[way]) if way else rig
        return float(np.mean([one.difference(drawn(one.material, one.stand, lit, turn + degrees, READ_EDGE)) for one in seen]))

    right = difference("", 0.0)
    if right < LEAST_BY_LIGHT:
        return None
    step = 360.0 / TURNS
    tried = {("", step * at): difference("", step * at) for at in range(1, TURNS)}
    tried |= {(way, 0.0): difference(way, 0.0) for way in OTHER_WAYS}
    best = min(tried, key=lambda how: tried[how])
    if not best[0]:
        for share in (0.5, 0.25, 0.125, 0.0625):
            for side in (-share, share):
                tried[("", best[1] + side * step)] = difference("", best[1] + side * step)
            best = min(tried, key=lambda how: tried[how])
    if tried[best] > MUCH_NEARER * right:
        return None
    way, degrees = best
    return Turned(way, (degrees + 180.0) % 360.0 - 180.0)


def misread(one: Seen, rig: Rig, turn: float, between: Between) -> Misread | None:
    """The gloss or roughness that explains a picture much better than the right one; None where none does, or where a map says it."""
    right = one.difference(drawn(one.material, one.stand, rig, turn, FINE))
    if right < LEAST_DIFFERENCE:
        return None
    found: list[tuple[float, Misread]] = []
    for parameter, value in _glosses(one.material):

        def difference(number: float, name: str = parameter.name) -> float:
            between()
            return one.difference(drawn(one.material.having(**{name: Constant(number)}), one.stand, rig, turn, FINE))

        number = _searched(difference)
        left, how = difference(number), ""
        for said, read in READ_OTHERWISE.items():
            if abs(read(value) - number) < ABOUT < abs(read(value) - value) and difference(read(value)) <= (1.0 + ABOUT) * left + ABOUT:
                number, how = read(value), said
        found.append((left, Misread(one.material.name, parameter, value, number, how)))
    best = min(found, key=lambda pair: pair[0], default=None)
    return best[1] if best is not None and best[0] <= MUCH_NEARER * right else None


def _searched(difference: Callable[[float], float]) -> float:
    """Where it is least on 0…1: a grid, then halves of its steps about the best."""
    tried = {number: difference(number) for number in (0.0, 0.2, 0.4, 0.6, 0.8, 1.0)}
    step = 0.1
    for _ in range(SEARCHES - 3):
        best = min(tried, key=lambda number: tried[number])
        for number in (best - step, best + step):
            if 0.0 <= number <= 1.0 and number not in tried:
                tried[number] = difference(number)
        step *= 0.5
    return min(tried, key=lambda number: tried[number])


def _glosses(material: Material) -> Iterator[tuple[Parameter, float]]:
    for parameter in model_of(material.model).parameters:
        value = material.value(parameter.name)
        if parameter.role in GLOSS and isinstance(value, Constant) and isinstance(value.value, float | int):
            yield parameter, float(value.value)


def drawn(material: Material, stand: str, rig: Rig, turn: float, edge: int) -> np.ndarray:
    """Our picture of a material on a tile's stand as it is measured, (64, 64, 3). edge: in pixels, at which it is drawn."""
    engine = load_engine()
    return average_down(engine.render(material, engine.View(rig.id, stand, turn, edge), SAMPLES, 1))
