"""Maps as image files beside what is written, for formats that give each parameter a file of its own."""

from __future__ import annotations

from collections.abc import Hashable
from dataclasses import dataclass, field
from pathlib import Path

from fenrain.core.files import write_whole
from fenrain.core.maps.bake import baked_map
from fenrain.core.maps.image import inspect
from fenrain.core.models.parameter import Parameter
from fenrain.core.models.target import MapLimits
from fenrain.core.values import Image, Map, Value

KEPT = {"png": "png", "jpeg": "jpg", "openexr": "exr"}
"""Formats of images that are kept as they are, by the suffix of their files."""


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

    def map_of(self, value: Value, parameter: Parameter, name: str) -> Map:
        """A parameter's map as an image of this name: a source image as it is where it says just this, else worked out; values above 1 go
        to EXR. Raises ImageError, StorageError."""
        encoding = {"colour": "srgb", "normal": "normal"}.get(parameter.kind, "linear")
        if isinstance(value, Map) and self._says_just_this(value, parameter, encoding):
            return self._kept(value, name)
        suffix = "exr" if parameter.high > 1.0 and encoding != "normal" else "jpg" if self.limits.lossy and encoding == "srgb" else "png"
        written_as = "linear" if suffix == "exr" else encoding
        key = (value, parameter.channels, suffix, written_as)
        if key not in self._made:
            path = self.folder / f"{name}.{suffix}"
            self._made[key] = baked_map(value, parameter.channels, written_as, path, bits=self.limits.bits)
            self.files.append(path)
        return self._made[key]

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

    def _kept(self, value: Map, name: str) -> Map:
        """The image's own bytes under a name of this folder, placed as the value is."""
        key = value.image.digest
        if key not in self._made:
            path = self.folder / f"{name}.{KEPT[inspect(value.image).format]}"
            write_whole(path, value.image.read())
            self.files.append(path)
            self._made[key] = Map(Image(path.name, path), value.channels, value.encoding)
        made = self._made[key]
        return Map(made.image, value.channels, value.encoding, transform=value.transform, uv_set=value.uv_set)
