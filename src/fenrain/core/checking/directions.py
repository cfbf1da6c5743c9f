"""Fixed sets of directions over which two surfaces are compared, with the weights that make sums integrals."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache

import numpy as np

from fenrain.core.lobes.microfacet import Dielectric
from fenrain.core.lobes.transmission import Refraction, ThinWallTransmission
from fenrain.core.optics.arrays import PI
from fenrain.core.optics.microfacet import reflect, safe_half, sample_cosine, sample_visible_ggx, visible_ggx_pdf

VIEW_COSINES = (0.98, 0.9, 0.78, 0.64, 0.5, 0.36, 0.24, 0.14)
HIGHLIGHT_WIDTHS = (0.0003, 0.003, 0.02, 0.08, 0.3)
COSINE_SAMPLES, HIGHLIGHT_SAMPLES = 96, 40
BENDING_INDICES, BENDING_WIDTHS, BENDING_SAMPLES = (1.0, 1.2, 1.35, 1.5, 1.7, 2.2), (0.01, 0.06, 0.25), 16


@dataclass(frozen=True)
class Directions:
    """wi, wo: unit, (3, n); weight: sr for which each pair stands, times cos θo, the share of a picture; view: which view angle
    it belongs to; cosines: of the views."""

    wi: np.ndarray
    wo: np.ndarray
    weight: np.ndarray
    view: np.ndarray
    cosines: np.ndarray


@cache
def directions(every: int = 1) -> Directions:
    """For each of 16 views (8 angles along the tangent and across it), directions spread by the cosine and by highlights of
    four widths, weighted with the balance heuristic (Veach & Guibas 1995). every: each so many of them, which then count for all."""
    if every > 1:
        return _thinned(directions(), every)

    def spread_over(wo: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        samples = [sample_cosine(*_spread(COSINE_SAMPLES))]
        for alpha in HIGHLIGHT_WIDTHS:
            samples.append(reflect(wo, sample_visible_ggx(wo, alpha, alpha, *_spread(HIGHLIGHT_SAMPLES))))
        wi = np.concatenate(samples, axis=1)
        wi = wi[:, wi[2] > 1e-4]
        pdf = COSINE_SAMPLES * wi[2] / PI
        for alpha in HIGHLIGHT_WIDTHS:
            pdf = pdf + HIGHLIGHT_SAMPLES * visible_ggx_pdf(wo, safe_half(wi, wo), alpha, alpha)
        return wi, pdf

    return _over_views(spread_over)


@cache
def directions_behind(every: int = 1) -> Directions:
    """The same below the surface: spread by the cosine, straight through a sheet, and bent by several indices at three widths."""
    if every > 1:
        return _thinned(directions_behind(), every)

    def spread_over(wo: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        bends = [
            ThinWallTransmission(alpha, alpha, Dielectric(1.5)) if ior == 1.0 else Refraction(alpha, alpha, np.asarray(ior))
            for ior in BENDING_INDICES
            for alpha in BENDING_WIDTHS
        ]
        even = sample_cosine(*_spread(COSINE_SAMPLES)) * np.array([[1.0], [1.0], [-1.0]])
        wi = np.concatenate([even, *(bend.sample(wo, *_spread(BENDING_SAMPLES)) for bend in bends)], axis=1)
        wi = wi[:, wi[2] < -1e-4]
        pdf = COSINE_SAMPLES * -wi[2] / PI + sum(BENDING_SAMPLES * bend.pdf(wi, wo) for bend in bends)
        return wi, pdf

    return _over_views(spread_over)


def by_view(values: np.ndarray, view: np.ndarray, *, filled: bool = False) -> np.ndarray:
    """Values along directions, (…, n), sorted by their views, as (…, views, most of a view). What is left over is 0, or filled: the view's
    first value."""
    edges = np.searchsorted(view, np.arange(int(view[-1]) + 2))
    sizes = np.diff(edges)
    taken = np.arange(sizes.max())
    index = edges[:-1, None] + np.where(taken < sizes[:, None], taken, 0)
    return values[..., index] if filled else np.where(taken < sizes[:, None], values[..., index], 0.0)


def _thinned(whole: Directions, every: int) -> Directions:
    kept = slice(None, None, every)
    return Directions(whole.wi[:, kept], whole.wo[:, kept], whole.weight[kept] * every, whole.view[kept], whole.cosines)


def _over_views(spread_over: Callable[[np.ndarray], tuple[np.ndarray, np.ndarray]]) -> Directions:
    lights, views, weights, indices, cosines = [], [], [], [], []
    for index, (cosine, across) in enumerate((c, a) for c in VIEW_COSINES for a in (False, True)):
        sine = np.sqrt(1 - cosine**2)
        wo = np.array([[0.0 if across else sine], [sine if across else 0.0], [cosine]])
        wi, pdf = spread_over(wo)
        lights.append(wi)
        views.append(np.broadcast_to(wo, wi.shape))
        weights.append(cosine / pdf)
        indices.append(np.full(wi.shape[1], index))
        cosines.append(cosine)
    wi, wo, weight, view = (np.concatenate(part, axis=-1) for part in (lights, views, weights, indices))
    return Directions(wi, wo, weight, view, np.array(cosines))


def _spread(count: int) -> tuple[np.ndarray, np.ndarray]:
    """Points of the unit square that fill it evenly: the R2 sequence (Roberts 2018)."""
    index = np.arange(1, count + 1)
    return (0.5 + index * 0.7548776662466927) % 1.0, (0.5 + index * 0.5698402909980532) % 1.0
