"""Tables of optical constants as text: a line each wavelength, with index n and extinction k.

Columns are parted by spaces, tabs, commas or semicolons; lines that begin with “#”, and one line of column names, are left out. Wavelengths
are in nanometres, or in micrometres where all of them are below 20 (common practice: published tables use both).
"""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np

from fenrain.core.errors import BrokenFileError, TooLargeError

SUFFIXES = re.compile(r"\.(txt|csv|tsv|dat|nk)$", re.IGNORECASE)
"""How the name of such a file ends."""
LARGEST, MOST_ROWS = 4 << 20, 20_000
MOST_MICROMETRES = 20.0
VISIBLE = (380.0, 780.0)
"""Nanometres that a colour depends on (CIE 1931 observer; beyond, less than a thousandth of it)."""
LEAST_EXTINCTION = -1e-6


def read_spectrum(path: Path) -> tuple[float, ...]:
    """Rows of wavelength in nm, n, k, ascending, one after the other. Raises BrokenFileError that names the line, TooLargeError."""
    if path.stat().st_size > LARGEST:
        raise TooLargeError(f"“{path.name}” is too large for a table of n and k.", place=path.name, remedy="Give one line a wavelength.")
    rows: list[tuple[int, list[float]]] = []
    for number, line in enumerate(path.read_text(encoding="utf-8-sig", errors="replace").splitlines(), 1):
        words = [word for word in re.split(r"[\s,;]+", line.strip()) if word]
        if not words or words[0].startswith("#"):
            continue
        numbers = _numbers(words)
        if numbers is None and not rows:
            continue  # names of columns
        if numbers is None or len(numbers) < 3:
            raise _broken(path, number, "a line is wavelength, n and k")
        rows.append((number, numbers[:3]))
    if len(rows) < 2:
        raise _broken(path, 1, "it holds fewer than two wavelengths")
    if len(rows) > MOST_ROWS:
        raise TooLargeError(f"“{path.name}” holds {len(rows):,} wavelengths.", place=path.name, remedy=f"At most {MOST_ROWS:,}.")
    return _checked(path, rows)


def covers_visible(table: tuple[float, ...]) -> bool:
    """Whether a table reaches over all that is seen; beyond its ends the last values are held."""
    return min(table[::3]) <= VISIBLE[0] and max(table[::3]) >= VISIBLE[1]


def _numbers(words: list[str]) -> list[float] | None:
    try:
        return [float(word) for word in words]
    except ValueError:
        return None


def _checked(path: Path, rows: list[tuple[int, list[float]]]) -> tuple[float, ...]:
    table = np.array([numbers for _, numbers in rows])
    if table[:, 0].max() < MOST_MICROMETRES:
        table[:, 0] *= 1000.0
    for (number, _), (wavelength, n, k) in zip(rows, table, strict=True):
        if not np.isfinite([wavelength, n, k]).all() or wavelength <= 0.0 or n <= 0.0 or k < LEAST_EXTINCTION:
            raise _broken(path, number, "wavelength and n are above 0, k is not below it")
    table = table[np.argsort(table[:, 0], kind="stable")]
    if (np.diff(table[:, 0]) <= 0.0).any():
        raise _broken(path, rows[0][0], "a wavelength is there twice")
    if table[-1, 0] < VISIBLE[0] or table[0, 0] > VISIBLE[1]:
        raise _broken(path, rows[0][0], f"it covers {table[0, 0]:.4g} to {table[-1, 0]:.4g} nm, none of which is seen")
    table[:, 2] = np.maximum(table[:, 2], 0.0)
    return tuple(float(part) for part in table.ravel())


def _broken(path: Path, line: int, why: str) -> BrokenFileError:
    place, remedy = f"{path.name}, line {line}", "Give wavelength (nm or µm), n and k a line."
    return BrokenFileError(f"“{path.name}” is no table of n and k: {why}.", place=place, remedy=remedy)
