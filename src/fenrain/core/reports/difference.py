"""What two deliveries differ in: by the ledgers that they hold, and by their files."""

from __future__ import annotations

import json
import zipfile
import zlib
from collections.abc import Iterator, Mapping
from dataclasses import asdict, dataclass
from pathlib import Path, PurePosixPath
from typing import Any

from fenrain.core.errors import BrokenFileError, MissingFileError, TooLargeError

LEDGER = "ledger.json"
"""What a delivery's ledger is called, at the top of its folder."""
LARGEST_LEDGER = 1 << 29
PIECE = 1 << 20


@dataclass(frozen=True)
class Delivered:
    """A delivery as it lies there. files: size and CRC-32 of all but the ledger, by their names below its folder."""

    title: str
    to: str
    materials: Mapping[tuple[str, str], Mapping[str, Any]]
    files: Mapping[str, tuple[int, int]]


@dataclass(frozen=True)
class ChangedValue:
    """before, after: in words, "" where there was none."""

    name: str
    before: str
    after: str


@dataclass(frozen=True)
class ChangedMaterial:
    """was, now: the verdicts of the earlier and of the later delivery, "" where none was known."""

    name: str
    source: str
    values: tuple[ChangedValue, ...]
    was: str
    now: str


@dataclass(frozen=True)
class Difference:
    """same: how many materials both hold alike. Materials by their names and the files that they came from."""

    titles: tuple[str, str]
    targets: tuple[str, str]
    same: int
    changed: tuple[ChangedMaterial, ...]
    added: tuple[str, ...]
    removed: tuple[str, ...]
    files_changed: tuple[str, ...]
    files_added: tuple[str, ...]
    files_removed: tuple[str, ...]

    def to_document(self) -> dict[str, Any]:
        return asdict(self)


def delivered(path: Path) -> Delivered:
    """A delivery, its folder or the archive of it. Raises MissingFileError, BrokenFileError, TooLargeError."""
    if path.is_dir():
        return _in_folder(path)
    if not path.is_file():
        raise MissingFileError(f"There is no delivery “{path.name}”.", place=str(path), remedy="Give its folder or its archive.")
    try:
        with zipfile.ZipFile(path) as archive:
            return _in_archive(path, archive)
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, EOFError, zlib.error) as reason:
        raise BrokenFileError(f"“{path.name}” is not a whole archive.", place=str(path), remedy="Fetch it again.") from reason


def _in_folder(folder: Path) -> Delivered:
    ledger = folder / LEDGER
    if not ledger.is_file():
        raise _no_delivery(folder)
    if ledger.stat().st_size > LARGEST_LEDGER:
        raise TooLargeError(f"The ledger of “{folder.name}” is too large to be one.", place=str(ledger))
    found = {path.relative_to(folder).as_posix(): path for path in folder.rglob("*") if path.is_file() and path != ledger}
    return _read(folder, ledger.read_bytes(), {name: (path.stat().st_size, _crc(path)) for name, path in sorted(found.items())})


def _in_archive(path: Path, archive: zipfile.ZipFile) -> Delivered:
    entries = {_below(entry.filename): entry for entry in archive.infolist() if not entry.is_dir()}
    ledger = entries.pop(LEDGER, None)
    if ledger is None:
        raise _no_delivery(path)
    if ledger.file_size > LARGEST_LEDGER:
        raise TooLargeError(f"The ledger of “{path.name}” is too large to be one.", place=str(path))
    with archive.open(ledger) as stream:
        text = stream.read(LARGEST_LEDGER + 1)
    return _read(path, text, {name: (entry.file_size, entry.CRC) for name, entry in sorted(entries.items())})


def _below(name: str) -> str:
    """A name in an archive without the delivery's own folder."""
    return PurePosixPath(*PurePosixPath(name).parts[1:]).as_posix()


def _crc(path: Path) -> int:
    found = 0
    with path.open("rb") as stream:
        while piece := stream.read(PIECE):
            found = zlib.crc32(piece, found)
    return found


def _no_delivery(path: Path) -> MissingFileError:
    return MissingFileError(f"“{path.name}” holds no {LEDGER}.", place=str(path), remedy="Give a delivery that Fenrain wrote.")


def _read(path: Path, text: bytes, files: Mapping[str, tuple[int, int]]) -> Delivered:
    try:
        ledger = json.loads(text)
        materials = {(one["source"], one["material"]): one for one in ledger["materials"]}
        return Delivered(str(ledger["title"]), str(ledger["to"]), materials, files)
    except (ValueError, KeyError, TypeError, RecursionError) as reason:
        raise BrokenFileError(
            f"The ledger of “{path.name}” cannot be read.", place=str(path), remedy="Write the delivery again."
        ) from reason


def difference(earlier: Delivered, later: Delivered) -> Difference:
    """What the later of two deliveries holds otherwise."""
    both = [key for key in later.materials if key in earlier.materials]
    changed = [found for key in both if (found := _changed(key, earlier.materials[key], later.materials[key])) is not None]
    return Difference(
        (earlier.title, later.title),
        (earlier.to, later.to),
        len(both) - len(changed),
        tuple(changed),
        tuple(_called(key) for key in later.materials if key not in earlier.materials),
        tuple(_called(key) for key in earlier.materials if key not in later.materials),
        tuple(name for name, is_now in later.files.items() if name in earlier.files and earlier.files[name] != is_now),
        tuple(name for name in later.files if name not in earlier.files),
        tuple(name for name in earlier.files if name not in later.files),
    )


def _called(key: tuple[str, str]) -> str:
    source, name = key
    return f"{name} ({source})" if source else name


def _changed(key: tuple[str, str], before: Mapping[str, Any], after: Mapping[str, Any]) -> ChangedMaterial | None:
    values, was, now = tuple(_values(before, after)), str(before.get("verdict", "")), str(after.get("verdict", ""))
    if not values and was == now and before.get("digest") == after.get("digest"):
        return None
    return ChangedMaterial(key[1], key[0], values, was, now)


def _values(before: Mapping[str, Any], after: Mapping[str, Any]) -> Iterator[ChangedValue]:
    was, now = ({line["target"]: line for line in one["ledger"] if line["target"]} for one in (before, after))
    for name in dict.fromkeys([*now, *was]):
        one, other = was.get(name), now.get(name)
        if _standing(one) != _standing(other):
            yield ChangedValue(name, *("" if line is None else str(line["shown"]) for line in (one, other)))


def _standing(line: Mapping[str, Any] | None) -> Any:
    """What stands in a line of the ledger: the value over the derived one, else that."""
    if line is None:
        return None
    return line["derived"] if line["override"] is None else line["override"]
