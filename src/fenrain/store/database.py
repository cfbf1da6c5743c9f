"""The connection to MariaDB and its migrations."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine, text
from sqlalchemy.exc import IntegrityError, OperationalError
from sqlalchemy.orm import Session, sessionmaker
from sqlalchemy.orm.exc import StaleDataError

from fenrain.core.errors import ConflictError, StorageError
from fenrain.settings import settings


@cache
def engine() -> Engine:
    return create_engine(settings().database_url, pool_pre_ping=True, pool_size=10, max_overflow=20, isolation_level="READ COMMITTED")


@contextmanager
def session() -> Iterator[Session]:
    """A transaction: committed when the block ends well, rolled back when it does not.

    Raises ConflictError where somebody else changed a row first, or added the same, StorageError where the database does not answer.
    """
    try:
        with sessionmaker(engine(), expire_on_commit=False)() as opened, opened.begin():
            yield opened
    except IntegrityError as reason:
        raise ConflictError(
            "Somebody else was first with the same.", remedy="Load it again, and repeat yours if it is still wanted."
        ) from reason
    except StaleDataError as reason:
        raise ConflictError(
            "Somebody else changed this first.", remedy="Load it again, look at their change, and repeat yours."
        ) from reason
    except OperationalError as reason:
        raise StorageError(
            "The database does not take it.", place=str(reason.orig)[:120], remedy="Check that MariaDB runs and that its disk is not full."
        ) from reason


def migrate() -> None:
    """Create the database if need be, and bring its tables up to date."""
    server = create_engine(settings().database_url.replace("/fenrain?", "/?"))
    with server.begin() as connection:
        connection.execute(text("CREATE DATABASE IF NOT EXISTS fenrain CHARACTER SET utf8mb4 COLLATE utf8mb4_bin"))
    server.dispose()
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).with_name("migrations")))
    command.upgrade(config, "head")
