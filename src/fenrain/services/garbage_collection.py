"""Collects what nothing needs any more: checks of looks that are gone, files that no row names, and scratch folders of what has crashed."""

from __future__ import annotations

import os
import re
import shutil
import tempfile
import time
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path

from sqlalchemy import JSON, Column, String, delete, func, select
from sqlalchemy.orm import Session

from fenrain.store import blobs
from fenrain.store.database import session
from fenrain.store.tables import CheckRow, ConversionRow, MaterialRow, Table, now

KEPT_FOR = timedelta(days=30)
"""How long checks of a look are kept after it has changed: somebody may put it back."""
UNTOUCHED_FOR = timedelta(days=1)
"""How old a file or a folder is at least that is taken away: whoever writes it may not have said so yet."""
SCRATCH = "fenrain-*"
AT_ONCE = 500
LONG = 64
"""Characters of a digest."""
NAMED = re.compile(r"\b[0-9a-f]{64}\b")


@dataclass(frozen=True)
class CollectedAmounts:
    """How much was taken away, and how many bytes that were."""

    checks: int
    files: int
    folders: int
    size: int


def collect_garbage() -> CollectedAmounts:
    """Take away what nothing needs any more. What is still being written stays."""
    with session() as database:
        checks = _old_checks(database)
    with session() as database:
        named = set(_referenced_digests(database))
    files, size = _unnamed_files(named)
    _old_copies()
    folders, more = _scratch_folders()
    return CollectedAmounts(checks, files, folders, size + more)


def _old_checks(database: Session) -> int:
    """Checks of pairs that no material is and was converted to any more."""
    stands = select(ConversionRow.id).join(MaterialRow)
    stands = stands.where(ConversionRow.digest == CheckRow.converted, MaterialRow.digest == CheckRow.original)
    old = list(database.scalars(select(CheckRow.id).where(CheckRow.created < now() - KEPT_FOR, ~stands.exists())))
    for begin in range(0, len(old), AT_ONCE):
        database.execute(delete(CheckRow).where(CheckRow.id.in_(old[begin : begin + AT_ONCE])))
    return len(old)


def _referenced_digests(database: Session) -> Iterator[str]:
    """Every digest that stands anywhere in the database, whatever it is of."""
    for table in Table.metadata.sorted_tables:
        for column in table.columns:
            if _may_name(column):
                for text in database.scalars(select(func.concat(column)).execution_options(yield_per=AT_ONCE)):
                    yield from NAMED.findall(text or "")


def _may_name(column: Column[object]) -> bool:
    return isinstance(column.type, JSON) or (isinstance(column.type, String) and (column.type.length or LONG) >= LONG)


def _unnamed_files(named: set[str]) -> tuple[int, int]:
    """What somebody keeps again meanwhile is young again, and stays."""
    oldest = UNTOUCHED_FOR.total_seconds()
    unnamed = [one for one in blobs.list_files() if one.digest not in named and one.age > oldest]
    removed = [one for one in unnamed if blobs.remove_if_old(one.digest, oldest)]
    return len(removed), sum(one.size for one in removed)


def _old_copies() -> None:
    """Of an object store's files, which are fetched again where somebody asks for them."""
    for one in blobs.list_copies() if blobs.is_distant() else ():
        if one.age > UNTOUCHED_FOR.total_seconds():
            blobs.remove_copy(one.digest)


def _scratch_folders() -> tuple[int, int]:
    """Of this user alone, and only where nobody can have put something else in their place."""
    count = size = 0
    for path in Path(tempfile.gettempdir()).glob(SCRATCH):
        if path.is_symlink() or not path.is_dir() or path.stat().st_uid != os.getuid() or not all(map(_is_old, (path, *path.rglob("*")))):
            continue
        size += sum(one.lstat().st_size for one in path.rglob("*"))
        shutil.rmtree(path, ignore_errors=True)
        count += 1
    return count, size


def _is_old(path: Path) -> bool:
    try:
        return time.time() - path.lstat().st_mtime > UNTOUCHED_FOR.total_seconds()
    except OSError:
        return False  # it has just gone
