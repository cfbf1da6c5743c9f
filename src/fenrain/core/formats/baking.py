"""Maps as image files beside what is written, for formats that give each parameter a file of its own."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass, field, replace
from pathlib import Path

from fenrain.core.files import write_whole
from fenrain.core.maps.bake import baked_map
from fenrain.core.maps.image import inspect
from fenrain.core.models.parameter import Kind, Parameter
from fenrain.core.models.target import MapLimits
from fenrain.core.values import Constant, Image, Map, Value, maps_of, tile_of

KEPT = {"png": "png", "jpeg": "jpg", "openexr": "exr"}
"""Formats of images that are kept as they are, by the suffix of their files."""
ENCODINGS = {Kind.COLOUR: "srgb", Kind.NORMAL: "normal"}
"""How maps of these kinds are written."""


@dataclass
class MapFolder:
    """A folder of written maps. limits: what the target takes of them; files: those written so far. The same map is written once."""

    folder: Path
    limits: MapLimits
    files: list[Path] = field(default_factory=list)
    _made: dict[Hashable, Map] = field(default_factory=dict)

    @property
    def name(self) -> str:
        return self.folder.name

    def map_of(self, value: Value, parameter: Parameter, name: str, encoding: str = "") -> Map:
        """A parameter's map as an image of this name, or as a set of tiles: a source image as it is where it says just this, else worked
        out; values above 1 go to EXR. encoding: in place of the one that such parameters are written in. Raises ImageError, StorageError.
        """
        encoding = encoding or ENCODINGS.get(parameter.kind, "linear")
        numbers = sorted({number for leaf in maps_of(value) for number, _ in leaf.image.tiles})
        if not numbers:
            return self._image_of(value, parameter, name, encoding, keep=True, apart="")
        tiles = [(number, tile_of(value, number)) for number in numbers]
        keep = len({self._kept_suffix(tile, parameter, encoding) for _, tile in tiles}) == 1
        names = [f"{name}.{number}" for number, _ in tiles]
        made = [self._image_of(tile, parameter, own, encoding, keep=keep, apart=own) for own, (_, tile) in zip(names, tiles, strict=True)]
        placed = next(one for one, (_, tile) in zip(made, tiles, strict=True) if not isinstance(tile, Constant))
        return replace(placed, image=Image(f"{name}.<UDIM>{Path(placed.image.name).suffix}"))

    def _image_of(self, value: Value, parameter: Parameter, name: str, encoding: str, *, keep: bool, apart: str) -> Map:
        """One image file. keep: whether a source image may stay as it is; apart: no other file of the same texels stands for it but one
        that is set apart alike, as tiles are by their numbers."""
        if keep and isinstance(value, Map) and self._kept_suffix(value, parameter, encoding):
            return self._kept(value, name, apart)
        suffix = "exr" if parameter.high > 1.0 and encoding != "normal" else "jpg" if self.limits.lossy and encoding == "srgb" else "png"
        written_as = "linear" if suffix == "exr" else encoding
        key = (value, parameter.channels, suffix, written_as, apart)
        if key not in self._made:
            path = self.folder / f"{name}.{suffix}"
            self._made[key] = baked_map(value, parameter.channels, written_as, path, bits=self.limits.bits)
            self.files.append(path)
        return self._made[key]

    def _kept_suffix(self, value: Value, parameter: Parameter, encoding: str) -> str:
        """Of the file whose bytes say just this, "" where there is none."""
        if not isinstance(value, Map) or not self._says_just_this(value, parameter, encoding):
            return ""
        return KEPT[inspect(value.image).format]

    def _says_just_this(self, value: Map, parameter: Parameter, encoding: str) -> bool:
        info = inspect(value.image)
        return (
            info.format in KEPT
            and value.channels == ("rgb" if parameter.channels == 3 else "r")
            and info.channels == len(value.channels)
            and value.encoding == ("linear" if info.format == "openexr" and encoding == "srgb" else encoding)
            and (value.scale, value.bias) == (1.0, 0.0)
            and not (info.depth == "uint16" and self.limits.bits == 8)
        )

    def _kept(self, value: Map, name: str, apart: str) -> Map:
        """The image's own bytes under a name of this folder, placed as the value is."""
        key = (value.image.digest, apart)
        if key not in self._made:
            path = self.folder / f"{name}.{KEPT[inspect(value.image).format]}"
            write_whole(path, value.image.read())
            self.files.append(path)
            self._made[key] = Map(Image(path.name, path), value.channels, value.encoding)
        made = self._made[key]
        return Map(made.image, value.channels, value.encoding, placement=value.placement, uv_set=value.uv_set)
