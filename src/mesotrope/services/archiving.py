"""Old visits in files: a workshop may have closed jobs archived after so many years, in the open format of a job.

What finds them again stays: the vehicle, the visit with its complaint and what it measured of the wearing parts, what
was found and how the vehicle left, what it counts for in the figures. What takes room goes into the file: entries,
pictures, signatures, sheets and links.
"""

from __future__ import annotations

import contextlib
import datetime
import hashlib
import os
import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import Select, delete, func, select

from mesotrope.core.language.saying import said, verbatim
from mesotrope.errors import NotFound, NotNow
from mesotrope.services.audit import note_by
from mesotrope.services.due import FLUID_AGE, TOLD_BY
from mesotrope.services.job_rows import keep_measured
from mesotrope.services.learnt_versions import all_workshops
from mesotrope.services.outcomes import FOUND
from mesotrope.services.rules import chosen_of, rules_of
from mesotrope.services.signing_in import Who, nobody_of
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import FindingEntry, FrozenSheet, Job, JobRecord, OwnerLink, Photograph

#: The records that stay: what was found, and what the vehicle's dates are worked out from.
STAYS = (FOUND, "closed", "promised", *TOLD_BY)

#: So many jobs are looked for at once.
MOST = 200

#: Packs a job, by its number, as a file of the open format.
Pack = Callable[[int], bytes]


@dataclass(frozen=True)
class ArchiveFolder:
    """Where archived jobs lie: a folder of each workshop, a file of each job."""

    folder: Path

    def file(self, workshop_id: int, job_id: int) -> Path:
        return self.folder / str(workshop_id) / f"job-{job_id}.zip"

    def write(self, workshop_id: int, job_id: int, data: bytes) -> None:
        """Write a file whole, and see it onto the disk; nobody else reads it."""
        file = self.file(workshop_id, job_id)
        file.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        descriptor, half = tempfile.mkstemp(prefix=f".{file.name}-", dir=file.parent)
        try:
            with os.fdopen(descriptor, "wb") as out:
                out.write(data)
                out.flush()
                os.fsync(out.fileno())
            Path(half).rename(file)
        except BaseException:
            Path(half).unlink(missing_ok=True)
            raise

    def remove(self, workshop_id: int, job_id: int) -> None:
        self.file(workshop_id, job_id).unlink(missing_ok=True)


def archive_old(database: Database, archives: ArchiveFolder, pack: Pack, *, by: Who, now: datetime.datetime) -> int:
    """Archive what the workshop's rule says, the oldest first; returns how many jobs were. by : in whose name."""
    before = _before(database, by, now)
    done = 0
    while before is not None:
        with database.of_workshop(by.workshop_id) as session:
            old = session.scalars(_old(before).limit(MOST)).all()
        began = done
        for job_id in old:
            done += archive_job(database, archives, job_id, pack, by=by, now=now)
        if done == began:
            break
    return done


def archive_waits(database: Database, *, now: datetime.datetime) -> bool:
    """Whether any workshop has something to archive."""
    for workshop_id in all_workshops(database):
        if (before := _before(database, nobody_of(database, workshop_id), now)) is not None:
            with database.of_workshop(workshop_id) as session:
                if session.scalar(_old(before).limit(1)) is not None:
                    return True
    return False


def _before(database: Database, by: Who, now: datetime.datetime) -> datetime.datetime | None:
    """What was closed before this goes into a file; None where the workshop wants nothing of it."""
    after = chosen_of("archive", rules_of(database, by=by))["after"]
    return now - datetime.timedelta(days=365.25 * int(after)) if after.isdecimal() else None


def _old(before: datetime.datetime) -> Select[int]:
    """The closed jobs that may go into files, the oldest first: those whose figures are counted."""
    return (
        select(Job.id)
        .where(Job.archived_at.is_(None), Job.closed_at < before, Job.figures.is_not(None))
        .order_by(Job.closed_at)
    )


def archive_job(
    database: Database, archives: ArchiveFolder, job_id: int, pack: Pack, *, by: Who, now: datetime.datetime
) -> bool:
    """Archive one closed job: first its file is on the disk, then its rows go, all or nothing. Returns whether it was
    archived: not where it changed meanwhile."""
    with database.of_workshop(by.workshop_id) as session:
        before = _stands_at(session, job_id)
    data = pack(job_id)
    archives.write(by.workshop_id, job_id, data)
    with database.erasing(by.workshop_id) as session:
        job = session.scalar(select(Job).where(Job.id == job_id).with_for_update())
        if job is None or job.state != "closed" or job.archived_at is not None or _stands_at(session, job_id) != before:
            return False
        keep_measured(session, [job])
        session.execute(delete(JobRecord).where(JobRecord.job_id == job_id, JobRecord.kind.not_in(STAYS)))
        session.execute(delete(FindingEntry).where(FindingEntry.job_id == job_id, FindingEntry.path != FLUID_AGE))
        for table in (Photograph, OwnerLink, FrozenSheet):
            session.execute(delete(table).where(table.job_id == job_id))
        job.archived_at, job.archive_sha256 = now, hashlib.sha256(data).hexdigest()
        note_by(session, "archived", f"job {job_id}", by=by, now=now)
    return True


def _stands_at(session: WorkshopSession, job_id: int) -> tuple[int, ...]:
    """What a job's file depends on: it only grows."""
    job = session.execute(select(Job.last_entry).where(Job.id == job_id)).first()
    records = session.scalar(select(func.max(JobRecord.id)).where(JobRecord.job_id == job_id))
    shots = session.scalar(select(func.count()).select_from(Photograph).where(Photograph.job_id == job_id))
    return (job[0] if job else 0, records or 0, shots or 0)


def archived_file(database: Database, archives: ArchiveFolder, job_id: int, *, by: Who) -> bytes | None:
    """The file of an archived job; None for a job that is not archived. Raises `NotFound`, and `NotNow` where the file
    is not there any more or not the one that was written."""
    with database.of_workshop(by.workshop_id) as session:
        row = session.execute(select(Job.archived_at, Job.archive_sha256).where(Job.id == job_id)).first()
    if row is None:
        raise NotFound("job")
    archived_at, digest = row
    if archived_at is None:
        return None
    if not digest:
        raise NotNow(said("its file was erased when its owner's data was"))
    data = b""
    with contextlib.suppress(OSError):
        data = archives.file(by.workshop_id, job_id).read_bytes()
    if hashlib.sha256(data).hexdigest() != digest:
        name = verbatim(archives.file(by.workshop_id, job_id).name)
        raise NotNow(said("its file, {name}, is not in the archive folder as it was written", name=name))
    return data


def erase_archived(session: WorkshopSession, archives: ArchiveFolder, jobs: list[Job]) -> None:
    """Take the files of archived jobs away; in the caller's transaction, whose rows say so."""
    for job in jobs:
        if job.archived_at is not None:
            archives.remove(session.info["workshop_id"], job.id)
            job.archive_sha256 = ""
