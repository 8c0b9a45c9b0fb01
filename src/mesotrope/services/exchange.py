"""Use cases of import and export: many documents, a table of figures, a whole job with its history and pictures."""

from __future__ import annotations

import datetime
import hashlib
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import undefer

from mesotrope.core.language.inspection import Inspection
from mesotrope.errors import InvalidInput
from mesotrope.services.again import done_again
from mesotrope.services.audit import note_by
from mesotrope.services.findings import FROM_A_DOCUMENT, add_entries, job_of, record_all
from mesotrope.services.job_rows import FindingKey, StandingFindings, entries_of
from mesotrope.services.jobs import add_document
from mesotrope.services.once import do_once
from mesotrope.services.photographs import Developed, develop
from mesotrope.services.signing_in import Who
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import FindingEntry, Photograph


def import_documents(
    database: Database, inspections: Iterable[Inspection], *, by: Who, now: datetime.datetime
) -> list[int]:
    """Open a job for every document, all or none. Returns the jobs' numbers; the change's key again the same."""
    documents = list(inspections)

    def open_them(session: WorkshopSession) -> list[int]:
        note_by(session, "imported", f"{len(documents)} inspection documents", by=by, now=now)
        return [add_document(session, each, by=by.person_id, now=now, state="open").id for each in documents]

    return do_once(database, "import", open_them, [each.model_dump_json() for each in documents], by=by, now=now)


@done_again
def import_figures(
    database: Database, job_id: int, figures: Mapping[FindingKey, Any], *, by: Who, now: datetime.datetime, batch: str
) -> int:
    """Enter every figure of a table into a job, all or none; those that stand already are left. Returns how many.

    batch : a key of this import; the same again changes nothing. Raises `JobClosed`, `NotFound`.
    """
    with database.of_workshop(by.workshop_id) as session, session.begin():
        job = job_of(session, job_id, for_writing=True)
        first = select(FindingEntry.id).where(
            FindingEntry.job_id == job_id, FindingEntry.idempotency_key == f"{batch}-0"
        )
        if session.scalar(first) is not None:
            return 0
        standing = StandingFindings.of(entries_of(session, [job_id])[job_id]).findings
        new = [(place, value) for place, value in figures.items() if standing.get(place) != value]
        return record_all(session, job, new, f"{batch}-", by=by.person_id, now=now)


@dataclass(frozen=True)
class KeptPhotograph:
    """A picture with where and when it was taken, as an archive holds it."""

    corner: str
    stage: str
    taken_at: datetime.datetime
    picture: bytes


@dataclass(frozen=True)
class KeptEntry:
    """One entry of a job's history, as an archive holds it."""

    corner: str
    path: str
    value: Any
    entered_by: str
    entered_at: datetime.datetime


def all_photographs(database: Database, job_id: int, *, by: Who) -> list[KeptPhotograph]:
    """Every picture of a job, whole. Raises `NotFound`."""
    with database.of_workshop(by.workshop_id) as session:
        job_of(session, job_id)
        rows = session.scalars(
            select(Photograph)
            .options(undefer(Photograph.picture))
            .where(Photograph.job_id == job_id)
            .order_by(Photograph.id)
        )
        return [KeptPhotograph(row.corner, row.stage, row.taken_at, row.picture) for row in rows]


def restore_job(
    database: Database,
    inspection: Inspection,
    history: Sequence[KeptEntry],
    photographs: Sequence[KeptPhotograph],
    *,
    opened_at: datetime.datetime,
    state: str,
    by: Who,
    now: datetime.datetime,
) -> int:
    """Open a job again from its archive: document, history and pictures, all or nothing. Returns its number.

    Every entry is the importer's; who made it and when, as the archive says, is kept beside it as the archive's claim.
    Raises `InvalidInput`.
    """
    developed: list[Developed] = [develop(kept.picture) for kept in photographs]
    if state not in ("open", "closed"):
        raise InvalidInput("state", state, "allowed: open, closed")

    def restore(session: WorkshopSession) -> int:
        note_by(session, "imported", f"job archive of {opened_at:%Y-%m-%d}", by=by, now=now)
        bare = inspection.model_copy(update={"findings": type(inspection.findings)()})
        job = add_document(session, bare, by=by.person_id, now=opened_at, state=state)
        entries = [
            FindingEntry(
                job_id=job.id,
                corner=entry.corner,
                path=entry.path,
                value=entry.value,
                entered_by=by.person_id,
                entered_at=now,
                claimed_by=entry.entered_by,
                claimed_at=entry.entered_at,
                idempotency_key=f"{FROM_A_DOCUMENT}{number}",
            )
            for number, entry in enumerate(history)
        ]
        add_entries(session, job, entries)
        session.add_all(
            Photograph(
                job_id=job.id,
                corner=kept.corner,
                stage=kept.stage,
                taken_by=by.person_id,
                taken_at=kept.taken_at,
                width=shot.width,
                height=shot.height,
                digest=hashlib.sha256(shot.picture).hexdigest(),
                picture=shot.picture,
                small=shot.small,
            )
            for kept, shot in zip(photographs, developed, strict=True)
        )
        return job.id

    return do_once(database, "import", restore, [opened_at, len(history)], by=by, now=now)
