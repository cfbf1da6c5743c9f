"""Files named by their SHA-256, each kept whole or not at all: in a folder, or in an object store of which this machine keeps copies."""

from __future__ import annotations

import hashlib
import os
import shutil
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import cache, lru_cache
from pathlib import Path
from typing import Any

import fsspec
from fsspec.implementations.local import LocalFileSystem

from fenrain.core.errors import MissingFileError, NotFoundError, StorageError
from fenrain.core.files import not_written, whole_file, write_whole
from fenrain.core.values import Image
from fenrain.settings import settings

YOUNG = 6 * 3600.0
"""Seconds during which a file of an object store is not written again to make it young: what is collected is older than that by far."""


@dataclass(frozen=True)
class StoredFile:
    """A file of the store. age: seconds since somebody kept it last; size: bytes."""

    digest: str
    size: int
    age: float


def save_bytes(data: bytes) -> str:
    """Keep the bytes; returns their digest. Raises StorageError."""
    digest = hashlib.sha256(data).hexdigest()
    if not _is_kept_anew(digest, len(data)):
        write_whole(locate(digest), data)
        _send(digest)
    return digest


def save_file(path: Path) -> str:
    """Keep a file, however large; returns its digest. Raises StorageError."""
    digest = digest_of(path)
    if not _is_kept_anew(digest, path.stat().st_size):
        with whole_file(locate(digest)) as temporary:
            shutil.copyfile(path, temporary)
        _send(digest)
    return digest


def read_bytes(digest: str) -> bytes:
    """Raises NotFoundError, StorageError where the store holds something else than was kept."""
    return path_of(digest).read_bytes()


def path_of(digest: str, name: str = "") -> Path:
    """Where a kept file lies on this machine. name: what people call it. Raises NotFoundError, StorageError where it is not what was
    kept."""
    path = locate(digest)
    if not path.exists():
        _fetch(digest)
    try:
        state = path.stat()
    except OSError as reason:
        raise NotFoundError("There is no such file.", place=name or digest) from reason
    if not _is_whole(digest, state.st_size, state.st_mtime_ns):
        raise StorageError(
            f"“{name or digest}” is damaged in the file store.",
            place=digest,
            remedy="Remove that file and take its material in again, or restore it from a backup.",
        )
    return path


def open_image(digest: str, name: str) -> Image:
    """An image of the store. Raises MissingFileError where it is gone, StorageError where it is not what was kept."""
    try:
        return Image(name, path_of(digest, name))
    except NotFoundError as reason:
        raise MissingFileError(
            f"The map “{name}” is no longer in the file store.", place=name, remedy="Take its material in again."
        ) from reason


def digest_of(path: Path) -> str:
    """The SHA-256 of a file."""
    with path.open("rb") as stream:
        return hashlib.file_digest(stream, "sha256").hexdigest()


def locate(digest: str) -> Path:
    """Where a file of this digest is on this machine, if it is there. Raises NotFoundError for anything but a digest."""
    if len(digest) != 64 or not set(digest) <= set("0123456789abcdef"):
        raise NotFoundError("There is no such file.", place=digest[:64])
    return _folder() / digest[:2] / digest


def list_files() -> Iterator[StoredFile]:
    """Every file of the store, in no order."""
    distant = _distant()
    if distant is None:
        yield from list_copies()
        return
    with _answering(distant.root):
        for path, found in distant.files.find(distant.root, detail=True).items():
            yield StoredFile(path.rpartition("/")[2], int(found["size"]), _age(found))


def list_copies() -> Iterator[StoredFile]:
    """Every file of the store that lies on this machine."""
    for path in _folder().glob("??/*"):
        state = path.stat()
        if len(path.name) == 64:
            yield StoredFile(path.name, state.st_size, time.time() - state.st_mtime)


def remove_if_old(digest: str, age: float) -> bool:
    """Take a file out of the store that nobody has kept for so many seconds; returns whether it went. Whoever keeps it at the same moment
    either makes it young before it is looked at, or finds it gone and writes it again. Raises StorageError."""
    distant = _distant()
    if distant is not None:
        with _answering(digest):
            if _age(distant.files.info(distant.path(digest))) <= age:
                return False
            distant.files.rm_file(distant.path(digest))
        remove_copy(digest)
        return True
    here = locate(digest)
    aside = here.with_suffix(".going")
    try:
        here.rename(aside)
    except FileNotFoundError:
        return False
    if time.time() - aside.stat().st_mtime > age:
        aside.unlink()
        return True
    aside.rename(here)
    return False


def remove_copy(digest: str) -> None:
    """Take a file off this machine."""
    locate(digest).unlink(missing_ok=True)


def is_distant() -> bool:
    """Whether the files on this machine are copies of what an object store holds."""
    return _distant() is not None


@dataclass(frozen=True)
class _Distant:
    """An object store: what it is reached through, and what its files' names begin with."""

    files: Any
    root: str

    def path(self, digest: str) -> str:
        return f"{self.root}/{digest[:2]}/{digest}"


@cache
def _place() -> tuple[Path, _Distant | None]:
    """The folder of files on this machine, and the object store that they are copies of, if any. Raises StorageError for a URL that leads
    nowhere."""
    url = settings().files or str(settings().data.resolve() / "files")
    try:
        filesystem, root = fsspec.core.url_to_fs(url)
    except (ImportError, ValueError) as reason:
        raise StorageError(f"Nothing here reaches {url}.", place="FENRAIN_FILES", remedy=str(reason)) from reason
    distant = None if isinstance(filesystem, LocalFileSystem) else _Distant(filesystem, root.rstrip("/"))
    folder = Path(root) if distant is None else settings().data.resolve() / "copies"
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as reason:
        raise not_written(folder, reason.strerror or str(reason)) from reason
    return folder, distant


def _folder() -> Path:
    return _place()[0]


def _distant() -> _Distant | None:
    return _place()[1]


def _is_kept_anew(digest: str, size: int) -> bool:
    """Whether a file is there, whole, which is young again then: what is collected is what nobody has kept for long."""
    distant, here = _distant(), locate(digest)
    try:
        if distant is not None:
            with _answering(digest):
                found = distant.files.info(distant.path(digest))
            return found["size"] == size and _age(found) < YOUNG
        state = here.stat()
        if state.st_size != size or not _is_whole(digest, size, state.st_mtime_ns):
            return False
        os.utime(here)
    except OSError:
        return False
    return True


def _send(digest: str) -> None:
    """Have the object store hold what was written here; it shows a file once all of it is there."""
    distant = _distant()
    if distant is not None:
        with _answering(digest):
            distant.files.put_file(str(locate(digest)), distant.path(digest))


def _fetch(digest: str) -> None:
    """Copy a file of the object store to this machine, if it is there."""
    distant = _distant()
    if distant is None:
        return
    with whole_file(locate(digest)) as temporary, _answering(digest):
        try:
            distant.files.get_file(distant.path(digest), str(temporary))
        except FileNotFoundError as reason:
            raise NotFoundError("There is no such file.", place=digest) from reason


@contextmanager
def _answering(place: str) -> Iterator[None]:
    """Raises StorageError where the object store does not answer, or refuses."""
    try:
        yield
    except FileNotFoundError:
        raise
    except OSError as reason:
        raise StorageError(
            f"The file store does not take part ({reason}).",
            place=place,
            remedy="Check FENRAIN_FILES, and that the store answers and lets this machine in.",
        ) from reason


def _age(found: dict[str, Any]) -> float:
    """Seconds since an object was written; object stores call the moment by two names."""
    written = found.get("LastModified") or found.get("created")
    return time.time() - written.timestamp() if written is not None else 0.0


@lru_cache(maxsize=100_000)
def _is_whole(digest: str, size: int, changed: int) -> bool:
    """Whether a file still is what it is called; looked at once for each time that it changed. size, changed: as it is now."""
    return digest_of(locate(digest)) == digest
