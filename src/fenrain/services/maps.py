"""The maps of a conversion to look at: what each comes from, what was done in between, and pictures and figures of both sides."""

from __future__ import annotations

from base64 import b64encode
from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from fenrain.core.colour import linear_to_srgb
from fenrain.core.conversion.engine import Conversion
from fenrain.core.conversion.ledger import Entry, Override
from fenrain.core.descriptions import describe_as
from fenrain.core.errors import ImageError, NotFoundError
from fenrain.core.maps.image import inspect, png_bytes
from fenrain.core.maps.texels import Texels, grid_of
from fenrain.core.models.mix.parameters import PART_PREFIXES
from fenrain.core.models.parameter import Kind, Parameter
from fenrain.core.models.registry import model_of
from fenrain.core.steps import ValueStep
from fenrain.core.values import Constant, Value, images_of
from fenrain.services.conversions import accept_grade, load_conversion
from fenrain.store.rows import find_conversion

EDGE = 512
"""Of the pictures, at most."""
BINS = 64


def list_maps(database: Session, conversion_id: int) -> list[dict[str, Any]]:
    """Every converted value that is a map, by the headers of its images alone. Raises NotFoundError."""
    conversion = load_conversion(find_conversion(database, conversion_id))
    sources = _source_values(conversion)
    found = []
    for entry in conversion.ledger:
        if not entry.target or entry.value is None or isinstance(entry.value, Constant):
            continue
        parameter = conversion.target.parameter(entry.target)
        grid = grid_of([entry.value])
        found.append(
            {
                "name": entry.target,
                "group": entry.group,
                "kind": str(parameter.kind),
                "width": grid.width,
                "height": grid.height,
                "sources": [
                    {"name": name, "shown": describe_as(declared, value), "says": _files(value)}
                    for name, (declared, value) in sources.items()
                    if name in entry.sources and not isinstance(value, Constant)
                ],
                "steps": [step.text for step in entry.steps],
                "grade": [] if entry.override is None else list(entry.override.grade),
            }
        )
    return found


def show_map(database: Session, conversion_id: int, name: str, source: str, steps: Sequence[ValueStep] | None) -> dict[str, Any]:
    """A picture of one map and its figures: of the converted value, or of one of the source values where it is named. steps: a grade to
    show in place of the kept one. Raises NotFoundError, ParameterError, ImageError."""
    conversion = load_conversion(find_conversion(database, conversion_id))
    if source:
        known = _source_values(conversion)
        if source not in known:
            raise NotFoundError(f"The original has no value “{source}”.", place=source)
        parameter, value = known[source]
    else:
        entry = next((one for one in conversion.ledger if one.target == name), None)
        if entry is None or entry.value is None:
            raise NotFoundError(f"There is no converted value “{name}”.", place=name)
        parameter, value = conversion.target.parameter(name), _with_grade(entry, conversion.target.parameter(name), steps)
    return _describe_map(value, parameter.kind, parameter.channels)


def _with_grade(entry: Entry, parameter: Parameter, steps: Sequence[ValueStep] | None) -> Value:
    """The value of a ledger line, with other steps in place of its own where they are given."""
    if steps is None:
        assert entry.value is not None
        return entry.value
    return replace(entry.override or Override(None), grade=accept_grade(parameter, steps)).over(entry.derived)


@lru_cache(maxsize=64)
def _describe_map(value: Value, kind: Kind, channels: int) -> dict[str, Any]:
    whole, grid = grid_of([value]), grid_of([value], EDGE)
    with Texels(grid) as texels:
        linear = np.array(texels.full(value, 0, grid.height, channels), dtype=float)
    spread = linear * 0.5 + 0.5 if kind is Kind.NORMAL else linear
    most = max(1.0, float(spread.max()))
    shown = linear_to_srgb(spread / most) if kind is Kind.COLOUR else np.clip(spread / most, 0.0, 1.0)
    texel_count = grid.width * grid.height
    bins = [np.histogram(shown[..., part], BINS, (0.0, 1.0))[0] * (10_000 / texel_count) for part in range(channels)]
    flat = linear.reshape(-1, channels)
    return {
        "width": whole.width,
        "height": whole.height,
        "kind": str(kind),
        "picture": "data:image/png;base64," + b64encode(png_bytes(np.broadcast_to(shown, (*shown.shape[:2], 3)))).decode(),
        "most": most,
        "bins": [channel.tolist() for channel in bins],
        "least": flat.min(axis=0).tolist(),
        "mean": flat.mean(axis=0).tolist(),
        "largest": flat.max(axis=0).tolist(),
    }


def _source_values(conversion: Conversion) -> dict[str, tuple[Parameter, Value]]:
    """The original's own values by the names that a ledger gives them, those of a mix's parts too."""
    original = conversion.original
    model = model_of(original.model)
    found = {name: (model.parameter(name), value) for name, value in original.values.items()}
    for prefix, part in zip(PART_PREFIXES, original.parts, strict=False):
        declared = model_of(part.model)
        found |= {prefix + name: (declared.parameter(name), value) for name, value in part.values.items()}
    return found


def _files(value: Value) -> list[str]:
    """The images that a value reads, in words, each once."""
    return list(dict.fromkeys(_file(image) for image in images_of(value)))


def _file(image: Any) -> str:
    try:
        info = inspect(image)
    except ImageError:
        return f"{image.name}, damaged"
    return f"{image.name}: {info.width} × {info.height}, {info.channels} × {DEPTHS[info.depth]}"


DEPTHS = {"uint8": "8 bits", "uint16": "16 bits", "half": "half floats", "float": "floats"}
