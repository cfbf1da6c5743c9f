"""Backups are made and restored while the application works: what was there comes back, all or nothing, and what is damaged is told."""

from __future__ import annotations

import json
import subprocess
import sys
import threading
from pathlib import Path

import pytest
from sqlalchemy import func, select, true

from fenrain.core.errors import InputError, NotSignedInError, StorageError
from fenrain.services import people
from fenrain.services.backups import ABOUT, FILES, ROWS, back_up, restore
from fenrain.services.intakes import accept_found, create_intake
from fenrain.services.people import CredentialKind
from fenrain.settings import settings
from fenrain.store import blobs
from fenrain.store.database import engine, session
from fenrain.store.rows import load_material
from fenrain.store.tables import CredentialRow, MaterialRow, Project, Table

pytestmark = pytest.mark.usefixtures("database")


def everything() -> dict[str, list[str]]:
    """Every row of every table but for sessions and links, which end at a restore."""
    lasting = {CredentialRow.__table__: CredentialRow.kind == CredentialKind.TOKEN}
    with engine().connect() as connection:
        return {
            table.name: sorted(map(repr, connection.execute(select(table).where(lasting.get(table, true())))))
            for table in Table.metadata.sorted_tables
        }


@pytest.fixture(scope="module")
def project(heron_lode: Path) -> int:
    with session() as database:
        row = Project(name="backups", tolerances={})
        database.add(row)
        database.flush()
        accept_found(database, create_intake(database, row.id, heron_lode).id, None)
        return row.id


@pytest.fixture
def backup(project: int, tmp_path: Path) -> Path:
    back_up(tmp_path / "backup")
    return tmp_path / "backup"


def materials_of(project: int) -> list[MaterialRow]:
    with session() as database:
        return list(database.scalars(select(MaterialRow).where(MaterialRow.project_id == project).order_by(MaterialRow.id)))


def test_all_that_was_there_comes_back(project: int, backup: Path) -> None:
    before = everything()
    mapped = next(row for row in materials_of(project) if load_material(row).images())
    images = [image.path for image in load_material(mapped).images().values() if image.path is not None]
    with session() as database:
        database.delete(database.get_one(MaterialRow, mapped.id))
        database.add(Project(name="after the backup", tolerances={}))
    for path in images:
        path.unlink()
    assert everything() != before
    found = restore(backup)
    assert everything() == before
    assert found.files >= len(images)
    material = next(load_material(row) for row in materials_of(project) if row.id == mapped.id)
    assert material.digest == mapped.digest
    assert all(blobs.digest_of(path) == path.name for path in images)


def test_sessions_and_links_of_then_let_nobody_in_and_tokens_do(project: int, tmp_path: Path) -> None:
    with session() as database:
        person = people.add_person(database, "Restored", people.Role.TD)
        link = people.create_sign_in_link(database, person)
        token = people.create_token(database, person.id, "farm", 7)
    back_up(tmp_path / "then")
    restore(tmp_path / "then")
    with session() as database:
        assert people.find_identity(database, token, people.CredentialKind.TOKEN) is not None
        with pytest.raises(NotSignedInError):
            people.sign_in_by_link(database, link)


def test_a_backup_holds_one_moment_while_others_write(project: int, tmp_path: Path) -> None:
    """Pairs of rows are written, each in one transaction: a backup never holds one of a pair without the other."""
    ended = threading.Event()

    def write() -> None:
        number = 0
        while not ended.is_set():
            number += 1
            with session() as database:
                database.add_all(Project(name=f"pair {number}, {side}", tolerances={}) for side in ("one", "other"))

    writer = threading.Thread(target=write)
    writer.start()
    try:
        while writer.is_alive() and _pairs() < 20:
            pass
        back_up(tmp_path / "backup")
        written = _pairs()
    finally:
        ended.set()
        writer.join()
    restore(tmp_path / "backup")
    assert 20 <= _pairs() <= written + 1
    assert _pairs() % 2 == 0


def _pairs() -> int:
    with session() as database:
        return database.scalar(select(func.count()).where(Project.name.like("pair %"))) or 0


def test_who_looks_while_it_is_restored_sees_all_or_all_of_before(project: int, backup: Path) -> None:
    many, seen, ended = len(materials_of(project)), set(), threading.Event()

    def look() -> None:
        while not ended.is_set():
            seen.add(len(materials_of(project)))

    reader = threading.Thread(target=look)
    reader.start()
    try:
        restore(backup)
    finally:
        ended.set()
        reader.join()
    assert seen == {many}


def test_a_second_backup_copies_only_what_the_first_lacks(backup: Path) -> None:
    copied = {path: path.stat().st_mtime_ns for path in (backup / FILES).glob("??/*")}
    back_up(backup)
    assert copied
    assert {path: path.stat().st_mtime_ns for path in (backup / FILES).glob("??/*")} == copied


@pytest.mark.parametrize("damage", ["no note", "rows cut off", "a file changed", "a file gone", "from a newer one"])
def test_a_damaged_backup_is_refused_and_nothing_is_changed(backup: Path, damage: str) -> None:
    if damage == "no note":
        (backup / ABOUT).unlink()
    elif damage == "rows cut off":
        rows = (backup / ROWS).read_bytes()
        (backup / ROWS).write_bytes(rows[: len(rows) // 2])
    elif damage == "a file changed":
        next((backup / FILES).glob("??/*")).write_bytes(b"something else")
    elif damage == "a file gone":
        next((backup / FILES).glob("??/*")).unlink()
    else:
        note = json.loads((backup / ABOUT).read_text())
        (backup / ABOUT).write_text(json.dumps({**note, "revision": "9999"}))
    before = everything()
    with pytest.raises(InputError):
        restore(backup, unsigned=damage == "from a newer one")
    assert everything() == before


def test_rows_that_were_changed_run_no_commands_and_are_not_ours(backup: Path, tmp_path: Path) -> None:
    # MariaDB's client runs “\\! command” and “system command” in what it reads, but not in its sandbox.
    rows, touched = backup / ROWS, tmp_path / "touched"
    rows.write_bytes(f"\\! touch {touched}\nsystem touch {touched}\n".encode() + rows.read_bytes())
    note = json.loads((backup / ABOUT).read_text())
    (backup / ABOUT).write_text(json.dumps({**note, "rows": blobs.digest_of(rows)}))
    before = everything()
    with pytest.raises(InputError, match="did not sign"):
        restore(backup)
    with pytest.raises(StorageError):
        restore(backup, unsigned=True)
    assert not touched.exists()
    assert everything() == before


def test_what_is_kept_is_kept_from_other_users(backup: Path) -> None:
    key = settings().data / "backup.key"
    assert key.stat().st_mode & 0o777 == 0o600


@pytest.mark.journey
def test_the_command_line_backs_up_and_restores(project: int, tmp_path: Path) -> None:
    folder, before = tmp_path / "backup", everything()
    printed = subprocess.run(
        [sys.executable, "-m", "fenrain.cli", "backup", str(folder)], capture_output=True, text=True, check=True
    ).stdout
    assert printed.startswith("Backed up: the database and ")
    with session() as database:
        database.add(Project(name="after the backup", tolerances={}))
    restoring = [sys.executable, "-m", "fenrain.cli", "restore", str(folder)]
    assert subprocess.run(restoring, input="n\n", capture_output=True, text=True, check=False).returncode == 2
    assert everything() != before
    subprocess.run([*restoring, "--yes"], check=True, capture_output=True)
    assert everything() == before
