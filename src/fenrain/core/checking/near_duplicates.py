"""Which of many materials look alike: those of equal values, and those whose quick figures a match allows."""

from __future__ import annotations

from collections.abc import Hashable, Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np

from fenrain.core.checking.figures import figures
from fenrain.core.checking.verdict import Decision, Tolerances, Verdict
from fenrain.core.material import Material, matters
from fenrain.core.models.registry import model_of
from fenrain.core.values import Constant

FAR = 0.1
"""How far apart a value of two materials may be, of its range, for them to be compared at all: no match is farther."""


@dataclass(frozen=True)
class NearDuplicate:
    """Two materials by their places in a list, of which the second stands for the first. decision: on the difference, None where they are
    equal."""

    one: int
    stands_for_it: int
    decision: Decision | None


def find_near_duplicates(materials: Sequence[Material], tolerances: Tolerances) -> list[NearDuplicate]:
    """Which materials an earlier one can stand for: each at most once, by one that nothing stands for itself.

    Of materials with maps only those that read the same ones are compared: that two maps look alike takes pictures to tell.
    """
    found: list[NearDuplicate] = []
    first: dict[str, int] = {}
    taken: set[int] = set()
    for index, material in enumerate(materials):
        equal = first.setdefault(material.digest, index)
        if equal != index:
            found.append(NearDuplicate(index, equal, None))
            taken.add(index)
    left = [index for index in range(len(materials)) if index not in taken]
    for one, other in sorted(_near(materials, left)):
        if one in taken or other in taken:
            continue
        decision = tolerances.decided(figures(materials[other], materials[one]).readings)
        if decision.verdict is Verdict.MATCH:
            found.append(NearDuplicate(other, one, decision))
            taken.add(other)
    return _by_standing(found)


def _by_standing(found: list[NearDuplicate]) -> list[NearDuplicate]:
    """What stands for an equal one that something stands for itself is that."""
    instead = {pair.one: pair for pair in found}
    return [
        NearDuplicate(pair.one, instead[pair.stands_for_it].stands_for_it, instead[pair.stands_for_it].decision)
        if pair.stands_for_it in instead
        else pair
        for pair in found
    ]


def _near(materials: Sequence[Material], places: Sequence[int]) -> Iterator[tuple[int, int]]:
    """Pairs of places, the earlier one first, whose materials differ by little in each value."""
    groups: dict[Hashable, list[tuple[int, np.ndarray]]] = {}
    for place in places:
        key, numbers = _numbers(materials[place])
        groups.setdefault(key, []).append((place, numbers))
    for members in groups.values():
        from scipy.spatial import cKDTree  # loads long, and is seldom needed

        tree = cKDTree(np.stack([numbers for _, numbers in members]))
        for one, other in tree.query_pairs(FAR, p=np.inf):
            first, second = sorted((members[one][0], members[other][0]))
            yield first, second


def _numbers(material: Material) -> tuple[Hashable, np.ndarray]:
    """(what must be the same for two materials to be near, all that may differ a little as numbers 0…1)."""
    model = model_of(material.model)
    same: list[str] = [material.model, str(material.geometry.double_sided), *(part.digest for part in material.parts)]
    numbers: list[float] = []
    for parameter in model.parameters:
        value = material.value(parameter.name) if matters(material, model, parameter.name) else Constant(parameter.default)
        if not isinstance(value, Constant):
            same.append(replace(material, values={parameter.name: value}, parts=()).digest)
        elif isinstance(value.value, (bool, str)):
            same.append(f"{parameter.name} {value.value}")
        else:
            numbers += [_share(float(one), parameter.low, parameter.high) for one in np.ravel(value.value)]
    return tuple(same), np.array(numbers)


def _share(value: float, low: float, high: float) -> float:
    """Where a value lies in its range; where that has no end, of one that grows ever slower."""
    if np.isfinite(low) and np.isfinite(high):
        return (value - low) / (high - low)
    return value / (1.0 + abs(value))
