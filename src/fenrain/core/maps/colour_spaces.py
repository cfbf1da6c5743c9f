"""Colour spaces by their names, through OpenColorIO: those of the configuration that the variable OCIO names, else of the ACES one that
comes with the library.
"""

from __future__ import annotations

from functools import cache, lru_cache
from typing import Any

import numpy as np

from fenrain.core.errors import InputError
from fenrain.core.maps import openimageio as oiio

LINEAR, SRGB = "linear", "srgb"
"""The two that need no configuration: numbers as they are, in linear Rec.709 where they are colours, and IEC 61966-2-1."""
REFERENCE = "lin_rec709"
"""What colours are worked with in, by a name that OpenColorIO's own configurations know."""
AS_THEY_ARE = frozenset({"", "raw", "data", "none", "linear", "utility - raw", "lin_rec709", "lin_rec709_scene"})
AS_SRGB = frozenset({"srgb", "srgb_texture", "srgb_rec709_scene"})


@cache
def config() -> Any:
    """The configuration in use. Raises InputError where the variable OCIO names none that can be read."""
    found = oiio.ColorConfig()
    if not found.getColorSpaceNames():
        raise InputError("The OpenColorIO configuration cannot be read.", place="OCIO", remedy="Correct the variable, or unset it.")
    return found


@lru_cache(maxsize=256)
def encoding_called(name: str) -> str | None:
    """What a colour space is called here: `linear`, `srgb`, or its name in the configuration; None where nobody knows it.

    >>> encoding_called("srgb_texture"), encoding_called("acescg"), encoding_called("nonsense")
    ('srgb', 'ACEScg', None)
    """
    plain = name.strip()
    if plain.casefold() in AS_THEY_ARE:
        return LINEAR
    if plain.casefold() in AS_SRGB:
        return SRGB
    found = str(config().resolve(plain))
    if found not in config().getColorSpaceNames():
        return None
    if config().equivalent(found, REFERENCE) or config().isData(found):
        return LINEAR
    return SRGB if config().equivalent(found, "srgb_texture") else found


@lru_cache(maxsize=4096)
def named_in(file: str) -> str | None:
    """The colour space that a file's name ends with, as ACES asks for it (`wood_acescg.exr`); None for most.

    >>> named_in("wood_acescg.exr"), named_in("straw.png")
    ('ACEScg', None)
    """
    stem = file.rpartition(".")[0].casefold()
    found = max((name for name in _names() if stem.endswith((f"_{name}", f"-{name}", f".{name}"))), key=len, default="")
    return encoding_called(found) if found else None


@cache
def _names() -> tuple[str, ...]:
    """Of spaces that hold colours, and their other names."""
    spaces = [space for space in config().getColorSpaceNames() if not config().isData(space)]
    return tuple(name.casefold() for space in spaces for name in (space, *config().getAliases(space)))


def to_linear(colours: np.ndarray, encoding: str) -> np.ndarray:
    """Colours (…, 3 or more; what follows the third is kept) in linear Rec.709, float32. Raises InputError for an unknown encoding."""
    if encoding == LINEAR:
        return colours
    pixels = np.ascontiguousarray(colours.reshape(1, -1, colours.shape[-1]), np.float32)
    three = oiio.ImageBuf(np.ascontiguousarray(pixels[..., :3]))
    done = oiio.ImageBufAlgo.colorconvert(three, "srgb_texture" if encoding == SRGB else encoding, REFERENCE)
    if done.has_error:
        raise InputError(
            f"Colours in “{encoding}” cannot be converted ({done.geterror()[:120]}).", place=encoding, remedy="Choose another."
        )
    converted = np.asarray(done.get_pixels(oiio.FLOAT)).reshape(-1, 3)
    rest = pixels.reshape(-1, colours.shape[-1])[:, 3:]
    return np.concatenate([converted, rest], axis=1).reshape(colours.shape)


@lru_cache(maxsize=1024)
def colour_to_linear(colour: tuple[float, ...], encoding: str) -> tuple[float, ...]:
    """One colour, in the same way."""
    return tuple(float(part) for part in to_linear(np.asarray(colour, np.float32)[None], encoding)[0])
