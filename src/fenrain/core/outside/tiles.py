"""What is seen of each material in a picture that came back: laid over ours, cut out, with the noise that is in it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from fenrain.core.checking.check import READ_EDGE, average_down
from fenrain.core.errors import InputError
from fenrain.core.outside.alignment import Alignment, aligned
from fenrain.core.outside.kit import Kit
from fenrain.core.outside.layout import Tile
from fenrain.core.outside.picture import OutsidePicture
from fenrain.core.outside.response import Response, response_of
from fenrain.core.outside.statements import Statement, statements_of

SHOWN_EDGE = 4 * READ_EDGE
LEAST_PIXELS = READ_EDGE
"""Edge of a tile in the picture; less shows no highlight."""
NOISE_WINDOW = 9
MEAN_OF_NORMAL = math.sqrt(2.0 / math.pi)
"""The mean of |x| over normal numbers."""
FILTERED = 1.25
"""By how much noise is larger than it looks from one pixel to the next, since filters of pixels spread it over neighbours."""


@dataclass(frozen=True)
class Laid:
    """A picture laid over ours and exposed as ours. ends_at: the brightest that it can show."""

    name: str
    shows: str
    space: str
    size: tuple[int, int]
    pixels: np.ndarray
    alignment: Alignment
    response: Response
    ends_at: float
    statements: tuple[Statement, ...]


@dataclass(frozen=True)
class SeenTile:
    """picture: (256, 256, 3); ends_at: the brightest that it can show, infinity where there is no end; residual: how far it may lie beside
    ours, in pixels that are measured; noise: of these, (64, 64), from one pixel of the picture itself to the next."""

    picture: np.ndarray
    ends_at: float
    residual: float
    noise: np.ndarray


def laid_over(kit: Kit, picture: OutsidePicture, side: str, light: np.ndarray) -> Laid:
    alignment, over = aligned(picture, kit.layout)
    smallest = min(tile.half for tile in kit.layout.tiles) * picture.size[1]
    if smallest < LEAST_PIXELS:
        raise InputError(
            f"A material is {smallest:.0f} pixels wide in “{picture.name}”; {LEAST_PIXELS} are the least.",
            place=picture.name,
            remedy=f"Render {kit.stated.width} × {kit.stated.height}, as the kit asks.",
        )
    response = response_of(over, kit.layout, light, ends_at_white=picture.ends_at_white)
    matched, ends_at = response.matched(over), math.inf
    if picture.ends_at_white:
        ends_at = float(response.matched(np.ones((1, 1, 3))).min())
    statements = tuple(statements_of(picture, alignment, response))
    return Laid(picture.name, side, picture.space, picture.size, matched, alignment, response, ends_at, statements)


def tile_of(laid: Laid, tile: Tile) -> SeenTile:
    """What is seen of a tile, each of its pixels the mean of what lies within."""
    edge = tile.half * laid.pixels.shape[0]
    each = max(1, math.ceil(edge / SHOWN_EDGE))
    picture = _cut_out(laid.pixels, tile, SHOWN_EDGE * each).reshape(SHOWN_EDGE, each, SHOWN_EDGE, each, 3).mean(axis=(1, 3))
    as_made = _spread(_cut_out(laid.pixels, tile, round(edge)))
    noise = FILTERED * cv2.resize(as_made, (READ_EDGE, READ_EDGE), interpolation=cv2.INTER_AREA) * READ_EDGE / edge
    return SeenTile(picture, laid.ends_at, laid.alignment.residual * READ_EDGE / edge, noise)


def _cut_out(pixels: np.ndarray, tile: Tile, size: int) -> np.ndarray:
    """A tile of a picture on so many pixels each way."""
    height, width = pixels.shape[:2]
    edge, (across, up) = tile.half * height, tile.middle
    left, top, step = 0.5 * (width + across * height - edge), 0.5 * ((1.0 - up) * height - edge), edge / size
    matrix = np.array([[step, 0.0, left + 0.5 * step - 0.5], [0.0, step, top + 0.5 * step - 0.5]])
    how = {"flags": cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP, "borderMode": cv2.BORDER_REPLICATE}
    return np.maximum(cv2.warpAffine(pixels, matrix, (size, size), **how), 0.0)


def body_of(seen: np.ndarray) -> np.ndarray:
    """Where the body is seen of all of a pixel that is measured, (64, 64) bool: how its rim is filtered is each renderer's own."""
    each = seen.shape[0] // READ_EDGE
    return np.asarray(seen.reshape(READ_EDGE, each, READ_EDGE, each).all(axis=(1, 3)))


def ended_at(pictures: tuple[np.ndarray, np.ndarray], body: np.ndarray, ends_at: float) -> tuple[str, ...]:
    """Whether one of the pictures ends where the other goes on."""
    brightest = max(float(np.percentile(average_down(picture)[body], 95)) for picture in pictures)
    return (f"what is brighter than {ends_at:.2g} of white: the picture's file ends there.",) if brightest > ends_at else ()


def off_the_body(seen: np.ndarray) -> np.ndarray:
    """Pixels that are measured, see nothing of the body, and have none beside them that does."""
    each = seen.shape[0] // READ_EDGE
    touched = seen.reshape(READ_EDGE, each, READ_EDGE, each).any(axis=(1, 3))
    return np.asarray(cv2.dilate(touched.astype(np.uint8), np.ones((3, 3), np.uint8)) == 0)


def noise_in(difference: np.ndarray, theirs: Sequence[SeenTile]) -> np.ndarray:
    """About what is random in a difference, (64, 64, 3): as much as there is from one pixel to the next, in the difference as it is
    measured, or in their own pictures as they were made, whichever is less. Where detail differs the first is large, where there is detail
    the second; noise is in both."""
    own = np.sqrt(sum(np.square(tile.noise) for tile in theirs))
    rough = difference - cv2.blur(difference.astype(np.float32), (3, 3))
    # By its own pattern grey noise stays grey; how large it is, is that of all pixels about.
    pattern = rough / np.maximum(np.abs(rough).mean(axis=-1, keepdims=True), 1e-9)
    sizes = np.abs(np.random.default_rng(7).standard_normal(own.shape)) / MEAN_OF_NORMAL
    return np.asarray(pattern * (np.minimum(_spread(difference), own) * sizes)[..., None])


def _spread(picture: np.ndarray) -> np.ndarray:
    """How much of a pixel is random, (h, w): its usual difference from the mean of those about it, which has an eighth less of it than the
    pixel. Edges are few of those about a pixel, and do not count."""
    rough = np.abs(picture - cv2.blur(picture.astype(np.float32), (3, 3))).mean(axis=-1).astype(np.float32)
    from scipy.ndimage import median_filter  # loads long, and is seldom needed

    return np.asarray(median_filter(rough, NOISE_WINDOW, mode="nearest") / math.sqrt(8.0 / 9.0))


def moved_by(picture: np.ndarray, pixels: float) -> np.ndarray:
    """What a shift by so many pixels to either side changes."""
    across, down = np.gradient(picture, axis=1), np.gradient(picture, axis=0)
    return np.asarray(pixels * np.hypot(across, down))
