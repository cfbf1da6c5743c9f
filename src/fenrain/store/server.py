"""MariaDB in a private data folder: started by the application and by the tests, ended with them, and reached through its socket."""

from __future__ import annotations

import getpass
import logging
import os
import secrets
import shutil
import signal
import socket
import subprocess
import tempfile
import threading
import time
from contextlib import closing
from pathlib import Path

import pymysql
from sqlalchemy import URL

from fenrain.core.errors import StorageError

PATIENCE = 60.0
WATCH_EVERY = 0.5
"""Seconds between two looks whether the server still runs."""
log = logging.getLogger("fenrain.store")
DATABASE = USER = "fenrain"
CHARACTERS = "CHARACTER SET utf8mb4 COLLATE utf8mb4_bin"
"""How texts are kept and compared in a database of ours."""
LONGEST_SOCKET = 100
"""Characters of a socket's path (unix(7): 107, and one for its end)."""


def address_of(folder: Path) -> URL:
    """By which the database in a folder is reached on this machine, while it runs. Raises StorageError where none was ever started."""
    try:
        password = _password_file(folder).read_text()
    except OSError as reason:
        raise StorageError(
            "There is no database here yet.", place=str(folder), remedy="Start the application, or set FENRAIN_DATA or FENRAIN_DATABASE."
        ) from reason
    where = {"charset": "utf8mb4", "unix_socket": str(_socket(folder))}
    return URL.create("mysql+pymysql", USER, password, "localhost", database=DATABASE, query=where)


class DatabaseServer:
    """Use as a context: the server runs inside of it, and is started again where it ends by itself. It listens at a socket, and at a port
    of the loopback; its administrator is let in through the socket alone, as the user who started it, and the application by a password of
    its own, which lies beside the folder."""

    def __init__(self, folder: Path, port: int) -> None:
        self.folder, self.port = folder.resolve(), port
        self.process: subprocess.Popen[bytes] | None = None
        self._ended = threading.Event()
        self._watching: threading.Thread | None = None

    def __enter__(self) -> DatabaseServer:
        self.start()
        self._watching = threading.Thread(target=self._watch, name="database", daemon=True)
        self._watching.start()
        return self

    def __exit__(self, *_: object) -> None:
        self.stop()

    @property
    def pid_file(self) -> Path:
        return self.folder / "mariadbd.pid"

    @property
    def temporary(self) -> Path:
        """A server that starts removes every temporary table that it finds, another server's too: each has a folder of its own."""
        return self.folder.with_name(f"{self.folder.name}-temporary")

    def start(self) -> None:
        """Raises StorageError where the port is taken or the server does not start."""
        program = shutil.which("mariadbd", path=f"{os.environ.get('PATH', '')}:/usr/sbin")
        if program is None:
            raise StorageError(
                "MariaDB is not installed.", place="mariadbd", remedy="Run “make setup”, or install Debian's mariadb-server."
            )
        end_leftover(self.pid_file, "mariadbd")
        self.temporary.mkdir(parents=True, exist_ok=True)
        require_free_port(self.port, "FENRAIN_DATABASE_PORT")
        if not (self.folder / "mysql").is_dir():
            self._install()
        self.process = subprocess.Popen(
            [
                program,
                "--no-defaults",
                *_user(),
                f"--datadir={self.folder}",
                f"--tmpdir={self.temporary}",
                f"--socket={self._new_socket()}",
                "--bind-address=127.0.0.1",
                f"--port={self.port}",
                f"--pid-file={self.pid_file}",
                f"--log-error={self.folder / 'error.log'}",
                "--max-allowed-packet=256M",
                f"--innodb-buffer-pool-size={_buffer()}",
                "--innodb-flush-log-at-trx-commit=1",
                "--skip-log-bin",
                "--max-connections=200",
            ],
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            start_new_session=True,
        )
        self._wait()
        self._admit()

    def _watch(self) -> None:
        """Start the server again where it has ended by itself: whoever works meanwhile is told to try again."""
        while not self._ended.wait(WATCH_EVERY):
            if self.process is None or self.process.poll() is None:
                continue
            log.error("the database ended by itself and is started again")
            try:
                self.start()
            except StorageError as reason:
                log.error("the database does not start: %s", reason)

    def stop(self) -> None:
        """End the server and wait until it has written everything."""
        self._ended.set()
        if self._watching is not None:
            self._watching.join()
        self._end_process()

    def _end_process(self) -> None:
        if self.process is not None and self.process.poll() is None:
            self.process.terminate()
            try:
                self.process.wait(30)
            except subprocess.TimeoutExpired:
                self.process.kill()
                self.process.wait()
        self.process = None
        made = _far_socket(self.folder)
        if made is not None:
            shutil.rmtree(made.parent, ignore_errors=True)

    def _install(self) -> None:
        self.folder.mkdir(parents=True, exist_ok=True)
        made = subprocess.run(
            [
                "mariadb-install-db",
                "--no-defaults",
                *_user(),
                f"--datadir={self.folder}",
                f"--tmpdir={self.temporary}",
                "--auth-root-authentication-method=socket",
                f"--auth-root-socket-user={getpass.getuser()}",
                "--skip-test-db",
            ],
            capture_output=True,
            text=True,
            check=False,
        )
        if made.returncode != 0:
            raise StorageError(
                f"The database folder could not be made: {(made.stderr or made.stdout).strip()[-200:]}", place=str(self.folder)
            )

    def _wait(self) -> None:
        assert self.process is not None
        deadline = time.monotonic() + PATIENCE
        while time.monotonic() < deadline:
            if self.process.poll() is not None:
                break
            with socket.socket(socket.AF_UNIX) as probe:
                if probe.connect_ex(str(_socket(self.folder))) == 0:
                    return
            time.sleep(0.1)
        log = self.folder / "error.log"
        last = [line for line in log.read_text(errors="replace").splitlines() if "ERROR" in line][-1:] if log.exists() else []
        self._end_process()
        raise StorageError(
            f"MariaDB did not start. {last[0][-200:] if last else ''}", place=str(log), remedy="See its log; “make stop” clears leftovers."
        )

    def _new_socket(self) -> Path:
        """Sockets have short names: where the folder's own is too long for one, it gets a folder that nobody else can have made."""
        near = self.folder / "s.sock"
        if len(str(near)) <= LONGEST_SOCKET:
            _socket_note(self.folder).unlink(missing_ok=True)
            return near
        far = Path(tempfile.mkdtemp(prefix="fenrain.socket-")) / "s.sock"
        _socket_note(self.folder).write_text(str(far))
        return far

    def _admit(self) -> None:
        """Let the application in by its password, and the administrator through the socket alone; folders of older versions let root in
        without one."""
        with closing(self._administrator()) as connection, connection.cursor() as cursor:
            me = getpass.getuser()
            cursor.execute("GRANT ALL ON *.* TO %s@'localhost' IDENTIFIED VIA unix_socket WITH GRANT OPTION", (me,))
            cursor.execute("SELECT user, host FROM mysql.user WHERE user IN ('root', '') AND NOT (host = 'localhost' AND user = %s)", (me,))
            for user, host in cursor.fetchall():
                cursor.execute("DROP USER %s@%s", (user, host))
            password = _own_password(self.folder)
            cursor.execute("CREATE USER IF NOT EXISTS %s@'localhost'", (USER,))
            cursor.execute("ALTER USER %s@'localhost' IDENTIFIED BY %s", (USER, password))
            cursor.execute(f"GRANT ALL ON `{DATABASE}%%`.* TO %s@'localhost'", (USER,))
            cursor.execute(f"CREATE DATABASE IF NOT EXISTS {DATABASE} {CHARACTERS}")

    def _administrator(self) -> pymysql.Connection[pymysql.cursors.Cursor]:
        where = str(_socket(self.folder))
        try:
            return pymysql.connect(user=getpass.getuser(), unix_socket=where)
        except pymysql.err.OperationalError:
            return pymysql.connect(user="root", unix_socket=where)


def _own_password(folder: Path) -> str:
    """The application's, made at its first start; only this user may read it."""
    path = _password_file(folder)
    if not path.exists():
        with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as stream:
            stream.write(secrets.token_urlsafe(32))
    return path.read_text()


def _password_file(folder: Path) -> Path:
    return folder.with_name(f"{folder.name}.password")


def _socket(folder: Path) -> Path:
    """Where the server of a folder is reached."""
    return _far_socket(folder) or folder / "s.sock"


def _far_socket(folder: Path) -> Path | None:
    note = _socket_note(folder)
    return Path(note.read_text()) if note.exists() else None


def _socket_note(folder: Path) -> Path:
    return folder.with_name(f"{folder.name}.socket")


def require_free_port(port: int, variable: str) -> None:
    """Raises StorageError where something listens there already."""
    with socket.socket() as probe:
        if probe.connect_ex(("127.0.0.1", port)) == 0:
            raise StorageError(
                f"Port {port} is in use.",
                place=f"127.0.0.1:{port}",
                remedy=f"Run “make stop” to clear what a crash left behind, or set {variable} to another port.",
            )


def end_leftover(pid_file: Path, program: str) -> bool:
    """End a process that a crash left running, if the file names one of that program that is no younger than the file: numbers are used
    again. Returns whether there was one."""
    try:
        pid = int(pid_file.read_text().strip())
        command = Path(f"/proc/{pid}/cmdline").read_bytes().replace(b"\x00", b" ").decode(errors="replace")
    except (OSError, ValueError):
        return False
    if program not in command or _began(pid) > pid_file.stat().st_mtime + CLOCKS_DIFFER:
        return False
    os.kill(pid, signal.SIGTERM)
    for _ in range(300):
        if not Path(f"/proc/{pid}").exists():
            break
        time.sleep(0.1)
    else:
        os.kill(pid, signal.SIGKILL)
    pid_file.unlink(missing_ok=True)
    return True


CLOCKS_DIFFER = 2.0
"""Seconds by which the clock of processes and that of files may be apart."""


def _began(pid: int) -> float:
    """When a process began, in seconds of the epoch (proc(5): field 22 of stat, in ticks since the machine started)."""
    fields = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()
    booted = next(line for line in Path("/proc/stat").read_text().splitlines() if line.startswith("btime "))
    return float(booted.split()[1]) + float(fields[19]) / os.sysconf("SC_CLK_TCK")


MOST_BUFFER = 2 << 30
"""Bytes that the server keeps of what it reads, at most; an eighth of the machine's memory where that is less."""


def _buffer() -> int:
    return min(os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") // 8, MOST_BUFFER)


def _user() -> list[str]:
    return ["--user=root"] if os.getuid() == 0 else []
