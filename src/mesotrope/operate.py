"""Running the product: its private database, its server, the demo."""

from __future__ import annotations

import os
import shutil
import signal
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import typer
import uvicorn

from mesotrope.app import create_app, utc_now
from mesotrope.demo.load import load_demo
from mesotrope.knowledge import knowledge
from mesotrope.services.signing_in import Passwords
from mesotrope.settings import Settings
from mesotrope.store.instance import Instance
from mesotrope.store.migrate import migrate
from mesotrope.store.session import Database
from mesotrope.web.logs import set_up_logging


def private_instance(chosen: Settings) -> Instance:
    """The project's own database; its port follows the application's, so that two checkouts can run."""
    port = chosen.port + 10_000 if chosen.port < 55_000 else chosen.port - 10_000
    return Instance(chosen.run_folder / "mariadb", port)


@contextmanager
def database_url(chosen: Settings) -> Iterator[str]:
    """The database to use: the one that is set, or the private instance, started here and stopped at the end."""
    if chosen.database_url:
        yield chosen.database_url
        return
    instance = private_instance(chosen)
    instance.start()
    try:
        yield instance.url()
    finally:
        instance.stop()


def serve(chosen: Settings) -> None:
    """Run the application in the foreground until Ctrl-C, then stop it and its private database in order."""
    set_up_logging(chosen.log, chosen.log_level)
    pid_file = chosen.run_folder / "application.pid"
    with database_url(chosen) as url:
        migrate(url)
        database = Database(url)
        if chosen.demo:
            passwords = Passwords.with_cost(chosen.password_memory_kib, chosen.password_rounds)
            load_demo(database, knowledge(), passwords, now=utc_now())
        app = create_app(chosen, database)
        pid_file.parent.mkdir(parents=True, exist_ok=True)
        pid_file.write_text(str(os.getpid()))
        typer.echo(f"Mesotrope is at http://{chosen.host}:{chosen.port}  (Ctrl-C stops it and its database)")
        try:
            uvicorn.run(app, host=chosen.host, port=chosen.port, log_level="warning", timeout_graceful_shutdown=2)
        finally:
            pid_file.unlink(missing_ok=True)
            database.close()
    typer.echo("Stopped.")


def stop(chosen: Settings) -> None:
    """Stop an application and a private database that were left running."""
    pid_file = chosen.run_folder / "application.pid"
    try:
        pid = int(pid_file.read_text())
        if b"mesotrope" in Path(f"/proc/{pid}/cmdline").read_bytes():
            os.kill(pid, signal.SIGINT)
            typer.echo("The application is told to stop; it stops its database.")
            return
    except (OSError, ValueError):
        pid_file.unlink(missing_ok=True)
    private_instance(chosen).stop()
    typer.echo("Nothing of this checkout is running any more.")


def reset(chosen: Settings) -> None:
    """Throw the private database away; the next demo makes it anew. Never touches a database that is set."""
    stop(chosen)
    shutil.rmtree(chosen.run_folder / "mariadb", ignore_errors=True)
    typer.echo("The private database is gone; `make demo` makes it anew.")
