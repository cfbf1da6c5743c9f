"""How much a GGX lobe reflects in all, and the factor that gives back the light that single scattering loses.

The tables are made by `tabulate` (run `python -m fenrain.core.optics.albedo` to write them anew) and read once.

Energy compensation. A factor k(θ, α) is tabulated such that k(θo) ∫ f(i, o) k(θi) cos θi dωi = 1 for a lossless
lobe. A lobe of reflectance F is then multiplied by 1 + F (k(θi) k(θo) − 1): it keeps all energy where F = 1, and is
reciprocal, which the usual factor 1 + F (1 − E(θo))/E(θo) is not (Turquin 2019, Practical multiple scattering
compensation for microfacet models, discusses the latter).
"""

from __future__ import annotations

from functools import cache
from pathlib import Path

import numpy as np

from fenrain.core.optics.arrays import Array, lookup, maximum, raw_sqrt, square
from fenrain.core.optics.fresnel import f0_from_ior, fresnel_dielectric, ior_from_f0, schlick_weight
from fenrain.core.optics.microfacet import SMALLEST_ALPHA, ggx_lambda, reflect, sample_visible_ggx

TABLE_FILE = Path(__file__).with_name("albedo_tables.npz")
ANGLES, WIDTHS, REFLECTANCES = 32, 32, 16


def compensation(cosine: Array, alpha: Array) -> Array:
    """k(θ, α), at least 1."""
    return lookup(_tables()["compensation"], raw_sqrt(maximum(cosine, 0.0)), raw_sqrt(alpha))


def schlick_albedo(cosine: Array, alpha: Array, f0: Array, f90: Array) -> Array:
    """Directional albedo of the compensated GGX lobe with Schlick reflectance; f0 and f90 scalars."""
    first0, first90, second00, second01, second11 = (
        lookup(_tables()[name], raw_sqrt(maximum(cosine, 0.0)), raw_sqrt(alpha)) for name in SCHLICK_MOMENTS
    )
    return f0 * first0 + f90 * first90 + f0 * f0 * second00 + f0 * f90 * second01 + f90 * f90 * second11


def schlick_average_albedo(alpha: Array, f0: Array, f90: Array) -> Array:
    """2 ∫ E cos θ d cos θ of `schlick_albedo`."""
    first0, first90, second00, second01, second11 = (lookup(_tables()[f"average_{name}"], raw_sqrt(alpha)) for name in SCHLICK_MOMENTS)
    return f0 * first0 + f90 * first90 + f0 * f0 * second00 + f0 * f90 * second01 + f90 * f90 * second11


def dielectric_albedo(cosine: Array, alpha: Array, ior: Array) -> Array:
    """Directional albedo of the compensated GGX lobe with the reflectance of a dielectric, ior ≥ 1."""
    strength = raw_sqrt(f0_from_ior(ior))
    return lookup(_tables()["dielectric"], raw_sqrt(maximum(cosine, 0.0)), raw_sqrt(alpha), strength)


def dielectric_average_albedo(alpha: Array, f0: Array) -> Array:
    """2 ∫ E cos θ d cos θ of `dielectric_albedo`, by the reflectance at normal incidence."""
    return lookup(_tables()["average_dielectric"], raw_sqrt(alpha), raw_sqrt(f0))


def compensation_gain(alpha: Array) -> Array:
    """How much brighter, on average, compensation makes a lossless lobe: 1/Ē − 1 of single scattering."""
    return lookup(_gain_table(), raw_sqrt(alpha))


@cache
def _gain_table() -> np.ndarray:
    return 1.0 / (_tables()["average_first0"] + _tables()["average_first90"]) - 1.0


SCHLICK_MOMENTS = ("first0", "first90", "second00", "second01", "second11")


@cache
def _tables() -> dict[str, np.ndarray]:
    with np.load(TABLE_FILE) as stored:
        return {name: stored[name] for name in stored.files}


def tabulate(samples: int = 64) -> dict[str, np.ndarray]:
    """Integrate the tables: axes √cos θ, √α and √F0, each 0…1 with nodes at both ends.

    samples: quadrature points along each of the two dimensions of the visible normals.
    """
    u1, u2 = (axis.ravel() for axis in np.meshgrid((np.arange(samples) + 0.5) / samples, (np.arange(samples) + 0.5) / samples))
    cosines = np.maximum(np.linspace(0.0, 1.0, ANGLES) ** 2, 2e-4)
    alphas = np.maximum(np.linspace(0.0, 1.0, WIDTHS) ** 2, SMALLEST_ALPHA)
    iors = ior_from_f0(np.linspace(0.0, 1.0, REFLECTANCES) ** 2)
    tables = {name: np.zeros((ANGLES, WIDTHS)) for name in ("compensation", *SCHLICK_MOMENTS)}
    tables["dielectric"] = np.zeros((ANGLES, WIDTHS, REFLECTANCES))
    for column, alpha in enumerate(alphas):
        weight, incident, half = _visible_reflections(cosines, alpha, u1, u2)
        factor = _balanced_factor(weight, incident)
        gain = factor[:, None] * _interpolate(factor, incident) - 1.0
        away = schlick_weight(half)
        moments = {
            "compensation": factor,
            "first0": (weight * (1 - away)).mean(axis=1),
            "first90": (weight * away).mean(axis=1),
            "second00": (weight * gain * square(1 - away)).mean(axis=1),
            "second01": (weight * gain * 2 * away * (1 - away)).mean(axis=1),
            "second11": (weight * gain * square(away)).mean(axis=1),
        }
        for name, values in moments.items():
            tables[name][:, column] = values
        for depth, ior in enumerate(iors):
            reflected = fresnel_dielectric(half, ior)
            tables["dielectric"][:, column, depth] = (weight * reflected * (1 + reflected * gain)).mean(axis=1)
    return tables | {f"average_{name}": _cosine_average(tables[name]) for name in (*SCHLICK_MOMENTS, "dielectric")}


def _visible_reflections(cosines: np.ndarray, alpha: float, u1: np.ndarray, u2: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """For each view angle and quadrature point: G2/G1, cos θi and cosine at the half vector."""
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
