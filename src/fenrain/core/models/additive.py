"""A body and a reflection that a legacy model puts together without regard to energy, in the terms of OpenPBR.

NumPy, channels last: colours (…, 3), numbers (…, 1). What each gives has the same albedo as the legacy lobes for light from everywhere;
the fit moves on from there.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from fenrain.core.colour import strongest_channel
from fenrain.core.lobes.microfacet import BECKMANN
from fenrain.core.models.open_pbr.inverse import base_reflection_for, below_rough_coat, distance_of_widths
from fenrain.core.optics.albedo import Scattering, average_of_single_scattering
from fenrain.core.optics.energy import compensated_f0, left_below, metalness_of
from fenrain.core.optics.fresnel import HIGHEST_F0, f0_from_ior, ior_from_f0, tint_of_curve
from fenrain.core.optics.microfacet import ggx_of_beckmann
from fenrain.core.rules.case import Case

TYPICAL_FRESNEL = 0.1
"""About what a dielectric reflects of light from everywhere; for weighing its reflection against its refraction."""

METAL_F0 = 0.04
"""F0 given to the dielectric below a full metal, where it does not show."""


@dataclass(frozen=True)
class Reflection:
    """A reflection of a legacy model.

    f0: facing reflectance, a colour; grazing: what it rises to, a colour, as much as `f0` where it does not depend on the angle; edge:
    reflectance near 82°, a colour; alpha: width of the GGX lobe nearest to it; kept: what a lossless lobe of its kind sends back of light
    from everywhere, (…, 1).
    """

    f0: np.ndarray
    grazing: np.ndarray
    edge: np.ndarray
    alpha: np.ndarray
    kept: np.ndarray

    @property
    def average(self) -> np.ndarray:
        """Share of light from everywhere that it sends back, a colour."""
        return np.asarray(self.kept * (self.f0 + (self.grazing - self.f0) / 21.0))

    def dimmed(self, share: np.ndarray | float) -> Reflection:
        """The same times a share, (…, 1) or a colour."""
        return replace(self, f0=self.f0 * share, grazing=self.grazing * share, edge=self.edge * share)


@dataclass(frozen=True)
class Base:
    """The base of an OpenPBR material; `base_color` may still exceed 1, which says that the source gives back more than it gets."""

    base_metalness: np.ndarray
    base_color: np.ndarray
    specular_ior: np.ndarray
    specular_color: np.ndarray


def base_of(body: np.ndarray, reflection: Reflection, *, transmission: np.ndarray | float = 0.0) -> Base:
    """The OpenPBR base nearest to a reflection added to a body of this albedo.

    A reflection that rises less than Fresnel's gets a higher F0 and a smaller tint, as far as the body leaves room: what the higher F0
    takes from below, a base colour of 1 has to give back. transmission: share that goes through, (…, 1); where there is any, the base is
    no metal even over a black body.
    """
    alpha = np.minimum(reflection.alpha, 1.0)
    f0, grazing = np.clip(reflection.f0, 0.0, HIGHEST_F0), np.clip(reflection.grazing, 0.0, 1.0)
    metal = np.where(np.asarray(transmission) > 0.0, 0.0, metalness_of(body, f0))
    strongest, rising = strongest_channel(f0), strongest_channel(grazing)
    facing = np.clip(strongest / np.maximum(rising, 1e-6), strongest, np.maximum(strongest, highest_f0_over(body)))
    strength = np.where(strongest > 1e-7, strongest / np.maximum(facing, 1e-7), 1.0)
    hue = np.where(strongest > 1e-7, f0 / np.maximum(strongest, 1e-7), 1.0)
    facing = compensated_f0(np.minimum(facing, HIGHEST_F0), alpha, reflection.kept)
    metal_f0 = compensated_f0(f0, alpha, reflection.kept)
    dielectric = body / left_below(facing, alpha)
    return Base(
        metal,
        dielectric * (1.0 - metal) + metal_f0 * metal,
        ior_from_f0(facing * (1.0 - metal) + METAL_F0 * metal),
        np.clip(hue * strength, 0.0, 1.0) * (1.0 - metal) + tint_of_curve(reflection.edge, f0) * metal,
    )


MOST_BASE, MOST_F0 = 0.98, 0.44
"""Base colour up to which a higher F0 may take light from the body; and that F0, of an index of about 5, where Fresnel's curve is even
enough."""
AT_MOST_ABOVE_F0 = 0.057
"""Ē ≤ F0 + 0.057 (1 − F0) for a dielectric of any roughness (the greatest of the tables of `optics.albedo`)."""


def highest_f0_over(body: np.ndarray) -> np.ndarray:
    """The highest F0 that still lets this albedo come back from a base colour of at most `MOST_BASE`."""
    taken = 1.0 - strongest_channel(body) / MOST_BASE
    return np.clip((taken - AT_MOST_ABOVE_F0) / (1.0 - AT_MOST_ABOVE_F0), 0.0, MOST_F0)


BELOW_COAT = ("base_metalness", "base_color", "specular_ior", "specular_weight", "specular_color")
CLEAR_COAT = ("coat_weight", "coat_ior", "coat_darkening")
"""The hub's values that a pair of lobes gives: of the base, and of the coat, which never darkens."""


@dataclass(frozen=True)
class Pair:
    """Two reflections over a body as an OpenPBR base with a coat, which is there where `coat_weight` is above 0.

    coat_is_first: whether the coat is the first of both; below, above: energy that base and coat reflect.
    """

    base: Base
    specular_weight: np.ndarray
    coat_weight: np.ndarray
    coat_ior: np.ndarray
    coat_is_first: np.ndarray
    below: np.ndarray
    above: np.ndarray

    def below_coat(self) -> tuple[np.ndarray, ...]:
        """What the base is, in the order of `BELOW_COAT`."""
        base = self.base
        return base.base_metalness, base.base_color, base.specular_ior, self.specular_weight, base.specular_color

    def coat(self) -> tuple[np.ndarray, np.ndarray]:
        """Weight and index of the coat."""
        return self.coat_weight, self.coat_ior

    def roughness(self, base: np.ndarray, coat: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """(`specular_roughness`, `coat_roughness`) for what both are to look like."""
        return below_rough_coat(base, self.coat_weight, coat, below=self.below, above=self.above)


def pair_of(body: np.ndarray, first: Reflection, second: Reflection) -> Pair:
    """Two reflections side by side over a body of this albedo: the sharper as coat, the broader below it, or both as one.

    A coat has no tint, and spreads what lies below it; one lobe for both has the width of the stronger. Whichever differs less, by the
    energy of each lobe and the distance of the widths, is taken.
    """
    swap = first.alpha > second.alpha
    sharp, broad = _chosen(swap, second, first), _chosen(swap, first, second)
    above, below = (lobe.average.mean(axis=-1, keepdims=True) for lobe in (sharp, broad))
    tinted = np.abs(sharp.average - above).mean(axis=-1, keepdims=True)
    weight, facing = coat_of(sharp)
    spread = np.sqrt(2.0) * weight * sharp.alpha
    error_of_coat = tinted + below * distance_of_widths(broad.alpha, np.maximum(broad.alpha, spread))
    error_of_one = np.minimum(above, below) * distance_of_widths(sharp.alpha, broad.alpha)
    coated = error_of_coat < error_of_one
    weight = np.where(coated, weight, 0.0)
    passed = 1.0 - weight * (1.0 - left_below(facing, np.minimum(sharp.alpha, 1.0)))
    base = base_of(body / passed, _chosen(coated, broad.dimmed(1.0 / passed), together([sharp, broad])))
    index, strength = base_reflection_for(base.specular_ior, weight, ior_from_f0(facing))
    strength = strength + (1.0 - strength) * base.base_metalness
    return Pair(replace(base, specular_ior=index), strength, weight, ior_from_f0(facing), ~swap, below, above)


def coat_of(reflection: Reflection) -> tuple[np.ndarray, np.ndarray]:
    """(`coat_weight`, F0) of the coat nearest to a reflection, without its tint: a weight below 1 where it rises less than Fresnel's."""
    f0, grazing = (part.mean(axis=-1, keepdims=True) for part in (reflection.f0, reflection.grazing))
    weight = np.clip(np.maximum(grazing, f0 / MOST_F0), 0.0, 1.0)
    facing = np.clip(f0 / np.maximum(weight, 1e-6), 0.0, MOST_COAT_F0)
    return weight, compensated_f0(facing, np.minimum(reflection.alpha, 1.0), reflection.kept)


MOST_COAT_F0 = 0.9
"""F0 of the most reflecting coat, whose index is about 38."""


def together(lobes: list[Reflection]) -> Reflection:
    """Several as one lobe with the width of the strongest. A weaker one joins it where their widths differ by less than it would by being
    left out (`distance_of_widths` below 1)."""
    found = lobes[0]
    for lobe in lobes[1:]:
        first = strongest_channel(found.average) >= strongest_channel(lobe.average)
        stronger, weaker = _chosen(first, found, lobe), _chosen(first, lobe, found)
        joins = np.where(distance_of_widths(stronger.alpha, weaker.alpha) < 1.0, 1.0, 0.0)
        found = replace(
            stronger,
            f0=stronger.f0 + joins * weaker.f0,
            grazing=stronger.grazing + joins * weaker.grazing,
            edge=stronger.edge + joins * weaker.edge,
        )
    return found


def _chosen(where: np.ndarray, one: Reflection, other: Reflection) -> Reflection:
    return Reflection(*(np.where(where, getattr(one, name), getattr(other, name)) for name in Reflection.__dataclass_fields__))


FAINTEST = 0.02
"""A reflection whose strongest channel is below this fades away as a whole, so that black means none at all."""


def presence(reflection: np.ndarray, transmission: np.ndarray) -> np.ndarray:
    """The `specular_weight` for a colour that multiplies a Fresnel reflectance: 1, fading to 0 below `FAINTEST`; always 1 where light goes
    through, since OpenPBR bends it by the same index."""
    there = np.clip(strongest_channel(reflection) / FAINTEST, 0.0, 1.0)
    return np.where(strongest_channel(transmission) > 0.0, 1.0, there)


def uniform(reflected: np.ndarray, distribution: int, alpha: np.ndarray) -> Reflection:
    """A reflection that does not depend on the angle."""
    return Reflection(reflected, reflected, reflected, ggx_width(distribution, alpha), kept_by(distribution, alpha))


@dataclass(frozen=True)
class EvenOverClear:
    """An even reflection over a clear body in the terms of OpenPBR: a share of metal, which reflects evenly, beside the clear rest."""

    base_metalness: np.ndarray
    base_color: np.ndarray
    specular_color: np.ndarray
    transmission_weight: np.ndarray
    transmission_color: np.ndarray


FAINT_REFLECTION, STRONG_REFLECTION = 0.12, 0.3
"""Between these, the interface's own reflection comes back: a faint mirror is even only without it, a strong one only with an edge that is
not black, and OpenPBR colours both by one value."""


def even_over_clear(reflected: np.ndarray, passes: np.ndarray, body: np.ndarray, ior: np.ndarray) -> EvenOverClear:
    """reflected: of light from anywhere, a colour; passes: what goes through at each interface, a colour; body: albedo of what is opaque
    beside, a colour; ior (…, 1): it goes on bending."""
    strongest, through = strongest_channel(reflected), strongest_channel(passes)
    edge = np.clip((strongest - FAINT_REFLECTION) / (STRONG_REFLECTION - FAINT_REFLECTION), 0.0, 1.0)
    interface = edge * f0_from_ior(np.maximum(ior, 1e-3))
    metal = np.clip((strongest - interface) / np.maximum(1.0 - interface, 1e-3), 0.0, 1.0)
    hue = np.where(strongest > 0.0, reflected / np.maximum(strongest, 1e-6), 1.0)
    rest = np.maximum(1.0 - metal, 1e-3)
    opaque = strongest_channel(body)
    weight = np.where(opaque > 0.0, np.clip(through / rest, 0.0, 1.0), 1.0)
    share = np.where(opaque > 0.0, np.maximum(through, 1e-6), rest)
    diffuse = (1.0 - metal) * (1.0 - weight)
    seen = metal * hue + np.clip(body, 0.0, 1.0) * np.where(opaque > 0.0, 1.0, 0.0)
    base = np.where(metal + diffuse > 1e-6, seen / np.maximum(metal + diffuse, 1e-6), 0.0)
    return EvenOverClear(metal, np.clip(base, 0.0, 1.0), edge * np.ones(3), weight, np.clip(passes / share, 0.0, 1.0))


def reflects_by_angle(case: Case) -> bool:
    """Whether the reflection follows Fresnel, for models with an `angle_dependent`."""
    return case.is_at("angle_dependent", True)


def reflects_evenly(case: Case) -> bool:
    return not reflects_by_angle(case)


def width_of_stronger(alphas: list[np.ndarray], shares: list[np.ndarray]) -> np.ndarray:
    """One GGX width for several lobes, that of the lobe which sends most: as a sum of absolute differences, the error of a width between
    two is greater than that of either."""
    alpha, most = np.asarray(alphas[0]), shares[0]
    for other, share in zip(alphas[1:], shares[1:], strict=True):
        alpha, most = np.where(share > most, other, alpha), np.maximum(share, most)
    return alpha


def transmission_share(passes: np.ndarray, opaque: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """(transmission weight, tint, body under it) for a body that lets through a colour and has an opaque albedo beside it."""
    weight = np.clip(strongest_channel(passes), 0.0, 1.0)
    tint = np.where(weight > 0, np.clip(passes / np.maximum(weight, 1e-6), 0.0, 1.0), 1.0)
    return weight, tint, opaque / np.maximum(1.0 - weight, 1e-3)


def ggx_width(distribution: int, alpha: np.ndarray) -> np.ndarray:
    """Width of the GGX lobe nearest to a lobe of this distribution."""
    return ggx_of_beckmann(alpha) if distribution == BECKMANN else alpha


def scattering_of(distribution: int) -> Scattering:
    """The kind of lobe that legacy models draw with this distribution."""
    return Scattering.BECKMANN_ONCE if distribution == BECKMANN else Scattering.GGX_ONCE


def kept_by(distribution: int, alpha: np.ndarray) -> np.ndarray:
    """What a lossless lobe of this distribution and own width sends back of light from everywhere."""
    return np.asarray(average_of_single_scattering(np.minimum(alpha, 1.0), scattering_of(distribution)))
