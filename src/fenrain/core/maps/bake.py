"""Writes values computed texel by texel to image files, a band of rows at a time."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import ExitStack
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from fenrain.core.files import whole_file
from fenrain.core.maps import openimageio as oiio
from fenrain.core.maps.image import close_whole, encode, inspect, not_taken
from fenrain.core.maps.texels import Grid, Texels, grid_of, untransformed
from fenrain.core.values import Image, Map, Value, maps_of

COMPRESSION = 4
"""zlib level of written PNG files: about a third larger than the best, several times faster."""

JPEG_QUALITY = 92
"""Of 100: the steps of 8 × 8 blocks stay below what an eye tells at arm's length (common practice)."""
WRITTEN_AS = {".png": "png", ".exr": "openexr", ".jpg": "jpeg"}


@dataclass(frozen=True)
class Channel:
    """One channel of a written image: component `index` of a value times `gain`; encoding: linear, srgb or normal."""

    value: Value
    index: int = 0
    encoding: str = "linear"
    gain: float = 1.0


@dataclass(frozen=True)
class Picture:
    """An image to write: file (.png, .jpg without alpha, or .exr for half floats), channels in order, uint8, uint16 or half."""

    path: Path
    channels: tuple[Channel, ...]
    depth: str = "uint8"


def colour_channels(value: Value) -> tuple[Channel, ...]:
    return tuple(Channel(value, index, "srgb") for index in range(3))


def normal_channels(value: Value) -> tuple[Channel, ...]:
    return tuple(Channel(value, index, "normal") for index in range(3))


def bake(pictures: Sequence[Picture], grid: Grid) -> None:
    """Write the pictures, all of the grid's size. Work and writing overlap; at most two bands are held.

    Raises ImageError where a map is damaged, StorageError where the disk does not take it; then no picture is left behind.
    """
    with ExitStack() as stack:
        texels = stack.enter_context(Texels(grid))
        files = [stack.enter_context(whole_file(picture.path)) for picture in pictures]
        outputs = [_create(file, picture, grid) for file, picture in zip(files, pictures, strict=True)]
        writers = [stack.enter_context(ThreadPoolExecutor(1)) for _ in pictures]
        pending: list[Future[None]] = []
        for begin, end in grid.bands():
            bands = [_assembled(picture, texels, begin, end) for picture in pictures]
            for future in pending:
                future.result()
            pending = [
                writer.submit(_write, output, begin, end, band, picture.path)
                for writer, output, band, picture in zip(writers, outputs, bands, pictures, strict=True)
            ]
        for future in pending:
            future.result()
        for output, file, picture in zip(outputs, files, pictures, strict=True):
            close_whole(output, file, picture.path)


def baked_map(
    value: Value, channels: int, encoding: str, path: Path, *, gain: float = 1.0, deep: bool = False, rotates: bool = True, bits: int = 16
) -> Map:
    """The value times `gain` as a map of its own, written to `path`; PNG of 8 bits, or 16 where a source map has more or where `deep`
    asks for it, but at most `bits`; half floats in an .exr, for values beyond 1. rotates: whether what is written for can place a map
    with a rotation; if not, it is worked into the texels."""
    grid = grid_of([value])
    if grid.placement.rotation and not rotates:
        grid = untransformed(grid)
    made = tuple(Channel(value, index, encoding, gain) for index in range(channels))
    eight = bits == 8 or path.suffix == ".jpg"
    depth = "half" if path.suffix == ".exr" else "uint8" if eight else "uint16" if deep else depth_of([value])
    bake([Picture(path, made, depth)], grid)
    return Map(
        Image(path.name, path),
        "rgb" if channels == 3 else "r",
        encoding,
        placement=grid.placement,
        uv_set=grid.uv_set,
    )


def depth_of(values: Sequence[Value]) -> str:
    """uint16 where any source map holds more than 8 bits."""
    deep = any(inspect(leaf.image).depth != "uint8" for value in values for leaf in maps_of(value))
    return "uint16" if deep else "uint8"


def _assembled(picture: Picture, texels: Texels, begin: int, end: int) -> np.ndarray:
    encoded = []
    values: dict[Value, np.ndarray] = {}
    for channel in picture.channels:
        if channel.value not in values:
            components = 1 + max(other.index for other in picture.channels if other.value == channel.value)
            values[channel.value] = texels.full(
                channel.value, begin, end, max(components, np.shape(texels.at(channel.value, begin, end))[-1])
            )
        component = values[channel.value][..., channel.index]
        component = component if channel.gain == 1.0 else component * np.float32(channel.gain)
        encoded.append(encode(component * 0.5 + 0.5 if channel.encoding == "normal" else component, picture.depth, channel.encoding))
    return np.ascontiguousarray(np.stack(encoded, axis=-1))


def _create(file: Path, picture: Picture, grid: Grid) -> Any:
    spec = oiio.ImageSpec(grid.width, grid.height, len(picture.channels), picture.depth)
    spec.attribute("png:compressionLevel", COMPRESSION)
    spec.attribute("oiio:UnassociatedAlpha", 1)
    if picture.path.suffix == ".jpg":
        spec.attribute("Compression", f"jpeg:{JPEG_QUALITY}")
    output = oiio.ImageOutput.create(WRITTEN_AS[picture.path.suffix])
    if output is None or not output.open(str(file), spec):
        raise not_taken(picture.path, output)
    return output


def _write(output: Any, begin: int, end: int, band: np.ndarray, path: Path) -> None:
    if not output.write_scanlines(begin, end, 0, band):
        raise not_taken(path, output)
