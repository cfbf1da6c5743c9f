"""MariaDB in a private data folder on a loopback port: started by the application and by the tests, and ended with them."""

from __future__ import annotations

import os
import shutil
import signal
import socket
import subprocess
import time
from pathlib import Path

from fenrain.core.errors import StorageError

PATIENCE = 60.0


class DatabaseServer:
    """Use as a context: the server runs inside of it."""

    def __init__(self, folder: Path, port: int) -> None:
        self.folder, self.port = folder.resolve(), port
        self.process: subprocess.Popen[bytes] | None = None

    def __enter__(self) -> DatabaseServer:
        self.start()
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
                f"--socket={_socket(self.folder)}",
                "--bind-address=127.0.0.1",
                f"--port={self.port}",
                f"--pid-file={self.pid_file}",
                f"--log-error={self.folder / 'error.log'}",
                "--max-allowed-packet=256M",
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

    def stop(self) -> None:
        """End the server and wait until it has written everything."""
        if self.process is not None and self.process.poll() is None:
            self.process.terminate()
            try:
                self.process.wait(30)
            except subprocess.TimeoutExpired:
                self.process.kill()
                self.process.wait()
        self.process = None

    def _install(self) -> None:
        self.folder.mkdir(parents=True, exist_ok=True)
        made = subprocess.run(
            [
                "mariadb-install-db",
                "--no-defaults",
                *_user(),
                f"--datadir={self.folder}",
                f"--tmpdir={self.temporary}",
                "--auth-root-authentication-method=normal",
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
            with socket.socket() as probe:
                if probe.connect_ex(("127.0.0.1", self.port)) == 0:
                    return
            time.sleep(0.1)
        log = self.folder / "error.log"
        last = [line for line in log.read_text(errors="replace").splitlines() if "ERROR" in line][-1:] if log.exists() else []
        self.stop()
        raise StorageError(
            f"MariaDB did not start. {last[0][-200:] if last else ''}", place=str(log), remedy="See its log; “make stop” clears leftovers."
        )


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


def _socket(folder: Path) -> Path:
    """Sockets have short names; the folder's own may be too long for one."""
    return folder / "s.sock" if len(str(folder)) < 90 else Path(f"/tmp/fenrain-{os.getpid()}.sock")


def _user() -> list[str]:
    return ["--user=root"] if os.getuid() == 0 else []
