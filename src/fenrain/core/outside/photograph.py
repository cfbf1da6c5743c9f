"""Colours picked from a photograph, once a grey or colour chart in it has set exposure and white.

A photograph judges by eye, not by number: its light, lens and camera are unknown. What is picked is a place to start from.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np

from fenrain.core.checking.metrics.colours import delta_e_2000
from fenrain.core.colour import XYZ_TO_RGB, linear_to_lab
from fenrain.core.errors import InputError
from fenrain.core.outside.picture import OutsidePicture
from fenrain.core.tables import Chart

Area = tuple[int, int, int, int]
"""Left, top, right and bottom in pixels; the last two are beyond it."""
Corners = Sequence[tuple[float, float]]
"""Of a chart in pixels, clockwise from where its first patch is."""
CLIPPED, MOST_CLIPPED = 0.985, 0.02
"""Of the brightest that a file holds: a pixel above it says nothing; and the share of such pixels that an area may have."""
LEAST_PIXELS = 9
INNER = 0.4
"""How much of a patch's width is averaged, about its middle."""
LEAST_GREY = 0.05
"""Reflectance of the darkest patch that white is told by: black ones hold mostly glare."""
TO_D65 = np.array([[0.9555766, -0.0230393, 0.0631636], [-0.0282895, 1.0099416, 0.0210077], [0.0122982, -0.0204830, 1.3299098]])
"""XYZ under D50 to XYZ under D65 (Bradford; Lindbloom)."""


@dataclass(frozen=True)
class Picked:
    """The colour of an area. colour: mean, linear Rec.709; spread: ΔE2000 that 95 % of its pixels are within of it; clipped: share of its
    pixels that say nothing; pixels: how many it has; space: in which the photograph was read."""

    colour: tuple[float, float, float]
    spread: float
    clipped: float
    pixels: int
    space: str


@dataclass(frozen=True)
class Balanced:
    """A photograph as a chart in it says it should be. exposure: stops, and white: factors, that were taken out; off: ΔE2000 that the
    chart's patches are off by after that, on average and at most; None where a single grey said it."""

    photograph: OutsidePicture
    exposure: float
    white: tuple[float, float, float]
    off: tuple[float, float] | None


def picked(photograph: OutsidePicture, area: Area) -> Picked:
    """The mean colour of an area. Raises InputError for one that leaves the picture, is too small, or is clipped."""
    pixels = _within(photograph, area)
    clipped = _clipped_share(photograph, pixels)
    if clipped > MOST_CLIPPED:
        raise InputError(
            f"{100 * clipped:.0f} % of this area are clipped: they say nothing of a colour.",
            place=_said(area),
            remedy="Choose an area without highlights, or a photograph that is exposed darker.",
        )
    mean = pixels.mean(axis=0)
    off = delta_e_2000(linear_to_lab(np.clip(pixels, 0.0, None)), linear_to_lab(np.broadcast_to(mean, pixels.shape)))
    red, green, blue = (float(part) for part in mean)
    return Picked((red, green, blue), float(np.percentile(off, 95)), clipped, len(pixels), photograph.space)


def balanced_by_grey(photograph: OutsidePicture, area: Area, reflectance: float) -> Balanced:
    """Exposed so that an area of even grey has this reflectance, in every channel. Raises InputError as `picked` does, and for an area that
    is black."""
    seen = np.asarray(picked(photograph, area).colour)
    if seen.min() <= 0.0:
        raise InputError("This area is black.", place=_said(area), remedy="Choose the grey patch.")
    return _divided(photograph, seen / reflectance, None)


def balanced_by_chart(photograph: OutsidePicture, corners: Corners, chart: Chart) -> Balanced:
    """Exposed so that a chart's greys are as published; its colours say how far off the photograph is then. Raises InputError for corners
    outside of the picture, and for a chart whose greys are clipped or in the wrong order."""
    seen, wanted = chart_colours(photograph, corners, chart), reflectances(chart)
    greys = [index for index in chart.neutral if wanted[index].mean() >= LEAST_GREY]
    bright = np.array([index for index in greys if seen[index].max() < _ends_at(photograph)], dtype=int)
    if len(bright) < 2 or (np.diff(seen[list(chart.neutral)].mean(axis=1)) >= 0.0).any():
        raise InputError(
            "The greys of this chart are clipped, or not where they should be.",
            place="chart",
            remedy="Mark its corners clockwise from the first patch, and expose it so that its white is not clipped.",
        )
    gains = np.exp(np.log(seen[bright] / wanted[bright]).mean(axis=0))
    off = delta_e_2000(*(linear_to_lab(np.clip(colours, 0.0, 1.0)) for colours in (seen / gains, wanted)))
    return _divided(photograph, gains, (float(off.mean()), float(off.max())))


def reflectances(chart: Chart) -> np.ndarray:
    """Colours of a chart's patches under D65, linear Rec.709, (patches, 3)."""
    x, y, luminance = np.array(chart.patches).T
    under_d50 = np.stack([x / y * luminance, luminance, (1.0 - x - y) / y * luminance], axis=-1)
    return np.asarray(under_d50 @ TO_D65.T @ XYZ_TO_RGB.T)


def chart_colours(photograph: OutsidePicture, corners: Corners, chart: Chart) -> np.ndarray:
    """The mean colour of each patch of a chart in a photograph, (patches, 3). Raises InputError for corners outside of the picture."""
    width, height = photograph.size
    if len(corners) != 4 or not all(0.0 <= x <= width and 0.0 <= y <= height for x, y in corners):
        raise InputError("A chart has four corners within the picture.", place="chart", remedy="Mark them clockwise from the first patch.")
    rows = len(chart.patches) // chart.columns
    whole = np.array([(0, 0), (chart.columns, 0), (chart.columns, rows), (0, rows)], np.float32)
    lens = cv2.getPerspectiveTransform(whole, np.array(corners, np.float32))
    steps = 0.5 + INNER * (np.arange(9) / 8.0 - 0.5)
    places = np.array([(column + x, row + y) for row in range(rows) for column in range(chart.columns) for y in steps for x in steps])
    seen = cv2.perspectiveTransform(places.astype(np.float32)[None], lens)[0] - 0.5
    sampled = cv2.remap(photograph.pixels, seen[None, :, 0], seen[None, :, 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(sampled.reshape(len(chart.patches), -1, 3).astype(float).mean(axis=1))


def _divided(photograph: OutsidePicture, gains: np.ndarray, off: tuple[float, float] | None) -> Balanced:
    level = float(gains.mean())
    white = gains / level
    pixels = np.asarray(photograph.pixels / gains, np.float32)
    red, green, blue = (float(part) for part in _ends(photograph) / gains)
    found = replace(photograph, pixels=pixels, ends_at=(red, green, blue))
    return Balanced(found, float(np.log2(level)), (float(white[0]), float(white[1]), float(white[2])), off)


def _within(photograph: OutsidePicture, area: Area) -> np.ndarray:
    left, top, right, bottom = area
    width, height = photograph.size
    if not (0 <= left < right <= width and 0 <= top < bottom <= height):
        raise InputError(f"This area leaves the picture of {width} × {height}.", place=_said(area), remedy="Choose one within it.")
    pixels = photograph.pixels[top:bottom, left:right].reshape(-1, 3).astype(float)
    if len(pixels) < LEAST_PIXELS:
        raise InputError(f"An area of {len(pixels)} pixels is too small.", place=_said(area), remedy="Choose 3 × 3 pixels or more.")
    return pixels


def _clipped_share(photograph: OutsidePicture, pixels: np.ndarray) -> float:
    return float((pixels >= CLIPPED * _ends(photograph)).any(axis=-1).mean())


def _ends_at(photograph: OutsidePicture) -> float:
    return float(CLIPPED * _ends(photograph).min())


def _ends(photograph: OutsidePicture) -> np.ndarray:
    """The brightest that each channel can be."""
    return np.asarray(photograph.ends_at)


def _said(area: Area) -> str:
    return f"area {','.join(str(edge) for edge in area)}"
