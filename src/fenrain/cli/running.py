"""Starting and stopping the application."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Annotated

import typer

from fenrain.cli.options import app
from fenrain.cli.reference import command_line

PRIVATE = 0o077
"""What the application's processes keep from the machine's other users: files are 0600, folders 0700."""
BackupFolder = Annotated[Path, typer.Argument(help="folder of the backup")]


@app.command()
def serve() -> None:
    """Start the application."""
    _serve(demo=False)


@app.command()
def demo() -> None:
    """Start the application with the demo data."""
    _serve(demo=True)


@app.command()
def scheduler(
    host: Annotated[str, typer.Option(help="address to listen at; whoever reaches it can run code on its workers")] = "127.0.0.1",
    port: Annotated[int, typer.Option(help="port to listen at")] = 8786,
) -> None:
    """Start a scheduler, through which applications have work done on other machines."""
    from fenrain.jobs.cluster import schedule

    os.umask(PRIVATE)
    schedule(host, port)


@app.command()
def work(
    address: Annotated[str, typer.Argument(help="of the scheduler, such as tls://10.0.0.5:8786")],
    count: Annotated[int, typer.Option(help="worker processes, one for each core where 0")] = 0,
) -> None:
    """Start workers for a scheduler. They reach database and files by FENRAIN_DATABASE and FENRAIN_FILES."""
    from fenrain.jobs.cluster import work as run
    from fenrain.serve import require_shared
    from fenrain.settings import settings

    os.umask(PRIVATE)
    require_shared()
    run(address, count or settings().workers)


@app.command()
def certificate(
    path: Annotated[Path, typer.Argument(help="file to write, for FENRAIN_CERTIFICATE of every application and worker group")],
) -> None:
    """Make the certificate by which applications, a scheduler and its workers know each other, and that keeps others out."""
    from fenrain.jobs.certificates import write_certificate

    os.umask(PRIVATE)
    write_certificate(path)
    print(f"Made {path}, good for a year. Whoever has it can run code on the workers: hand it on as you would a password.")


@app.command()
def warm() -> None:
    """Compile what pictures of usual materials need, once a machine, so that nobody waits for it."""
    from fenrain.core.rendering.probe import load_engine
    from fenrain.demo.warm import warm as compile_all

    load_engine()
    print(f"Ready for pictures: {compile_all()} kinds of pairs.")


@app.command()
def collect() -> None:
    """Take away pictures, files and folders that nothing needs any more; a server that runs does so once a day."""
    from fenrain.services.garbage_collection import collect_garbage

    found = collect_garbage()
    print(f"Took away {found.checks} checks, {found.files} files and {found.folders} folders: {found.size / 1e6:.1f} MB.")


@app.command()
def backup(folder: BackupFolder) -> None:
    """Write the database, and every file that it names, to a folder, while the application runs or rests. One that holds an older backup is
    brought up to date."""
    from fenrain.serve import running_database
    from fenrain.services.backups import back_up

    os.umask(PRIVATE)
    with running_database():
        found = back_up(folder)
    print(f"Backed up: the database and {found.files} files, {found.size / 1e6:.1f} MB in {folder}.")


@app.command()
def restore(
    folder: BackupFolder,
    yes: Annotated[bool, typer.Option(help="do not ask")] = False,
    unsigned: Annotated[bool, typer.Option(help="also one that was signed with another key: whoever made it may let anybody in")] = False,
) -> None:
    """Put what a backup holds in the place of all that is there, while the application runs or rests."""
    from fenrain.serve import running_database
    from fenrain.services.backups import open_backup
    from fenrain.services.backups import restore as run

    os.umask(PRIVATE)
    with running_database():
        found = open_backup(folder, unsigned=unsigned)
        if not yes:
            typer.confirm(f"Replace everything by the backup of {found.made}?", abort=True)
        run(folder, unsigned=unsigned)
    print(f"Restored what was backed up on {found.made}: the database and {found.files} files.")


@app.command()
def stop() -> None:
    """End what a crash left running."""
    from fenrain.serve import stop as end

    end()


def _serve(*, demo: bool) -> None:
    from fenrain.serve import serve as run
    from fenrain.serve import terminate_on_signal

    os.umask(PRIVATE)
    terminate_on_signal()
    run(demo=demo, topics=[command_line()])
