"""Look-up tables: measured metals, indices of refraction, usual roughness by finish, and named surfaces to start from.

Each is a YAML file beside this one. `search` finds in all of them what belongs to a kind of value.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

import yaml

FOLDER = Path(__file__).parent


@dataclass(frozen=True)
class Metal:
    """rows: (wavelength nm, n, k)."""

    id: str
    title: str
    source: str
    rows: tuple[tuple[float, float, float], ...]

    @property
    def table(self) -> tuple[float, ...]:
        """As the `table` of a `measured` material takes it."""
        return tuple(part for row in self.rows for part in row)


@dataclass(frozen=True)
class Entry:
    """A looked-up number: an index of refraction, or a perceptual roughness with its usual range."""

    id: str
    title: str
    value: float
    source: str
    low: float | None = None
    high: float | None = None


@dataclass(frozen=True)
class Preset:
    """A named surface: OpenPBR values, and the one that takes the colour that it is started with ("" for none)."""

    id: str
    title: str
    says: str
    color: str
    values: Mapping[str, Any]


@cache
def metals() -> Mapping[str, Metal]:
    return {
        row["id"]: Metal(row["id"], row["title"], row["source"], tuple((float(w), float(n), float(k)) for w, n, k in row["rows"]))
        for row in _rows("metals")
    }


@cache
def indices() -> tuple[Entry, ...]:
    return tuple(Entry(**row) for row in _rows("indices"))


@cache
def finishes() -> tuple[Entry, ...]:
    return tuple(Entry(**row) for row in _rows("finishes"))


@cache
def presets() -> Mapping[str, Preset]:
    return {row["id"]: Preset(row["id"], row["title"], row["says"], row["color"], row["values"]) for row in _rows("presets")}


def _rows(name: str) -> list[dict[str, Any]]:
    return yaml.safe_load((FOLDER / f"{name}.yaml").read_text(encoding="utf-8"))


@dataclass(frozen=True)
class Chart:
    """A colour chart. patches: CIE xyY under D50 of each, row by row from the upper left; neutral: which of them are grey, brightest
    first."""

    id: str
    title: str
    columns: int
    source: str
    neutral: tuple[int, ...]
    patches: tuple[tuple[float, float, float], ...]


@cache
def charts() -> Mapping[str, Chart]:
    return {
        row["id"]: Chart(
            row["id"],
            row["title"],
            int(row["columns"]),
            row["source"],
            tuple(row["neutral"]),
            tuple((float(x), float(y), float(Y)) for x, y, Y in row["patches"]),
        )
        for row in _rows("charts")
    }
