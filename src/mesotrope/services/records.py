"""What is chosen, signed, done and proved in a job: each kept with who and when, none ever changed.

.. code-block:: text

    package    axle            the actions chosen, where they are not the recommended ones; the reason in the note
    overruled  corner          a verdict set against the product's: {"as": …, "actions": […]}; the reason in the note
    signed     ""              the key of the plan that was signed
    approved   ""              the key of the plan that a lead approved
    tick       step            a step of the work card done, and what for: the places and the planned work of then; the
                               parts ordered, or here, by their words; once only that it was
    torque     fastener        {"asked": …, "source": …, "read": …}
    after      corner/path     measured after the work: {"is": …, "after": the planned work of then}; once only what
    stop_gap   ""              the plan for what was only tided over: {"what": …, "until": …, …}; once only what
    acknowledged ""            {"name": …, "drawn": …, "plan": …}: the owner was told of the stop-gap
    struck     step            a step of the work card struck out, and what for, as a tick; the reason in the note
    own_step   number          a step of one's own: {"phase": …, "words": …}
    own_part   number          a part of one's own: {"words": …, "number": …, "count": …}
    part_number part           the number of a part
    step_note  step            a note on a step
    release    ""              {"as": …, "open": […], "done": […], "planned": the work, "entry": the last};
                               the restriction in the note
    found      place           {"faults": [...], "how": "seen", "cured" or "guessed"}; null: not found out
    agreed     ""              the owner's word on the work: {"as": "yes", "part" or "no", "planned": the work};
                               what they said in the note
    has_it     ""              the number of the person who has the job; what is handed on with it in the note
    promised   ""              when it was promised to be ready: a moment, UTC
    place      ""              the name of the place where it stands
    waits      ""              what only people know that it waits for: {"for": …, "until": a day or nothing}; words in
                               the note
    closed     ""              the job closed, and when it was opened again; who did either needs no more to be said
"""

from __future__ import annotations

import datetime
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select, update

from mesotrope.core.language.saying import at_most_characters, one_of
from mesotrope.errors import InvalidInput
from mesotrope.services.audit import note_by
from mesotrope.services.findings import job_of
from mesotrope.services.once import do_once
from mesotrope.services.signing_in import Who
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import Job, JobRecord, Person, Vehicle

KINDS = (
    "package",
    "overruled",
    "signed",
    "approved",
    "tick",
    "torque",
    "after",
    "stop_gap",
    "acknowledged",
    "struck",
    "own_step",
    "own_part",
    "part_number",
    "step_note",
    "release",
    "found",
    "agreed",
    "has_it",
    "promised",
    "place",
    "waits",
    "closed",
)

#: The kinds that the workshop's trail tells of too.
ON_THE_TRAIL = ("overruled", "approved", "release")

#: The kinds from which it is worked out what falls due of the vehicle.
MOVES_DATES = ("release", "stop_gap", "agreed")

LONGEST_NOTE = 500


@dataclass(frozen=True)
class Record:
    """One record, with the role that its maker had on the day; `value` None: taken back."""

    kind: str
    subject: str
    value: Any
    note: str
    by: str
    role: str
    at: datetime.datetime


#: The records that stand, by kind and subject.
StandingRecords = Mapping[tuple[str, str], Record]


def records_of(database: Database, job_id: int, *, by: Who) -> list[Record]:
    """Every record of a job, the first first. Raises `NotFound`, also for another workshop's."""
    with database.of_workshop(by.workshop_id) as session:
        job_of(session, job_id)
        rows = session.execute(
            select(JobRecord, Person.name)
            .join(Person, Person.id == JobRecord.made_by)
            .where(JobRecord.job_id == job_id)
            .order_by(JobRecord.id)
        )
        return [Record(r.kind, r.subject, r.value, r.note, name, r.role, r.made_at) for r, name in rows]


def standing(records: list[Record]) -> dict[tuple[str, str], Record]:
    """The records that stand: the latest of each kind and subject, those taken back left out."""
    latest = {(record.kind, record.subject): record for record in records}
    return {place: record for place, record in latest.items() if record.value is not None}


def keep_record(
    database: Database,
    job_id: int,
    kind: str,
    subject: str,
    value: Any,
    *,
    by: Who,
    now: datetime.datetime,
    note: str = "",
    also: Callable[[Job], None] = lambda job: None,
    beside: Callable[[Any], Any] | None = None,
) -> None:
    """Keep one record, once under the change's key; the same by the same person again is no other.

    also : what else of the job changes with it; beside : is given what somebody else kept there last, and says what is
    kept then, or raises `Overtaken`.

    Raises `InvalidInput` for a note that is too long, `JobClosed`, `NotFound` for a job that is not there.
    """
    note = note.strip()
    if kind not in KINDS:
        raise InvalidInput("record", kind, one_of(KINDS))
    if len(note) > LONGEST_NOTE:
        raise InvalidInput("note", note, at_most_characters(LONGEST_NOTE))

    def keep(session: WorkshopSession) -> None:
        job = job_of(session, job_id, for_writing=True)
        last = _last(session, job_id, (kind, subject))
        if last is not None and (last.value, last.note, last.made_by) == (value, note, by.person_id):
            return
        kept = beside(last.value) if beside and last and last.made_by != by.person_id else value
        add_record(session, job_id, kind, subject, kept, note, by=by, now=now)
        also(job)
        if kind in MOVES_DATES:
            mark_due(session, job.vehicle_id)
        if kind in ON_THE_TRAIL:
            said = f"job {job_id} {subject}".strip()
            note_by(session, kind, f"{said}: {_told(value)}" if value else f"{said}: taken back", by=by, now=now)

    do_once(database, f"{kind} of job {job_id}", keep, [subject, value, note], by=by, now=now)


def add_numbered(database: Database, job_id: int, kind: str, value: Any, *, by: Who, now: datetime.datetime) -> None:
    """Keep one more of what a job has several of, once under the change's key, under a number that none of its kind in
    the job ever had. Raises `JobClosed`, `NotFound`."""

    def keep(session: WorkshopSession) -> None:
        job_of(session, job_id, for_writing=True)
        had = session.scalars(select(JobRecord.subject).where(JobRecord.job_id == job_id, JobRecord.kind == kind))
        number = 1 + max((int(subject) for subject in had if subject.isdigit()), default=0)
        add_record(session, job_id, kind, str(number), value, "", by=by, now=now)

    do_once(database, f"{kind} of job {job_id}", keep, value, by=by, now=now)


def mark_due(session: WorkshopSession, vehicle_id: int) -> None:
    """Let what falls due of a vehicle be worked out again; in the caller's transaction."""
    session.execute(update(Vehicle).where(Vehicle.id == vehicle_id).values(due_key=None))


def _last(session: WorkshopSession, job_id: int, place: tuple[str, str]) -> JobRecord | None:
    """The last record of a kind and subject, taken back or not."""
    return session.scalars(
        select(JobRecord)
        .where(JobRecord.job_id == job_id, JobRecord.kind == place[0], JobRecord.subject == place[1])
        .order_by(JobRecord.id.desc())
        .limit(1)
    ).first()


def _told(value: Any) -> str:
    return str(value["as"]) if isinstance(value, dict) else str(value)


def add_record(
    session: WorkshopSession, job_id: int, kind: str, subject: str, value: Any, note: str,
    *, by: Who, now: datetime.datetime,
) -> None:  # fmt: skip
    """Write one record, in the caller's transaction."""
    session.add(
        JobRecord(
            job_id=job_id,
            kind=kind,
            subject=subject,
            value=value,
            note=note,
            role=by.role,
            made_by=by.person_id,
            made_at=now,
        )
    )


def needed(text: str, what: str) -> str:
    """A reason that has to be given. Raises `InvalidInput` where it is not."""
    if not text.strip():
        raise InvalidInput(what, text, "it is kept with the job and cannot be empty")
    return text.strip()
