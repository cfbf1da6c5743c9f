"""Reading images: what a file holds, its texels by rows, and whole images at a smaller size.

OpenImageIO decodes; only files whose first bytes are those of a known image format reach it.
"""

from __future__ import annotations

import hashlib
import os
import stat
import tempfile
from collections.abc import Iterator, Mapping
from contextlib import ExitStack, contextmanager, suppress
from dataclasses import dataclass
from functools import cache, lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from fenrain.core.colour import linear_to_srgb, srgb_to_linear
from fenrain.core.errors import ImageError, ImageTooLargeError, StorageError
from fenrain.core.files import not_written, whole_file
from fenrain.core.maps import openimageio as oiio
from fenrain.core.maps.averaging import BandedMean
from fenrain.core.maps.caching import kept
from fenrain.core.maps.colour_spaces import LINEAR, SRGB, to_linear
from fenrain.core.values import Image, place_of_tile

LARGEST_EDGE = 16384
LARGEST_AREA = 16384 * 16384
MOST_CHANNELS = 64
RESIZED_BYTES = 512 << 20
"""Of images at the sizes that were asked for last, which are kept."""
MAGIC = {
    b"\x89PNG\r\n\x1a\n": "png",
    b"\xff\xd8\xff": "jpeg",
    b"II*\x00": "tiff",
    b"MM\x00*": "tiff",
    b"\x76\x2f\x31\x01": "openexr",
    b"#?": "hdr",
    b"BM": "bmp",
    b"RIFF": "webp",
}
FULL_SCALE = {"uint8": 255.0, "uint16": 65535.0, "half": 1.0, "float": 1.0}


@dataclass(frozen=True)
class ImageInfo:
    """format: of the file; depth: uint8, uint16, half or float."""

    width: int
    height: int
    channels: int
    depth: str
    format: str


PNG_END = bytes.fromhex("0000000049454e44ae426082")
"""The chunk that ends every PNG (ISO/IEC 15948 §11.2.5)."""


def close_whole(output: Any, file: Path, path: Path) -> None:
    """Close an image that was written to `file` to become `path`; on a full disk OpenImageIO closes a PNG that is cut off without a word.

    Raises StorageError where not all of it is there.
    """
    if not output.close() or (file.suffix == ".png" and not _ends_as_png(file)):
        raise not_taken(path, output)


def _ends_as_png(file: Path) -> bool:
    with file.open("rb") as stream:
        stream.seek(-min(len(PNG_END), file.stat().st_size), os.SEEK_END)
        return stream.read() == PNG_END


def not_taken(path: Path, output: Any) -> StorageError:
    """The error for an image that could not be opened, written or closed."""
    reason = (output.geterror() if output is not None else oiio.geterror()) or "it is cut off"
    return not_written(path, reason.splitlines()[0])


def write_png(path: Path, encoded: np.ndarray) -> None:
    """Write encoded values 0…1, (h, w, channels), as an 8-bit PNG; alpha is kept apart from colour. Raises StorageError."""
    height, width, channels = encoded.shape
    spec = oiio.ImageSpec(width, height, channels, "uint8")
    spec.attribute("oiio:UnassociatedAlpha", 1)
    output = oiio.ImageOutput.create("png")
    assert output is not None
    texels = np.ascontiguousarray((np.clip(encoded, 0, 1) * 255 + 0.5).astype(np.uint8))
    if not output.open(str(path), spec) or not output.write_image(texels):
        raise not_taken(path, output)
    close_whole(output, path, path)


def write_linear(path: Path, linear: np.ndarray) -> None:
    """Write linear values (h, w, channels) as an OpenEXR of single floats or, where it is called so (.hdr), as a Radiance picture. Raises
    StorageError."""
    height, width, channels = linear.shape
    with whole_file(path) as temporary:
        output = oiio.ImageOutput.create("hdr" if path.suffix == ".hdr" else "openexr")
        assert output is not None
        spec = oiio.ImageSpec(width, height, channels, "float")
        if not output.open(str(temporary), spec) or not output.write_image(np.ascontiguousarray(linear, np.float32)):
            raise not_taken(path, output)
        close_whole(output, temporary, path)


def png_bytes(encoded: np.ndarray) -> bytes:
    """The same, as the bytes of the file. Raises StorageError."""
    try:
        with tempfile.NamedTemporaryFile(suffix=".png") as stream:
            write_png(Path(stream.name), encoded)
            return Path(stream.name).read_bytes()
    except OSError as reason:
        raise not_written(Path(tempfile.gettempdir()) / "a picture", reason.strerror or str(reason)) from reason


def format_of(data: bytes, name: str) -> str:
    """Name of the image format. Raises ImageError where it is none that is read here."""
    for magic, image_format in MAGIC.items():
        if data.startswith(magic) and (image_format != "webp" or data[8:12] == b"WEBP"):
            return image_format
    if name.lower().endswith(".tga"):
        return "targa"
    raise ImageError(
        f"“{name}” is not an image that can be read.", place=name, remedy="Use PNG, JPEG, WebP, TIFF, OpenEXR, HDR, BMP or TGA."
    )


@contextmanager
def opened(image: Image) -> Iterator[tuple[Any, ImageInfo]]:
    """An OpenImageIO input and what it holds; nothing is decoded yet. Raises ImageError, ImageTooLargeError, MissingFileError."""
    if image.tiles:
        with ExitStack() as stack:
            tiles = {number: stack.enter_context(opened(tile)) for number, tile in image.tiles}
            together = _Tiles(image, tiles)
            yield together, together.info
        return
    path = _as_file(image)
    with path.open("rb") as stream:
        image_format = format_of(stream.read(16), image.name)
    as_stored = oiio.ImageSpec()
    as_stored.attribute("oiio:UnassociatedAlpha", 1)
    source = oiio.ImageInput.open(str(path), as_stored)
    if source is None:
        raise ImageError(f"“{image.name}” is damaged: {_reason(source)}", place=image.name, remedy="Export it again.")
    try:
        yield source, _info(source.spec(), image, image_format)
    finally:
        source.close()


class _Tiles:
    """The tiles of a set, read as one image. Those that are not there are black; smaller ones are spread by repeating their texels."""

    def __init__(self, image: Image, tiles: Mapping[int, tuple[Any, ImageInfo]]) -> None:
        first = next(info for _, info in tiles.values())
        odd = [number for number, (_, info) in tiles.items() if (info.channels, info.depth) != (first.channels, first.depth)]
        if odd:
            raise ImageError(
                f"Tile {odd[0]} of “{image.name}” has other channels or another depth than the first.",
                place=image.name,
                remedy="Export all tiles of a set alike.",
            )
        self.name, self.tiles, self.columns, self.lines = image.name, tiles, image.columns, image.lines
        self.width, self.height = max(info.width for _, info in tiles.values()), max(info.height for _, info in tiles.values())
        self.info = ImageInfo(self.width * self.columns, self.height * self.lines, first.channels, first.depth, "tiles")

    def read_scanlines(self, _: int, __: int, begin: int, end: int, *rest: Any) -> np.ndarray:
        """Rows begin…end over all columns, in OpenImageIO's own way of asking."""
        made = np.zeros((end - begin, self.info.width, self.info.channels), self.info.depth)
        for number, (source, info) in self.tiles.items():
            column, line = place_of_tile(number)
            top = (self.lines - 1 - line) * self.height
            wanted = np.arange(max(begin, top), min(end, top + self.height))
            if len(wanted) == 0:
                continue
            lines = (wanted - top) * info.height // self.height
            texels = rows(source, info, int(lines[0]), int(lines[-1]) + 1, self.name)[lines - lines[0]]
            if info.width != self.width:
                texels = texels[:, np.arange(self.width) * info.width // self.width]
            made[wanted - begin, column * self.width : (column + 1) * self.width] = texels
        return made

    @staticmethod
    def geterror() -> str:
        return ""


def inspect(image: Image) -> ImageInfo:
    """Size and depth of an image, from its header."""
    with opened(image) as (_, info):
        return info


def rows(source: Any, info: ImageInfo, begin: int, end: int, name: str) -> np.ndarray:
    """Rows begin…end as stored, shape (end − begin, width, channels). Raises ImageError where the file ends early."""
    texels = source.read_scanlines(0, 0, begin, end, 0, 0, info.channels, info.depth)
    if texels is None:
        raise ImageError(f"“{name}” ends early or is damaged at row {begin}: {_reason(source)}", place=name, remedy="Export it again.")
    return np.asarray(texels).reshape(end - begin, info.width, info.channels)


def decode(texels: np.ndarray, depth: str, encoding: str) -> np.ndarray:
    """Stored texels as linear float32: sRGB decoded where `encoding` says so, integers scaled to 0…1, colours in another space brought to
    linear Rec.709."""
    if encoding == SRGB and depth in ("uint8", "uint16"):
        return _srgb_table(depth)[texels]
    scaled = texels.astype(np.float32)
    scaled = scaled if FULL_SCALE[depth] == 1.0 else scaled * np.float32(1.0 / FULL_SCALE[depth])
    return scaled if encoding in (LINEAR, SRGB) or texels.shape[-1] < 3 else to_linear(scaled, encoding)


def encode(linear: np.ndarray, depth: str, encoding: str) -> np.ndarray:
    """Linear values as they are stored: in uint8 or uint16 what lies in 0…1, in half what it can hold."""
    if depth == "half":
        return linear.astype(np.float16)
    clipped = np.clip(linear, 0.0, 1.0)
    if encoding == "srgb":
        return _encoding_table(depth)[(clipped * 65535.0 + 0.5).astype(np.uint16)]
    return (clipped * FULL_SCALE[depth] + 0.5).astype(depth)


@kept(RESIZED_BYTES)
def resized(image: Image, encoding: str, width: int, height: int) -> np.ndarray:
    """All channels, decoded and averaged in linear light to this size, (height, width, channels) float32. Alpha is never decoded."""
    return (_resized_tiles if image.tiles else _resized_file)(image, encoding, width, height)


def _resized_file(image: Image, encoding: str, width: int, height: int) -> np.ndarray:
    with opened(image) as (source, info):
        values = _decoded(source, info, encoding, image.name, 2 * width, 2 * height)
    if values.shape[:2] == (height, width):
        return values
    buffer = oiio.ImageBuf(np.ascontiguousarray(values))
    result = oiio.ImageBufAlgo.resize(buffer, "triangle", 0.0, roi=oiio.ROI(0, width, 0, height, 0, 1, 0, info.channels))
    return np.asarray(result.get_pixels(oiio.FLOAT)).reshape(height, width, info.channels)


WHOLE_TEXELS = 1 << 22
"""An image of no more is decoded whole: 2048 on an edge."""


def _decoded(source: Any, info: ImageInfo, encoding: str, name: str, width: int, height: int) -> np.ndarray:
    """All channels of an image, decoded; of a large one that is to become smaller anyway, its means over at least this many texels."""
    if info.width * info.height <= WHOLE_TEXELS or info.width < width or info.height < height:
        return _decoded_rows(source, info, encoding, name, 0, info.height)
    mean = BandedMean(info.width, info.height, width, height)
    step = max(1, WHOLE_TEXELS // 4 // info.width)
    for begin in range(0, info.height, step):
        end = min(begin + step, info.height)
        mean.add(begin, end, _decoded_rows(source, info, encoding, name, begin, end))
    return mean.result()


def _decoded_rows(source: Any, info: ImageInfo, encoding: str, name: str, begin: int, end: int) -> np.ndarray:
    texels = rows(source, info, begin, end, name)
    values = decode(texels, info.depth, encoding)
    if encoding == SRGB and info.channels in (2, 4):
        values = np.concatenate([values[..., :-1], decode(texels[..., -1:], info.depth, LINEAR)], axis=-1)
    return values


def _resized_tiles(image: Image, encoding: str, width: int, height: int) -> np.ndarray:
    """The same of a set, tile by tile, so that no more than one is held whole."""
    made = np.zeros((height, width, inspect(image).channels), np.float32)
    across, down = (
        [width * part // image.columns for part in range(image.columns + 1)],
        [height * part // image.lines for part in range(image.lines + 1)],
    )
    for number, tile in image.tiles:
        column, row = place_of_tile(number)
        line = image.lines - 1 - row
        left, right, top, bottom = across[column], across[column + 1], down[line], down[line + 1]
        if right > left and bottom > top:
            made[top:bottom, left:right] = _resized_file(tile, encoding, right - left, bottom - top)
    return made


def channel_indices(channels: str, available: int) -> list[int]:
    """Positions of the named channels in an image; a grey image serves for every colour, a missing alpha reads as the last."""
    if available < 3:
        return [available - 1 if name == "a" else 0 for name in channels]
    return [min("rgba".index(name), available - 1) for name in channels]


def lacks_alpha(channels: str, info: ImageInfo) -> bool:
    """True where alpha is asked of an image that has none: it then reads as opaque."""
    return channels == "a" and info.channels in (1, 3)


def _info(spec: Any, image: Image, image_format: str) -> ImageInfo:
    width, height = spec.width, spec.height
    if width > LARGEST_EDGE or height > LARGEST_EDGE or width * height > LARGEST_AREA:
        raise ImageTooLargeError(
            f"“{image.name}” says it is {width:,} × {height:,} texels; the limit is {LARGEST_EDGE:,} on an edge.",
            place=image.name,
            remedy="Upload a smaller image.",
        )
    depth = str(spec.format)
    if spec.nchannels > MOST_CHANNELS:
        raise ImageTooLargeError(
            f"“{image.name}” says it has {spec.nchannels:,} channels; the limit is {MOST_CHANNELS}.",
            place=image.name,
            remedy="Write the channels that the material reads to an image of their own.",
        )
    return ImageInfo(width, height, spec.nchannels, depth if depth in FULL_SCALE else "float", image_format)


def _reason(source: Any) -> str:
    message = (source.geterror() if source is not None else oiio.geterror()) or "no reason given"
    return message.split("\n")[0].split("/")[-1] + "."


def _as_file(image: Image) -> Path:
    """A file that holds the image alone: its own, or one cut out of its container, named by its digest."""
    if image.path is not None and image.offset == 0 and image.length is None:
        image_path = image.path
        if not image_path.is_file():
            image.read()
        return image_path
    cut = _own_folder() / hashlib.sha256(image.digest.encode()).hexdigest()[:32]
    if not cut.exists():
        with tempfile.NamedTemporaryFile(dir=cut.parent, delete=False) as stream:
            stream.write(image.read())
        Path(stream.name).replace(cut)
    return cut


@cache
def _own_folder() -> Path:
    """A folder for what was cut out, shared by processes of this user: the usual one, unless it is somebody else's."""
    usual = Path(tempfile.gettempdir()) / f"fenrain-images-{os.getuid()}"
    with suppress(FileExistsError):
        usual.mkdir(mode=0o700)
    found = usual.lstat()
    is_ours = stat.S_ISDIR(found.st_mode) and found.st_uid == os.getuid() and not found.st_mode & 0o022
    return usual if is_ours else Path(tempfile.mkdtemp(prefix="fenrain-images-"))


@lru_cache(maxsize=2)
def _srgb_table(depth: str) -> np.ndarray:
    scale = FULL_SCALE[depth]
    return srgb_to_linear(np.arange(int(scale) + 1) / scale).astype(np.float32)


@lru_cache(maxsize=2)
def _encoding_table(depth: str) -> np.ndarray:
    return (linear_to_srgb(np.arange(65536) / 65535.0) * FULL_SCALE[depth] + 0.5).astype(depth)
