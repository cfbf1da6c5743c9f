"""Which dialect a sheet is written in, with how sure that is and why."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from difflib import get_close_matches

from fenrain.core.dialects.dialect import Dialect, Spelling
from fenrain.core.dialects.sheet import Row

ROWS_LOOKED_AT = 200
LIKENESS = 0.75
"""Of two spellings, above which one may be the other misspelt (difflib's ratio)."""
PLAIN_COLUMNS = ("name", "dialect")


@dataclass(frozen=True)
class Guess:
    """confidence: 0…1; reasons: in words, the strongest first; recognised: how many of so many `columns` are its own; strangers: those that
    are not, each with the column of its own that is spelled nearly so, or ""."""

    dialect: Dialect
    confidence: float
    reasons: tuple[str, ...]
    recognised: int
    columns: int
    strangers: Mapping[str, str]


def guess(rows: Sequence[Row], known: Mapping[str, Dialect]) -> list[Guess]:
    """Every known dialect, the likeliest first: by the share of columns it knows, and of numbers inside of its ranges."""
    return sorted((_weighed(rows[:ROWS_LOOKED_AT], dialect) for dialect in known.values()), key=lambda found: -found.confidence)


def _weighed(rows: Sequence[Row], dialect: Dialect) -> Guess:
    spelled = dict(dialect.columns())
    plain = {dialect.name_column, *PLAIN_COLUMNS, *dialect.ignored}
    said = [re.sub(r"\.[rgb]$", "", column) for row in rows for column in row.columns if column not in plain]
    columns = list(dict.fromkeys(said))
    recognised = [column for column in columns if column in spelled]
    share = len(recognised) / len(columns) if columns else 0.0
    inside, outside = _within(rows, spelled)
    in_range = inside / (inside + outside) if inside + outside else 1.0
    reasons = [f"{len(recognised)} of {len(columns)} columns are its own"]
    if outside:
        reasons.append(f"{outside} of {inside + outside} numbers lie outside of its ranges")
    elif inside:
        reasons.append(f"all {inside} numbers lie in its ranges")
    strangers = [column for column in columns if column not in spelled]
    if strangers:
        reasons.append(f"it does not know {', '.join(f'“{column}”' for column in strangers[:3])}")
    return Guess(dialect, share * in_range, tuple(reasons), len(recognised), len(columns), misspelt_for(strangers, spelled))


def misspelt_for(strangers: Sequence[str], known: Collection[str]) -> dict[str, str]:
    """For each column that is not known the one that is spelled nearly so, or ""."""
    return {column: next(iter(get_close_matches(column, known, 1, LIKENESS)), "") for column in strangers}


def _within(rows: Sequence[Row], spelled: Mapping[str, Spelling]) -> tuple[int, int]:
    """How many numbers lie inside of the ranges that the dialect states, and how many outside."""
    inside = outside = 0
    for row in rows:
        for column, raw in row.columns.items():
            spelling = spelled.get(column)
            if spelling is None or spelling.range is None:
                continue
            for part in raw if isinstance(raw, (list, tuple)) else re.split(r"[\s,;]+", str(raw)):
                try:
                    held = spelling.range[0] <= float(str(part).removesuffix("%")) <= spelling.range[1]
                except ValueError:
                    continue
                inside, outside = inside + held, outside + (not held)
    return inside, outside
