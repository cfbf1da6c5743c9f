"""Rows and files on a real MariaDB and a real folder."""

from __future__ import annotations

import getpass
import hashlib
import os
import resource
import signal
import stat
import subprocess
import time
import zipfile
from contextlib import closing
from pathlib import Path

import pymysql
import pytest
from alembic import command
from sqlalchemy import select

from fenrain.core.errors import ConflictError, InputError, NotFoundError, StorageError, TooLargeError, UnsafePathError
from fenrain.core.files import whole_file
from fenrain.core.values import Constant
from fenrain.services.conversions import ensure_conversion, override_value, reset_value
from fenrain.services.intakes import accept_found, create_intake
from fenrain.services.uploads import Room, place_inside, restore_files, unpack_archive
from fenrain.services.worker_process import WorkerProcess, read_in_worker_process
from fenrain.store import blobs
from fenrain.store.database import engine, migrations, session
from fenrain.store.rows import find_conversion, load_material
from fenrain.store.server import DatabaseServer, address_of, end_leftover
from fenrain.store.tables import ConversionRow, MaterialRow, Project
from tests.conftest import free_port

pytestmark = pytest.mark.usefixtures("database")


def project(name: str) -> int:
    with session() as database:
        row = Project(name=name, tolerances={})
        database.add(row)
        database.flush()
        return row.id


@pytest.fixture(scope="module")
def taken(heron_lode: Path) -> list[int]:
    """Ids of the demo's materials in a project of their own."""
    identity = project("store tests")
    with session() as database:
        return [row.id for row in accept_found(database, create_intake(database, identity, heron_lode).id, None)]


def test_originals_come_back_as_they_were_read(taken: list[int], heron_lode: Path) -> None:
    from fenrain.core import read
    from fenrain.demo.heron_lode import ENGINE_HOUSE, SLUICE_YARD

    with session() as database:
        stored = [load_material(database.get_one(MaterialRow, identity)) for identity in taken]
    read_again = read(heron_lode / ENGINE_HOUSE) + read(heron_lode / SLUICE_YARD)
    assert [material.digest for material in stored] == [material.digest for material in read_again]


def test_original_keeps_its_digest_whatever_is_done_to_its_conversions(taken: list[int]) -> None:
    with session() as database:
        row = database.get_one(MaterialRow, taken[0])
        before = row.digest
        conversion = ensure_conversion(database, row, "open_pbr", "extensions")
        override_value(database, conversion.id, "coat_weight", 1.0, expected=conversion.version)
    with session() as database:
        row = database.get_one(MaterialRow, taken[0])
        assert load_material(row).digest == row.digest == before


def test_override_and_reset_change_the_digest_there_and_back(taken: list[int]) -> None:
    with session() as database:
        row = ensure_conversion(database, database.get_one(MaterialRow, taken[3]), "open_pbr", "extensions")
        identity, version, digest = row.id, row.version, row.digest
    with session() as database:
        changed = override_value(database, identity, "specular_roughness", 0.31, expected=version)
        assert changed.digest != digest
        assert changed.version == version + 1
    with session() as database:
        assert reset_value(database, identity, "specular_roughness", expected=version + 1).digest == digest


def test_the_second_of_two_editors_is_told(taken: list[int]) -> None:
    with session() as database:
        row = ensure_conversion(database, database.get_one(MaterialRow, taken[4]), "open_pbr", "extensions")
        identity, version = row.id, row.version
    with session() as database:
        override_value(database, identity, "specular_roughness", 0.2, expected=version)
    with pytest.raises(ConflictError), session() as database:
        override_value(database, identity, "specular_roughness", 0.7, expected=version)
    with session() as database:
        assert find_conversion(database, identity).overrides["specular_roughness"] == {"value": {"constant": 0.2}, "by": "hand", "why": ""}


def test_two_edits_at_the_same_moment_cannot_both_win(taken: list[int]) -> None:
    with session() as database:
        row = ensure_conversion(database, database.get_one(MaterialRow, taken[5]), "open_pbr", "extensions")
        identity, version = row.id, row.version
    with pytest.raises(ConflictError), session() as slow:
        override_value_later = slow.get_one(ConversionRow, identity)
        with session() as quick:
            override_value(quick, identity, "specular_roughness", 0.2, expected=version)
        override_value_later.overrides = {"specular_roughness": {"value": {"constant": 0.9}, "by": "hand", "why": ""}}
    with session() as database:
        assert find_conversion(database, identity).overrides["specular_roughness"] == {"value": {"constant": 0.2}, "by": "hand", "why": ""}


def test_accepting_twice_gives_the_same_materials(heron_lode: Path) -> None:
    identity = project("twice")
    with session() as database:
        intake = create_intake(database, identity, heron_lode).id
    with session() as database:
        first = [row.id for row in accept_found(database, intake, [0, 2])]
    with session() as database:
        assert [row.id for row in accept_found(database, intake, None)] == first
        assert len(first) == 2


def test_files_are_named_by_their_content_and_laid_out_again(taken: list[int]) -> None:
    digest = blobs.save_bytes(b"some bytes")
    assert digest == hashlib.sha256(b"some bytes").hexdigest()
    assert blobs.read_bytes(digest) == b"some bytes"
    with restore_files({"a/b.txt": digest}) as folder:
        assert (folder / "a" / "b.txt").read_bytes() == b"some bytes"
    for wrong in ("0" * 64, "../../etc/passwd", ""):
        with pytest.raises(NotFoundError):
            blobs.read_bytes(wrong)


@pytest.mark.parametrize("name", ["../a.mtl", "/etc/a.mtl", "a/../../b.mtl", "C:\\a.mtl", "..\\a.mtl"])
def test_upload_names_cannot_leave_their_folder(tmp_path: Path, name: str) -> None:
    with pytest.raises(UnsafePathError):
        place_inside(tmp_path, name)


def test_zip_that_would_burst_or_escape_is_refused(tmp_path: Path) -> None:
    bomb, escape, broken = tmp_path / "bomb.zip", tmp_path / "escape.zip", tmp_path / "broken.zip"
    with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as packed:
        packed.writestr("zeros", bytes(600_000_000))
    with zipfile.ZipFile(escape, "w") as packed:
        packed.writestr("../../evil.mtl", "newmtl a")
    broken.write_bytes(b"PK\x03\x04 nothing more")
    for archive, error in ((bomb, TooLargeError), (escape, UnsafePathError), (broken, InputError)):
        with pytest.raises(error):
            unpack_archive(archive, tmp_path / "out", Room(archive.stat().st_size))
    assert not (tmp_path / "evil.mtl").exists()


def test_a_file_that_fails_half_way_leaves_nothing(tmp_path: Path) -> None:
    target = tmp_path / "result.bin"
    target.write_bytes(b"old")
    with pytest.raises(RuntimeError), whole_file(target) as temporary:
        temporary.write_bytes(b"half")
        raise RuntimeError
    assert target.read_bytes() == b"old"
    assert list(tmp_path.iterdir()) == [target]


def test_a_full_disk_is_said_and_leaves_nothing() -> None:
    # /dev/full answers every write as a full disk does.
    with pytest.raises(StorageError, match="disk is not full"), whole_file(Path("/dev/shm/fenrain-test")) as temporary:
        temporary.unlink()
        temporary.symlink_to("/dev/full")
        temporary.write_bytes(b"x" * 100_000)
    assert not Path("/dev/shm/fenrain-test").exists()


def test_database_says_when_its_port_is_taken(tmp_path: Path) -> None:
    from fenrain.settings import settings

    with pytest.raises(StorageError, match="in use"):
        DatabaseServer(tmp_path / "second", settings().database_port).start()


def test_a_server_that_starts_leaves_the_temporary_tables_of_others(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    # MariaDB clears “#sql…” from its temporary folder when it starts: two that share one folder break each other.
    shared = tmp_path / "shared"
    shared.mkdir()
    monkeypatch.setenv("TMPDIR", str(shared))
    table = shared / "#sql-temptable-1-1-1.MAD"
    table.write_bytes(b"another server's")
    with DatabaseServer(tmp_path / "second", free_port()):
        assert table.exists()


@pytest.mark.faults
def test_what_reads_files_may_not_take_the_machines_memory() -> None:
    whole = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    with WorkerProcess():
        assert 0 < read_in_worker_process(resource.getrlimit, resource.RLIMIT_AS)[0] < whole


def test_tables_are_those_of_the_migrations() -> None:
    with engine().connect() as connection:
        command.check(migrations(connection))


def test_a_constant_is_stored_as_it_is(taken: list[int]) -> None:
    with session() as database:
        rows = database.scalars(select(MaterialRow).where(MaterialRow.id.in_(taken))).all()
        brass = next(load_material(row) for row in rows if row.name == "gauge-brass bezel")
    assert brass.values["diffuse"] == Constant((0.0, 0.0, 0.0))


def test_a_file_that_was_cut_off_or_changed_in_the_store_is_told_apart(tmp_path: Path) -> None:
    """What a loss of power may leave behind: a file of the right name with less, or other, in it."""
    whole = tmp_path / "map.png"
    whole.write_bytes(os.urandom(3 << 20))
    digest = blobs.save_file(whole)
    assert digest == hashlib.sha256(whole.read_bytes()).hexdigest()
    blobs.open_image(digest, "map.png")
    kept = blobs.locate(digest)
    for damage in (whole.read_bytes()[: 1 << 20], b"", whole.read_bytes()[:-1] + b"?"):
        kept.write_bytes(damage)
        with pytest.raises(StorageError, match="damaged"):
            blobs.open_image(digest, "map.png")
        with pytest.raises(StorageError, match="damaged"):
            blobs.read_bytes(digest)
    kept.unlink()
    assert blobs.save_file(whole) == digest
    assert blobs.read_bytes(digest) == whole.read_bytes()


def test_a_process_that_took_an_old_number_is_left_alone(tmp_path: Path) -> None:
    stranger = subprocess.Popen(["sleep", "30"])
    try:
        pid_file = tmp_path / "server.pid"
        pid_file.write_text(str(stranger.pid))
        os.utime(pid_file, (0, 0))
        assert not end_leftover(pid_file, "sleep")
        assert stranger.poll() is None
    finally:
        stranger.kill()
        stranger.wait(10)


def test_the_administrator_is_let_in_through_the_socket_alone_and_the_application_by_its_password(tmp_path: Path) -> None:
    port = free_port()
    with DatabaseServer(tmp_path / "own", port):
        url = address_of(tmp_path / "own")
        assert stat.S_IMODE((tmp_path / "own.password").stat().st_mode) == 0o600
        for user, password in (("root", ""), (getpass.getuser(), ""), ("", ""), (url.username, ""), (url.username, "guessed")):
            with pytest.raises(pymysql.err.OperationalError):
                pymysql.connect(host="127.0.0.1", port=port, user=user, password=password)
        with pytest.raises(pymysql.err.OperationalError):
            pymysql.connect(unix_socket=str(url.query["unix_socket"]), user=url.username, password="guessed")
        reached = pymysql.connect(host="127.0.0.1", port=port, user=url.username, password=url.password or "")
        with closing(reached), reached.cursor() as cursor:
            cursor.execute("SHOW DATABASES")
            assert {row[0] for row in cursor.fetchall()} == {"fenrain", "information_schema"}
            with pytest.raises(pymysql.err.MySQLError):
                cursor.execute("CREATE USER stranger")


def test_the_database_is_started_again_where_it_ends_by_itself(tmp_path: Path) -> None:
    with DatabaseServer(tmp_path / "own", free_port()) as server:
        assert server.process is not None
        first = server.process.pid
        os.kill(first, signal.SIGKILL)
        deadline = time.monotonic() + 60
        while server.process is None or server.process.pid == first or not _answers(tmp_path / "own"):
            assert time.monotonic() < deadline
            time.sleep(0.2)


def _answers(folder: Path) -> bool:
    url = address_of(folder)
    try:
        pymysql.connect(unix_socket=str(url.query["unix_socket"]), user=url.username, password=url.password or "").close()
    except pymysql.err.OperationalError:
        return False
    return True


def test_a_folder_of_an_older_version_lets_root_in_no_more(tmp_path: Path) -> None:
    """Folders used to be made so that root was let in without a password, over TCP as well."""
    folder, port = tmp_path / "older", free_port()
    user = ["--user=root"] if os.getuid() == 0 else []
    made = [
        "mariadb-install-db",
        "--no-defaults",
        *user,
        f"--datadir={folder}",
        "--auth-root-authentication-method=normal",
        "--skip-test-db",
    ]
    subprocess.run(made, check=True, capture_output=True)
    with DatabaseServer(folder, port):
        with pytest.raises(pymysql.err.OperationalError):
            pymysql.connect(host="127.0.0.1", port=port, user="root", password="")
        assert _answers(folder)
    with DatabaseServer(folder, port):  # and at every further start
        assert _answers(folder)
