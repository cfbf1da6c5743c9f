"""The quick check: two looks compared on directions, without a picture. Takes milliseconds."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from fenrain.core.checking.directions import directions
from fenrain.core.lobes.look import Look
from fenrain.core.material import Material
from fenrain.core.models.registry import model_of, spread
from fenrain.core.optics.arrays import is_colour


@dataclass(frozen=True)
class QuickCheck:
    """lobe_error: Σ |difference| ÷ Σ original over all directions (0 = the same); reflectance: of each side at `angles` (degrees),
    rows of red, green, blue, for views along the tangent."""

    lobe_error: float
    angles: tuple[float, ...]
    original: tuple[tuple[float, float, float], ...]
    converted: tuple[tuple[float, float, float], ...]


def quick_check(original: Material, converted: Material) -> QuickCheck:
    """Compare two materials on directions; maps count as their mean (see `constants_of`)."""
    ours, theirs = (response(look_of(material)) for material in (original, converted))
    angles = np.degrees(np.arccos(directions().cosines))[::2]
    return QuickCheck(
        lobe_error(ours, theirs), tuple(float(angle) for angle in angles), _rows(reflectance(ours)[::2]), _rows(reflectance(theirs)[::2])
    )


def look_of(material: Material) -> Look:
    """The look of a material, its maps taken at their mean."""
    from fenrain.core.maps.mean import constants_of

    model = model_of(material.model)
    return model.look(model.namespace(constants_of(material)))


def response(look: Look) -> np.ndarray:
    """BRDF × cos θi over the fixed directions, plus own light spread evenly, times what is not open; (3, n)."""
    at = directions()
    reflected = np.broadcast_to(spread(look.evaluate(at.wi, at.wo)), at.wi.shape)
    return reflected * _column(look.opacity)


def reflectance(values: np.ndarray) -> np.ndarray:
    """Directional albedo at each view, (views, 3)."""
    at = directions()
    return np.stack([np.bincount(at.view, weights=channel * at.weight) for channel in values], axis=-1) / at.cosines[:, None]


def lobe_error(original: np.ndarray, converted: np.ndarray) -> float:
    """Normalised lobe error: Σ w |a − b| ÷ Σ w a."""
    weight = directions().weight
    total = float((original * weight).sum())
    difference = float((np.abs(original - converted) * weight).sum())
    return difference / total if total > 1e-9 else float(difference > 1e-9)


def _column(value: object) -> np.ndarray:
    array = np.asarray(value, dtype=float)
    return array if is_colour(array) else array.reshape(-1)


def _rows(values: np.ndarray) -> tuple[tuple[float, float, float], ...]:
    return tuple((float(r), float(g), float(b)) for r, g, b in values)
