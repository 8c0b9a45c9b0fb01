"""Recording findings one by one or many at once, taking them back, and their history."""

from __future__ import annotations

import datetime
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import bindparam, select

from mesotrope.core.language.corner import CORNERS, PLACES_ON_VEHICLE, VEHICLE
from mesotrope.core.language.entries import nearest_field, read_entry
from mesotrope.core.language.inspection import CornerFindings, Inspection, SystemFindings
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.paths import leaves
from mesotrope.core.language.saying import marked, one_of
from mesotrope.core.language.vocabulary import VocabularyField
from mesotrope.errors import Clash, InvalidInput, JobArchived, JobClosed, NotFound
from mesotrope.services.again import done_again
from mesotrope.services.job_rows import EntryRow, FindingKey, JobRows, OpenJob, read_job
from mesotrope.services.once import LONGEST_KEY, SHORTEST_KEY
from mesotrope.services.signing_in import Who
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import FindingEntry, Job, Person, Vehicle

#: How the keys of entries begin that came with a document, not from a hand.
FROM_A_DOCUMENT = "document-"


def model_of(corner: str) -> type[CornerFindings] | type[SystemFindings]:
    """What can be found at a place: at a corner, or at the whole vehicle. Raises `InvalidInput` for any other."""
    if corner not in PLACES_ON_VEHICLE:
        raise InvalidInput("corner", corner, one_of(PLACES_ON_VEHICLE))
    return SystemFindings if corner == VEHICLE else CornerFindings


def field_at(place: FindingKey, knowledge: Knowledge) -> VocabularyField | None:
    """The vocabulary's field of a place: its own, or that of the finding it is a part of."""
    corner, path = place
    return nearest_field(path, knowledge.system_field if corner == VEHICLE else knowledge.corner_field)


def places_of(inspection: Inspection) -> dict[FindingKey, Any]:
    """Take an open document apart into its findings; `build_inspection` puts them together again."""
    out: dict[FindingKey, Any] = {(VEHICLE, path): value for path, value in leaves(inspection.system)}
    for corner in CORNERS:
        out |= {(corner, path): value for path, value in leaves(inspection.corner(corner))}
    return out


@dataclass(frozen=True)
class Recorded:
    """What stands after an entry: its value (None: taken back), its number, whether its key was known before, and the
    job with it."""

    value: Any
    entry_id: int
    repeated: bool
    job: OpenJob


def record_finding(
    database: Database,
    knowledge: Knowledge,
    job_id: int,
    corner: str,
    path: str,
    text: str,
    *,
    by: Who,
    now: datetime.datetime,
    idempotency_key: str,
    confirmed: bool = False,
    seen_entry: int | None = None,
    simulated: bool = False,
) -> Recorded:
    """Write one entry of one finding. The same key again changes nothing and says so; for another entry it is refused.

    simulated : a reading of a simulated instrument. seen_entry : the latest entry of this place that the person has
    seen (0: none). A newer entry of another value, by somebody else or from another of the person's own devices, is
    then a `Clash`. Raises `InvalidInput`, `Surprising`
    (see `read_entry`), `Clash`, `JobClosed` or `NotFound`; then nothing is written.
    """
    _require_key(idempotency_key)
    model = model_of(corner)
    value = read_entry(model, path, text, knowledge, units=by.units, confirmed=confirmed)

    @done_again
    def record() -> tuple[JobRows, EntryRow | None]:
        with database.of_workshop(by.workshop_id) as session, session.begin():
            rows = read_job(session, job_id, for_writing=True)
            known = rows.entry_of_key(idempotency_key)
            if known is None:
                _require_open(rows.job)
                if seen_entry is not None:
                    _require_seen(session, rows, (corner, path), value, seen_entry, by)
                entry = FindingEntry(
                    job_id=job_id,
                    corner=corner,
                    path=path,
                    value=value,
                    entered_by=by.person_id,
                    entered_at=now,
                    idempotency_key=idempotency_key,
                    device=by.device,
                    simulated=simulated,
                )
                rows.add(session, entry)
            return rows, known

    rows, known = record()
    job = rows.opened(knowledge)
    if known is not None:
        if (known.corner, known.path, known.value) != (corner, path, value):
            words = marked("it was used for another entry of this job; each entry needs a key of its own")
            raise InvalidInput("Idempotency-Key", idempotency_key, words)
        return Recorded(known.value, known.id, repeated=True, job=job)
    return Recorded(value, rows.entries[-1].id, repeated=False, job=job)


def _require_seen(session: WorkshopSession, rows: JobRows, place: FindingKey, value: Any, seen: int, by: Who) -> None:
    """Raise `Clash` where an entry from elsewhere, made since `seen`, says something else."""
    latest = next((entry for entry in reversed(rows.entries) if (entry.corner, entry.path) == place), None)
    if latest is None or latest.id <= seen or latest.value == value:
        return
    if (latest.entered_by, latest.device) != (by.person_id, by.device):
        who = session.scalar(select(Person.name).where(Person.id == latest.entered_by))
        raise Clash(place[1], value, latest.value, who or "somebody", latest.id)


@dataclass(frozen=True)
class Undone:
    """What stands again at a place after its last entry was undone."""

    corner: str
    path: str
    value: Any
    entry_id: int
    job: OpenJob


def undo_last_entry(
    database: Database, knowledge: Knowledge, job_id: int, *, by: Who, now: datetime.datetime, idempotency_key: str
) -> Undone | None:
    """Take back this person's latest entry of a job that still stands; called again, the one before it.

    The undoing is an entry of its own; the same key again undoes nothing more. None where nothing is left to undo.
    Raises `InvalidInput` for a key that cannot be one, `JobClosed`, `NotFound`.
    """
    _require_key(idempotency_key)

    @done_again
    def undo() -> tuple[JobRows, EntryRow | None]:
        with database.of_workshop(by.workshop_id) as session, session.begin():
            rows = read_job(session, job_id, for_writing=True)
            done = rows.entry_of_key(idempotency_key)
            if done is not None and done.undoes is None:
                words = marked("this key belongs to an entry, not to an undoing")
                raise InvalidInput("Idempotency-Key", idempotency_key, words)
            if done is not None:
                return rows, done
            _require_open(rows.job)
            row, before = _to_undo(rows.entries, by)
            if row is None:
                return rows, None
            entry = FindingEntry(
                job_id=job_id,
                corner=row.corner,
                path=row.path,
                value=before.value if before else None,
                simulated=bool(before and before.simulated),
                entered_by=by.person_id,
                entered_at=now,
                idempotency_key=idempotency_key,
                undoes=row.id,
                device=by.device,
            )
            rows.add(session, entry)
            return rows, rows.entries[-1]

    rows, done = undo()
    return done and Undone(done.corner, done.path, done.value, done.id, rows.opened(knowledge))


def _require_key(key: str) -> None:
    if not SHORTEST_KEY <= len(key) <= LONGEST_KEY:
        words = f"{SHORTEST_KEY} to {LONGEST_KEY} characters, new for each entry, are needed"
        raise InvalidInput("Idempotency-Key", key, words)


def _require_open(job: Job) -> None:
    if job.state == "closed":
        raise JobClosed


def _to_undo(entries: Sequence[EntryRow], by: Who) -> tuple[EntryRow | None, EntryRow | None]:
    """The latest entry of a person that still stands and was typed by a hand, and the one that stood before it."""
    undone = {entry.undoes for entry in entries if entry.undoes is not None}
    standing: set[FindingKey] = set()
    for entry in reversed(entries):
        place = (entry.corner, entry.path)
        if entry.undoes is not None or entry.id in undone:
            continue
        typed = not entry.key.startswith(FROM_A_DOCUMENT)
        if entry.entered_by == by.person_id and place not in standing and typed:
            earlier = (
                e for e in reversed(entries) if e.id < entry.id and (e.corner, e.path) == place and e.undoes is None
            )
            return entry, next((e for e in earlier if e.id not in undone), None)
        standing.add(place)
    return None, None


_JOB_ROW = select(Job).where(Job.id == bindparam("job_id"))
_JOB_ROW_TO_WRITE = _JOB_ROW.with_for_update()
_VEHICLE_ROW = select(Vehicle).where(Vehicle.id == bindparam("vehicle_id"))
_VEHICLE_ROW_TO_WRITE = _VEHICLE_ROW.with_for_update()


def job_of(
    session: WorkshopSession, job_id: int, *, for_writing: bool = False, even_closed: bool = False,
    even_archived: bool = False,
) -> Job:  # fmt: skip
    """Return a job of this workshop, locked against other writers if it is to be written.

    Raises `NotFound`; `JobClosed` where a closed one would be written, `JobArchived` for one that lies in a file,
    unless that is meant.
    """
    job = session.scalar(_JOB_ROW_TO_WRITE if for_writing else _JOB_ROW, {"job_id": job_id})
    if job is None:
        raise NotFound("job")
    if job.archived_at is not None and not even_archived:
        raise JobArchived(job_id)
    if for_writing and not even_closed:
        _require_open(job)
    return job


def vehicle_of(session: WorkshopSession, vehicle_id: int, *, for_writing: bool = False) -> Vehicle:
    """Return a vehicle of this workshop. Raises `NotFound`."""
    query = _VEHICLE_ROW_TO_WRITE if for_writing else _VEHICLE_ROW
    vehicle = session.scalar(query, {"vehicle_id": vehicle_id})
    if vehicle is None:
        raise NotFound("vehicle")
    return vehicle


def record_all(
    session: WorkshopSession, job: Job, findings: Iterable[tuple[FindingKey, Any]], key: str, *, by: int,
    now: datetime.datetime,
) -> int:  # fmt: skip
    """Write many findings as entries of a job, in the caller's transaction; returns how many.

    key : what their idempotency keys begin with.
    """
    entries = [
        FindingEntry(
            job_id=job.id, corner=corner, path=path, value=value, entered_by=by, entered_at=now,
            idempotency_key=f"{key}{number}",
        )
        for number, ((corner, path), value) in enumerate(findings)
    ]  # fmt: skip
    add_entries(session, job, entries)
    return len(entries)


def add_entries(session: WorkshopSession, job: Job, entries: Sequence[FindingEntry]) -> None:
    """Write entries of a job, and move it on to the last of them, in the caller's transaction."""
    session.add_all(entries)
    session.flush()
    job.last_entry = max((job.last_entry or 0, *(entry.id for entry in entries)))


@dataclass(frozen=True)
class Entry:
    """One line of a job's history: what was entered where, by whom and when, and what stood there before."""

    id: int
    corner: str
    path: str
    value: Any
    before: Any
    by: str
    by_id: int
    at: datetime.datetime
    undo: bool
    simulated: bool = False


_HISTORY = (
    select(FindingEntry, Person.name)
    .join(Person, Person.id == FindingEntry.entered_by)
    .where(FindingEntry.job_id == bindparam("job_id"))
    .order_by(FindingEntry.id)
)


def history_of(database: Database, job_id: int, *, by: Who, after: int = 0) -> list[Entry]:
    """Every entry of a job made after entry `after`, the first first. Raises `NotFound`."""
    with database.of_workshop(by.workshop_id) as session:
        job_of(session, job_id)
        rows = session.execute(_HISTORY, {"job_id": job_id})
        stood: dict[FindingKey, Any] = {}
        out: list[Entry] = []
        for e, who in rows:
            before = stood.get((e.corner, e.path))
            stood[e.corner, e.path] = e.value
            undo = e.undoes is not None
            out.append(
                Entry(e.id, e.corner, e.path, e.value, before, who, e.entered_by, e.entered_at, undo, bool(e.simulated))
            )
        return [entry for entry in out if entry.id > after]


_LAST_ENTRY = select(Job.last_entry).where(Job.id == bindparam("job_id"))


def last_entry_of(database: Database, job_id: int, *, by: Who) -> int:
    """The number of a job's latest entry; 0 where there is none. Raises `NotFound`. One look at one row."""
    with database.of_workshop(by.workshop_id) as session:
        last = session.scalar(_LAST_ENTRY, {"job_id": job_id})
    if last is None:
        raise NotFound("job")
    return last
