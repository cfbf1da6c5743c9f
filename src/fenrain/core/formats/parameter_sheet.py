"""Parameter sheets of renderers without an open format: JSON, YAML or CSV, read through a dialect."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from fenrain.core.dialects.dialect import Dialect, shipped
from fenrain.core.dialects.reading import Folders, materials_of
from fenrain.core.dialects.sheet import LARGEST_SHEET, SHEET_SUFFIXES, read_sheet
from fenrain.core.errors import BrokenFileError, TooLargeError
from fenrain.core.formats.registry import Format
from fenrain.core.material import Material
from fenrain.core.reading import with_shared_names


def read_parameter_sheet(
    path: Path, root: Path, dialect: Dialect | None = None, known: Mapping[str, Dialect] | None = None
) -> list[Material]:
    """Every material of a sheet. Raises BrokenFileError, TooLargeError, InputError where no dialect fits."""
    if path.stat().st_size > LARGEST_SHEET:
        raise TooLargeError("The sheet is too large.", place=path.name, remedy=f"At most {LARGEST_SHEET >> 20} MiB; split it.")
    try:
        text = path.read_text(encoding="utf-8-sig")
    except UnicodeDecodeError as reason:
        raise BrokenFileError("The sheet is not text in UTF-8.", place=path.name, remedy="Save it as UTF-8.") from reason
    rows = read_sheet(text, path.suffix.lower(), path.name)
    return with_shared_names(materials_of(rows, path.name, Folders(path.parent, root), dialect, known or shipped()))


FORMAT = Format("sheet", "Parameter sheet", SHEET_SUFFIXES, (), read=read_parameter_sheet, takes_dialect=True)
