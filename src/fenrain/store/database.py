"""The connection to MariaDB and its migrations."""

from __future__ import annotations

import random
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import cache
from pathlib import Path
from typing import TypeVar

from alembic import command
from alembic.config import Config
from sqlalchemy import URL, Connection, Engine, create_engine, make_url, text
from sqlalchemy.exc import DBAPIError, IntegrityError, OperationalError
from sqlalchemy.orm import Session, sessionmaker
from sqlalchemy.orm.exc import StaleDataError

from fenrain.core.errors import MetError, StorageError
from fenrain.settings import settings
from fenrain.store.server import CHARACTERS, address_of

Answer = TypeVar("Answer")
MET = (1213, 1205, 1305)
"""MariaDB's error codes ER_LOCK_DEADLOCK, ER_LOCK_WAIT_TIMEOUT, and ER_SP_DOES_NOT_EXIST, in which a deadlock within a savepoint ends,
since it takes the whole transaction back: what was to be done can be done again."""


def database_url() -> URL:
    """Of the database that the settings name, or of our own in the data folder. Raises StorageError where that was never started."""
    return make_url(settings().database) if settings().database else address_of(settings().data.resolve() / "database")


ANSWERS_WITHIN = {"connect_timeout": 10, "read_timeout": 600, "write_timeout": 600}
"""Seconds that a database which has fallen silent is waited for."""


@cache
def engine() -> Engine:
    return create_engine(
        database_url(), pool_pre_ping=True, pool_size=10, max_overflow=20, isolation_level="READ COMMITTED", connect_args=ANSWERS_WITHIN
    )


@contextmanager
def session() -> Iterator[Session]:
    """A transaction: committed when the block ends well, rolled back when it does not.

    Raises MetError where somebody else changed a row first, added the same, or held what this was waiting for, StorageError where the
    database does not answer.
    """
    try:
        with sessionmaker(engine(), expire_on_commit=False)() as opened, opened.begin():
            yield opened
    except IntegrityError as reason:
        raise MetError(
            "Somebody else was first with the same.", remedy="Load it again, and repeat yours if it is still wanted."
        ) from reason
    except StaleDataError as reason:
        raise MetError("Somebody else changed this first.", remedy="Load it again, look at their change, and repeat yours.") from reason
    except OperationalError as reason:
        if reason.orig is not None and reason.orig.args[0] in MET:
            raise MetError("Two changes met, and this one gave way.", remedy="Try again.") from reason
        raise StorageError(
            "The database does not take it.", place=str(reason.orig)[:120], remedy="Check that MariaDB runs and that its disk is not full."
        ) from reason


def retry_transaction(work: Callable[[], Answer], times: int = 4) -> Answer:
    """Do something that may be done twice, in transactions of its own, again where two changes met. Raises MetError where they go on
    meeting."""
    for _ in range(times - 1):
        try:
            return work()
        except MetError:
            time.sleep(random.uniform(0.02, 0.2))
    return work()


def migrate() -> None:
    """Bring the tables up to date; of several processes that start at once, one does."""
    with engine().connect() as connection:
        connection.execute(text("SELECT GET_LOCK('fenrain tables', 300)"))
        connection.commit()
        try:
            upgrade(connection, "head")
        finally:
            connection.execute(text("SELECT RELEASE_LOCK('fenrain tables')"))
            connection.commit()


@contextmanager
def empty_database(name: str) -> Iterator[URL]:
    """An empty database of this name beside ours, which goes with the block. Raises StorageError where the user may not make one."""
    try:
        _execute(f"CREATE OR REPLACE DATABASE {name} {CHARACTERS}")
    except DBAPIError as reason:
        raise StorageError(
            f"The database “{name}” could not be made.", place=name, remedy="Let the user make it, or make it by hand."
        ) from reason
    try:
        yield database_url().set(database=name)
    finally:
        _execute(f"DROP DATABASE IF EXISTS {name}")


def _execute(statement: str) -> None:
    with engine().begin() as connection:
        connection.execute(text(statement))


def upgrade(connection: Connection, revision: str) -> None:
    """Bring the tables of the database that a connection leads to up to a revision. connection: in no transaction."""
    command.upgrade(migrations(connection), revision)


def migrations(connection: Connection | None = None) -> Config:
    """What Alembic's commands are told. connection: to the database that they work on."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).with_name("migrations")))
    config.attributes["connection"] = connection
    return config
