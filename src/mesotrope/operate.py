"""Running the product: its private database, its server, the demo."""

from __future__ import annotations

import gc
import logging
import os
import shutil
import signal
import socket
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from importlib import import_module
from pathlib import Path
from types import FrameType

import typer

from mesotrope import __version__
from mesotrope.clock import utc_now
from mesotrope.errors import InvalidInput
from mesotrope.knowledge import knowledge
from mesotrope.metrics import serve_metrics
from mesotrope.processes import processes_of
from mesotrope.services.archiving import ArchiveFolder
from mesotrope.services.passwords import Passwords
from mesotrope.services.people import real_people
from mesotrope.services.set_up import set_up_token
from mesotrope.settings import Settings
from mesotrope.store.instance import DatabaseFailed, Instance
from mesotrope.store.migrate import migrate
from mesotrope.store.session import Database

LOG = logging.getLogger("mesotrope.operate")

#: How often the private database is looked at, seconds.
WATCH_S = 0.5


def private_instance(chosen: Settings) -> Instance:
    """The project's own database; its port follows the application's, so that two checkouts can run."""
    port = chosen.port + 10_000 if chosen.port < 55_000 else chosen.port - 10_000
    return Instance(chosen.run_folder / "mariadb", port)


@contextmanager
def database_url(chosen: Settings, *, owner: bool = False) -> Iterator[str]:
    """The database to use: the one that is set, or the private instance.

    The private instance is started here where it does not run yet, and then stopped at the end; one that runs already
    is somebody else's to stop.

    owner : the application, of which there is one: it watches the instance, starts it again where it ends by itself,
    and stops it at the end also where a killed application had left it running.
    """
    if chosen.database_url:
        yield chosen.database_url
        return
    instance = private_instance(chosen)
    ours = owner or not instance.runs()
    instance.start()
    ended = threading.Event()
    watched = threading.Thread(target=_watch, args=(instance, ended), daemon=True)
    if owner:
        watched.start()
    try:
        yield instance.url()
    finally:
        ended.set()
        if watched.is_alive():
            watched.join()
        if ours:
            instance.stop()


@contextmanager
def database_of(chosen: Settings) -> Iterator[Database]:
    """The database to use, brought to this version: for a command of the operator."""
    with database_url(chosen) as url:
        migrate(url)
        database = Database(url, cluster=chosen.database_cluster)
        try:
            yield database
        finally:
            database.close()


def archive_by_the_clock(database: Database, chosen: Settings) -> None:
    """Put old visits into files where a workshop's rules say so, and say how many those were."""
    from mesotrope.interchange.pack import archive_everywhere

    for workshop_id, jobs in archive_everywhere(database, ArchiveFolder(chosen.archives), now=utc_now()).items():
        typer.echo(f"workshop {workshop_id}: {jobs} old visits went into files")


def _watch(instance: Instance, ended: threading.Event) -> None:
    """Start the private database again where it ended without having been told to."""
    while not ended.wait(WATCH_S):
        if instance.runs():
            continue
        LOG.error("the private database ended by itself and is started again")
        try:
            instance.start()
            LOG.warning("the private database runs again")
        except DatabaseFailed as error:
            LOG.error("it did not start: %s", error)


def _running_application(chosen: Settings) -> int | None:
    """The process of this checkout's application, where one runs."""
    try:
        pid = int((chosen.run_folder / "application.pid").read_text())
        return pid if b"mesotrope" in Path(f"/proc/{pid}/cmdline").read_bytes() else None
    except (OSError, ValueError):
        return None


def _end(_signal: int, _frame: FrameType | None) -> None:
    """What a service manager sends ends the application as Ctrl-C does: in order, database last."""
    raise KeyboardInterrupt


def serve(chosen: Settings) -> None:
    """Run the application in the foreground until Ctrl-C or SIGTERM, then stop it and its private database in order.

    Raises `InvalidInput` where an application of this checkout runs already; that one is left alone.
    """
    from mesotrope.web.logs import set_up_logging  # seconds of the pages: an operator's command waits for none of them

    set_up_logging(chosen.log, chosen.log_level)
    pid_file = chosen.run_folder / "application.pid"
    if (running := _running_application(chosen)) is not None:
        raise InvalidInput("serve", f"process {running}", "it runs already in this checkout; `mesotrope stop` ends it")
    signal.signal(signal.SIGTERM, _end)
    signal.signal(signal.SIGINT, _end)
    if chosen.processes == 1:  # the pages take as long to load as the database to start: neither waits for the other
        threading.Thread(target=_load_pages, daemon=True).start()
    with suppress(KeyboardInterrupt), database_url(chosen, owner=True) as url:
        migrate(url)
        database = Database(url, cluster=chosen.database_cluster)
        if chosen.demo:
            from mesotrope.demo.load import load_demo

            passwords = Passwords.with_cost(chosen.password_memory_kib, chosen.password_rounds)
            load_demo(
                database, knowledge(), passwords, now=utc_now(), closed=chosen.demo_closed, whole_day=chosen.demo_day
            )
        answer = _answering(chosen, database) if chosen.processes == 1 else processes_of(chosen, url)
        if not chosen.trusted_hosts:
            LOG.warning("any host name is believed: name those it is reached under in MESOTROPE_HOSTS")
        pid_file.parent.mkdir(parents=True, exist_ok=True)
        pid_file.write_text(str(os.getpid()))
        if token := set_up_token(database, now=utc_now()):
            typer.echo(
                f"Nobody works here yet. Set the workshop up at http://{chosen.host}:{chosen.port}/set-up/{token}"
            )
        typer.echo(f"Mesotrope is at http://{chosen.host}:{chosen.port}  (Ctrl-C stops it and its database)")
        try:
            answer()
        finally:
            pid_file.unlink(missing_ok=True)
            database.close()
    typer.echo("Stopped.")


def _load_pages() -> None:
    """Import the application. Nothing of what is loaded goes away again, so garbage is not looked for in it."""
    gc.disable()
    import_module("mesotrope.app")
    gc.freeze()
    gc.enable()


def serve_on(chosen: Settings, descriptor: int) -> None:
    """Run the application on a socket that was inherited, until SIGTERM. The database is ready."""
    from mesotrope.web.logs import set_up_logging

    set_up_logging(chosen.log, chosen.log_level)
    _load_pages()
    database = Database(chosen.database_url, cluster=chosen.database_cluster)
    try:
        _answering(chosen, database, socket.socket(fileno=descriptor))()
    finally:
        database.close()


def _answering(chosen: Settings, database: Database, shared: socket.socket | None = None) -> Callable[[], None]:
    """Get ready to answer requests, until told to stop: at the application's address, or on a socket that is shared."""
    from mesotrope.app import create_app
    from mesotrope.web.server import server_of

    app = create_app(chosen, database)
    if chosen.metrics_port:
        serve_metrics(chosen.metrics_host, chosen.metrics_port, __version__)
    server = server_of(app, chosen.host, chosen.port)
    return lambda: server.run(sockets=None if shared is None else [shared])


def stop(chosen: Settings) -> None:
    """Stop an application and a private database that were left running, and wait until both are gone."""
    pid = _running_application(chosen)
    if pid is not None:
        os.kill(pid, signal.SIGTERM)
        end = time.monotonic() + 20
        while _running_application(chosen) == pid and time.monotonic() < end:
            time.sleep(0.1)
    (chosen.run_folder / "application.pid").unlink(missing_ok=True)
    private_instance(chosen).stop()
    typer.echo("Nothing of this checkout is running any more.")


def holds_real_people(chosen: Settings) -> bool:
    """Whether the private database holds anybody who is not the demo's; also where that cannot be read."""
    if not (chosen.run_folder / "mariadb" / "data").is_dir():
        return False
    try:
        with database_of(chosen.model_copy(update={"database_url": ""})) as database:
            return real_people(database) > 0
    except Exception:  # a database that cannot be read may hold anything
        return True


def reset(chosen: Settings, *, even_real_people: bool = False) -> None:
    """Throw the private database away; the next demo makes it anew. Never touches a database that is set.

    Raises `InvalidInput` where it holds people who are not the demo's, unless that is wanted.
    """
    if not even_real_people and holds_real_people(chosen):
        words = "it holds people who are not the demo's; --delete-real-people throws them and their jobs away"
        raise InvalidInput("reset", "the private database", words)
    stop(chosen)
    shutil.rmtree(chosen.run_folder / "mariadb", ignore_errors=True)
    typer.echo("The private database is gone; `make demo` makes it anew.")
