"""What was really found in a job, and whether it came back; both are kept for learning."""

from __future__ import annotations

import datetime
from dataclasses import dataclass

from sqlalchemy import select

from mesotrope.core.language.corner import CORNERS, VEHICLE
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.errors import InvalidInput, NotAllowed
from mesotrope.services.audit import note_by
from mesotrope.services.findings import job_of
from mesotrope.services.once import do_once
from mesotrope.services.records import add_record
from mesotrope.services.signing_in import Who
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import Job, Outcome, Person

LONGEST_NOTE = 500


@dataclass(frozen=True)
class FoundFault:
    """One thing that was really found: the fault, where, by whom it was noted, and whether it came back."""

    id: int
    corner: str
    fault: str
    came_back: bool
    note: str
    by: str
    at: datetime.datetime


def outcomes_of(database: Database, job_id: int, *, by: Who) -> list[FoundFault]:
    """What was noted of a job, the first first. Raises `NotFound`."""
    with database.of_workshop(by.workshop_id) as session:
        job_of(session, job_id)
        rows = session.execute(
            select(Outcome, Person.name)
            .join(Person, Person.id == Outcome.noted_by)
            .where(Outcome.job_id == job_id)
            .order_by(Outcome.id)
        )
        return [FoundFault(o.id, o.corner, o.fault, o.came_back, o.note, name, o.noted_at) for o, name in rows]


def note_outcome(
    database: Database, knowledge: Knowledge, job_id: int, corner: str, fault: str, note: str,
    *, by: Who, now: datetime.datetime,
) -> None:  # fmt: skip
    """Note what was really found at a corner, or of the whole vehicle.

    Raises `InvalidInput`, `JobClosed`, `NotFound`.
    """
    known = knowledge.fault.get(fault)
    others = (knowledge.none.id, knowledge.worn.id)
    if known is None and fault not in others:
        raise InvalidInput("what was found", fault, "choose a fault of the list")
    places = CORNERS if known is None or known.scope == "corner" else (VEHICLE,)
    if corner not in places:
        raise InvalidInput("where it was found", corner, f"allowed: {', '.join(where.words for where in places)}")
    if len(note.strip()) > LONGEST_NOTE:
        raise InvalidInput("note", note, f"at most {LONGEST_NOTE} characters are allowed")

    def keep(session: WorkshopSession) -> None:
        job_of(session, job_id, for_writing=True)
        session.add(
            Outcome(
                job_id=job_id, corner=corner, fault=fault, came_back=False, note=note.strip(),
                noted_by=by.person_id, noted_at=now,
            )
        )  # fmt: skip

    do_once(database, f"outcome of job {job_id}", keep, [corner, fault, note], by=by, now=now)


def take_comeback_in(database: Database, job_id: int, complaint: str, *, by: Who, now: datetime.datetime) -> int:
    """Open a job for a vehicle that came back from an earlier one; returns its number.

    What was found then is marked as come back. Raises `InvalidInput` without a complaint, `NotFound`.
    """
    complaint = complaint.strip()
    if not 1 <= len(complaint) <= 200:
        raise InvalidInput("complaint", complaint, "what it came back with is needed, in at most 200 characters")

    def open_it(session: WorkshopSession) -> int:
        earlier = job_of(session, job_id, for_writing=True, even_closed=True)
        for outcome in session.scalars(select(Outcome).where(Outcome.job_id == job_id)):
            outcome.came_back = True
        visit = {"date": now.date().isoformat(), "complaint": complaint, "usage": earlier.visit.get("usage")}
        job = Job(
            vehicle_id=earlier.vehicle_id, opened_by=by.person_id, opened_at=now, state="open", comes_from=job_id,
            visit={name: value for name, value in visit.items() if value},
        )  # fmt: skip
        session.add(job)
        session.flush()
        return job.id

    return do_once(database, f"comeback of job {job_id}", open_it, complaint, by=by, now=now)


def comebacks_of(database: Database, job_id: int, *, by: Who) -> list[int]:
    """The jobs that came back from this one."""
    with database.of_workshop(by.workshop_id) as session:
        return list(session.scalars(select(Job.id).where(Job.comes_from == job_id).order_by(Job.id)))


def close_job(database: Database, job_id: int, *, by: Who, now: datetime.datetime) -> None:
    """Close a job: it leaves the bays and takes nothing more. Raises `NotAllowed` for an apprentice, `NotFound`."""
    _set_state(database, job_id, "closed", by, now)


def open_again(database: Database, job_id: int, *, by: Who, now: datetime.datetime) -> None:
    """Bring a closed job back into the bays. Raises `NotAllowed` for an apprentice, `NotFound`."""
    _set_state(database, job_id, "open", by, now)


def _set_state(database: Database, job_id: int, state: str, by: Who, now: datetime.datetime) -> None:
    """Close a job or open it again; that is kept with the job and on the trail. Where it is so already, nothing is."""
    if by.role == "apprentice":
        raise NotAllowed("Closing a job and opening it again", "technician or lead")

    def change(session: WorkshopSession) -> None:
        job = job_of(session, job_id, for_writing=True, even_closed=True)
        if job.state == state:
            return
        job.state, closed = state, state == "closed"
        add_record(session, job_id, "closed", "", True if closed else None, "", by=by, now=now)
        note_by(session, "closed" if closed else "opened_again", f"job {job_id}", by=by, now=now)

    do_once(database, f"{state} job {job_id}", change, by=by, now=now)
