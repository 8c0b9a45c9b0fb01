"""A job as one file of the open format, with everything that is kept of it; and old ones put away as such files."""

from __future__ import annotations

import datetime

from sqlalchemy import select

from mesotrope.core.answer.answer import Answer
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.plan.whole_document import whole_document
from mesotrope.interchange.archive import JobArchive, write_archive
from mesotrope.knowledge import knowledge
from mesotrope.services.answers import Remembered
from mesotrope.services.archiving import ArchiveFolder, Pack, archive_old
from mesotrope.services.exchange import KeptEntry, all_photographs
from mesotrope.services.findings import history_of
from mesotrope.services.job_rows import OpenJob
from mesotrope.services.learnt_versions import all_workshops
from mesotrope.services.planned_jobs import Planned, planned_job
from mesotrope.services.records import records_of
from mesotrope.services.signing_in import Who, nobody_of
from mesotrope.store.session import Database
from mesotrope.store.tables import FrozenSheet
from mesotrope.words import plainly_of


def kept_history(database: Database, job_id: int, *, by: Who) -> tuple[KeptEntry, ...]:
    """Every entry of a job, as a file holds it."""
    return tuple(KeptEntry(e.corner, e.path, e.value, e.by, e.at) for e in history_of(database, job_id, by=by))


def answer_document(here: Planned, known: Knowledge) -> dict[str, object]:
    """The answer with its packages; known : with the workshop's own prices."""
    say = plainly_of(here.answer.specification.kind, known)
    return whole_document(here.answer, here.job.inspection, say, known, here.schools)


def pack_job(database: Database, known: Knowledge, here: Planned, *, by: Who) -> bytes:
    """A job with its answer, history, pictures, records and sheets. known : with the workshop's own prices."""
    job = here.job
    photographs = tuple(all_photographs(database, job.id, by=by))
    history = kept_history(database, job.id, by=by)
    records = [
        {"kind": r.kind, "subject": r.subject, "value": r.value, "note": r.note, "by": r.by, "at": r.at.isoformat()}
        for r in records_of(database, job.id, by=by)
    ]
    with database.of_workshop(by.workshop_id) as session:
        given = session.scalars(select(FrozenSheet).where(FrozenSheet.job_id == job.id).order_by(FrozenSheet.number))
        sheets = [{"number": row.number, "made_at": row.made_at.isoformat(), "sheet": row.sheet} for row in given]
    kept = JobArchive(job.inspection, job.opened_at, job.state, history, photographs)
    return write_archive(kept, answer_document(here, known), known, records, sheets)


def packing(database: Database, by: Who) -> Pack:
    """Packs any job of a workshop, in somebody's name, by its number."""
    remember = Remembered(knowledge(), most=4)
    figures = remember.figures(database, by)
    known = remember.known(figures)

    def answered(job: OpenJob) -> Answer:
        return remember.answer_of(database, job, figures, by=by)

    return lambda job_id: pack_job(database, known, planned_job(database, known, answered, job_id, by=by), by=by)


def archive_everywhere(database: Database, archives: ArchiveFolder, *, now: datetime.datetime) -> dict[int, int]:
    """Archive what the rules of every workshop say; how many jobs were archived, by workshop."""
    out = {}
    for workshop_id in all_workshops(database):
        nobody = nobody_of(database, workshop_id)
        if done := archive_old(database, archives, packing(database, nobody), by=nobody, now=now):
            out[workshop_id] = done
    return out
