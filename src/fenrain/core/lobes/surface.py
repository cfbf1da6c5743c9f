"""A surface: parts laid beside and over one another, what lies inside the body, its own light, its openings and its relief.

A part is a lobe with a weight and the layers above it. A layer takes from a diffuse part what it reflects on the way in and
on the way out, (1 − E(θi))(1 − E(θo))/(1 − Ē), which keeps a white furnace white (Kelemen & Szirmay-Kalos 2001, A
Microfacet Based Coupled Specular-Matte BRDF Model), and from a directed part the larger of the two, which keeps a
mirror under a coat exact. What is transmitted meets the layer once. All are reciprocal but for layers that follow the view.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from fenrain.core.lobes.aspects import ASPECTS, GLOW
from fenrain.core.lobes.lobe import LayerLobe, Lobe, Side, TopLobe
from fenrain.core.optics.arrays import (
    Array,
    absolute,
    is_absent,
    is_whole,
    maximum,
    minimum,
    raw_sqrt,
    scalar_of,
    select,
)
from fenrain.core.optics.volume import transmittance


@dataclass(frozen=True)
class Layer:
    """A layer seen from below: the weight with which it lies there, and the lobe that reflects."""

    weight: Array
    lobe: LayerLobe

    def passes(self, wi: Array, wo: Array, *, diffuse: bool) -> Array:
        """Share of light that reaches a part below it and comes back."""
        lit, seen = self.passes_at(absolute(wi[2])), self.passes_at(absolute(wo[2]))
        if self.lobe.follows_view:
            return seen
        if diffuse:
            return lit * seen / maximum(1.0 - self.weight * self.lobe.average_albedo(), 1e-3)
        return minimum(lit, seen)

    def passes_once(self, cosine: Array) -> Array:
        """Share of light that crosses it once, what it throws back from below counted half."""
        if self.lobe.follows_view:
            return self.passes_at(cosine)
        return self.passes_at(cosine) / raw_sqrt(maximum(1.0 - self.weight * self.lobe.average_albedo(), 1e-3))

    def passes_at(self, cosine: Array) -> Array:
        """1 − E(θ): share of the light from this angle that it does not send back."""
        return maximum(1.0 - self.weight * self.lobe.directional_albedo(cosine), 0.0)


@dataclass(frozen=True)
class Part:
    """One lobe of a surface. subsurface: light enters here and comes out elsewhere, after scattering inside; the lobe is how that looks
    where the way is short; bent_by: the relief of the surface that its normal follows, "" for that of the whole."""

    lobe: Lobe
    aspect: str
    weight: Array = 1.0
    layers: tuple[Layer, ...] = ()
    subsurface: bool = False
    bent_by: str = ""

    def evaluate(self, wi: Array, wo: Array) -> Array:
        """BSDF times |cos θi|, as it is seen through the layers above."""
        value = self.lobe.evaluate(wi, wo) * self.weight
        for layer in self.layers:
            value = value * self._passes(layer, wi, wo)
        return value

    def importance(self, wo: Array, *, both_sides: bool) -> Array:
        """About how much this part sends to the viewer; for choosing what to sample."""
        strength = scalar_of(self.lobe.sampling_weight(wo[2])) * scalar_of(self.weight)
        for layer in self.layers:
            strength = strength * scalar_of(layer.passes_at(absolute(wo[2])))
        strength = maximum(strength, 1e-4)
        if not both_sides or self.lobe.side is Side.THROUGH:
            return strength
        return select(wo[2] > 0.0, strength, 0.0) if self.lobe.side is Side.ABOVE else select(wo[2] < 0.0, strength, 0.0)

    def straight(self, cosine: Array) -> Array:
        """Share of light that enters or leaves here without a change of direction, for a part with subsurface scattering."""
        share = self.weight
        for layer in self.layers:
            share = share * layer.passes_once(cosine)
        return share

    def _passes(self, layer: Layer, wi: Array, wo: Array) -> Array:
        if self.lobe.side is Side.THROUGH and not self.lobe.diffuse:
            return layer.passes_at(maximum(wi[2], wo[2]))
        return 1.0 if self.lobe.side is Side.INSIDE else layer.passes(wi, wo, diffuse=self.lobe.diffuse)


@dataclass(frozen=True)
class Interior:
    """What lies inside a body: absorption and scattering (1/scene unit, colours) and the mean cosine of a scattering event."""

    absorption: Array
    scattering: Array = 0.0
    anisotropy: Array = 0.0

    def passes(self, length: Array) -> Array:
        """Share of light that is neither absorbed nor scattered over this length."""
        return transmittance(self.absorption + self.scattering, length)


@dataclass(frozen=True)
class Relief:
    """The small shape of a surface, as its model states it; what that makes of the normal, `optics.bump` says.

    normal, detail_normal: unit, tangent space, components first, or None for the mesh's own; normal_strength: scales the slopes;
    height: 1 is BUMP_DEPTH tile widths, bright is high; detail_mask: where the second normals show; share: of the surface that has it.
    """

    normal: Array = None
    normal_strength: Array = 1.0
    height: Array = 0.0
    detail_normal: Array = None
    detail_mask: Array = 1.0
    share: Array = 1.0


@dataclass(frozen=True)
class Answers:
    """The parts as the surroundings see them and as lamps do, where a model answers them differently; beside parts that hold both in
    halves, for what does not tell lamps apart."""

    to_surroundings: tuple[Part, ...]
    to_lamps: tuple[Part, ...]


BENDING = 0.1
"""Of the unit direction, by which light through an opening leans at a bending of 1 where the surface is seen edge-on; less by the sine of
the angle between view and normal. A renderer that shifts the picture behind does so by the normal as it lies in the picture (common
practice)."""


@dataclass(frozen=True)
class Surface:
    """All that a material says of a surface: the parts that it is made of, its own light (radiance, display white is 1), its opacity, what
    lies inside the body or whether it is thin-walled (a sheet, which is the same from both sides), its relief, and others by name that
    some parts follow instead, how far it is displaced
    (scene units), how much of the light of its surroundings reaches it (occlusion, which leaves lamps alone), how far it shifts the picture
    of what lies behind its openings (see BENDING), and what it answers to surroundings and to lamps where that differs."""

    parts: tuple[Part, ...]
    emission: Array = 0.0
    opacity: Array = 1.0
    interior: Interior | None = None
    thin_walled: bool = False
    relief: tuple[Relief, ...] = ()
    reliefs: Mapping[str, tuple[Relief, ...]] = field(default_factory=dict)
    displacement: Array = 0.0
    occlusion: Array = 1.0
    bending: Array = 0.0
    answers: Answers | None = None

    @property
    def tells_lamps(self) -> bool:
        """Whether lamps light it otherwise than their surroundings."""
        return self.answers is not None or not is_whole(self.occlusion)

    @property
    def to_surroundings(self) -> Surface:
        """As the surroundings see it, without its occlusion."""
        return self if self.answers is None else replace(self, parts=self.answers.to_surroundings, answers=None)

    @property
    def to_lamps(self) -> Surface:
        """As lamps see it."""
        return self if self.answers is None else replace(self, parts=self.answers.to_lamps, answers=None)

    @property
    def transmits(self) -> bool:
        """Whether light goes through."""
        return any(part.lobe.side is not Side.ABOVE for part in self.parts)

    @property
    def scatters(self) -> bool:
        """Whether light is scattered inside the body; for values that are known, not traced ones."""
        return self.interior is not None and bool(np.any(np.asarray(self.interior.scattering) > 0.0))

    def evaluate(self, wi: Array, wo: Array) -> Array:
        """BSDF times |cos θi|."""
        wi, wo = self._faced(wi, wo)
        total = self.parts[0].evaluate(wi, wo)
        for part in self.parts[1:]:
            total = total + part.evaluate(wi, wo)
        return total

    def pdf(self, wi: Array, wo: Array, shares: Sequence[Array] | None = None) -> Array:
        """Probability density (1/sr) with which `sample` gives `wi`."""
        wi, wo = self._faced(wi, wo)
        chosen = self.shares(wo) if shares is None else shares
        total = self.parts[0].lobe.pdf(wi, wo) * chosen[0]
        for part, share in zip(self.parts[1:], chosen[1:], strict=True):
            total = total + part.lobe.pdf(wi, wo) * share
        return total

    def sample(self, wo: Array, choice: Array, u1: Array, u2: Array, shares: Sequence[Array] | None = None) -> Array:
        """A direction `wi`: `choice` (0…1) picks the part, u1 and u2 the direction; (0, 0, 0) where it leads nowhere.

        shares: how often each part is picked, as `shares` gives them where none are given. Parts are picked in the order of their
        aspects, so that one number picks the same aspect in two surfaces with the same shares.
        """
        _, seen = self._faced(wo, wo)
        chosen = self.shares(seen) if shares is None else shares
        first, *others = sorted(range(len(self.parts)), key=lambda index: ASPECTS.index(self.parts[index].aspect))
        direction, reached = self._drawn(self.parts[first].lobe, seen, u1, u2), chosen[first]
        for index in others:
            direction = select(choice >= reached, self._drawn(self.parts[index].lobe, seen, u1, u2), direction)
            reached = reached + chosen[index]
        return direction * select(wo[2] < 0.0, -1.0, 1.0) if self.thin_walled else direction

    def shares(self, wo: Array) -> list[Array]:
        """How often each part is picked for this viewer's direction, which lies above where the surface is thin-walled."""
        strengths = [part.importance(wo, both_sides=self.transmits) for part in self.parts]
        total = strengths[0]
        for strength in strengths[1:]:
            total = total + strength
        return [strength / maximum(total, 1e-9) for strength in strengths]

    def only(self, aspects: Sequence[str]) -> Surface:
        """The parts of these optical aspects alone."""
        answers = self.answers
        if answers is not None:
            answers = Answers(_only(answers.to_surroundings, aspects), _only(answers.to_lamps, aspects))
        emission = self.emission if GLOW in aspects else 0.0
        return replace(self, parts=_only(self.parts, aspects), emission=emission, answers=answers)

    def _faced(self, wi: Array, wo: Array) -> tuple[Array, Array]:
        """Both directions with the viewer above, where the surface is thin-walled."""
        if not self.thin_walled:
            return wi, wo
        facing = select(wo[2] < 0.0, -1.0, 1.0)
        return wi * facing, wo * facing

    def _drawn(self, lobe: Lobe, wo: Array, u1: Array, u2: Array) -> Array:
        """A sample of the lobe, void where it leaves the sides that the lobe joins: other lobes would answer for it there."""
        direction = lobe.sample(wo, u1, u2)
        if not self.transmits:
            return direction
        same_side = direction[2] * wo[2] > 0.0
        return select(~same_side if lobe.side is Side.THROUGH else same_side, direction, direction * 0.0)


def _only(parts: tuple[Part, ...], aspects: Sequence[str]) -> tuple[Part, ...]:
    """A part that is dark where none is left."""
    return tuple(part for part in parts if part.aspect in aspects) or (replace(parts[0], weight=0.0),)


def weighted(parts: Sequence[Part], weight: Array) -> tuple[Part, ...]:
    """The same parts, each multiplied by `weight` (a scalar or a colour); none where it is known to be 0."""
    if is_absent(weight):
        return ()
    return tuple(replace(part, weight=part.weight * weight) for part in parts)


def mixed(first: Sequence[Part], second: Sequence[Part], amount: Array) -> tuple[Part, ...]:
    """`first` where amount is 0, `second` where it is 1; alone where that is known beforehand."""
    if is_absent(amount) or is_whole(amount):
        return tuple(second if is_whole(amount) else first)
    return weighted(first, 1.0 - amount) + weighted(second, amount)


def layered(lobe: TopLobe, aspect: str, base: Sequence[Part], *, weight: Array = 1.0, bent_by: str = "") -> tuple[Part, ...]:
    """A lobe over `base`: its own part first, then what shines through it; `base` alone where the weight is known to be 0."""
    if is_absent(weight):
        return tuple(base)
    return (Part(lobe, aspect, weight, bent_by=bent_by), *under_layer(base, Layer(weight, lobe)))


def under_layer(parts: Sequence[Part], layer: Layer) -> tuple[Part, ...]:
    """The same parts with one more layer above each."""
    return tuple(replace(part, layers=(*part.layers, layer)) for part in parts)
