"""From the rows of a sheet to materials, by a dialect."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from fenrain.core.dialects.by_id import ById, parsed_ids
from fenrain.core.dialects.dialect import BY_ID, PART_NAMES, PARTS, SIDES, Dialect, Spelling, colour_key
from fenrain.core.dialects.guess import Guess, guess, misspelt_for
from fenrain.core.dialects.on_maps import steps_on_map
from fenrain.core.dialects.sheet import IMAGE_NAME, Row
from fenrain.core.dialects.spectrum_file import SUFFIXES, VISIBLE, covers_visible, read_spectrum
from fenrain.core.errors import BrokenFileError, FenrainError, InputError
from fenrain.core.findings import note, unread, warning
from fenrain.core.material import Geometry, Material, Source
from fenrain.core.material_parser import MaterialParser
from fenrain.core.models.parameter import Kind, Parameter
from fenrain.core.models.registry import model_of
from fenrain.core.paths import resolve
from fenrain.core.steps import ValueStep, apply_steps
from fenrain.core.tables import metals
from fenrain.core.values import IDENTITY, Image, Map, Placement, Wrap

DIALECT_COLUMN = "dialect"
"""A row may name its own dialect in this column, in place of the sheet's."""
WORDS = {"true": True, "yes": True, "on": True, "1": True, "false": False, "no": False, "off": False, "0": False}
DEEPEST_MIX = 5
"""Mixes within mixes; each doubles what has to be drawn."""
SURE = 0.5
"""A sheet is taken for a dialect that is at least this likely."""


METRES = 1.0


@dataclass(frozen=True)
class Folders:
    """Where references of a sheet are looked for: beside it, inside of what was uploaded."""

    base: Path
    root: Path


def materials_of(
    rows: Sequence[Row], file: str, folders: Folders, dialect: Dialect | None, known: Mapping[str, Dialect], unit: float = 0.0
) -> list[Material]:
    """Every row as a material, read by the dialect, by the one that the row names, or by the likeliest.

    unit: metres of the asset's unit of length, 0 where nobody said; one whose dialect states lengths counts in metres then. Raises
    InputError where no dialect is likely enough.
    """
    choices = {row.place: _chosen(row, dialect, known) for row in rows}
    open_rows = [row for row in rows if choices[row.place] is None]
    guessed = _surest(open_rows, known, file) if open_rows else None
    found: list[Stated] = []
    within: list[Stated] = []
    for index, row in enumerate(rows):
        chosen = choices[row.place]
        taken = guessed if chosen is None else None
        chosen = chosen or (guessed.dialect if guessed else None)
        assert chosen is not None
        metres = unit or (METRES if chosen.states_lengths else 0.0)
        chosen = chosen.counted_in(metres or METRES)
        reading = _read(row, index, file, folders, chosen, taken)
        by_id = _by_id(reading, row, folders, chosen)
        geometry = Geometry(_is_double_sided(reading, row, chosen), unit=metres)
        material = reading.material(Source(file, "sheet", index, row.place), geometry)
        if by_id is None:
            found.append((material, _part_names(row, chosen)))
        else:
            whole, *halves = by_id.unfolded(material)
            found.append(whole)
            within += halves
    return _with_parts(found, within, file)


def _surest(rows: Sequence[Row], known: Mapping[str, Dialect], file: str) -> Guess:
    likeliest, *others = guess(rows, known)
    if likeliest.confidence >= SURE:
        return likeliest
    best = "; ".join(f"{found.dialect.name} {100 * found.confidence:.0f} % ({found.reasons[0]})" for found in (likeliest, *others[:2]))
    raise InputError("No dialect fits this sheet well enough to be sure.", place=file, remedy=f"Name one, or write one. Nearest: {best}.")


def _chosen(row: Row, dialect: Dialect | None, known: Mapping[str, Dialect]) -> Dialect | None:
    named = row.columns.get(DIALECT_COLUMN)
    if named is None or (dialect is not None and dialect.id == named):
        return dialect
    if str(named) not in known:
        raise InputError(f"There is no dialect “{named}”.", place=row.place, remedy=f"Known: {', '.join(known)}.")
    return known[str(named)]


def _read(row: Row, index: int, file: str, folders: Folders, dialect: Dialect, guessed: Guess | None) -> MaterialParser:
    name = str(row.columns.get(dialect.name_column, row.columns.get("name", f"{Path(file).stem} {index + 1}")))
    reading = MaterialParser(name, dialect.model, row.place)
    if guessed is not None:
        reading.findings.append(
            note(
                "guessed-dialect",
                f"Read as {dialect.name}, {100 * guessed.confidence:.0f} % sure: {'; '.join(guessed.reasons)}.",
                evidence=dialect.id,
                remedy="Choose another dialect if this is wrong.",
            )
        )
    for parameter, value in dialect.fixed.items():
        reading.set(parameter, value)
    for spelling in dialect.parameters:
        if spelling.feeds not in (*PART_NAMES, SIDES):
            _take(reading, spelling, row, folders, dialect)
    _remark_unknown(reading, row, dialect)
    return reading


def _is_double_sided(reading: MaterialParser, row: Row, dialect: Dialect) -> bool:
    """Whether the sheet says so; what it says otherwise than by yes or no is a finding."""
    spelling = next((one for one in dialect.parameters if one.feeds == SIDES), None)
    raw = row.columns.get(spelling.name, spelling.default) if spelling is not None else None
    if spelling is None or raw is None:
        return False
    said = raw if isinstance(raw, bool) else WORDS.get(str(raw).strip().lower())
    if said is None:
        message = f"{spelling.name}: it should be yes or no."
        reading.leave_unread("unreadable-value", message, evidence=str(raw)[:80], remedy=f"Correct it in the sheet ({row.place}).")
        return False
    return said is not any(step.invert for step in spelling.steps)


def _take(reading: MaterialParser, spelling: Spelling, row: Row, folders: Folders, dialect: Dialect) -> None:
    parameter = model_of(reading.model).parameter(spelling.feeds)
    raw = _typed(spelling, parameter, row)
    picture = row.columns.get(spelling.map) if spelling.map else None
    if picture is None and _names_image(raw):
        raw, picture = None, raw
    if raw is None and picture is None:
        raw = spelling.default
    if parameter.kind is Kind.COLOUR and isinstance(raw, str):
        raw = dialect.colours_by_key.get(colour_key(raw), raw)
    if parameter.kind is Kind.SPECTRUM and isinstance(raw, str) and SUFFIXES.search(raw.strip()):
        raw = _spectrum(reading, parameter, raw.strip(), folders)
    constant = None
    if raw is not None:
        constant = _constant(reading, spelling, parameter, raw, row.place)
    if picture is not None:
        _attach(reading, spelling, parameter, picture, folders, constant)


def _spectrum(reading: MaterialParser, parameter: Parameter, reference: str, folders: Folders) -> tuple[float, ...] | None:
    """The table of a file that a sheet names; None with a finding where there is none."""
    try:
        table = read_spectrum(resolve(reference, folders.base, folders.root).path)
    except FenrainError as refused:
        reading.refuse(parameter.name, refused)
        return None
    if not covers_visible(table):
        low, high = VISIBLE
        reading.findings.append(
            warning(
                "short-spectrum",
                f"“{reference[:120]}” covers {table[0]:.4g} to {table[-3]:.4g} nm of {low:g} to {high:g}, seen; its ends are held.",
                parameter=parameter.name,
                evidence=f"{table[0]:.4g}–{table[-3]:.4g} nm",
                remedy="Give a table that covers what is seen.",
            )
        )
    return table


def _typed(spelling: Spelling, parameter: Parameter, row: Row) -> Any:
    parts = [row.columns.get(f"{spelling.name}.{channel}") for channel in "rgb"]
    if parameter.kind is Kind.COLOUR and all(part is not None for part in parts):
        return parts
    return row.columns.get(spelling.name)


def _names_image(raw: Any) -> bool:
    return (isinstance(raw, str) and bool(IMAGE_NAME.search(raw.strip()))) or (isinstance(raw, dict) and "file" in raw)


def _constant(reading: MaterialParser, spelling: Spelling, parameter: Parameter, raw: Any, place: str) -> Any:
    """Take a typed value; returns what the model was given, or None where it could not be read."""
    try:
        value = _parsed(raw, parameter, spelling)
    except ValueError as refused:
        reading.findings.append(
            unread(
                "unreadable-value",
                f"{spelling.name}: {refused}",
                parameter=parameter.name,
                evidence=str(raw)[:80],
                remedy=f"Correct it in the sheet ({place}).",
            )
        )
        return None
    _remark_range(reading, spelling, parameter, value)
    if not parameter.is_plain:
        value = np.asarray(value, dtype=float) / spelling.full
        decoding = (ValueStep(decode="srgb"),) if spelling.encoding == "srgb" else ()
        value = apply_steps((*decoding, *spelling.steps), value)
        value = value.tolist() if isinstance(value, np.ndarray) else float(value)
    reading.set(parameter.name, tuple(value) if isinstance(value, list) else value, spelling.name)
    return value


def _parsed(raw: Any, parameter: Parameter, spelling: Spelling) -> Any:
    """A typed value by the kind of its parameter. Raises ValueError in words."""
    for step in spelling.steps:
        if step.choose is not None:
            raw = apply_steps((step,), raw)
    if parameter.kind is Kind.SPECTRUM:
        return _table(raw)
    if parameter.kind is Kind.FLAG:
        value = WORDS.get(str(raw).strip().lower()) if not isinstance(raw, bool) else raw
        if value is None:
            raise ValueError("it should be yes or no.")
        return not value if any(step.invert for step in spelling.steps) else value
    if parameter.kind is Kind.CHOICE:
        labels = {label: key for key, label in parameter.options}
        return labels.get(str(raw), _number(raw) if not isinstance(raw, str) or _is_number(raw) else raw)
    if parameter.kind is Kind.COLOUR:
        return _colour(raw, spelling.full)
    return _number(raw)


def _table(raw: Any) -> Any:
    if isinstance(raw, str):
        key = raw.strip().lower().replace(" ", "_")
        if key not in metals():
            raise ValueError(f"there is no measured metal, and no table of n and k, of this name; known: {', '.join(metals())}.")
        return metals()[key].table
    return raw


def _colour(raw: Any, full: float) -> list[float]:
    if isinstance(raw, str):
        text = raw.strip()
        if re.fullmatch(r"#[0-9a-fA-F]{6}", text):
            return [int(text[at : at + 2], 16) / 255.0 * full for at in (1, 3, 5)]
        raw = [part for part in re.split(r"[\s,;]+", text.strip("()[]")) if part]
        raw = raw * 3 if len(raw) == 1 else raw
    if isinstance(raw, (int, float)) and not isinstance(raw, bool):
        return [float(raw)] * 3
    if not isinstance(raw, (list, tuple)) or len(raw) not in (3, 4):
        raise ValueError("it should be three numbers, #rrggbb, or a colour that the dialect names.")
    return [_number(part) for part in raw[:3]]


def _number(raw: Any) -> float:
    if isinstance(raw, bool) or not isinstance(raw, (int, float, str)):
        raise ValueError("it should be a number.")
    text = raw.strip().removesuffix("%").strip() if isinstance(raw, str) else raw
    try:
        return float(text)
    except ValueError as refused:
        raise ValueError("it should be a number.") from refused


def _is_number(raw: str) -> bool:
    return bool(re.fullmatch(r"\s*-?\d+(\.\d+)?\s*", raw))


def _remark_range(reading: MaterialParser, spelling: Spelling, parameter: Parameter, value: Any) -> None:
    if spelling.range is None or parameter.is_plain:
        return
    low, high = spelling.range
    numbers = np.atleast_1d(np.asarray(value, dtype=float))
    if numbers.min() < low or numbers.max() > high:
        reading.findings.append(
            warning(
                "outside-the-dialect's-range",
                f"{spelling.name} is outside {low:g} to {high:g}{f' {spelling.unit}' if spelling.unit else ''}, the renderer's range.",
                parameter=parameter.name,
                evidence=str(value)[:80],
                remedy="Check that this is the right dialect, and the value.",
            )
        )


def _attach(reading: MaterialParser, spelling: Spelling, parameter: Parameter, picture: Any, folders: Folders, constant: Any) -> None:
    described = picture if isinstance(picture, dict) else {"file": picture}
    image, placement = _placed_image(reading, spelling, described, folders, parameter.name)
    whole = parameter.channels == 3 or any(step.pick is not None for step in spelling.steps)
    channels = "rgb" if whole else str(described.get("channel", "r"))
    space = str(described.get("space", ""))
    encoding = "normal" if parameter.kind is Kind.NORMAL else reading.encoding(space, parameter.name) if space else spelling.encoding
    if not reading.attach(parameter.name, image, channels, encoding, placement=placement):
        return
    taken = reading.values[parameter.name]
    assert isinstance(taken, Map)
    if parameter.kind is Kind.NORMAL:
        return
    factor = constant if spelling.map_use == "multiplies" and constant is not None else 1.0
    value = steps_on_map(spelling.steps, taken, parameter.channels, tuple(factor) if isinstance(factor, list) else float(factor))
    reading.values[parameter.name] = value


def _placed_image(
    reading: MaterialParser, spelling: Spelling, described: Mapping[str, Any], folders: Folders, parameter: str
) -> tuple[Image | None, Placement]:
    """The image that a sheet names, and how it lies; what cannot be read of either is a finding."""
    image = reading.image(str(described.get("file", "")), folders.base, folders.root, parameter)
    try:
        return image, _placement_of(described)
    except ValueError as refused:
        reading.findings.append(unread("unreadable-value", f"{spelling.name}: {refused}", parameter=parameter))
        return image, IDENTITY


def _placement_of(described: Mapping[str, Any]) -> Placement:
    def pair(name: str, default: tuple[float, float]) -> tuple[float, float]:
        given = described.get(name, default)
        given = [given, given] if isinstance(given, (int, float)) else given
        if not isinstance(given, (list, tuple)) or len(given) != 2:
            raise ValueError(f"“{name}” should be one number or two.")
        return _number(given[0]), _number(given[1])

    turn = float(np.radians(_number(described.get("turn", 0.0))))
    return Placement(pair("offset", (0.0, 0.0)), turn, pair("tile", (1.0, 1.0)), _wrap(described), bool(described.get("smooth", True)))


def _wrap(described: Mapping[str, Any]) -> tuple[Wrap, Wrap]:
    """How an image goes on beyond its edges: one word for both axes, or one for each."""
    given = described.get("wrap", str(Wrap.REPEAT))
    words = list(given) if isinstance(given, (list, tuple)) else [given, given]
    if len(words) != 2 or any(str(word) not in set(Wrap) for word in words):
        raise ValueError(f"“wrap” should be one or two of {', '.join(Wrap)}.")
    return Wrap(str(words[0])), Wrap(str(words[1]))


def _remark_unknown(reading: MaterialParser, row: Row, dialect: Dialect) -> None:
    carried = {column for column, _ in dialect.columns()} | {f"{s.name}.{c}" for s in dialect.parameters for c in "rgb"}
    known = {dialect.name_column, "name", DIALECT_COLUMN, *dialect.ignored, *carried}
    unknown = sorted(set(row.columns) - known)
    if unknown:
        reading.findings.append(
            unread(
                "unknown-column",
                f"{dialect.name} does not know {', '.join(f'“{name}”' for name in unknown[:6])}; left out.",
                evidence=", ".join(unknown)[:200],
                remedy=f"{_misspelt(unknown, carried)}Add it to the dialect, or to its ignored columns.",
            )
        )


def _misspelt(unknown: Sequence[str], carried: Collection[str]) -> str:
    """What columns that a dialect does not know may be misspelt for, in words."""
    return "".join(f"“{column}” may be “{meant}” misspelt. " for column, meant in misspelt_for(unknown, carried).items() if meant)


Stated = tuple[Material, tuple[str, ...]]
"""A material, and the names of the two that it is mixed from, if any."""


def _part_columns(dialect: Dialect) -> dict[str, Spelling]:
    return {spelling.feeds: spelling for spelling in dialect.parameters if spelling.feeds in PART_NAMES}


def _part_names(row: Row, dialect: Dialect) -> tuple[str, ...]:
    columns = {part: spelling.name for part, spelling in _part_columns(dialect).items()}
    return tuple(str(row.columns.get(columns.get(part, part), "")) for part in PARTS) if dialect.model == "mix" else ()


def _by_id(reading: MaterialParser, row: Row, folders: Folders, dialect: Dialect) -> ById | None:
    """What the row says of materials chosen by an id map; None where it says nothing. A map that cannot be read becomes a finding."""
    spelling = _part_columns(dialect).get(BY_ID)
    given = row.columns.get(spelling.name) if spelling is not None else None
    if spelling is None or given is None:
        return None
    colours, names = parsed_ids(given, row.place)
    picture = row.columns.get(spelling.map) if spelling.map else None
    if picture is None:
        raise BrokenFileError(
            f"“{reading.name}” chooses materials by id and names no id map.", place=row.place, remedy=f"Name it in “{spelling.map}”."
        )
    described = picture if isinstance(picture, dict) else {"file": picture}
    image, placement = _placed_image(reading, spelling, described, folders, "amount")
    usable = reading.attach("amount", image, "rgb", placement=placement)
    taken = reading.values["amount"] if usable else None
    return ById(colours, names, taken if isinstance(taken, Map) else None)


def _with_parts(found: Sequence[Stated], within: Sequence[Stated], file: str) -> list[Material]:
    """The materials, the mixes among them with their two parts; parts of mixes may be mixes, of the sheet or from `within` one."""
    by_name = {material.name: (material, names) for material, names in (*within, *found)}

    def whole(material: Material, names: tuple[str, ...], inside: tuple[str, ...]) -> Material:
        if not names:
            return material
        if material.name in inside:
            raise BrokenFileError(f"“{material.name}” is mixed from itself.", place=file, remedy="Name other materials as its parts.")
        missing = [name for name in names if name not in by_name]
        if missing:
            raise BrokenFileError(
                f"“{material.name}” is mixed from “{missing[0]}”, which is not in the sheet.", place=file, remedy="Add it to the sheet."
            )
        if len(inside) >= DEEPEST_MIX:
            raise BrokenFileError(
                f"“{inside[0]}” is mixed more than {DEEPEST_MIX} deep.", place=file, remedy="Mix fewer materials into one another."
            )
        parts = tuple(whole(*by_name[name], (*inside, material.name)) for name in names)
        return replace(material, parts=parts)

    return [whole(material, names, ()) for material, names in found]
