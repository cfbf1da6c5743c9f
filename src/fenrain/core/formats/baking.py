"""Maps as image files, for formats that give each parameter a file of its own."""

from __future__ import annotations

from pathlib import Path

from fenrain.core.maps.bake import baked_map
from fenrain.core.models.parameter import Parameter
from fenrain.core.values import Map, Value


def baked_file(value: Value, parameter: Parameter, folder: Path, name: str, files: list[Path]) -> Map:
    """A parameter's map as an image of this name in the folder; values above 1 go to EXR. The file joins `files`. Raises ImageError,
    StorageError."""
    encoding = {"colour": "srgb", "normal": "normal"}.get(parameter.kind, "linear")
    suffix = "png" if parameter.high <= 1.0 or encoding == "normal" else "exr"
    path = folder / f"{name}.{suffix}"
    made = baked_map(value, parameter.channels, encoding if suffix == "png" else "linear", path)
    files.append(path)
    return made
