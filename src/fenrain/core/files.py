"""Files that appear whole or not at all."""

from __future__ import annotations

import os
import secrets
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from fenrain.core.errors import StorageError


@contextmanager
def whole_file(path: Path) -> Iterator[Path]:
    """A temporary name beside `path` to write to; it takes the place of `path` when the block ends well, and is removed when it does not.

    Raises StorageError where the disk does not take it.
    """
    temporary: Path | None = None
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        temporary = path.parent / f".part-{secrets.token_hex(8)}{path.suffix}"
        os.close(os.open(temporary, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o666))  # less what the process keeps from others
        yield temporary
        _flush(temporary)
        temporary.replace(path)
        _flush(path.parent)
    except OSError as reason:
        raise not_written(path, reason.strerror or str(reason)) from reason
    finally:
        if temporary is not None:
            temporary.unlink(missing_ok=True)


def _flush(path: Path) -> None:
    """Have the disk hold what was written to a file, or which names a folder holds, so that neither is lost with the power."""
    handle = os.open(path, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def not_written(path: Path, reason: str) -> StorageError:
    """The error for a file that the disk does not take."""
    return StorageError(
        f"“{path.name}” could not be written ({reason}).",
        place=str(path.parent),
        remedy="Check that the folder exists, may be written to, and that the disk is not full.",
    )


def write_whole(path: Path, data: bytes | str) -> None:
    """Write a file that appears whole or not at all. Raises StorageError."""
    with whole_file(path) as temporary:
        temporary.write_bytes(data.encode() if isinstance(data, str) else data)
