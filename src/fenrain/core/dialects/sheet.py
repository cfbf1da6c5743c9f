"""Parameter sheets: JSON, YAML or CSV with one row or object a material."""

from __future__ import annotations

import csv
import io
import json
import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import yaml

from fenrain.core.dialects.yaml_text import broken_line, load_yaml
from fenrain.core.errors import BrokenFileError, TooLargeError
from fenrain.core.plain_data import load_json

MOST_ROWS, MOST_COLUMNS = 50_000, 1_000
LARGEST_SHEET = 64 << 20
SHEET_SUFFIXES = (".json", ".yaml", ".yml", ".csv")
IMAGE_NAME = re.compile(r"\.(png|jpe?g|tiff?|exr|tga|bmp|hdr|webp)$", re.IGNORECASE)
"""How a cell ends that names a map."""


@dataclass(frozen=True)
class Row:
    """One material as the sheet states it. place: where it stands; columns: by the renderer's names, empty cells left out."""

    place: str
    columns: Mapping[str, Any]


def read_sheet(text: str, suffix: str, place: str = "sheet") -> list[Row]:
    """The rows of a sheet. suffix: .json, .yaml, .yml or .csv. Raises BrokenFileError that says where, TooLargeError."""
    if len(text) > LARGEST_SHEET:
        raise TooLargeError("The sheet is too large.", place=place, remedy=f"At most {LARGEST_SHEET >> 20} MiB; split it.")
    rows = _csv_rows(text, place) if suffix == ".csv" else _object_rows(_parsed(text, suffix, place), place)
    if not rows:
        raise BrokenFileError("The sheet holds no material.", place=place, remedy="Give one row or object a material.")
    if len(rows) > MOST_ROWS:
        raise TooLargeError(f"The sheet holds {len(rows):,} materials.", place=place, remedy=f"At most {MOST_ROWS:,}; split it.")
    return rows


def _parsed(text: str, suffix: str, place: str) -> Any:
    try:
        return load_json(text) if suffix == ".json" else load_yaml(text)
    except json.JSONDecodeError as broken:
        raise BrokenFileError(
            f"This is not JSON: {broken.msg}.", place=f"{place}, line {broken.lineno}", remedy="Correct the line."
        ) from broken
    except RecursionError as broken:
        raise BrokenFileError("The sheet is nested too deeply.", place=place, remedy="Give one flat object a material.") from broken
    except yaml.MarkedYAMLError as broken:
        where, what = f"{place}, line {broken_line(broken, text)}", broken.problem or broken.context
        raise BrokenFileError(f"This is not YAML: {what}.", place=where, remedy="Correct the line.") from broken
    except yaml.YAMLError as broken:
        raise BrokenFileError(f"This is not YAML: {broken}.", place=place, remedy="Save it as plain UTF-8 text.") from broken


def _object_rows(data: Any, place: str) -> list[Row]:
    """A list of objects, an object of objects by name, or either under “materials”."""
    if isinstance(data, dict) and "materials" in data and isinstance(data["materials"], (list, dict)):
        data = data["materials"]
    if isinstance(data, dict) and all(isinstance(value, dict) for value in data.values()):
        data = [{"name": name, **value} for name, value in data.items()]
    if not isinstance(data, list):
        raise BrokenFileError("A sheet is a list of materials.", place=place, remedy="Give a list of objects, or objects by name.")
    rows = []
    for index, item in enumerate(data):
        if not isinstance(item, dict):
            raise BrokenFileError(f"Entry {index + 1} is not an object.", place=place, remedy="Give one object a material.")
        _require_columns(len(item), f"{place}, entry {index + 1}")
        rows.append(Row(f"entry {index + 1}", {str(key): value for key, value in item.items() if value is not None}))
    return rows


def _require_columns(count: int, place: str) -> None:
    if count > MOST_COLUMNS:
        raise TooLargeError(f"It has {count:,} columns.", place=place, remedy=f"At most {MOST_COLUMNS:,}: leave out what is no parameter.")


def _csv_rows(text: str, place: str) -> list[Row]:
    sample = text[:4096]
    try:
        separator = csv.Sniffer().sniff(sample.splitlines()[0] if sample.strip() else ",", delimiters=",;\t").delimiter
    except csv.Error:
        separator = ","
    reader = csv.reader(io.StringIO(text.removeprefix("\ufeff")), delimiter=separator)
    try:
        header = [cell.strip() for cell in next(reader, [])]
        _require_columns(len(header), place)
        rows = [(reader.line_num, cells) for cells in reader if any(cell.strip() for cell in cells)]
    except csv.Error as broken:
        raise BrokenFileError(
            f"This is not CSV: {broken}.", place=f"{place}, line {reader.line_num}", remedy="Correct the line."
        ) from broken
    twice = {name for name in header if name and header.count(name) > 1}
    if twice:
        raise BrokenFileError(
            f"The column “{min(twice)}” is there twice.", place=f"{place}, line 1", remedy="Give each column its own name."
        )
    found = []
    for line, cells in rows:
        if len(cells) > len(header):
            raise BrokenFileError(
                f"This row has {len(cells)} cells, the header {len(header)}.",
                place=f"{place}, line {line}",
                remedy="Quote cells with commas.",
            )
        columns = {name: cell.strip() for name, cell in zip(header, cells, strict=False) if name and cell.strip()}
        found.append(Row(f"line {line}", columns))
    return found
