"""Backups: the database as it is at one moment, and every file that it names, in a folder; made and restored while the application runs."""

from __future__ import annotations

import hashlib
import hmac
import json
import re
import secrets
import shutil
import subprocess
import tempfile
from dataclasses import dataclass, replace
from importlib.metadata import version
from pathlib import Path
from typing import Any

from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import URL, Connection, Table, create_engine, delete, text

from fenrain.core.errors import InputError, NotFoundError, StorageError
from fenrain.core.files import whole_file, write_whole
from fenrain.services.people import CredentialKind
from fenrain.settings import settings
from fenrain.store import blobs
from fenrain.store.database import database_url, empty_database, engine, migrate, migrations, upgrade
from fenrain.store.tables import CredentialRow, now
from fenrain.store.tables import Table as Tables

ROWS, ABOUT, FILES, LIST = "database.sql", "backup.json", "files", "files.txt"
"""What lies in a backup: the rows of all tables as SQL, what it is, the files, named as in the file store, and a list of them."""
KEY = "backup.key"
"""In the data folder: what backups are signed with. Keep it where they are not."""
NAMED = re.compile(rb"\b[0-9a-f]{64}\b")
ALEMBIC = "alembic_version"


@dataclass(frozen=True)
class Backup:
    """What a folder holds. version: of Fenrain; revision: of the tables; rows, listed: SHA-256 of the rows and of the list of files; files:
    how many; size: bytes of all; signature: HMAC-SHA-256 of all the rest."""

    version: str
    revision: str
    made: str
    rows: str
    files: int
    size: int
    listed: str = ""
    signature: str = ""

    def with_signature(self) -> Backup:
        """The same with its signature."""
        stated = json.dumps(vars(self) | {"signature": ""}, sort_keys=True)
        return replace(self, signature=hmac.new(_key(), stated.encode(), hashlib.sha256).hexdigest())


def _key() -> bytes:
    """What this installation signs with, made where there is none yet."""
    path = settings().data / KEY
    if not path.is_file():
        write_whole(path, secrets.token_hex(32))
        path.chmod(0o600)
    return path.read_bytes()


def back_up(folder: Path) -> Backup:
    """Write the database, as it is at one moment, and the files that it names. A folder that holds an older backup is brought up to date:
    only files that it lacks are copied. Raises StorageError."""
    revision = _revision()
    with whole_file(folder / ROWS) as rows:
        _dump(rows)
        kept = _copy_files(_referenced_digests(rows), folder / FILES)
        digest, size = blobs.digest_of(rows), rows.stat().st_size + sum(kept.values())
    write_whole(folder / LIST, "\n".join(sorted(kept)))
    made = f"{now():%Y-%m-%d %H:%M:%S}"
    found = Backup(version("fenrain"), revision, made, digest, len(kept), size, blobs.digest_of(folder / LIST)).with_signature()
    write_whole(folder / ABOUT, json.dumps(vars(found), indent=1))
    return found


def restore(folder: Path, *, unsigned: bool = False) -> Backup:
    """Put what a backup holds in the place of all that is in the database, in one step: who looks meanwhile sees the one or the other. One
    of an older version is brought up to date. Sessions and one-time links of then let nobody in. unsigned: whether one that this
    installation did not sign is taken. Raises InputError for a folder that holds no whole backup, StorageError."""
    found = open_backup(folder, unsigned=unsigned)
    for path in _files_of(found, folder):
        if not path.is_file() or blobs.save_file(path) != path.name:
            raise InputError("A file of the backup is missing or damaged.", place=str(path), remedy="Take another backup.")
    migrate()
    with empty_database(f"{database_url().database}_restoring") as url:
        other = create_engine(url)
        with other.connect() as connection:
            upgrade(connection, found.revision)
        _load(folder / ROWS, url)
        with other.connect() as connection:
            upgrade(connection, "head")
        with other.begin() as connection:
            connection.execute(delete(CredentialRow).where(CredentialRow.kind != CredentialKind.TOKEN))
        other.dispose()
        with engine().begin() as connection:
            _replace_rows(connection, str(url.database))
    return found


def open_backup(folder: Path, *, unsigned: bool = False) -> Backup:
    """What a folder holds, once it was looked at whether it is whole, and ours. Raises InputError."""
    try:
        found = Backup(**json.loads((folder / ABOUT).read_text()))
    except (OSError, ValueError, TypeError) as reason:
        raise InputError("There is no whole backup.", place=str(folder), remedy="Name the folder that “fenrain backup” wrote.") from reason
    if not unsigned and not hmac.compare_digest(found.signature, found.with_signature().signature):
        raise InputError(
            "This installation did not sign the backup, or it was changed since.",
            place=str(folder / ABOUT),
            remedy=f"Put the {KEY} that it was made with into the data folder, or say that it may be unsigned.",
        )
    for path, digest in ((folder / ROWS, found.rows), *([(folder / LIST, found.listed)] if found.listed else [])):
        if not path.is_file() or blobs.digest_of(path) != digest:
            raise InputError(f"The {path.name} of the backup is damaged.", place=str(path), remedy="Take another backup.")
    if found.revision not in {one.revision for one in ScriptDirectory.from_config(migrations()).walk_revisions()}:
        raise InputError(
            f"The backup comes from a newer Fenrain ({found.version}).", place=str(folder), remedy="Install that version, then restore."
        )
    return found


def _files_of(found: Backup, folder: Path) -> list[Path]:
    """The files that a backup names; of one from before they were listed, those that are there."""
    if not found.listed:
        return sorted((folder / FILES).glob("??/*"))
    return [folder / FILES / name[:2] / name for name in (folder / LIST).read_text().split()]


def _revision() -> str:
    with engine().connect() as connection:
        found = MigrationContext.configure(connection).get_current_revision()
    if found is None:
        raise StorageError("The database has no tables yet.", place=str(database_url().host), remedy="Start the application once.")
    return found


def _dump(path: Path) -> None:
    """Rows alone: the migrations make the tables."""
    options = (
        "--single-transaction --quick --no-create-info --complete-insert --skip-lock-tables --skip-add-locks --skip-disable-keys "
        "--skip-triggers --no-tablespaces --hex-blob --skip-comments"
    )
    with path.open("wb") as stream:
        name = str(database_url().database)
        _run("mariadb-dump", [*options.split(), f"--ignore-table={name}.{ALEMBIC}", name], database_url(), stdout=stream)


def _load(path: Path, url: URL) -> None:
    """By a client that runs no commands of the shell and reads no files, whatever the rows say."""
    with path.open("rb") as stream:
        _run("mariadb", ["--sandbox", str(url.database)], url, stdin=stream, stdout=subprocess.DEVNULL)


def _run(program: str, arguments: list[str], url: URL, **streams: Any) -> None:
    """Run a client of MariaDB; its password goes through a file that only this user may read. Raises StorageError."""
    where = {"socket": url.query["unix_socket"]} if "unix_socket" in url.query else {"host": url.host, "port": url.port or 3306}
    told = {"user": url.username, "password": url.password or "", "default-character-set": "utf8mb4", **where}
    with tempfile.NamedTemporaryFile("w", prefix="fenrain-client-", suffix=".cnf") as options:
        options.write("[client]\n" + "".join(f'{name}="{value}"\n' for name, value in told.items()))
        options.flush()
        try:
            command = [program, f"--defaults-file={options.name}", *arguments]
            done = subprocess.run(command, stderr=subprocess.PIPE, text=True, check=False, **streams)
        except FileNotFoundError as reason:
            raise StorageError(f"{program} is missing.", place=program, remedy="Install Debian's mariadb-client.") from reason
    if done.returncode != 0:
        raise StorageError(f"{program} ended early.", place=done.stderr.strip()[-200:], remedy="Check the disk, and that MariaDB runs.")


def _referenced_digests(rows: Path) -> set[str]:
    """Every digest that stands in the rows, whatever it is of."""
    with rows.open("rb") as stream:
        return {found.decode() for line in stream for found in NAMED.findall(line)}


def _copy_files(named: set[str], folder: Path) -> dict[str, int]:
    """Copy the files that the store has of these, but for those that are there already; returns their sizes."""
    sizes: dict[str, int] = {}
    for digest in sorted(named):
        copied = folder / digest[:2] / digest
        if not copied.exists():
            try:
                kept = blobs.path_of(digest)
            except NotFoundError:
                continue
            with whole_file(copied) as temporary:
                shutil.copyfile(kept, temporary)
        sizes[digest] = copied.stat().st_size
    return sizes


def _replace_rows(connection: Connection, other: str) -> None:
    """Replace all rows by those of another database with the same tables, within the connection's transaction."""
    tables = Tables.metadata.sorted_tables
    connection.execute(text("SET FOREIGN_KEY_CHECKS = 0"))
    try:
        for table in reversed(tables):
            connection.execute(table.delete())
        for table in tables:
            columns = ", ".join(f"`{name}`" for name in _columns(table))
            connection.execute(text(f"INSERT INTO `{table.name}` ({columns}) SELECT {columns} FROM `{other}`.`{table.name}`"))
    finally:  # it holds for the connection, which others take after us
        connection.execute(text("SET FOREIGN_KEY_CHECKS = 1"))


def _columns(table: Table) -> list[str]:
    return [column.name for column in table.columns if column.computed is None]
