"""The reflection of a coat and that of the base below it, where a target has one lobe for both."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from fenrain.core.models.open_pbr.inverse import distance_of_widths
from fenrain.core.models.open_pbr.parameters import OpenPbr
from fenrain.core.models.open_pbr.surface import ior_below_coat, roughness_below_coat
from fenrain.core.optics.energy import average_coat, left_below
from fenrain.core.optics.fresnel import f0_from_ior
from fenrain.core.optics.microfacet import widths_openpbr

ONE_LOBE_NEEDS = (
    *("specular_ior", "specular_weight", "specular_color", "specular_roughness", "coat_weight", "coat_ior", "coat_roughness"),
    *("base_color", "base_weight", "base_metalness", "transmission_weight"),
)
"""What the functions here read; the widths, both anisotropies as well."""


def base_reflection(p: OpenPbr) -> np.ndarray:
    """Average share of light that the base sends back as a reflection, or lets through."""
    alpha = np.square(roughness_below_coat(p))
    dielectric = (1.0 - left_below(f0_from_ior(ior_below_coat(p)), alpha)) * p.specular_color.mean(axis=-1, keepdims=True)
    metal = (p.base_color * p.base_weight * p.specular_weight).mean(axis=-1, keepdims=True)
    return np.maximum(dielectric, p.transmission_weight) * (1.0 - p.base_metalness) + metal * p.base_metalness


@dataclass(frozen=True)
class Joined:
    """The coat's reflection and the base's, of which one lobe has to be both where the target's own coat does not carry the first.

    coat, carried: average shares of light that the coat reflects, and that the target's does; share: of the coat that joins the base;
    base: 0 where the base's own reflection gives way, else 1; is_coat: where the coat is the stronger.
    """

    coat: np.ndarray
    carried: np.ndarray
    share: np.ndarray
    base: np.ndarray
    is_coat: np.ndarray

    def metal(self, p: OpenPbr, passed: np.ndarray) -> np.ndarray:
        """F0 of the metal, seen through the coat (`passed`), with what joins it of that."""
        metal = p.base_color * p.base_weight * p.specular_weight * passed * self.base
        return metal + (1.0 - metal) * self.share * self.coat

    def widths(self, p: OpenPbr) -> tuple[np.ndarray, np.ndarray]:
        """The GGX widths, along the tangent and across it, of the stronger of both."""
        roughness = np.where(self.is_coat, p.coat_roughness, roughness_below_coat(p))
        anisotropy = np.where(self.is_coat, p.coat_roughness_anisotropy, p.specular_roughness_anisotropy)
        alpha_x, alpha_y = widths_openpbr(roughness, anisotropy)
        return alpha_x, alpha_y


def joined(p: OpenPbr, carried: np.ndarray) -> Joined:
    """What becomes of the coat beyond what the target's own coat carries.

    One lobe has one width, that of the stronger; the weaker joins it where their widths differ by less than the weaker itself would by
    being left out (`distance_of_widths` below 1).
    """
    if not np.any(p.coat_weight):
        none = np.zeros_like(p.coat_weight)
        return Joined(none, none, none, none + 1.0, none > 0.0)
    coat = p.coat_weight * average_coat(p.coat_ior, p.coat_roughness)
    base, below = base_reflection(p), roughness_below_coat(p)
    is_coat = coat - carried > base
    near = distance_of_widths(np.square(p.coat_roughness), np.square(below)) < 1.0
    left = np.where(coat > 1e-6, (coat - carried) / np.maximum(coat, 1e-6), 0.0)
    return Joined(coat, carried, np.where(near | is_coat, left, 0.0), np.where(near | ~is_coat, 1.0, 0.0), is_coat)
