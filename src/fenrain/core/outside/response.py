"""How a camera answered, told from the patches of the reference cards: exposure, white, curve, colours, and how much light there was.

Exposure and white are matched, within limits; all else is said and stays in the picture.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache

import numpy as np

from fenrain.core.colour import linear_to_srgb, relative_luminance
from fenrain.core.maps.colour_spaces import encoding_called, to_linear
from fenrain.core.outside.cards import BLACK, COLOURS, GREYS, MATT, PATCHES, Patch, Rectangle, points_on
from fenrain.core.outside.layout import CardPlace, Layout
from fenrain.core.outside.light import irradiance

MOST_EXPOSURE, MOST_WHITE = 3.0, 0.35
"""Stops, and by how much a channel may differ from the mean of all, that are matched."""
CLIPPED = 0.97
"""Of white: brighter patches of a file that ends there say nothing."""
BENT, LIFTED, UNEVEN, OTHER_LIGHT, OTHER_COLOURS = 0.02, 0.004, 0.02, 0.04, 0.03
"""From where it is said: by how much the exponent of the curve differs from 1, how bright black is, by how much cards differ, how much
more or less light there is, and how far colours are from their own."""
BLACK_PLACE: Rectangle = (0.29, 0.49, 0.46, 0.66)
KNOWN_SPACES = ("acescg", "lin_rec2020", "lin_p3d65")
INNER = 0.25
"""How much of a patch is left out on each side."""


@dataclass(frozen=True)
class Response:
    """exposure: stops; white: factors on red, green and blue, 1 on the mean; curve: exponent of the picture's numbers over those that are
    meant, 1 where they are linear; is_display: the numbers are encoded as for a display; black: how bright black is; unevenness: how much
    cards differ from each other; light: how much light there is over what there should be; colours: (3, 3), what is made of red, green and
    blue; space: in which these numbers would be right, where one is known."""

    exposure: float
    white: tuple[float, float, float]
    curve: float
    is_display: bool
    black: float
    unevenness: float
    light: float
    colours: np.ndarray
    space: str

    @property
    def is_matched(self) -> bool:
        """Whether exposure and white lie within what is matched."""
        return abs(self.exposure) <= MOST_EXPOSURE and max(abs(part - 1.0) for part in self.white) <= MOST_WHITE

    def matched(self, pixels: np.ndarray) -> np.ndarray:
        """The picture as the kit's camera would have exposed it; as it is where that lies beyond the limits."""
        if not self.is_matched:
            return pixels
        return np.asarray(pixels / (2.0**self.exposure * np.asarray(self.white)), np.float32)


def response_of(pixels: np.ndarray, layout: Layout, light: np.ndarray, *, ends_at_white: bool) -> Response:
    """From a picture (h, w, 3) that lies over ours. light: the kit's (see `light.light_picture`)."""
    cards = [_measured(pixels, card, layout) for card in layout.cards]
    mean = {name: np.mean([card[name] for card in cards], axis=0) for name in cards[0]}
    dark = mean[BLACK.name]
    greys = [(paint.glow[0], mean[paint.name] - dark) for paint in GREYS]
    used = [(glow, seen) for glow, seen in greys if not ends_at_white or (seen + dark).max() < CLIPPED] or greys[:1]
    wanted, seen = np.array([glow for glow, _ in used]), np.maximum(np.array([found for _, found in used]), 1e-6)
    gains = np.exp(np.log(seen / wanted[:, None]).mean(axis=0))
    brightness = _brightness(gains)
    white = gains / brightness
    black = _brightness(dark) / brightness
    falls = irradiance(light, -layout.frame.axes[0], has_ground=layout.has_ground)
    matt = (mean[MATT.name] - dark) / gains
    of_cards = [np.mean([_brightness(card[paint.name]) for paint in GREYS]) for card in cards]
    colours = np.linalg.solve(
        np.array([paint.glow for paint in COLOURS]), np.array([(mean[paint.name] - dark) / gains for paint in COLOURS])
    ).T
    curve = _curve(wanted, seen)
    return Response(
        float(np.log2(brightness)),
        (float(white[0]), float(white[1]), float(white[2])),
        curve,
        abs(curve - 1.0) > BENT and abs(_curve(linear_to_srgb(wanted), seen) - 1.0) < abs(curve - 1.0) / 4.0,
        black,
        float(np.ptp(of_cards) / max(np.mean(of_cards), 1e-6)),
        _brightness(matt) / max(_brightness(MATT.reflectance / np.pi * falls), 1e-9),
        colours,
        _space(colours),
    )


def _measured(pixels: np.ndarray, card: CardPlace, layout: Layout) -> Mapping[str, np.ndarray]:
    """The mean colour of each patch of a card, by its paint."""
    patches = (*PATCHES, Patch(BLACK, BLACK_PLACE))
    return {patch.paint.name: _mean(pixels, card, layout, patch.where) for patch in patches}


def _mean(pixels: np.ndarray, card: CardPlace, layout: Layout, where: Rectangle) -> np.ndarray:
    left, low, right, high = where
    across, up = INNER * (right - left), INNER * (high - low)
    inner = points_on(card, layout.frame, np.array([(left + across, high - up), (right - across, low + up)]))
    (x0, y0), (x1, y1) = layout.frame.pixels_of(layout.frame.places_of(inner), (pixels.shape[1], pixels.shape[0]))
    columns, lines = (slice(max(round(first), 0), max(round(last), round(first), 0) + 1) for first, last in ((x0, x1), (y0, y1)))
    return np.asarray(pixels[lines, columns].reshape(-1, 3).astype(float).mean(axis=0))


def _brightness(colour: np.ndarray) -> float:
    return float(relative_luminance(np.asarray(colour, float))[..., 0])


def _curve(wanted: np.ndarray, seen: np.ndarray) -> float:
    """The exponent by which brightness goes with what is meant."""
    if len(wanted) < 2:
        return 1.0
    return float(np.polyfit(np.log(wanted), np.log(np.maximum(relative_luminance(seen)[:, 0], 1e-9)), 1)[0])


def _space(colours: np.ndarray) -> str:
    """The colour space in whose numbers these colours would be right, "" where they are right as they are or no space is known."""
    if np.abs(colours - np.eye(3)).max() <= OTHER_COLOURS:
        return ""
    off = {name: float(np.abs(colours - matrix).max()) for name, matrix in _numbers_of_spaces().items()}
    nearest = min(off, key=lambda name: off[name])
    return nearest if off[nearest] <= 2 * OTHER_COLOURS else ""


@cache
def _numbers_of_spaces() -> dict[str, np.ndarray]:
    """What the numbers of red, green and blue become where a picture is stored in another space and read as linear Rec.709."""
    found = {}
    for name in KNOWN_SPACES:
        space = encoding_called(name)
        if space is not None:
            found[space] = np.linalg.inv(to_linear(np.eye(3, dtype=np.float32), space).T.astype(float))
    return found
