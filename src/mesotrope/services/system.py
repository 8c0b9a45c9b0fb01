"""How the product itself does: the processes that serve, the database, what waits to be worked out, the last backup."""

from __future__ import annotations

import datetime
import secrets
import time
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from sqlalchemy import delete, false, func, select, text
from sqlalchemy.dialects.mysql import insert

from mesotrope import __version__
from mesotrope.clock import utc_now
from mesotrope.core.language.saying import Sayable, marked, said, verbatim
from mesotrope.frugal import taken_mb
from mesotrope.metrics import LAST_HOUR, MINUTES
from mesotrope.services.again import done_again
from mesotrope.services.learnt_versions import asked_workshops
from mesotrope.services.signing_in import Who, require_lead
from mesotrope.store.backup import Manifest, back_up
from mesotrope.store.day_tables import FigureMonth
from mesotrope.store.migrate import is_current
from mesotrope.store.session import Database
from mesotrope.store.system_tables import BackupMade, RunningProcess
from mesotrope.store.tables import Job, Vehicle

#: How often a process says how it does, after how long without a word it is taken to be gone, and forgotten, seconds.
EVERY_S, GONE_S, FORGOTTEN_S = 20.0, 90.0, 86_400.0

#: A backup older than this is said to be old, days. Basis: common practice, one a day.
BACKUP_DAYS = 2

#: What a lead does here.
LOOKING = marked("Looking at how the product runs")


@dataclass(frozen=True)
class ThisProcess:
    """The process that says how it does."""

    name: str = field(default_factory=lambda: secrets.token_hex(8))
    started_at: datetime.datetime = field(default_factory=utc_now)


@done_again
def say_how_it_does(database: Database, process: ThisProcess, *, now: datetime.datetime) -> None:
    """Keep what this process says of itself, and forget those that are long gone."""
    told = {
        "memory_mb": round(taken_mb()),
        "minutes": {str(number): one for number, one in LAST_HOUR.told().items()},
    }
    row = {
        "name": process.name, "version": __version__, "started_at": process.started_at, "heard_at": now, "told": told,
    }  # fmt: skip
    again = {"heard_at": now, "told": told}
    with database.at_the_door() as session, session.begin():
        session.execute(insert(RunningProcess).values(row).on_duplicate_key_update(again))
        long_gone = now - datetime.timedelta(seconds=FORGOTTEN_S)
        session.execute(delete(RunningProcess).where(RunningProcess.heard_at < long_gone))


def back_up_and_note(url: str, folder: Path, *, now: datetime.datetime) -> Manifest:
    """Write a backup (see `back_up`), and keep that it was made."""
    manifest = back_up(url, folder)
    database = Database(url)
    try:
        with database.at_the_door() as session, session.begin():
            session.add(BackupMade(made_at=now, bytes=manifest.bytes, rows=manifest.rows))
    finally:
        database.close()
    return manifest


@dataclass(frozen=True)
class Process:
    """A process that serves, or did until lately."""

    version: str
    started_at: datetime.datetime
    heard_at: datetime.datetime
    runs: bool
    memory_mb: float


@dataclass(frozen=True)
class MinuteOfAll:
    """What all processes did in a minute; times are those of the slowest of them, ms."""

    requests: int
    failed: int
    waiting: int
    middle_ms: float
    most_ms: float


@dataclass(frozen=True)
class System:
    """How the product does. minutes : the last hour, the earliest first. nodes : of a cluster, else nothing.

    attention : what somebody should look at, the most pressing first."""

    processes: tuple[Process, ...]
    minutes: tuple[MinuteOfAll, ...]
    database_version: str
    database_ms: float
    tables_current: bool
    nodes: int | None
    backup: tuple[datetime.datetime, int, int] | None
    learning: int
    figures: int
    dates: int
    unfound: int
    attention: tuple[Sayable, ...] = ()


def how_it_does(database: Database, *, by: Who, now: datetime.datetime) -> System:
    """Look at the whole product, and at what waits in one's own workshop. Raises `NotAllowed` but for a lead."""
    require_lead(by, LOOKING)
    with database.engine.connect() as connection:
        began = time.perf_counter()
        version = str(connection.scalar(text("select version()")))
        database_ms = 1000 * (time.perf_counter() - began)
        current = is_current(connection)
        size = connection.execute(text("show status like 'wsrep_cluster_size'")).first()
    with database.at_the_door() as session:
        rows = session.scalars(select(RunningProcess).order_by(RunningProcess.started_at)).all()
        last = session.scalars(select(BackupMade).order_by(BackupMade.made_at.desc()).limit(1)).first()
    with database.of_workshop(by.workshop_id) as session:
        figures, dates, unfound = (
            session.scalar(query) or 0
            for query in (
                select(func.count()).select_from(FigureMonth).where(FigureMonth.changed != FigureMonth.counted),
                select(func.count()).select_from(Vehicle).where(Vehicle.due_key.is_(None)),
                select(func.count()).select_from(Job).where(Job.state == "open", Job.indexed == false()),
            )
        )
    gone = now - datetime.timedelta(seconds=GONE_S)
    processes = tuple(
        Process(row.version, row.started_at, row.heard_at, row.heard_at >= gone, row.told.get("memory_mb", 0))
        for row in rows
    )
    system = System(
        processes, minutes_of([row.told.get("minutes", {}) for row in rows], now), version, database_ms, current,
        int(size[1]) if size and int(size[1]) else None, (last.made_at, last.bytes, last.rows) if last else None,
        len(asked_workshops(database)), figures, dates, unfound,
    )  # fmt: skip
    return replace(system, attention=tuple(_attention(system, now)))


def minutes_of(told: list[Mapping[str, Any]], now: datetime.datetime) -> tuple[MinuteOfAll, ...]:
    """The last hour of several processes together.

    told : of each, by minute: requests, failed, waiting, middle and most, ms.
    """
    last = int(now.replace(tzinfo=datetime.UTC).timestamp() // 60)
    out = []
    for number in range(last - MINUTES + 1, last + 1):
        here = [one[str(number)] for one in told if str(number) in one]
        requests, failed, waiting = (int(sum(minute[n] for minute in here)) for n in range(3))
        middle, most = (max((minute[n] for minute in here), default=0.0) for n in (3, 4))
        out.append(MinuteOfAll(requests, failed, waiting, middle, most))
    return tuple(out)


def _attention(system: System, now: datetime.datetime) -> list[Sayable]:
    out: list[Sayable] = []
    if not system.tables_current:
        out.append(marked("The database has not the tables of this version."))
    if failed := sum(minute.failed for minute in system.minutes):
        out.append(said("{count} requests of the last hour failed: the log says why.", count=verbatim(failed)))
    if len(versions := {one.version for one in system.processes if one.runs}) > 1:
        told = verbatim(", ".join(sorted(versions)))
        out.append(said("Several versions run side by side: {versions}.", versions=told))
    if system.backup is None:
        out.append(marked("No backup has been made yet."))
    elif (days := (now - system.backup[0]).days) >= BACKUP_DAYS:
        out.append(said("The last backup is {days} days old.", days=verbatim(days)))
    return out
