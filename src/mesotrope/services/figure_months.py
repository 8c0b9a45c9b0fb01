"""The months of a workshop's figures: which jobs, and which of them may have changed since they were counted.

A month is marked in the transaction that changes what one of its jobs counts for, whatever way that is written: a job
that is closed or opened again, what was found in it or in one that came back from it, a comeback.
"""

from __future__ import annotations

import datetime
from collections.abc import Iterable

from sqlalchemy import event, inspect, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from mesotrope.services.outcomes import FOUND
from mesotrope.store.day_tables import FigureMonth
from mesotrope.store.session import WorkshopSession
from mesotrope.store.tables import Job, JobRecord
from mesotrope.words import Dates

#: A clock on a wall is at most so far from that of the server: a moment falls into the month before or after.
AWAY = datetime.timedelta(hours=14)


def span_of(month: str, dates: Dates) -> tuple[datetime.datetime, datetime.datetime]:
    """The first moment of a month by the workshop's clock, and of the next, as they are kept.

    >>> first, after = span_of("2026-12", Dates("Europe/Berlin"))
    >>> first.isoformat(), after.isoformat()
    ('2026-11-30T23:00:00', '2026-12-31T23:00:00')
    """
    year, number = map(int, month.split("-"))
    after = datetime.datetime(year + number // 12, number % 12 + 1, 1)
    return dates.utc(datetime.datetime(year, number, 1)), dates.utc(after)


def mark(session: WorkshopSession, moments: Iterable[datetime.datetime]) -> None:
    """Let the months into which some moments fall, by whatever clock, be counted again; in the caller's transaction."""
    months = {(moment + way).strftime("%Y-%m") for moment in moments for way in (-AWAY, AWAY)}
    here = session.info["workshop_id"]
    for month in sorted(months):  # in one order, so that two who do this never wait for each other
        row = {"workshop_id": here, "month": month, "changed": 1, "counted": 0}
        again = {"changed": FigureMonth.changed + 1}
        session.execute(insert(FigureMonth).values(row).on_duplicate_key_update(again))


@event.listens_for(WorkshopSession, "before_flush")
def _mark_what_changes(session: Session, _context: object, _instances: object) -> None:
    if session.info["workshop_id"] is None:
        return
    moments: set[datetime.datetime | None] = set()
    comes_from: set[int | None] = set()
    with session.no_autoflush:
        for row in [*session.new, *session.dirty]:
            if isinstance(row, JobRecord) and row.kind == FOUND:
                job = session.get_one(Job, row.job_id)
                moments.add(job.closed_at)
                comes_from.add(job.comes_from)
            elif isinstance(row, Job):
                row.to_count = row.state == "closed" and row.figures is None
                told = inspect(row).attrs
                if told.closed_at.history.has_changes() or told.comes_from.history.has_changes():
                    moments |= {row.closed_at, *told.closed_at.history.deleted}
                    comes_from |= {row.comes_from, *told.comes_from.history.deleted}
        while comes_from := comes_from - {None}:  # what came back tells of what it came back from
            earlier = session.execute(select(Job.closed_at, Job.comes_from).where(Job.id.in_(comes_from))).all()
            moments |= {closed_at for closed_at, _ in earlier}
            comes_from = {job for _, job in earlier}
        if known := [moment for moment in moments if moment is not None]:
            mark(session, known)  # type: ignore[arg-type]  # the library hands out its own kind of session
