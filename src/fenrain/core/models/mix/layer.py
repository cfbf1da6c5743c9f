"""A mirror that shows over paint the more the view grazes is no mix but a layer: which coat it is."""

from __future__ import annotations

from functools import cache

import numpy as np

from fenrain.core.models.additive import MOST_COAT_F0
from fenrain.core.models.mix.parameters import FIRST, SECOND
from fenrain.core.optics.arrays import lookups
from fenrain.core.optics.fresnel import fresnel_dielectric, ior_from_f0, schlick_weight
from fenrain.core.rules.case import Case


def mirror_over_paint(case: Case) -> bool:
    """Whether the second surface is a metal, neither has a coat of its own, and nothing else tells them apart that lies above a coat. Over
    another metal it is a layer where it is as smooth or as bent as that is not: else one metal says both."""
    unlike = any(case.value(FIRST + name) != case.value(SECOND + name) for name in ("specular_roughness", "geometry_normal"))
    metals = case.is_at(f"{SECOND}base_metalness", 1.0) and (unlike or not case.is_at(f"{FIRST}base_metalness", 1.0))
    free = all(
        case.is_at(f"{prefix}{name}", 0.0) for prefix in (FIRST, SECOND) for name in ("coat_weight", "fuzz_weight", "thin_film_weight")
    )
    dark = case.is_at(f"{SECOND}emission_luminance", 0.0)
    alike = all(case.value(FIRST + name) == case.value(SECOND + name) for name in ("geometry_opacity", "occlusion"))
    return metals and free and dark and alike


def coat_of_view(falloff: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """(weight, F0) of the coat whose reflectance is nearest to (1 − cos θ)^p, by least squares over light from everywhere."""
    place = falloff / (falloff + 5.0)
    weight, f0 = lookups(_table(), place)
    return weight, f0


NODES, ANGLES = 33, 200


@cache
def _table() -> tuple[np.ndarray, np.ndarray]:
    """Weight and F0 against p/(p + 5)."""
    cosines = (np.arange(ANGLES) + 0.5) / ANGLES
    f0 = np.linspace(0.0, 1.0, 200)[1:] ** 2 * MOST_COAT_F0
    curves = fresnel_dielectric(cosines, ior_from_f0(f0)[:, None])
    places = np.minimum(np.linspace(0.0, 1.0, NODES), 0.999)
    wanted = schlick_weight(cosines, (5.0 * places / (1.0 - places))[:, None])
    weight = np.clip((curves * cosines) @ wanted.T / np.square(curves * np.sqrt(cosines)).sum(axis=1)[:, None], 0.0, 1.0)
    missed = (np.square(weight[:, :, None] * curves[:, None, :] - wanted[None]) * cosines).sum(axis=-1)
    best = missed.argmin(axis=0)
    return weight[best, np.arange(NODES)], f0[best]
