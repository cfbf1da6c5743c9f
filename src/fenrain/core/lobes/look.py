"""A look: parts laid beside and over one another.

A part is a lobe with a weight and the covers above it. A cover takes from a diffuse part what it reflects on the way in and
on the way out, (1 − E(θi))(1 − E(θo))/(1 − Ē), which keeps a white furnace white (Kelemen & Szirmay-Kalos 2001, A
Microfacet Based Coupled Specular-Matte BRDF Model), and from a directed part the larger of the two, which keeps a
mirror under a coat exact. Both are reciprocal.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from fenrain.core.lobes.lobe import Lobe
from fenrain.core.optics.arrays import Array, is_absent, is_colour, is_whole, luminance, maximum, minimum, select


@dataclass(frozen=True)
class Cover:
    """A layer seen from below: the weight with which it lies there, and the lobe that reflects."""

    weight: Array
    lobe: Any

    def passes(self, wi: Array, wo: Array, *, diffuse: bool) -> Array:
        lit, seen = 1.0 - self.weight * self.lobe.cover(wi[2]), 1.0 - self.weight * self.lobe.cover(wo[2])
        if not hasattr(self.lobe, "average_cover"):
            return seen
        if diffuse:
            return lit * seen / maximum(1.0 - self.weight * self.lobe.average_cover(), 1e-3)
        return minimum(lit, seen)


@dataclass(frozen=True)
class Part:
    """One lobe of a look."""

    lobe: Lobe
    aspect: str
    weight: Array = 1.0
    covers: tuple[Cover, ...] = ()

    def evaluate(self, wi: Array, wo: Array) -> Array:
        value = self.lobe.evaluate(wi, wo) * self.weight
        for cover in self.covers:
            value = value * cover.passes(wi, wo, diffuse=self.lobe.diffuse)
        return value

    def importance(self, wo: Array) -> Array:
        """About how much this part sends to the viewer; for choosing what to sample."""
        strength = _brightness(self.lobe.albedo(wo[2])) * _brightness(self.weight)
        for cover in self.covers:
            strength = strength * (1.0 - cover.weight * cover.lobe.cover(wo[2]))
        return maximum(strength, 1e-4)


@dataclass(frozen=True)
class Look:
    """The parts that a surface is made of, its own light (radiance, cd/m² where the model has a unit) and its opacity."""

    parts: tuple[Part, ...]
    emission: Array = 0.0
    opacity: Array = 1.0

    def evaluate(self, wi: Array, wo: Array) -> Array:
        """BRDF times cos θi."""
        total = self.parts[0].evaluate(wi, wo)
        for part in self.parts[1:]:
            total = total + part.evaluate(wi, wo)
        return total

    def density(self, wi: Array, wo: Array) -> Array:
        """Density (1/sr) with which `sample` gives `wi`."""
        shares = self._shares(wo)
        total = self.parts[0].lobe.density(wi, wo) * shares[0]
        for part, share in zip(self.parts[1:], shares[1:], strict=True):
            total = total + part.lobe.density(wi, wo) * share
        return total

    def sample(self, wo: Array, choice: Array, u1: Array, u2: Array) -> Array:
        """A direction `wi`: `choice` (0…1) picks the part, u1 and u2 the direction."""
        shares = self._shares(wo)
        direction, reached = self.parts[0].lobe.sample(wo, u1, u2), shares[0]
        for part, share in zip(self.parts[1:], shares[1:], strict=True):
            direction = select(choice >= reached, part.lobe.sample(wo, u1, u2), direction)
            reached = reached + share
        return direction

    def only(self, aspects: Sequence[str]) -> Look:
        """The parts of these optical aspects alone."""
        kept = tuple(part for part in self.parts if part.aspect in aspects)
        darkened = replace(self.parts[0], weight=0.0)
        return replace(self, parts=kept or (darkened,), emission=self.emission if "glow" in aspects else 0.0)

    def _shares(self, wo: Array) -> list[Array]:
        strengths = [part.importance(wo) for part in self.parts]
        total = strengths[0]
        for strength in strengths[1:]:
            total = total + strength
        return [strength / total for strength in strengths]


def weighted(parts: Sequence[Part], weight: Array) -> tuple[Part, ...]:
    """The same parts, each multiplied by `weight` (a scalar or a colour)."""
    return tuple(replace(part, weight=part.weight * weight) for part in parts)


def mixed(first: Sequence[Part], second: Sequence[Part], amount: Array) -> tuple[Part, ...]:
    """`first` where amount is 0, `second` where it is 1; alone where that is known beforehand."""
    if is_absent(amount) or is_whole(amount):
        return tuple(second if is_whole(amount) else first)
    return weighted(first, 1.0 - amount) + weighted(second, amount)


def layered(top: Part, base: Sequence[Part]) -> tuple[Part, ...]:
    """`top` over `base`: the top part first, then what shines through it; `base` alone where there is no top."""
    if is_absent(top.weight):
        return tuple(base)
    cover = Cover(top.weight, top.lobe)
    return (top, *(replace(part, covers=(*part.covers, cover)) for part in base))


def _brightness(value: Array) -> Array:
    return luminance(value) if is_colour(value) else value
