"""The values of originals as tables, for renderers that read no file of ours: in a dialect's own words, else by the model's names."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from fenrain.core.dialects.dialect import Dialect
from fenrain.core.dialects.spelling import spelled
from fenrain.core.files import write_whole
from fenrain.core.material import Material
from fenrain.core.models.parameter import Kind
from fenrain.core.models.registry import model_of
from fenrain.core.paths import safe_name
from fenrain.core.values import Constant, Image, Map, Value, images_of


def write_values(
    folder: Path, materials: Sequence[Material], dialects: Callable[[Material], Dialect | None], called: Callable[[Image], str]
) -> list[Path]:
    """One table (CSV) for each dialect, and for each model without one. A part of a mix stands in a row of its own. called: the name of a
    map's file."""
    tables: dict[str, list[dict[str, Any]]] = {}
    for material in _with_parts(materials):
        dialect = dialects(material)
        key = f"values_{dialect.id}" if dialect is not None else f"values_{material.model}"
        tables.setdefault(key, []).append(spelled(material, dialect, called) if dialect is not None else values_by_name(material, called))
    written, taken = [], set[str]()
    for key, rows in tables.items():
        columns = list(dict.fromkeys(column for row in rows for column in row))
        text = io.StringIO()
        table = csv.DictWriter(text, columns, lineterminator="\n")
        table.writeheader()
        table.writerows({column: _cell(value) for column, value in row.items()} for row in rows)
        path = folder / f"{safe_name(key, taken)}.csv"
        write_whole(path, text.getvalue())
        written.append(path)
    return written


def values_by_name(material: Material, called: Callable[[Image], str]) -> dict[str, Any]:
    """Every value that is set, by the model's own names; maps by their files, what is computed from maps by theirs."""
    model = model_of(material.model)
    return {"name": material.name, **{name: _said(value, model.parameter(name).kind, called) for name, value in material.values.items()}}


def _with_parts(materials: Sequence[Material]) -> list[Material]:
    return [one for material in materials for one in (material, *_with_parts(material.parts))]


def _said(value: Value, kind: Kind, called: Callable[[Image], str]) -> Any:
    if isinstance(value, Constant):
        return value.value if kind is not Kind.SPECTRUM else "measured table"
    if isinstance(value, Map):
        return called(value.image)
    return " and ".join(called(image) for image in images_of(value)) or "drawn"


def _cell(value: Any) -> str:
    if isinstance(value, (tuple, list)):
        return " ".join(f"{part:.6g}" for part in value)
    return f"{value:.6g}" if isinstance(value, float) else str(value)


def dialect_for(material: Material, known: Sequence[Dialect]) -> Dialect | None:
    """The first dialect that spells the material's model; None for models with files of their own, or where there is none."""
    return next((one for one in known if one.model == material.model and not material.parts), None)
