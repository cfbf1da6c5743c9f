"""The quick figures: what can be told of two looks on directions, without a picture. Takes some milliseconds."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from fenrain.core.checking.angular import Angular, ring_edges
from fenrain.core.checking.metrics.registry import Reading, Surfaces, readings
from fenrain.core.checking.quick import QuickCheck, quick_check
from fenrain.core.material import Material
from fenrain.core.surfaces import mean_surface, open_share, surfaces_at_places
from fenrain.core.values import Constant

PLACES = 12
"""Places of maps at which surfaces are compared."""
MOST_OF_THEM = 90.0
"""Percentile over the places that stands for all: one odd texel in twelve does not."""


@dataclass(frozen=True)
class Profile:
    """Brightness of a highlight (BSDF × cosine, mean of the channels) seen at PROFILE_ANGLE, by degrees from its middle, of both sides."""

    degrees: tuple[float, ...]
    original: tuple[float, ...]
    converted: tuple[float, ...]


PROFILE_ANGLE = 20.0


@dataclass(frozen=True)
class Figures:
    """readings: of metrics that look at surfaces, by id; quick: lobe error and reflectance against angle; profile: of the highlight."""

    readings: Mapping[str, Reading]
    quick: QuickCheck
    profile: Profile


def figures(original: Material, converted: Material) -> Figures:
    """Compare two looks on directions; where they have maps, at places of them, the same ones on both sides."""
    mapped = has_maps(original) or has_maps(converted)
    sides = looks_at_places(original, mapped), looks_at_places(converted, mapped)
    shares = open_share(original), open_share(converted)
    return Figures(readings_at_places(*sides, shares), quick_check(original, converted), _profile(*sides))


def has_maps(material: Material) -> bool:
    return any(not isinstance(value, Constant) for value in material.all_values())


def looks_at_places(material: Material, mapped: bool, places: int = PLACES) -> list[Angular]:
    """One look of a material, or, where either side of a pair is mapped, those at so many places of its maps."""
    return [Angular(surface) for surface in (surfaces_at_places(material, places) if mapped else [mean_surface(material)])]


def readings_at_places(original: list[Angular], converted: list[Angular], shares: tuple[float, float]) -> dict[str, Reading]:
    """Readings of metrics that look at surfaces, over the places of both sides. shares: how much of what lies behind shows through each."""
    found = [readings(Surfaces(first, second, shares)) for first, second in zip(original, converted, strict=True)]
    return {name: _over_places([each[name] for each in found]) for name in found[0]}


def _profile(original: list[Angular], converted: list[Angular]) -> Profile:
    """The mean over places. A facet that leans turns what it mirrors twice as far."""
    degrees = ring_edges()[1:] + ring_edges()[:-1]
    sides = (np.mean([side.around_mirror(PROFILE_ANGLE).profile for side in of_side], axis=0) for of_side in (original, converted))
    first, second = (tuple(float(value) for value in side) for side in sides)
    return Profile(tuple(float(value) for value in degrees), first, second)


def _over_places(found: list[Reading]) -> Reading:
    """One reading for all places: of the differences nearly the largest, of what is said of each side the mean."""
    value = float(np.percentile([reading.value for reading in found], MOST_OF_THEM))
    originals = [reading.original for reading in found if reading.original is not None]
    converteds = [reading.converted for reading in found if reading.converted is not None]
    return Reading(value, 0.0, _mean(originals), _mean(converteds))


def _mean(values: list[float]) -> float | None:
    return float(np.mean(values)) if values else None
