"""A database of a bench's own, with its files, in a folder that goes with it."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from tests.conftest import free_port


@contextmanager
def own_database() -> Iterator[Path]:
    """The folder; all that this process asks of the database goes there."""
    with tempfile.TemporaryDirectory(prefix="fenrain-bench-") as folder:
        os.environ |= {"FENRAIN_DATA": folder, "FENRAIN_DATABASE_PORT": str(free_port())}
        from fenrain.settings import settings
        from fenrain.store.database import engine, migrate
        from fenrain.store.server import DatabaseServer

        settings.cache_clear()
        engine.cache_clear()
        with DatabaseServer(Path(folder) / "database", settings().database_port):
            migrate()
            yield Path(folder)
            engine().dispose()
