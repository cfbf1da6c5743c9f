"""Files as they were uploaded: their names, archives unpacked, laid out again, and searched for."""

from __future__ import annotations

import os
import re
import shutil
import tempfile
import zipfile
from collections.abc import Collection, Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path, PurePosixPath

from fenrain.core.errors import ImageError, InputError, TooLargeError, UnsafePathError
from fenrain.core.formats.registry import mesh_readers
from fenrain.core.maps.image import inspect
from fenrain.core.paths import TILE_NUMBER
from fenrain.core.values import Image
from fenrain.settings import settings
from fenrain.store import blobs

MOST_FILES, MOST_SEARCHED = 20_000, 500_000
LARGEST_UNPACKED = 16 * 1024**3
LONGEST_NAME = 255
"""Bytes of a name on common file systems."""
LARGEST_RATIO, SMALLEST_COUNTED = 200, 1_000_000
"""Times their own bytes that archives may unpack to; smaller ones count as of so many bytes, together."""


def place_inside(folder: Path, name: str) -> Path:
    """Where an uploaded file of this name is laid down. Raises UnsafePathError for a name that leaves the folder."""
    plain = PurePosixPath(name.replace("\\", "/"))
    if plain.is_absolute() or ".." in plain.parts or not plain.name or "\x00" in name or ":" in plain.parts[0]:
        raise UnsafePathError(f"The file name “{name[:80]}” leaves the upload.", place=name[:80], remedy="Upload plain names or folders.")
    if max(len(part.encode(errors="surrogatepass")) for part in plain.parts) > LONGEST_NAME or not name.isprintable():
        shown = name.encode("ascii", "replace").decode()[:80]
        raise UnsafePathError(
            f"No disk keeps a file called “{shown}”.",
            place=shown,
            remedy=f"Use names of at most {LONGEST_NAME} bytes, without signs that nothing shows.",
        )
    return folder / plain


class Room:
    """What archives of one upload may hold together. Raises TooLargeError where they would be more."""

    def __init__(self, packed_bytes: int) -> None:
        self._files, self._bytes = MOST_FILES, min(LARGEST_UNPACKED, LARGEST_RATIO * max(packed_bytes, SMALLEST_COUNTED))

    def take(self, files: int, size: int, name: str) -> None:
        self._files, self._bytes = self._files - files, self._bytes - size
        if self._files < 0 or self._bytes < 0:
            raise TooLargeError(
                f"With “{name}” the upload would unpack to too much: {files:,} files and {size / 1e9:.1f} GB in this one.",
                place=name,
                remedy="Upload the files themselves, in parts.",
            )


def unpack_archive(archive: Path, folder: Path, room: Room) -> None:
    """Unpack a zip beside the other files. Raises InputError, TooLargeError, UnsafePathError; then nothing of it is kept."""
    try:
        with zipfile.ZipFile(archive) as packed:
            entries = [entry for entry in packed.infolist() if not entry.is_dir()]
            room.take(len(entries), sum(entry.file_size for entry in entries), archive.name)
            for entry in entries:
                target = place_inside(folder, entry.filename)
                target.parent.mkdir(parents=True, exist_ok=True)
                with packed.open(entry) as source, target.open("wb") as stream:
                    shutil.copyfileobj(source, stream)
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, EOFError) as reason:
        raise InputError(f"“{archive.name}” is not a whole zip file.", place=archive.name, remedy="Pack it again.") from reason


def pack_folder(folder: Path, archive: Path) -> list[Path]:
    """Pack everything below a folder, under the folder's own name. Returns the files."""
    files = sorted(path for path in folder.rglob("*") if path.is_file())
    with zipfile.ZipFile(archive, "w", zipfile.ZIP_DEFLATED) as packed:
        for path in files:
            packed.write(path, Path(folder.name) / path.relative_to(folder))
    return files


def list_files(folder: Path) -> list[Path]:
    """Every file below a folder, archives unpacked. Raises what `unpack_archive` raises."""
    archives = [path for path in folder.rglob("*.zip") if path.is_file()]
    room = Room(sum(archive.stat().st_size for archive in archives))
    for archive in archives:
        unpack_archive(archive, archive.parent, room)
        archive.unlink()
    return sorted(path for path in folder.rglob("*") if path.is_file() and not path.is_symlink())


def searched_folder(place: str) -> Path:
    """A folder of this machine that may be looked into: below one of the roots that the settings name, and no data of ours. Raises
    InputError, the same whether it is not there or not allowed."""
    roots = [root.resolve() for root in settings().search_roots]
    if not roots:
        raise InputError(
            "This server looks into no folders.", place="folder", remedy="Hand the maps in, or name roots in FENRAIN_SEARCH_ROOTS."
        )
    try:
        folder = Path(place).resolve()
        is_below = any(folder.is_relative_to(root) for root in roots) and folder.is_dir()
    except (OSError, ValueError):
        is_below = False
    if not place.strip() or not is_below or folder.is_relative_to(settings().data.resolve()):
        below = ", ".join(map(str, settings().search_roots))
        raise InputError(f"There is no folder “{place[:200]}” to look into.", place="folder", remedy=f"Give one below {below}.")
    return folder


def find_files_by_name(names: set[str], folder: Path) -> list[Path]:
    """Every image below a folder that is called so, tiles of sets with them; links are not followed, and data of ours is not entered.
    Raises TooLargeError."""
    own = settings().data.resolve()
    sets = [re.compile(r"\d{4}".join(map(re.escape, TILE_NUMBER.split(name)))) for name in names if TILE_NUMBER.search(name)]
    found, count, size = [], 0, 0
    for inner, folders, files in os.walk(folder):
        folders[:] = [name for name in folders if Path(inner) / name != own]
        count += len(files)
        if count > MOST_SEARCHED:
            raise TooLargeError(
                f"“{folder}” holds more than {MOST_SEARCHED:,} files.", place="folder", remedy="Give a folder nearer to the maps."
            )
        for file in files:
            path = Path(inner) / file
            if (file in names or any(one.fullmatch(file) for one in sets)) and not path.is_symlink() and _is_image(path):
                found.append(path)
                size += path.stat().st_size
    if size > LARGEST_UNPACKED:
        raise TooLargeError(f"What was found takes {size / 1e9:.1f} GB.", place="folder", remedy="Hand the maps in, in parts.")
    return found


def _is_image(path: Path) -> bool:
    try:
        return path.is_file() and inspect(Image(path.name, path)).width > 0
    except ImageError:
        return False


@contextmanager
def restore_files(files: Mapping[str, str]) -> Iterator[Path]:
    """The files as they were uploaded, in a folder that goes with the block; links to the file store where the disk allows."""
    with tempfile.TemporaryDirectory(prefix="fenrain-intake-") as scratch:
        folder = Path(scratch)
        for name, digest in files.items():
            target = place_inside(folder, name)
            target.parent.mkdir(parents=True, exist_ok=True)
            kept = blobs.path_of(digest, name)
            try:
                target.hardlink_to(kept)
            except OSError:
                shutil.copyfile(kept, target)
        yield folder


def find_carrier(files: Collection[str], name: str) -> str | None:
    """The file whose meshes carry materials: the one that they came from, or the OBJ beside an MTL. files: names of those there are."""
    beside = (name, str(PurePosixPath(name).with_suffix(".obj"))) if name else ()
    return next((file for file in beside if PurePosixPath(file).suffix.lower() in mesh_readers() and file in files), None)
