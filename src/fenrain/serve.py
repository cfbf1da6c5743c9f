"""Runs the whole application in the foreground: database, migrations, demo data, web server and workers."""

from __future__ import annotations

import logging
import os
import signal
from collections.abc import Iterator, Sequence
from contextlib import AbstractContextManager, contextmanager, nullcontext

import uvicorn
from sqlalchemy import text

from fenrain.core.errors import StorageError
from fenrain.core.reference import Topic
from fenrain.services import people
from fenrain.services.people import Role
from fenrain.settings import settings
from fenrain.store.database import engine, migrate, session
from fenrain.store.server import DatabaseServer, end_leftover, require_free_port

FIRST_PERSON, DEMO_PERSON = "Supervisor", "Lock keeper"
"""Who is let in first; the second is invented, as all of the demo is."""


def serve(*, demo: bool, topics: Sequence[Topic] = ()) -> None:
    """Start everything, print the address, and stay until Ctrl-C. topics: of the reference, beside those of the core. Raises StorageError
    with what to do where a port is taken."""
    logging.basicConfig(level=logging.WARNING, format="%(levelname)s %(name)s: %(message)s")
    data = settings().data.resolve()
    data.mkdir(parents=True, exist_ok=True)
    data.chmod(0o700)
    if settings().scheduler:
        require_shared()
    require_free_port(settings().port, "FENRAIN_PORT")
    pid_file = data / "server.pid"
    with _database():
        migrate()
        if demo:
            from fenrain.demo.load import load_demo

            if load_demo():
                print("Demo data loaded; its checks are being made in the background.", flush=True)
        from fenrain.api.app import create_app

        pid_file.write_text(str(os.getpid()))
        configuration = uvicorn.Config(
            create_app(topics=topics),
            host="127.0.0.1",
            port=settings().port,
            log_level="warning",
            timeout_graceful_shutdown=3,
            server_header=False,
            proxy_headers=bool(settings().proxies),
            forwarded_allow_ips=list(settings().proxies),
        )
        server = _Announced(configuration, _first_entry(DEMO_PERSON if demo else FIRST_PERSON, always=demo))
        try:
            server.run()
        finally:
            pid_file.unlink(missing_ok=True)


def require_shared() -> None:
    """Raises StorageError where the database does not answer, or where it is another's and the file store is not: who works for others
    needs both of theirs."""
    if settings().database and not settings().files:
        raise StorageError("FENRAIN_FILES is not set.", place="FENRAIN_FILES", remedy="Set it to where the application has its files.")
    _ask()


@contextmanager
def running_database() -> Iterator[None]:
    """The database, started for the block where it does not run."""
    if _answers():
        yield
        return
    engine.cache_clear()
    with _database():
        migrate()
        yield


def _database() -> AbstractContextManager[object]:
    """Our own database server, to be started; nothing where the settings name another's."""
    return nullcontext() if settings().database else DatabaseServer(settings().data.resolve() / "database", settings().database_port)


def _answers() -> bool:
    try:
        _ask()
    except StorageError:
        return False
    return True


def _ask() -> None:
    """Raises StorageError where the database does not answer."""
    with session() as database:
        database.execute(text("SELECT 1"))


def _first_entry(name: str, *, always: bool) -> str:
    """What to tell whoever started this: the link that lets the first person in once. "" where somebody can sign in by password, unless
    it is always to be told."""
    with session() as database:
        known = people.list_people(database)
        supervisors = [one for one in known if one.role == Role.SUPERVISOR and not one.disabled]
        if not always and any(one.password for one in supervisors):
            return ""
        called_so = [one for one in supervisors if one.name == name] or ([] if always else supervisors)
        person = called_so[0] if called_so else people.add_person(database, name, Role.SUPERVISOR)
        return entry_line(person.name, people.create_sign_in_link(database, person))


def entry_line(name: str, link: str) -> str:
    """How somebody is told of a one-time link."""
    return f"Sign in once as {name}: http://127.0.0.1:{settings().port}/enter#{link}"


class _Announced(uvicorn.Server):
    def __init__(self, configuration: uvicorn.Config, entry: str) -> None:
        super().__init__(configuration)
        self._entry = entry

    async def startup(self, sockets: object = None) -> None:
        await super().startup(sockets)  # type: ignore[arg-type]
        if self.started:
            print(f"Fenrain is ready: http://127.0.0.1:{settings().port}  (Ctrl-C ends it)", flush=True)
            if self._entry:
                print(self._entry, flush=True)


def stop() -> None:
    """End what a crash left running."""
    data = settings().data.resolve()
    ended = [
        name
        for name, file, program in (
            ("server", data / "server.pid", "fenrain"),
            ("database", data / "database" / "mariadbd.pid", "mariadbd"),
        )
        if end_leftover(file, program)
    ]
    print(f"Ended: {', '.join(ended)}." if ended else "Nothing was left running.")


def terminate_on_signal() -> None:
    """Let SIGTERM end the process as Ctrl-C does, so that everything it started is ended too."""

    def interrupt(*_: object) -> None:
        raise KeyboardInterrupt

    signal.signal(signal.SIGTERM, interrupt)
