"""Files named by their SHA-256, written to a temporary name and renamed."""

from __future__ import annotations

import hashlib
import shutil
from functools import lru_cache
from pathlib import Path

import fsspec

from fenrain.core.errors import MissingFileError, NotFoundError, StorageError
from fenrain.core.files import whole_file, write_whole
from fenrain.core.values import Image
from fenrain.settings import settings


def folder() -> Path:
    """The folder of the file store; fsspec resolves it, so that it may be a mounted one."""
    filesystem, path = fsspec.core.url_to_fs(str(settings().data / "files"))
    filesystem.makedirs(path, exist_ok=True)
    return Path(path)


def path_of(digest: str) -> Path:
    """Where a file of this digest lies, whether or not it is there. Raises NotFoundError for anything but a digest."""
    if len(digest) != 64 or not set(digest) <= set("0123456789abcdef"):
        raise NotFoundError("There is no such file.", place=digest[:64])
    return folder() / digest[:2] / digest


def put(data: bytes) -> str:
    """Keep the bytes; returns their digest. Raises StorageError."""
    digest = hashlib.sha256(data).hexdigest()
    if not path_of(digest).exists():
        write_whole(path_of(digest), data)
    return digest


def put_file(path: Path) -> str:
    """Keep a file, however large; returns its digest. Raises StorageError."""
    digest = digest_of(path)
    kept = path_of(digest)
    if not kept.exists():
        with whole_file(kept) as temporary:
            shutil.copyfile(path, temporary)
    return digest


def digest_of(path: Path) -> str:
    """The SHA-256 of a file."""
    with path.open("rb") as stream:
        return hashlib.file_digest(stream, "sha256").hexdigest()


def get(digest: str) -> bytes:
    """Raises NotFoundError, StorageError where the store holds something else than was kept."""
    try:
        data = path_of(digest).read_bytes()
    except OSError as reason:
        raise NotFoundError("There is no such file.", place=digest) from reason
    if hashlib.sha256(data).hexdigest() != digest:
        raise _damaged(digest, digest)
    return data


def open_image(digest: str, name: str) -> Image:
    """An image of the store. Raises MissingFileError where it is gone, StorageError where it is not what was kept."""
    path = path_of(digest)
    if not path.exists():
        raise MissingFileError(f"The map “{name}” is no longer in the file store.", place=name, remedy="Take its material in again.")
    state = path.stat()
    if not _is_whole(digest, state.st_size, state.st_mtime_ns):
        raise _damaged(digest, name)
    return Image(name, path)


@lru_cache(maxsize=100_000)
def _is_whole(digest: str, size: int, changed: int) -> bool:
    """Whether a file still is what it is called; looked at once for each time that it changed. size, changed: as it is now."""
    return digest_of(path_of(digest)) == digest


def _damaged(digest: str, name: str) -> StorageError:
    return StorageError(
        f"“{name}” is damaged in the file store.",
        place=digest,
        remedy="Remove that file and take its material in again, or restore it from a backup.",
    )
