"""A disk that is full says so; what was acknowledged before stays, and the work goes on as soon as there is room."""

from __future__ import annotations

import os
import subprocess
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from sqlalchemy import select

from fenrain.core.errors import StorageError
from fenrain.settings import settings
from fenrain.store.database import engine, migrate, session
from fenrain.store.server import DatabaseServer
from fenrain.store.tables import DialectRow
from tests.conftest import free_port

MIB = 1 << 20
ROOM, LEFT, PIECE = 512 * MIB, 24 * MIB, 512 * 1024
"""Bytes: of the disk, of it that are left at last, and of what one row holds."""


@pytest.fixture
def small_disk(tmp_path: Path) -> Iterator[Path]:
    """A file system of its own, in memory."""
    folder = tmp_path / "disk"
    folder.mkdir()
    mounted = subprocess.run(["mount", "-t", "tmpfs", "-o", f"size={ROOM}", "tmpfs", folder], capture_output=True, text=True)
    if mounted.returncode != 0:
        pytest.skip(f"no file system can be mounted here: {mounted.stderr.strip()}")
    try:
        yield folder
    finally:
        subprocess.run(["umount", "--lazy", folder], check=True)


@pytest.fixture
def on_small_disk(small_disk: Path) -> Iterator[Path]:
    """A database there, in place of that of the other tests."""
    engine.cache_clear()
    with pytest.MonkeyPatch.context() as environment:
        environment.setenv("FENRAIN_DATA", str(small_disk))
        environment.setenv("FENRAIN_DATABASE_PORT", str(free_port()))
        settings.cache_clear()
        with DatabaseServer(small_disk / "database", settings().database_port):
            migrate()
            yield small_disk
            engine().dispose()
    settings.cache_clear()
    engine.cache_clear()


def keep(number: int) -> None:
    with session() as database:
        database.add(DialectRow(key=f"d{number}", text=os.urandom(PIECE // 2).hex()))


def kept() -> set[str]:
    with session() as database:
        return set(database.scalars(select(DialectRow.key)))


def test_a_database_whose_disk_is_full_says_so_and_loses_nothing(on_small_disk: Path) -> None:
    ballast, free = on_small_disk / "ballast", os.statvfs(on_small_disk)
    with ballast.open("wb") as stream:
        os.posix_fallocate(stream.fileno(), 0, free.f_bavail * free.f_frsize - LEFT)
    acknowledged = set()
    with pytest.raises(StorageError, match="disk is not full"):
        for number in range(4 * LEFT // PIECE):
            keep(number)
            acknowledged.add(f"d{number}")
    assert len(acknowledged) > 10
    ballast.unlink()
    found = as_soon_as_it_answers(kept)
    assert acknowledged <= found <= acknowledged | {f"d{number}"}  # the last one was kept or not, and not acknowledged
    keep(10_000)
    assert kept() == found | {"d10000"}


def as_soon_as_it_answers(ask: Callable[[], set[str]]) -> set[str]:
    """MariaDB may have ended by itself where its log had no room, and is started again."""
    deadline = time.monotonic() + 120
    while True:
        try:
            return ask()
        except StorageError:
            assert time.monotonic() < deadline
            time.sleep(0.5)
