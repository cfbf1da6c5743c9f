"""How much a microfacet lobe reflects in all, and the factor that gives back the light that single scattering loses.

The tables are made by `tabulate` (run `python -m fenrain.core.optics.albedo` to write them again) and read once.

Energy compensation. A factor k(θ, α) is tabulated such that k(θo) ∫ f(i, o) k(θi) cos θi dωi = 1 for a lossless
lobe. A lobe of reflectance F is then multiplied by 1 + F (k(θi) k(θo) − 1): it keeps all energy where F = 1, and is
reciprocal, which the usual factor 1 + F (1 − E(θo))/E(θo) is not (Turquin 2019, Practical multiple scattering
compensation for microfacet models, discusses the latter).
"""

from __future__ import annotations

from enum import StrEnum
from functools import cache
from pathlib import Path

import numpy as np

from fenrain.core.optics.arrays import Array, lookup, lookups, maximum, raw_sqrt, square
from fenrain.core.optics.fresnel import fresnel_dielectric, ior_from_f0, schlick_weight
from fenrain.core.optics.microfacet import SMALLEST_ALPHA, beckmann_lambda, ggx_lambda, reflect, sample_beckmann, sample_visible_ggx

TABLE_FILE = Path(__file__).with_name("albedo_tables.npz")
ANGLES, WIDTHS, STRENGTHS, FALLOFFS = 32, 32, 31, 17


class Scattering(StrEnum):
    """Which lobe a table is of: GGX with its lost energy given back, or GGX or Beckmann that scatters once."""

    GGX = "ggx"
    GGX_ONCE = "ggx_once"
    BECKMANN_ONCE = "beckmann_once"


def compensation(cosine: Array, alpha: Array) -> Array:
    """k(θ, α), at least 1."""
    return lookup(_tables()["compensation"], raw_sqrt(maximum(cosine, 0.0)), raw_sqrt(alpha))


def schlick_albedo(
    cosine: Array, alpha: Array, f0: Array, f90: Array, *, exponent: Array = 5.0, scattering: Scattering = Scattering.GGX
) -> Array:
    """Directional albedo of a lobe with Schlick reflectance; f0 and f90 scalars; exponent: other than 5 for lobes that scatter once."""
    place = raw_sqrt(maximum(cosine, 0.0)), raw_sqrt(alpha)
    names = [f"{_once(scattering)}_{name}" for name in FIRST] + list(SECOND if scattering is Scattering.GGX else ())
    first0, first90, *second = lookups([_tables()[name] for name in names], *place)
    if not _is_five(exponent):
        rising = lookup(_tables()[f"{_once(scattering)}_rising"], *place, exponent / (exponent + 5.0))
        first0, first90 = first0 + first90 - rising, rising
    return _of_ends(f0, f90, first0, first90, *second)


def schlick_average_albedo(alpha: Array, f0: Array, f90: Array, *, exponent: Array = 5.0, scattering: Scattering = Scattering.GGX) -> Array:
    """2 ∫ E cos θ d cos θ of `schlick_albedo`."""
    place = raw_sqrt(alpha)
    names = [f"average_{_once(scattering)}_{name}" for name in FIRST]
    names += [f"average_{name}" for name in (SECOND if scattering is Scattering.GGX else ())]
    first0, first90, *second = lookups([_tables()[name] for name in names], place)
    if not _is_five(exponent):
        rising = lookup(_tables()[f"average_{_once(scattering)}_rising"], place, exponent / (exponent + 5.0))
        first0, first90 = first0 + first90 - rising, rising
    return _of_ends(f0, f90, first0, first90, *second)


def _of_ends(f0: Array, f90: Array, first0: Array, first90: Array, *second: Array) -> Array:
    """What tables of the shares of f0 and f90 make of them; second: of their products, where a lobe gives back what it lost."""
    found = f0 * first0 + f90 * first90
    if not second:
        return found
    second00, second01, second11 = second
    return found + f0 * f0 * second00 + f0 * f90 * second01 + f90 * f90 * second11


def dielectric_albedo(cosine: Array, alpha: Array, ior: Array, *, scattering: Scattering = Scattering.GGX) -> Array:
    """Directional albedo of a lobe with the reflectance of a dielectric; below an index of 1 with total reflection."""
    return lookup(
        _tables()[f"{scattering}_dielectric"], raw_sqrt(maximum(cosine, 0.0)), raw_sqrt(alpha), _place_of((ior - 1.0) / (ior + 1.0))
    )


def dielectric_average_albedo(alpha: Array, ior: Array, *, scattering: Scattering = Scattering.GGX) -> Array:
    """2 ∫ E cos θ d cos θ of `dielectric_albedo`."""
    return lookup(_tables()[f"average_{scattering}_dielectric"], raw_sqrt(alpha), _place_of((ior - 1.0) / (ior + 1.0)))


def average_albedo_of_f0(alpha: Array, f0: Array) -> Array:
    """The same of a compensated GGX lobe, by the reflectance at normal incidence of an index above 1."""
    return lookup(_tables()["average_ggx_dielectric"], raw_sqrt(alpha), _place_of(raw_sqrt(f0)))


def average_of_single_scattering(alpha: Array, scattering: Scattering) -> Array:
    """Ē of a lossless lobe that scatters once."""
    return lookup(_whole(_once(scattering)), raw_sqrt(alpha))


def _place_of(strength: Array) -> Array:
    """Where a signed √F0, −1…1, stands on its axis."""
    return 0.5 * (strength + 1.0)


def _once(scattering: Scattering) -> Scattering:
    return Scattering.GGX_ONCE if scattering is Scattering.GGX else scattering


def _is_five(exponent: Array) -> bool:
    return isinstance(exponent, float) and exponent == 5.0


@cache
def _whole(once: Scattering) -> np.ndarray:
    first0, first90 = (_tables()[f"average_{once}_{name}"] for name in FIRST)
    return np.asarray(first0 + first90)


FIRST = ("first0", "first90")
SECOND = ("second00", "second01", "second11")


@cache
def _tables() -> dict[str, np.ndarray]:
    with np.load(TABLE_FILE) as stored:
        return {name: stored[name] for name in stored.files}


Reflections = tuple[np.ndarray, np.ndarray, np.ndarray]
"""For each view angle and quadrature point: weight, cos θi and cosine at the half vector."""


def tabulate(samples: int = 64) -> dict[str, np.ndarray]:
    """Integrate the tables: axes √cos θ, √α, and ±√F0 or p/(p + 5), all 0…1 but ±√F0, which is −1…1, with nodes at both ends.

    samples: quadrature points along each of the two dimensions of the visible normals; four times as many of Beckmann's.
    """
    cosines = np.maximum(np.linspace(0.0, 1.0, ANGLES) ** 2, 2e-4)
    alphas = np.maximum(np.linspace(0.0, 1.0, WIDTHS) ** 2, SMALLEST_ALPHA)
    names = ["compensation", *SECOND, *(f"{once}_{name}" for once in (Scattering.GGX_ONCE, Scattering.BECKMANN_ONCE) for name in FIRST)]
    tables = {name: np.zeros((ANGLES, WIDTHS)) for name in names}
    tables |= {f"{scattering}_dielectric": np.zeros((ANGLES, WIDTHS, STRENGTHS)) for scattering in Scattering}
    tables |= {f"{once}_rising": np.zeros((ANGLES, WIDTHS, FALLOFFS)) for once in (Scattering.GGX_ONCE, Scattering.BECKMANN_ONCE)}
    for column, alpha in enumerate(alphas):
        ggx, beckmann = _visible_reflections(cosines, alpha, *_grid(samples)), _beckmann_reflections(cosines, alpha, *_grid(4 * samples))
        weight, incident, half = ggx
        factor = _balanced_factor(weight, incident)
        gain = factor[:, None] * _interpolate(factor, incident) - 1.0
        away = schlick_weight(half)
        tables["compensation"][:, column] = factor
        tables["second00"][:, column] = (weight * gain * square(1 - away)).mean(axis=1)
        tables["second01"][:, column] = (weight * gain * 2 * away * (1 - away)).mean(axis=1)
        tables["second11"][:, column] = (weight * gain * square(away)).mean(axis=1)
        for scattering, found in ((Scattering.GGX_ONCE, ggx), (Scattering.BECKMANN_ONCE, beckmann)):
            tables[f"{scattering}_first0"][:, column], tables[f"{scattering}_first90"][:, column] = _first_moments(found)
            tables[f"{scattering}_dielectric"][:, column] = _dielectric(found)
            tables[f"{scattering}_rising"][:, column] = _rising(found)
        tables[f"{Scattering.GGX}_dielectric"][:, column] = _dielectric(ggx, gain)
    return tables | {f"average_{name}": _cosine_average(table) for name, table in tables.items() if name != "compensation"}


def _grid(samples: int) -> tuple[np.ndarray, np.ndarray]:
    """Points in the middle of equal cells of the unit square."""
    middles = (np.arange(samples) + 0.5) / samples
    u1, u2 = (axis.ravel() for axis in np.meshgrid(middles, middles))
    return u1, u2


def _first_moments(found: Reflections) -> tuple[np.ndarray, np.ndarray]:
    weight, _, half = found
    away = schlick_weight(half)
    return (weight * (1 - away)).mean(axis=1), (weight * away).mean(axis=1)


def _rising(found: Reflections) -> np.ndarray:
    """What (1 − c)^p reflects for each view angle and p/(p + 5), 0…1."""
    weight, _, half = found
    shares = np.linspace(0.0, 1.0, FALLOFFS)[:-1]
    columns = [(weight * schlick_weight(half, 5.0 * share / (1.0 - share))).mean(axis=1) for share in shares]
    return np.stack([*columns, np.zeros(len(weight))], axis=-1)


def _dielectric(found: Reflections, gain: np.ndarray | float = 0.0) -> np.ndarray:
    """Directional albedo for each view angle and strength, −1…1: below 0 that of the reciprocal index."""
    weight, _, half = found
    columns = []
    for strength in np.linspace(-1.0, 1.0, STRENGTHS):
        ior = ior_from_f0(strength**2)
        reflected = fresnel_dielectric(half, ior if strength >= 0 else 1.0 / ior)
        columns.append((weight * reflected * (1 + reflected * gain)).mean(axis=1))
    return np.stack(columns, axis=-1)


def _visible_reflections(cosines: np.ndarray, alpha: float, u1: np.ndarray, u2: np.ndarray) -> Reflections:
    """Of GGX, by its visible normals: the weight is G2/G1."""
    weights, incidents, halves = [], [], []
    for cosine in cosines:
        wo = np.array([[np.sqrt(1 - cosine**2)], [0.0], [cosine]])
        half = sample_visible_ggx(wo, alpha, alpha, u1, u2)
        wi = reflect(wo, half)
        seen, lit = ggx_lambda(wo, alpha, alpha), ggx_lambda(wi, alpha, alpha)
        weights.append(np.where(wi[2] > 0, (1 + seen) / (1 + seen + lit), 0.0))
        incidents.append(np.maximum(wi[2], 0.0))
        halves.append((wo * half).sum(axis=0))
    return np.array(weights), np.array(incidents), np.array(halves)


def _beckmann_reflections(cosines: np.ndarray, alpha: float, u1: np.ndarray, u2: np.ndarray) -> Reflections:
    """Of Beckmann, by normals of density D(h) cos θh: the weight is G2 |o·h|/(cos θo cos θh)."""
    weights, incidents, halves = [], [], []
    half = sample_beckmann(alpha, alpha, u1, u2)
    for cosine in cosines:
        wo = np.array([[np.sqrt(1 - cosine**2)], [0.0], [cosine]])
        wi, seen = reflect(wo, half), (wo * half).sum(axis=0)
        masking = 1.0 / (1.0 + beckmann_lambda(wi, alpha, alpha) + beckmann_lambda(wo, alpha, alpha))
        weights.append(np.where((wi[2] > 0) & (seen > 0), masking * seen / (cosine * half[2]), 0.0))
        incidents.append(np.maximum(wi[2], 0.0))
        halves.append(np.clip(seen, 0.0, 1.0))
    return np.array(weights), np.array(incidents), np.array(halves)


def _balanced_factor(weight: np.ndarray, incident: np.ndarray) -> np.ndarray:
    factor = 1.0 / np.sqrt(weight.mean(axis=1))
    for _ in range(60):
        factor = np.sqrt(factor / (weight * _interpolate(factor, incident)).mean(axis=1))
    return factor


def _interpolate(factor: np.ndarray, cosine: np.ndarray) -> np.ndarray:
    return np.interp(np.sqrt(cosine), np.linspace(0.0, 1.0, ANGLES), factor)


def _cosine_average(table: np.ndarray) -> np.ndarray:
    """2 ∫ E(c) c dc over the first axis, with c = u² and E linear in u between nodes, as `lookup` reads it."""
    fine = np.linspace(0.0, 1.0, 2001)
    nodes = np.linspace(0.0, 1.0, table.shape[0])
    hats = np.array([np.interp(fine, nodes, unit) for unit in np.eye(table.shape[0])])
    return np.tensordot(np.trapezoid(hats * 4.0 * fine**3, fine, axis=1), table, axes=(0, 0))


if __name__ == "__main__":
    np.savez_compressed(TABLE_FILE, allow_pickle=False, **{name: table.astype(np.float32) for name, table in tabulate().items()})
