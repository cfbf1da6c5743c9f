"""What base an OpenPBR material needs for a wanted look below its coat, the inverse of what `lobes` does. NumPy, channels last."""

from __future__ import annotations

import numpy as np

from fenrain.core.optics.fresnel import f0_from_ior
from fenrain.core.rules.fidelity import APPROXIMATED, Caveat

STEPS = 40


def base_ior_for(wanted: np.ndarray, coat_weight: np.ndarray, coat_ior: np.ndarray) -> np.ndarray:
    """The `specular_ior` that is `wanted` when seen below the coat: solves mix(n, n/n_coat, w) = wanted, for n above the coat's index."""
    below = (1.0 - coat_weight) + coat_weight / np.maximum(coat_ior, 1e-3)
    return np.where(coat_weight > 0, np.maximum(wanted / below, coat_ior), wanted)


def base_reflection_for(wanted: np.ndarray, coat_weight: np.ndarray, coat_ior: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """(`specular_ior`, `specular_weight`) of a base with the F0 of the index `wanted` below the coat. Below part of a strongly reflecting
    coat no index is as low as that; there the weight takes the rest of F0 away."""
    ior = base_ior_for(wanted, coat_weight, coat_ior)
    ratio = np.maximum(ior / np.maximum(coat_ior, 1e-3), 1e-3)
    reached = f0_from_ior(ior * (1.0 - coat_weight) + np.maximum(ratio, 1.0 / ratio) * coat_weight)
    return ior, np.clip(f0_from_ior(wanted) / np.maximum(reached, 1e-9), 0.0, 1.0)


def emission_for(coat_weight: np.ndarray, coat_ior: np.ndarray) -> np.ndarray:
    """The `emission_luminance` that is 1 when seen through a clear coat, which takes its F0 from own light as well."""
    return 1.0 / np.maximum(1.0 - coat_weight * f0_from_ior(coat_ior), 1e-3)


def base_roughness_for(wanted: np.ndarray, coat_weight: np.ndarray, coat_roughness: np.ndarray) -> np.ndarray:
    """The `specular_roughness` that is `wanted` after the coat has spread it; 0 where the coat alone spreads more. Bisection."""
    if not np.any(coat_weight * coat_roughness):
        return wanted
    spread = 2.0 * np.power(coat_roughness, 4)
    low, high = np.zeros(np.broadcast(wanted, coat_weight, coat_roughness).shape), np.ones(1)
    for _ in range(STEPS):
        middle = 0.5 * (low + high)
        seen = middle * (1.0 - coat_weight) + coat_weight * np.power(np.minimum(spread + np.power(middle, 4), 1.0), 0.25)
        low, high = np.where(seen < wanted, middle, low), np.where(seen < wanted, high, middle)
    return np.where(wanted >= 1.0, 1.0, 0.5 * (low + high))


def distance_of_widths(one: np.ndarray, other: np.ndarray) -> np.ndarray:
    """Normalised difference of two GGX lobes of these widths, 2 |α₁ − α₂|/(α₁ + α₂): 0 for equal ones, 2 for ones that do not overlap.

    The share of facets of a GGX lobe within a slope t is t²/(t² + α²); the sum of absolute differences of two lobes is twice what the
    sharper has more within the slope √(α₁ α₂), where their densities cross.
    """
    return 2.0 * np.abs(one - other) / np.maximum(one + other, 1e-12)


def below_rough_coat(
    wanted: np.ndarray, coat_weight: np.ndarray, coat_roughness: np.ndarray, *, below: np.ndarray, above: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:
    """(`specular_roughness`, `coat_roughness`) for a base that is to look as rough as `wanted` under a coat of this roughness.

    Where the coat spreads a smooth base more than wanted, one of both has to give way. As the sum of what either differs
    (`distance_of_widths`) has no least between, either the coat stays and spreads the base, or it is made as much sharper as the base
    asks for: whichever differs less by the energy that the base (`below`) and the coat (`above`) reflect.
    """
    spread = coat_weight * coat_roughness * 2.0**0.25
    sharper = np.minimum(wanted / np.maximum(coat_weight * 2.0**0.25, 1e-6), coat_roughness)
    as_it_is = below * distance_of_widths(np.square(wanted), np.square(np.maximum(spread, wanted)))
    given_way = above * distance_of_widths(np.square(sharper), np.square(coat_roughness))
    coat = np.where((spread > wanted) & (given_way < as_it_is), sharper, coat_roughness)
    return base_roughness_for(wanted, coat_weight, coat), coat


def one_gives_way(wanted: np.ndarray, coat_weight: np.ndarray, coat_roughness: np.ndarray) -> Caveat:
    """What to say where a coat spreads even a smooth base more than wanted."""
    if np.any(coat_weight * coat_roughness * 2.0**0.25 > wanted * (1.0 + 1e-3)):
        return APPROXIMATED, "OpenPBR's coat spreads what lies below it more than that; the one of both that reflects less gives way."
    return None
