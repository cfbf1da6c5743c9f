"""A picture that another renderer or a camera made, as linear colours."""

from __future__ import annotations

import math
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from fenrain.core.colour import srgb_to_linear
from fenrain.core.errors import ImageTooLargeError, InputError
from fenrain.core.maps.colour_spaces import LINEAR, SRGB, encoding_called, named_in
from fenrain.core.maps.image import decode, inspect, opened, rows
from fenrain.core.values import Image

MOST_PIXELS = 64_000_000
FLOATS = ("half", "float")


@dataclass(frozen=True)
class OutsidePicture:
    """name: of its file; pixels: (h, w, 3) float32, linear Rec.709; space: the colour space that it was read in; ends_at: the brightest
    that each channel can be, infinity where the file has no end; broken: how many of its pixels were no numbers, which are black now."""

    name: str
    pixels: np.ndarray
    space: str
    ends_at: tuple[float, float, float]
    broken: int = 0

    @property
    def ends_at_white(self) -> bool:
        """Whether its file holds nothing brighter than white."""
        return min(self.ends_at) < math.inf

    @property
    def size(self) -> tuple[int, int]:
        """Width and height."""
        return self.pixels.shape[1], self.pixels.shape[0]


def read_picture(path: Path, space: str = "", name: str = "") -> OutsidePicture:
    """Read a picture. space: its colour space where somebody said it; else by the end of its name (`original_acescg.exr`), else linear
    Rec.709 of floats and sRGB of integers; name: of the file, where the path does not say it.

    Raises InputError for an unknown space, ImageError, ImageTooLargeError, MissingFileError.
    """
    image = Image(name or path.name, path)
    info = inspect(image)
    if info.width * info.height > MOST_PIXELS:
        raise ImageTooLargeError(
            f"“{image.name}” has {info.width} × {info.height} pixels.", place=image.name, remedy="Render the size that the kit asks for."
        )
    has_floats = info.depth in FLOATS or info.format == "hdr"
    encoding = _encoding(space, image.name) or (LINEAR if has_floats else SRGB)
    with opened(image) as (source, _):
        texels = rows(source, info, 0, info.height, image.name)
    colours = texels[..., :3] if info.channels >= 3 else np.repeat(texels[..., :1], 3, axis=-1)
    pixels = decode(np.ascontiguousarray(colours), info.depth, encoding)
    if encoding == SRGB and has_floats:
        pixels = srgb_to_linear(pixels).astype(np.float32)
    end = math.inf if has_floats else 1.0
    odd = ~np.isfinite(pixels).all(axis=-1)
    if odd.any():
        pixels = np.where(odd[..., None], np.float32(0.0), pixels)
    return OutsidePicture(image.name, np.ascontiguousarray(pixels, np.float32), encoding, (end, end, end), int(odd.sum()))


def _encoding(space: str, name: str) -> str | None:
    if not space:
        return named_in(name)
    found = encoding_called(space)
    if found is None:
        raise InputError(
            f"The OpenColorIO configuration knows no colour space “{space}”.",
            place="--space",
            remedy="Give linear, srgb, acescg, or another.",
        )
    return found
