"""What was really found in a job, place by place, how that is known, and whether it came back; the end of a job.

What was noted last of a place stands. A comeback corrects it: what was cured or guessed then gives way to what was
found when the vehicle came back, and until that is known it is no longer taken for cured.
"""

from __future__ import annotations

import datetime
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import select

from mesotrope.core.language.corner import PLACES_ON_VEHICLE, VEHICLE, Place, place_named, place_words
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import at_most_characters, marked, one_of, said, verbatim
from mesotrope.errors import InvalidInput, NotAllowed
from mesotrope.services.audit import note_by
from mesotrope.services.findings import job_of
from mesotrope.services.once import do_once
from mesotrope.services.records import LONGEST_NOTE, add_record, mark_due
from mesotrope.services.search_index import index_job
from mesotrope.services.signing_in import Who
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import Job, JobRecord, Person

#: How it is known what was found, in words. What was only guessed teaches nothing.
HOW = {
    "seen": marked("seen in the parts"),
    "cured": marked("cured by the work"),
    "guessed": marked("only guessed"),
}

#: The kind of record that holds it.
FOUND = "found"


@dataclass(frozen=True)
class FoundAt:
    """What was found at a place: the faults (none: nothing was wrong; None: it was not found out), how that is known,
    and the comeback that corrected it."""

    place: Place
    faults: tuple[str, ...] | None
    how: str
    note: str
    by: str
    at: datetime.datetime
    corrected_by: int | None = None

    @property
    def sure(self) -> bool:
        """Whether it teaches: found out, and seen or cured."""
        return self.faults is not None and self.how != "guessed"


#: What was found at every place of which something was noted.
FoundByPlace = Mapping[Place, FoundAt]


@dataclass(frozen=True)
class OutcomeOfJob:
    """What was found in a job as it is known now, and the jobs that came back from it."""

    found: FoundByPlace
    comebacks: tuple[int, ...]


def outcome_of(database: Database, job_id: int, *, by: Who) -> OutcomeOfJob:
    """What was found in a job. Raises `NotFound`."""
    with database.of_workshop(by.workshop_id) as session:
        job_of(session, job_id)
        return outcomes_in(session, [job_id])[job_id]


def outcomes_in(session: WorkshopSession, job_ids: Iterable[int]) -> dict[int, OutcomeOfJob]:
    """What was found in some jobs, as those that came back from them correct it."""
    asked = list(job_ids)
    came_from: dict[int, list[int]] = {}
    known, new = set(asked), asked
    while new:  # a comeback may come back
        pairs = session.execute(select(Job.comes_from, Job.id).where(Job.comes_from.in_(new)).order_by(Job.id)).all()
        for earlier, later in pairs:
            came_from.setdefault(earlier or 0, []).append(later)
        new = [later for _, later in pairs if later not in known]
        known.update(new)
    noted: dict[int, dict[Place, FoundAt]] = {job_id: {} for job_id in known}
    rows = session.execute(
        select(JobRecord, Person.name)
        .join(Person, Person.id == JobRecord.made_by)
        .where(JobRecord.job_id.in_(known), JobRecord.kind == FOUND)
        .order_by(JobRecord.id)
    )
    for record, name in rows:
        found = _found_at(record, name)
        noted[record.job_id][found.place] = found

    def corrected(job_id: int) -> dict[Place, FoundAt]:
        found = dict(noted[job_id])
        for later in came_from.get(job_id, ()):
            found = as_corrected(found, corrected(later), later)
        return found

    return {job_id: OutcomeOfJob(corrected(job_id), tuple(came_from.get(job_id, ()))) for job_id in asked}


def _found_at(record: JobRecord, name: str) -> FoundAt:
    value: dict[str, Any] = record.value or {}
    faults = value["faults"]
    told = None if faults is None else tuple(faults)
    place = place_named(record.subject)
    assert place is not None, record.subject
    return FoundAt(place, told, value["how"], record.note, name, record.made_at)


def as_corrected(found: FoundByPlace, back: FoundByPlace, later: int) -> dict[Place, FoundAt]:
    """What was found, as a comeback corrects it: what had been seen in the parts was there, and stays; the rest was
    taken for cured or guessed, and is what was found at that place when it came back, or is not known."""
    out = dict(found)
    for place, then in found.items():
        if then.how == "seen" or not then.faults:
            continue
        now = back.get(place)
        if now is None or not now.sure:
            out[place] = replace(then, faults=None, corrected_by=later)
        elif now.faults:
            out[place] = replace(now, corrected_by=later)
    return out


def note_outcome(
    database: Database, knowledge: Knowledge, job_id: int, found: Mapping[str, Sequence[str] | None], how: str,
    note: str = "", *, by: Who, now: datetime.datetime, close: bool = False,
) -> None:  # fmt: skip
    """Note what was really found at some places, all or nothing, and close the job where that is wanted.

    found : by place, the faults; none where nothing was wrong, None where it was not found out. Raises `InvalidInput`,
    `JobClosed`, `NotAllowed` for an apprentice who closes, `NotFound`.
    """
    if how not in HOW:
        raise InvalidInput("how it is known", how, one_of(HOW.values()))
    if not found:
        raise InvalidInput("what was found", "", "say of at least one place what it was")
    for place, faults in found.items():
        require_faults(place, faults or (), knowledge)
    if len(note.strip()) > LONGEST_NOTE:
        raise InvalidInput("note", note, at_most_characters(LONGEST_NOTE))
    if close:
        _require_may_close(by)

    def keep(session: WorkshopSession) -> None:
        job = job_of(session, job_id, for_writing=True)
        for place, faults in found.items():
            value = {"faults": None if faults is None else list(dict.fromkeys(faults)), "how": how}
            add_record(session, job_id, FOUND, place, value, note.strip(), by=by, now=now)
        if close:
            _put(session, job, "closed", by, now)
        else:
            session.flush()
            index_job(session, job)

    content = [sorted(found.items(), key=str), how, note, close]
    do_once(database, f"outcome of job {job_id}", keep, content, by=by, now=now)


def require_faults(place: str, faults: Sequence[str], knowledge: Knowledge) -> None:
    """Require a place, and faults that can be there. Raises `InvalidInput`."""
    if place not in PLACES_ON_VEHICLE:
        allowed = ", ".join(where.words for where in PLACES_ON_VEHICLE)
        raise InvalidInput("where it was found", place, said("allowed: {allowed}", allowed=verbatim(allowed)))
    scope = "system" if place == VEHICLE else "corner"
    words = place_words(place)
    for fault in faults:
        known = knowledge.fault.get(fault)
        if not (known.scope == scope if known else scope == "corner" and fault == knowledge.worn.id):
            raise InvalidInput(
                "what was found", fault, said("choose a fault of the list for the {words}", words=verbatim(words))
            )


def take_comeback_in(database: Database, job_id: int, complaint: str, *, by: Who, now: datetime.datetime) -> int:
    """Open a job for a vehicle that came back from an earlier one; returns its number.

    Raises `InvalidInput` without a complaint, `NotFound`.
    """
    complaint = complaint.strip()
    if not 1 <= len(complaint) <= 200:
        raise InvalidInput("complaint", complaint, "what it came back with is needed, in at most 200 characters")

    def open_it(session: WorkshopSession) -> int:
        earlier = job_of(session, job_id, for_writing=True, even_closed=True, even_archived=True)
        visit = {
            "date": by.dates.local(now).date().isoformat(),
            "complaint": complaint,
            "usage": earlier.visit.get("usage"),
        }
        job = Job(
            vehicle_id=earlier.vehicle_id, opened_by=by.person_id, opened_at=now, state="open", comes_from=job_id,
            visit={name: value for name, value in visit.items() if value},
        )  # fmt: skip
        session.add(job)
        session.flush()
        index_job(session, job)
        return job.id

    return do_once(database, f"comeback of job {job_id}", open_it, complaint, by=by, now=now)


def close_job(database: Database, job_id: int, *, by: Who, now: datetime.datetime) -> None:
    """Close a job: it leaves Today and takes nothing more. Raises `NotAllowed` for an apprentice, `NotFound`."""
    _set_state(database, job_id, "closed", by, now)


def open_again(database: Database, job_id: int, *, by: Who, now: datetime.datetime) -> None:
    """Bring a closed job back into the shop. Raises `NotAllowed` for an apprentice, `NotFound`."""
    _set_state(database, job_id, "open", by, now)


def _require_may_close(by: Who) -> None:
    if by.role == "apprentice":
        raise NotAllowed("Closing a job and opening it again", "technician or lead")


def _set_state(database: Database, job_id: int, state: str, by: Who, now: datetime.datetime) -> None:
    _require_may_close(by)

    def change(session: WorkshopSession) -> None:
        _put(session, job_of(session, job_id, for_writing=True, even_closed=True), state, by, now)

    do_once(database, f"{state} job {job_id}", change, by=by, now=now)


def _put(session: WorkshopSession, job: Job, state: str, by: Who, now: datetime.datetime) -> None:
    """Close a job or open it again; that is kept with the job and on the trail. Where it is so already, nothing is."""
    if job.state == state:
        return
    job.state, closed = state, state == "closed"
    job.closed_at, job.figures = now if closed else None, None
    mark_due(session, job.vehicle_id)
    session.flush()
    index_job(session, job)
    value: Any = True if closed else None
    add_record(session, job.id, "closed", "", value, "", by=by, now=now)
    note_by(session, "closed" if closed else "opened_again", f"job {job.id}", by=by, now=now)
