"""Files that come with a request, laid down in a folder."""

import shutil
from collections.abc import Sequence
from pathlib import Path

from fastapi import UploadFile

from fenrain.core.errors import InputError, StorageError, TooLargeError
from fenrain.services.uploads import place_inside
from fenrain.settings import settings

CHUNK = 1 << 20


def save_uploads(files: Sequence[UploadFile], folder: Path) -> list[Path]:
    """Write them below a folder, by their names. Raises TooLargeError, StorageError, UnsafePathError for a name that leaves it."""
    room = settings().largest_upload
    laid: list[Path] = []
    try:
        for file in files:
            target = _free_place(folder, file.filename or "unnamed", laid)
            target.parent.mkdir(parents=True, exist_ok=True)
            room -= file.size or 0
            if room < 0:
                raise TooLargeError("The upload is too large.", place=file.filename or "", remedy="Upload fewer files at once.")
            with target.open("wb") as stream:
                shutil.copyfileobj(file.file, stream, CHUNK)
            laid.append(target)
    except (FileExistsError, NotADirectoryError, IsADirectoryError) as reason:
        name = Path(str(reason.filename or "")).name
        raise InputError(f"“{name}” is a file and a folder of the upload at once.", place=name, remedy="Rename one of both.") from reason
    except OSError as reason:
        raise StorageError(
            f"The upload could not be kept ({reason.strerror}).",
            place=str(reason.filename or ""),
            remedy="Check that the disk is not full.",
        ) from reason
    return laid


def _free_place(folder: Path, name: str, laid: Sequence[Path]) -> Path:
    """Where a file of this name is laid: the second of the same name in a folder called 2, and so on, so that each is kept."""
    target, count = place_inside(folder, name), 1
    while target in laid:
        count += 1
        target = place_inside(folder, f"{count}/{name}")
    return target
