"""How a picture lies over ours: found by the marks of the reference cards, and by nothing of the materials.

Reference: a similarity from pairs of points in the least-squares sense, as one complex factor and one sum (Umeyama 1991 without
reflection).
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from fenrain.core.colour import relative_luminance
from fenrain.core.errors import InputError
from fenrain.core.outside.cards import MARK_MIDDLE, drawn_card, points_on
from fenrain.core.outside.layout import CardPlace, Layout
from fenrain.core.outside.picture import OutsidePicture

MOST_OFF_PROPORTION = 0.005
MOST_SHIFT, MOST_SCALE, MOST_TURN = 0.05, 0.05, 3.0
"""What is matched: a shift in heights of the picture, a scale, degrees. More is another camera."""
FOUND = 0.55
"""How well a card must look like one (normalised correlation, 1 at best)."""
DARKEST = 0.02
LEAST_CARDS = 3
FLIPS = {"": (), "left for right": (1,), "upside down": (0,), "upside down and left for right": (0, 1)}
"""By what was flipped: the axes."""


@dataclass(frozen=True)
class Alignment:
    """Where our pixels are found in the picture. shift: of its middle, pixels right and down; scale; turn: degrees clockwise; residual: how
    far marks lie from there, pixels, root mean square; flipped: "" or how the picture is flipped; cards: how many were found; matrix: (2,
    3), from our pixels to those of the picture, which has been flipped back."""

    shift: tuple[float, float]
    scale: float
    turn: float
    residual: float
    flipped: str
    cards: int
    matrix: np.ndarray


def aligned(picture: OutsidePicture, layout: Layout) -> tuple[Alignment, np.ndarray]:
    """The alignment, and the picture laid over ours, (h, w, 3). Raises InputError for other proportions, for a picture without the cards,
    and for one that another camera took."""
    width, height = picture.size
    if abs(width / height / layout.frame.aspect - 1.0) > MOST_OFF_PROPORTION + 1.0 / height:
        raise InputError(
            f"“{picture.name}” is {width} × {height}; the kit asks for {layout.frame.aspect:.4g} to 1.",
            place=picture.name,
            remedy="Render the kit's proportions, uncropped.",
        )
    found = max((_marks(picture.pixels, layout, flip) for flip in FLIPS), key=lambda marks: (len(marks.places), marks.score))
    if len(found.places) < LEAST_CARDS:
        raise InputError(
            f"The kit's reference cards are not found in “{picture.name}”.",
            place=picture.name,
            remedy="Render the whole scene of this kit, cards included, with its camera; see the kit's page.",
        )
    alignment = _similarity(found, picture.size)
    is_far = max(map(abs, alignment.shift)) > MOST_SHIFT * height
    if is_far or abs(alignment.scale - 1.0) > MOST_SCALE or abs(alignment.turn) > MOST_TURN:
        raise InputError(
            f"“{picture.name}” was taken by another camera: {said(alignment)}.",
            place=picture.name,
            remedy="Set the camera as the kit's page says.",
        )
    flipped = np.ascontiguousarray(np.flip(picture.pixels, FLIPS[found.flip]))
    over = cv2.warpAffine(
        flipped, alignment.matrix, (width, height), flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE
    )
    return alignment, np.maximum(over, 0.0)


def said(alignment: Alignment) -> str:
    """In words: “0.30 px to the right, 0.1 px up, 0.5 % larger”."""
    across, down = alignment.shift
    parts = [f"{abs(across):.2f} px to the {'right' if across > 0 else 'left'}", f"{abs(down):.2f} px {'down' if down > 0 else 'up'}"]
    parts.append(f"{abs(alignment.scale - 1) * 100:.2f} % {'larger' if alignment.scale > 1 else 'smaller'}")
    parts.append(f"turned by {alignment.turn:.2f}°")
    return ", ".join(parts + ([f"flipped {alignment.flipped}"] if alignment.flipped else []))


@dataclass(frozen=True)
class _Marks:
    """flip: of the picture in which they were found; wanted, places: (n, 2) pixels; score: how well the cards look like ones."""

    flip: str
    wanted: np.ndarray
    places: np.ndarray
    score: float


def _marks(pixels: np.ndarray, layout: Layout, flip: str) -> _Marks:
    grey = np.ascontiguousarray(relative_luminance(np.flip(pixels, FLIPS[flip]))[..., 0], np.float32)
    bright = max(float(np.percentile(grey, 95)), 1e-6)
    seen = np.log(np.clip(grey / bright, 0.0, 2.0) + DARKEST).astype(np.float32)
    wanted, places, scores = [], [], []
    for card in layout.cards:
        middle, found, score = _mark(seen, card, layout)
        if score >= FOUND:
            wanted.append(middle)
            places.append(found)
            scores.append(score)
    return _Marks(flip, np.array(wanted).reshape(-1, 2), np.array(places).reshape(-1, 2), float(np.mean(scores)) if scores else 0.0)


def _mark(seen: np.ndarray, card: CardPlace, layout: Layout) -> tuple[np.ndarray, np.ndarray, float]:
    """(where the middle of its mark should be, where it is, how well the card looks like one)."""
    height, width = seen.shape
    points = points_on(card, layout.frame, np.array([(0.0, 1.0), (1.0, 0.0), MARK_MIDDLE]))
    corners = layout.frame.pixels_of(layout.frame.places_of(points), (width, height))
    top_left, middle = corners[0], corners[2]
    edge = max(8, round(float(corners[1, 0] - corners[0, 0])))
    template = np.log(drawn_card(edge) + DARKEST).astype(np.float32)
    reach = round(0.75 * edge + MOST_SHIFT * height)
    left, top = (max(0, round(float(at)) - reach) for at in top_left)
    window = seen[top : top + edge + 2 * reach, left : left + edge + 2 * reach]
    if min(window.shape) < edge:
        return middle, middle, 0.0
    matched = cv2.matchTemplate(window, template, cv2.TM_CCOEFF_NORMED)
    _, score, _, (x, y) = cv2.minMaxLoc(matched)
    start = np.array([[left + x, top + y]], np.float32) + (middle - top_left).astype(np.float32)
    half = max(3, round(0.14 * edge))
    inside = (start[0] > half + 1).all() and start[0, 0] < width - half - 2 and start[0, 1] < height - half - 2
    if score < FOUND or not inside:
        return middle, middle, 0.0
    criteria = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_MAX_ITER, 100, 1e-4)
    found = cv2.cornerSubPix(seen, start.reshape(-1, 1, 2).copy(), (half, half), (-1, -1), criteria)
    return middle, np.asarray(found, float).reshape(2), float(score)


def _similarity(marks: _Marks, size: tuple[int, int]) -> Alignment:
    wanted, found = marks.wanted[:, 0] + 1j * marks.wanted[:, 1], marks.places[:, 0] + 1j * marks.places[:, 1]
    centred = wanted - wanted.mean()
    factor = (centred.conj() * (found - found.mean())).sum() / (abs(centred) ** 2).sum()
    moved = found.mean() - factor * wanted.mean()
    off = found - factor * wanted - moved
    free = max(2 * len(found) - 4, 1)
    middle = complex(0.5 * size[0] - 0.5, 0.5 * size[1] - 0.5)
    shift = factor * middle + moved - middle
    matrix = np.array([[factor.real, -factor.imag, moved.real], [factor.imag, factor.real, moved.imag]])
    residual = float(np.sqrt((abs(off) ** 2).sum() / free))
    turn = float(np.degrees(np.angle(factor)))
    return Alignment((shift.real, shift.imag), float(abs(factor)), turn, residual, marks.flip, len(found), matrix)
