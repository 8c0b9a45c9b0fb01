"""Owner's sheets as they were given: frozen at a release, each change afterwards a version of its own."""

from __future__ import annotations

import datetime
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select

from mesotrope.services.again import done_again
from mesotrope.services.findings import job_of
from mesotrope.services.signing_in import Who
from mesotrope.store.session import Database
from mesotrope.store.tables import FrozenSheet, Person


@dataclass(frozen=True)
class Frozen:
    """One version of a sheet, with who gave it and when."""

    number: int
    by: str
    at: datetime.datetime
    sheet: dict[str, Any]


@done_again
def freeze_sheet(database: Database, job_id: int, sheet: dict[str, Any], *, by: Who, now: datetime.datetime) -> int:
    """Keep a sheet as a new version; the same as the last version is no other. Returns its number.

    Raises `NotFound`, also for another workshop's job.
    """
    with database.of_workshop(by.workshop_id) as session, session.begin():
        job_of(session, job_id, for_writing=True)
        rows = select(FrozenSheet).where(FrozenSheet.job_id == job_id).order_by(FrozenSheet.number.desc()).limit(1)
        last = session.scalars(rows).first()
        if last is not None and last.sheet == sheet:
            return last.number
        number = (last.number if last else 0) + 1
        session.add(FrozenSheet(job_id=job_id, number=number, made_by=by.person_id, made_at=now, sheet=sheet))
        return number


def sheets_of(database: Database, job_id: int, *, by: Who) -> list[Frozen]:
    """Every version of a job's sheet, the first first. Raises `NotFound`, also for another workshop's job."""
    with database.of_workshop(by.workshop_id) as session:
        job_of(session, job_id)
        rows = session.execute(
            select(FrozenSheet, Person.name)
            .join(Person, Person.id == FrozenSheet.made_by)
            .where(FrozenSheet.job_id == job_id)
            .order_by(FrozenSheet.number)
        )
        return [Frozen(row.number, name, row.made_at, row.sheet) for row, name in rows]
