"""References to other files: found inside the folder of what was uploaded, and nowhere else."""

from __future__ import annotations

import os
import re
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import unquote

from fenrain.core.errors import MissingFileError, NamesakesError, UnsafePathError

LONGEST_NAME, LONGEST_PATH = 255, 4000
"""Bytes of one part of a path, and characters of the whole, beyond which no file system finds it."""
MOST_CHOICES = 20
"""Namesakes that are offered."""
_SCHEME = re.compile(r"^[a-zA-Z][a-zA-Z0-9+.-]+:")


@dataclass(frozen=True)
class Found:
    """A file that a reference means; moved: it was not where the reference says, but a file of the same name elsewhere was the only one."""

    path: Path
    moved: bool = False


_recorded: ContextVar[set[Path] | None] = ContextVar("recorded", default=None)


@contextmanager
def recorded_references() -> Iterator[set[Path]]:
    """Every file that references resolve to inside of the block."""
    files: set[Path] = set()
    token = _recorded.set(files)
    try:
        yield files
    finally:
        _recorded.reset(token)


_also_searched: ContextVar[Path | None] = ContextVar("also_searched", default=None)


@contextmanager
def also_searched(folder: Path | None) -> Iterator[None]:
    """Inside of the block, files that are missing are looked for by their names below this folder, too."""
    token = _also_searched.set(folder)
    try:
        yield
    finally:
        _also_searched.reset(token)


_chosen: ContextVar[Mapping[str, str] | None] = ContextVar("chosen", default=None)


@contextmanager
def chosen_namesakes(chosen: Mapping[str, str]) -> Iterator[None]:
    """Inside of the block, a missing file that several are called like is the one that somebody chose: paths below the root, by name."""
    token = _chosen.set(chosen)
    try:
        yield
    finally:
        _chosen.reset(token)


def resolve(reference: str, base: Path, root: Path) -> Found:
    """The file that a reference in `base`'s folder means.

    Falls back to a file of the same name anywhere below `root`, since assets move. Raises UnsafePathError for a reference that
    leaves `root` or names another host or scheme, MissingFileError where nothing is there, NamesakesError where several are.
    """
    found = _resolved(reference, base, root)
    recorded = _recorded.get()
    if recorded is not None:
        recorded.add(found.path)
    return found


def _resolved(reference: str, base: Path, root: Path) -> Found:
    plain = unquote(reference).replace("\\", "/").strip()
    if _SCHEME.match(plain) and not re.match(r"^[a-zA-Z]:/", plain):
        raise UnsafePathError(
            f"“{_short(reference)}” points away from the files that were uploaded.",
            place=_short(reference),
            remedy="Upload the file itself and refer to it by a relative path.",
        )
    if not plain or "\x00" in plain:
        raise MissingFileError("The reference names no file.", place=_short(reference))
    if any(len(part.encode()) > LONGEST_NAME for part in plain.split("/")) or len(plain) > LONGEST_PATH:
        raise MissingFileError(
            f"The reference “{_short(reference)}” is longer than a file's name can be.", place=_short(reference), remedy="Correct it."
        )
    home = root.resolve()
    absolute = plain.startswith("/") or re.match(r"^[a-zA-Z]:/", plain)
    candidate = (base / plain).resolve() if not absolute else None
    if candidate is not None and candidate.is_relative_to(home) and candidate.is_file():
        return Found(candidate)
    name, also = Path(plain).name, _also_searched.get()
    for folder in (home, also.resolve()) if also is not None else (home,):
        namesakes = _namesakes(name, folder)
        if namesakes:
            return Found(_the_one(name, namesakes, folder, reference), moved=True)
    if absolute or (candidate is not None and not candidate.is_relative_to(home)):
        raise UnsafePathError(
            f"“{_short(reference)}” lies outside the folder that was uploaded.",
            place=_short(reference),
            remedy="Put the file beside the material file.",
        )
    raise MissingFileError(
        f"The file “{_short(reference)}” is missing.", place=_short(reference), remedy="Hand it in with the material file."
    )


TILE_NUMBER = re.compile(r"<udim>", re.IGNORECASE)
"""Where the number of a tile stands in the name of a set."""


def resolve_tiles(reference: str, base: Path, root: Path) -> list[tuple[int, Path]]:
    """The files of a tile set that a reference means, by their numbers (UDIM). Raises as `resolve` does; MissingFileError where there is no
    tile."""
    plain = unquote(reference).replace("\\", "/").strip()
    before, after = TILE_NUMBER.split(plain, maxsplit=1)
    head, tail = before.rpartition("/")[2], after
    pattern = re.compile(re.escape(head) + r"(\d{4})" + re.escape(tail))
    home = root.resolve()
    folder = (base / before).parent.resolve() if head else (base / before).resolve()
    beside = folder if folder.is_relative_to(home) and folder.is_dir() else home
    for candidates in (beside.iterdir(), home.rglob("*")):
        found = {int(match[1]): path for path in candidates if (match := pattern.fullmatch(path.name)) and int(match[1]) >= 1001}
        if found:
            return [(number, resolve(os.path.relpath(found[number], base), base, root).path) for number in sorted(found)]
    raise MissingFileError(f"No tile of “{_short(reference)}” is there.", place=_short(reference), remedy="Hand the tiles in.")


def safe_name(name: str, taken: set[str], suffix: str = "") -> str:
    """A file name made of a material's name: letters, digits, dash and underscore of any script, not in `taken`, which it joins."""
    kept = re.sub(r"[^\w-]+", "_", name, flags=re.UNICODE).strip("_")[:80] or "material"
    candidate, count = kept, 1
    while f"{candidate}{suffix}".casefold() in taken:
        count += 1
        candidate = f"{kept}_{count}"
    taken.add(f"{candidate}{suffix}".casefold())
    return f"{candidate}{suffix}"


def _namesakes(name: str, home: Path) -> list[Path]:
    """Every file of this name below a folder."""
    found = home.rglob(re.sub(r"([\[\]*?])", r"[\1]", name))
    return sorted(path.resolve() for path in found if path.is_file() and path.resolve().is_relative_to(home))


def _the_one(name: str, namesakes: Sequence[Path], home: Path, reference: str) -> Path:
    """The only file of the name, or the one that somebody chose. Raises NamesakesError."""
    if len(namesakes) == 1:
        return namesakes[0]
    by_path = {path.relative_to(home).as_posix(): path for path in namesakes}
    chosen = (_chosen.get() or {}).get(name, "")
    if chosen in by_path:
        return by_path[chosen]
    raise NamesakesError(
        f"The file “{_short(reference)}” is not where it should be, and {len(namesakes)} elsewhere are called so.",
        place=_short(reference),
        remedy="Choose the one that is meant, or put it where it should be.",
        choices=tuple(by_path)[:MOST_CHOICES],
    )


def _short(reference: str) -> str:
    return reference if len(reference) <= 120 else f"{reference[:120]}…"
