"""Parameter sheets of renderers without an open format: JSON, YAML or CSV, read through a dialect."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from fenrain.core.dialects.dialect import Dialect, shipped
from fenrain.core.dialects.reading import Folders, materials_of
from fenrain.core.dialects.sheet import LARGEST_SHEET, SHEET_SUFFIXES, Row, read_sheet
from fenrain.core.errors import BrokenFileError, MissingFileError, TooLargeError, UnknownFormatError
from fenrain.core.formats.format import Format
from fenrain.core.material import Material
from fenrain.core.material_parser import with_shared_names


def read_parameter_sheet(
    path: Path, root: Path, dialect: Dialect | None = None, known: Mapping[str, Dialect] | None = None, unit: float = 0.0
) -> list[Material]:
    """Every material of a sheet. unit: metres of the asset's unit of length, 0 where nobody said. Raises BrokenFileError, TooLargeError,
    InputError where no dialect fits."""
    rows = sheet_rows(path)
    return with_shared_names(materials_of(rows, path.name, Folders(path.parent, root), dialect, known or shipped(), unit))


def sheet_rows(path: Path, name: str = "") -> list[Row]:
    """The rows of a sheet. name: what it is called, where its path does not say. Raises MissingFileError, UnknownFormatError,
    BrokenFileError, TooLargeError."""
    called = name or path.name
    suffix = Path(called).suffix.lower()
    if not path.is_file():
        raise MissingFileError(f"There is no file “{called}”.", place=str(path), remedy="Check the path.")
    if suffix not in SHEET_SUFFIXES:
        raise UnknownFormatError(f"“{called}” is no parameter sheet.", place=called, remedy=f"Sheets are {', '.join(SHEET_SUFFIXES)}.")
    if path.stat().st_size > LARGEST_SHEET:
        raise TooLargeError("The sheet is too large.", place=called, remedy=f"At most {LARGEST_SHEET >> 20} MiB; split it.")
    try:
        text = path.read_text(encoding="utf-8-sig")
    except UnicodeDecodeError as reason:
        raise BrokenFileError("The sheet is not text in UTF-8.", place=called, remedy="Save it as UTF-8.") from reason
    return read_sheet(text, suffix, called)


FORMAT = Format("sheet", "Parameter sheet", SHEET_SUFFIXES, (), read=read_parameter_sheet, takes_dialect=True)
