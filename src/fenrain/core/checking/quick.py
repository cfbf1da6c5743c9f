"""The quick check: two surfaces compared on directions, without a picture. Takes milliseconds."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from fenrain.core.checking.directions import Directions, directions, directions_behind
from fenrain.core.lobes.surface import Surface
from fenrain.core.material import Material
from fenrain.core.models.registry import spread
from fenrain.core.optics.arrays import is_colour
from fenrain.core.surfaces import mean_surface

THICKNESS = 1.0
"""Scene units of a body that light has to cross, where what comes out behind is compared: half of a stand."""


@dataclass(frozen=True)
class QuickCheck:
    """lobe_error: Σ |difference| ÷ Σ original over all directions (0 = the same); reflectance: of each side at `angles` (degrees),
    rows of red, green, blue, for views along the tangent."""

    lobe_error: float
    angles: tuple[float, ...]
    original: tuple[tuple[float, float, float], ...]
    converted: tuple[tuple[float, float, float], ...]


@dataclass(frozen=True)
class Response:
    """What a surface sends to fixed views, and what its own light adds. above, behind: BSDF × |cos θi|, (3, n); behind is None for what
    lets nothing through; own: radiance relative to display white, (3,); every: over each so many of the directions."""

    above: np.ndarray
    behind: np.ndarray | None
    own: np.ndarray
    every: int = 1

    def parts(self) -> list[tuple[np.ndarray, np.ndarray]]:
        """(values, weights) of each kind."""
        found = [(self.above, directions(self.every).weight), (self.own[:, None], np.array([OWN_WEIGHT]))]
        return found if self.behind is None else [*found, (self.behind, directions_behind(self.every).weight)]


OWN_WEIGHT = float(directions().cosines.sum())
"""Own light of display white counts as much as a white surface under even light does."""


def quick_check(original: Material, converted: Material) -> QuickCheck:
    """Compare two materials on directions; maps count as their mean (see `constants_of`)."""
    ours, theirs = (response(mean_surface(material)) for material in (original, converted))
    angles = np.degrees(np.arccos(directions().cosines))[::2]
    return QuickCheck(
        lobe_error(ours, theirs), tuple(float(angle) for angle in angles), _rows(reflectance(ours)[::2]), _rows(reflectance(theirs)[::2])
    )


def response(surface: Surface, every: int = 1) -> Response:
    """The surface over the fixed directions, or each so many of them, times what is not open."""
    opacity = np.asarray(surface.opacity, dtype=float)
    opacity = opacity if is_colour(opacity) else opacity.reshape(-1)
    behind = None
    if surface.transmits:
        behind = _over(surface, directions_behind(every)) * opacity
        if surface.interior is not None:
            behind = behind * surface.interior.passes(THICKNESS)
    own = np.broadcast_to(np.asarray(surface.emission, dtype=float).reshape(-1), (3,)) * (
        opacity.reshape(-1) if opacity.size == 3 else opacity
    )
    return Response(_over(surface, directions(every)) * opacity, behind, own, every)


def reflectance(response: Response) -> np.ndarray:
    """Directional albedo at each view, (views, 3)."""
    at = directions()
    return np.stack([np.bincount(at.view, weights=channel * at.weight) for channel in response.above], axis=-1) / at.cosines[:, None]


def lobe_error(original: Response, converted: Response) -> float:
    """Normalised lobe error: Σ w |a − b| ÷ Σ w a, over reflection, transmission and own light."""
    total = sum(float((values * weight).sum()) for values, weight in original.parts())
    difference = float(np.abs(differences(original, converted)).sum())
    return difference / total if total > 1e-9 else float(difference > 1e-9)


def differences(original: Response, converted: Response) -> np.ndarray:
    """Every weighted difference in one row: reflection, own light, and what goes through where either lets light through."""
    every = original.every
    pairs = [(original.above, converted.above, directions(every).weight), (original.own[:, None], converted.own[:, None], OWN_WEIGHT)]
    if original.behind is not None or converted.behind is not None:
        ours, theirs = (0.0 if side.behind is None else side.behind for side in (original, converted))
        pairs.append((np.asarray(ours), np.asarray(theirs), directions_behind(every).weight))
    return np.concatenate([((theirs - ours) * weight).ravel() for ours, theirs, weight in pairs])


def _over(surface: Surface, at: Directions) -> np.ndarray:
    return np.array(np.broadcast_to(spread(surface.evaluate(at.wi, at.wo)), at.wi.shape))


def _rows(values: np.ndarray) -> tuple[tuple[float, float, float], ...]:
    return tuple((float(r), float(g), float(b)) for r, g, b in values)


FACING_SAMPLES = 8192
MOST_SENT = 1.02
"""Share of the light that arrives above which a surface gives back more than it receives."""


def facing_total(material: Material) -> float:
    """The strongest channel of all that comes back or through when lit from straight above, as a share of what arrives.

    By samples of the surface's own pdf, so that lobes of any width count. What goes through is counted as it leaves on the far side:
    radiance that comes out of a body is spread by the square of its index (Veach 1997, §5.2), the light itself is not.
    """
    surface = mean_surface(material)
    lit = np.array([[0.0], [0.0], [1.0]])
    choice, u1, u2 = (0.5 + np.outer(R3, np.arange(1, FACING_SAMPLES + 1))) % 1.0
    leaving = np.asarray(surface.sample(lit, choice, u1, u2))
    pdf = np.broadcast_to(surface.pdf(leaving, lit), leaving.shape[1:])
    sent = spread(surface.evaluate(lit, leaving)) * np.abs(leaving[2]) * surface.opacity
    drawn = (pdf > 1e-9) & (np.abs(leaving).sum(axis=0) > 0.0)
    return float(np.where(drawn, sent / np.maximum(pdf, 1e-9), 0.0).mean(axis=1).max())


R3 = (0.8191725133961645, 0.6710436067037893, 0.5497004779019703)
"""Steps of the R3 sequence, which fills the unit cube evenly (Roberts 2018)."""
