"""What a fit looks at: directions weighted by the energy they carry, pixels under the light of rigs, and lamps in a mirror's image.

One set of values or many at once: a surface whose values are rows (see `surfaces.surface_over`) answers for all of them in one go.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np

from fenrain.core.checking.angular import BEHIND, places_about
from fenrain.core.checking.directions import by_view, directions, directions_behind
from fenrain.core.checking.fitting.rig_light import light_along
from fenrain.core.checking.metrics.colours import delta_e_2000
from fenrain.core.checking.metrics.delta_e import DARKER
from fenrain.core.checking.metrics.mirror_image import VIEWS, exposed, image_of, lamps
from fenrain.core.checking.metrics.registry import metrics
from fenrain.core.checking.quick import OWN_WEIGHT, THICKNESS
from fenrain.core.checking.verdict import Tolerances
from fenrain.core.colour import linear_to_lab
from fenrain.core.lobes.surface import Surface

EVERY = 4
"""Each fourth of the quick check's directions is looked along."""
COARSE = 3
"""Cells about the mirror direction are so much larger than those of the reading, each way."""
PIXELS, LAMPS = 0.01, 0.01
"""What pixels and lamps count that differ by as much as a match may, in units of lobe error."""
SMOOTH = 1e-3
"""ε of the residuals as a share of the mean absolute difference of energies at the start."""


@dataclass(frozen=True)
class Look:
    """Of each of n sets of values. energy: light along every direction and own light, times what each stands for, (n, directions);
    pixels: places on a sphere under each rig, (n, places, 3); lamps: the image of each lamp in an even room, (n, lamps, 3)."""

    energy: np.ndarray
    pixels: np.ndarray
    lamps: np.ndarray


def look_of(surface: Surface, rows: int, rigs: Sequence[str], *, behind: bool) -> Look:
    """rows: how many sets of values the surface is made of, 0 for a plain surface; behind: whether what goes through is looked at."""
    opacity, own = _aligned(surface.opacity), _aligned(surface.emission)
    sides = [(_light, _scene(behind=False)), *([(_through, _scene(behind=True))] if behind else [])]
    seen = [(scene, ask(surface, rows, scene.wi, scene.wo)) for ask, scene in sides]
    lit = np.broadcast_to(own * opacity, (3, max(rows, 1), 1, 1))
    views = [(scene, light[:, :, : len(scene.weight)] * opacity) for scene, light in seen]
    images = [image for scene, light in seen for image in _images(scene, light[:, :, len(scene.weight) :])]
    return Look(
        np.concatenate([_row_by_row(part) for part in (lit * OWN_WEIGHT, *(light * scene.weight for scene, light in views))], axis=1),
        _pixels(views[0][1], rigs) + np.moveaxis(lit[:, :, 0], 0, -1),
        np.concatenate(images, axis=1) + np.moveaxis(own[:, :, 0], 0, -1),
    )


@dataclass(frozen=True)
class _Scene:
    """All directions of one side, so that a surface is asked once: those of the quick check, a row a view, then for each angle at which
    lamps are looked at its cells, over several rows. wi: (3, rows, m), wo: (3, rows, 1); weight: what each direction of the quick check
    stands for, 0 for those left over, (views, m); steradians, lamps: by angle, of its cells."""

    wi: np.ndarray
    wo: np.ndarray
    weight: np.ndarray
    steradians: list[np.ndarray]
    lamps: list[np.ndarray]


@cache
def _scene(*, behind: bool) -> _Scene:
    at = (directions_behind if behind else directions)(EVERY)
    weight = by_view(at.weight, at.view)
    wi, wo = [by_view(at.wi, at.view, filled=True)], [by_view(at.wo, at.view, filled=True)[..., :1]]
    steradians, lit_by = [], []
    for angle in (BEHIND,) if behind else VIEWS:
        light, view, each, lit = places_about(angle, COARSE)
        spare = -int(lit.sum()) % weight.shape[1]
        filled = np.pad(light[:, lit], ((0, 0), (0, spare)), mode="edge")
        wi.append(filled.reshape(3, -1, weight.shape[1]))
        wo.append(np.broadcast_to(view[..., None], (3, wi[-1].shape[1], 1)))
        steradians.append(each[lit])
        lit_by.append(lamps(angle, COARSE)[:, lit])
    return _Scene(np.concatenate(wi, axis=1), np.concatenate(wo, axis=1), weight, steradians, lit_by)


def _pixels(above: np.ndarray, rigs: Sequence[str]) -> np.ndarray:
    """(n, places, 3), where there are no rigs (n, 0, 3)."""
    rows = above.shape[1]
    found = [np.matmul(np.swapaxes(above, 1, 2), light_along(rig, EVERY)) for rig in rigs]
    return np.concatenate([part.transpose(2, 1, 3, 0).reshape(rows, -1, 3) for part in found] or [np.zeros((rows, 0, 3))], axis=1)


def _images(scene: _Scene, light: np.ndarray) -> list[np.ndarray]:
    """Lamps in an even room as each angle shows them, (n, lamps, 3). light: along the rows of cells, (3, n, rows, m)."""
    found, begin = [], 0
    for steradians, lit in zip(scene.steradians, scene.lamps, strict=True):
        end = begin + -(-len(steradians) // light.shape[3])
        cells = light[:, :, begin:end].reshape(3, light.shape[1], -1)[:, :, : len(steradians)] * steradians
        found.append(np.moveaxis(image_of(cells @ lit.T, cells.sum(axis=2, keepdims=True)), 0, -1))
        begin = end
    return found


def _through(surface: Surface, rows: int, wi: np.ndarray, wo: np.ndarray) -> np.ndarray:
    """What comes through, after one way through the body; nothing where the surface lets nothing through."""
    if not surface.transmits:
        return np.zeros((3, max(rows, 1), *wi.shape[1:]))
    passes = 1.0 if surface.interior is None else _aligned(surface.interior.passes(THICKNESS))
    return _light(surface, rows, wi, wo) * passes


def _light(surface: Surface, rows: int, wi: np.ndarray, wo: np.ndarray) -> np.ndarray:
    """BSDF × |cos θi| for directions (3, views, m): (3, n, views, m)."""
    if rows:
        return np.broadcast_to(surface.evaluate(wi[:, None], wo[:, None]), (3, rows, *wi.shape[1:]))
    flat = wi.reshape(3, -1), np.broadcast_to(wo, wi.shape).reshape(3, -1)
    return np.broadcast_to(surface.evaluate(*flat), flat[0].shape).reshape(3, 1, *wi.shape[1:])


def _aligned(value: Any) -> np.ndarray:
    """A number or a colour, for one set of values or for rows of them, as (1 or 3, 1 or n, 1, 1)."""
    array = np.asarray(value, dtype=float)
    if array.ndim == 4:
        return array
    is_plain_colour = array.shape == (3, 1)
    return array.reshape(3, 1, 1, 1) if is_plain_colour else array.reshape(1, -1, 1, 1)


def _row_by_row(values: np.ndarray) -> np.ndarray:
    return np.moveaxis(values, 1, 0).reshape(values.shape[1], -1)


class Distance:
    """How far looks are from one that is wanted, as residuals of which the sum of squares is small where a verdict is good.

    The energy's part of it is the normalised lobe error: r = d/√(|d| + ε), so that r² ≈ |d| (the smoothed least absolute deviations of
    Charbonnier et al. 1994). Pixels count as ΔE in Lab over what a match may read, at display white and darker, and lamps alike.
    holding: whether no lamp may differ by more than the most that one does at the start.
    """

    def __init__(self, wanted: Look, start: Look, rigs: Sequence[str], tolerances: Tolerances, *, holding: bool = False) -> None:
        self._wanted = wanted
        self._total = max(float(np.abs(wanted.energy).sum()), 1e-9)
        self._smooth = float(np.abs(start.energy - wanted.energy).mean()) * SMOOTH + 1e-12
        each = wanted.pixels.shape[1] // max(len(rigs), 1)
        self._shown = [
            (2.0**exposure, np.repeat([_most(tolerances, metric, rig) for rig in rigs], each)[:, None])
            for metric, exposure in (("colour", 0.0), ("above_white", DARKER))
        ]
        self._mirrored = _most(tolerances, "mirrored_detail", "")
        self._hold = float(_apart(*exposed(start.lamps, wanted.lamps)).max()) if holding else None

    def residuals(self, look: Look) -> np.ndarray:
        """(n, residuals)."""
        energy = look.energy - self._wanted.energy
        parts = [energy / np.sqrt((np.abs(energy) + self._smooth) * self._total)]
        if look.pixels.shape[1]:
            for exposure, most in self._shown:
                shown, wanted = (linear_to_lab(np.clip(side.pixels * exposure, 0.0, 1.0).astype(float)) for side in (look, self._wanted))
                parts.append(_weighted((shown - wanted) / most, PIXELS / len(self._shown)))
        image, wanted = exposed(look.lamps, self._wanted.lamps)
        parts.append(_weighted((image - wanted) / self._mirrored, LAMPS))
        if self._hold is not None:
            parts.append(np.maximum(_apart(image, wanted) - self._hold, 0.0) / self._mirrored)
        return np.concatenate(parts, axis=1)


def _apart(image: np.ndarray, wanted: np.ndarray) -> np.ndarray:
    """ΔE2000 of each lamp, as the reading tells it, (n, lamps)."""
    return np.asarray(delta_e_2000(image, wanted))


def _most(tolerances: Tolerances, metric: str, rig: str) -> float:
    """What a match may read at most."""
    limits = tolerances.limits_of(metrics()[metric], rig)
    assert limits is not None
    return limits.match


def _weighted(differences: np.ndarray, share: float) -> np.ndarray:
    """Differences (n, places, 3) as residuals whose squares add up to `share` where each place differs by 1."""
    return (differences * np.sqrt(share / differences.shape[1])).reshape(differences.shape[0], -1)
