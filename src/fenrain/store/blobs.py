"""Files named by their SHA-256, written to a temporary name and renamed."""

from __future__ import annotations

import hashlib
from pathlib import Path

import fsspec

from fenrain.core.errors import MissingFileError, NotFoundError
from fenrain.core.files import write_whole
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
    """Keep a file's bytes."""
    return put(path.read_bytes())


def get(digest: str) -> bytes:
    """Raises NotFoundError."""
    try:
        return path_of(digest).read_bytes()
    except OSError as reason:
        raise NotFoundError("There is no such file.", place=digest) from reason


def open_image(digest: str, name: str) -> Image:
    """An image of the store. Raises MissingFileError where it is gone."""
    path = path_of(digest)
    if not path.exists():
        raise MissingFileError(f"The map “{name}” is no longer in the file store.", place=name, remedy="Take its material in again.")
    return Image(name, path)
