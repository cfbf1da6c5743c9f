"""Runs the whole application in the foreground: database, migrations, demo data, web server and workers."""

from __future__ import annotations

import logging
import os
import signal

import uvicorn

from fenrain.settings import settings
from fenrain.store.database import migrate
from fenrain.store.server import DatabaseServer, end_leftover, require_free_port


def serve(*, demo: bool) -> None:
    """Start everything, print the address, and stay until Ctrl-C. Raises StorageError with what to do where a port is taken."""
    logging.basicConfig(level=logging.WARNING, format="%(levelname)s %(name)s: %(message)s")
    data = settings().data.resolve()
    data.mkdir(parents=True, exist_ok=True)
    require_free_port(settings().port, "FENRAIN_PORT")
    pid_file = data / "server.pid"
    with DatabaseServer(data / "database", settings().database_port):
        migrate()
        if demo:
            from fenrain.demo.load import load_demo

            if load_demo():
                print("Demo data loaded; its checks are being made in the background.", flush=True)
        from fenrain.api.app import create_app

        pid_file.write_text(str(os.getpid()))
        server = _Announced(
            uvicorn.Config(create_app(), host="127.0.0.1", port=settings().port, log_level="warning", timeout_graceful_shutdown=3)
        )
        try:
            server.run()
        finally:
            pid_file.unlink(missing_ok=True)


class _Announced(uvicorn.Server):
    async def startup(self, sockets: object = None) -> None:
        await super().startup(sockets)  # type: ignore[arg-type]
        if self.started:
            print(f"Fenrain is ready: http://127.0.0.1:{settings().port}  (Ctrl-C ends it)", flush=True)


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
