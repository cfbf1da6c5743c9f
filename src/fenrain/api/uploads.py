"""Files that come with a request, laid down in a folder."""

import shutil
from collections.abc import Sequence
from pathlib import Path

from fastapi import UploadFile

from fenrain.core.errors import StorageError, TooLargeError
from fenrain.services.uploads import place_inside
from fenrain.settings import settings

CHUNK = 1 << 20


def save_uploads(files: Sequence[UploadFile], folder: Path) -> list[Path]:
    """Write them below a folder, by their names. Raises TooLargeError, StorageError, UnsafePathError for a name that leaves it."""
    room, laid = settings().largest_upload, []
    try:
        for file in files:
            target = place_inside(folder, file.filename or "unnamed")
            target.parent.mkdir(parents=True, exist_ok=True)
            room -= file.size or 0
            if room < 0:
                raise TooLargeError("The upload is too large.", place=file.filename or "", remedy="Upload fewer files at once.")
            with target.open("wb") as stream:
                shutil.copyfileobj(file.file, stream, CHUNK)
            laid.append(target)
    except OSError as reason:
        raise StorageError(
            f"The upload could not be kept ({reason.strerror}).",
            place=str(reason.filename or ""),
            remedy="Check that the disk is not full.",
        ) from reason
    return laid
