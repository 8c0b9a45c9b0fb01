"""Recording findings one by one, and building the open inspection document from them and back."""

from __future__ import annotations

import datetime
import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

from pydantic import ValidationError
from sqlalchemy import Select, func, select

from mesotrope.core.language.corner import CORNERS, PLACES_ON_VEHICLE, VEHICLE
from mesotrope.core.language.entries import nearest_field, read_entry
from mesotrope.core.language.inspection import CornerFindings, Inspection, SystemFindings, parse_inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.paths import leaves, nest
from mesotrope.core.language.vocabulary import VocabularyField
from mesotrope.errors import Clash, InvalidInput, NotFound
from mesotrope.services.signing_in import Who
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import FindingEntry, Job, Person

#: How the keys of entries begin that came with a document, not from a hand.
FROM_A_DOCUMENT = "document-"

#: (corner, path) of one finding.
FindingKey = tuple[str, str]


def model_of(corner: str) -> type[CornerFindings] | type[SystemFindings]:
    """What can be found at a place: at a corner, or at the whole vehicle. Raises `InvalidInput` for any other."""
    if corner not in PLACES_ON_VEHICLE:
        raise InvalidInput("corner", corner, f"allowed: {', '.join(PLACES_ON_VEHICLE)}")
    return SystemFindings if corner == VEHICLE else CornerFindings


def field_at(place: FindingKey, knowledge: Knowledge) -> VocabularyField | None:
    """The vocabulary's field of a place: its own, or that of the finding it is a part of."""
    corner, path = place
    return nearest_field(path, knowledge.system_field if corner == VEHICLE else knowledge.corner_field)


def build_inspection(
    specification: Mapping[str, Any], visit: Mapping[str, Any], findings: Mapping[FindingKey, Any]
) -> Inspection:
    """Build the open document from a vehicle, a visit and the findings that stand."""
    by_corner: dict[str, dict[str, Any]] = {}
    for (corner, path), value in findings.items():
        by_corner.setdefault(corner, {})[path] = value
    system = nest(by_corner.pop(VEHICLE, {}))
    corners = {corner: nest(paths) for corner, paths in by_corner.items()}
    document = {"vehicle": specification, "visit": visit, "findings": {"system": system, "corners": corners}}
    return parse_inspection(json.dumps(document))


def places_of(inspection: Inspection) -> dict[FindingKey, Any]:
    """Take an open document apart into its findings; `build_inspection` puts them together again."""
    out: dict[FindingKey, Any] = {(VEHICLE, path): value for path, value in leaves(inspection.system)}
    for corner in CORNERS:
        out |= {(corner, path): value for path, value in leaves(inspection.corner(corner))}
    return out


@dataclass(frozen=True)
class Recorded:
    """What stands after an entry: its value (None: taken back), its number, and whether its key was known before."""

    value: Any
    entry_id: int
    repeated: bool


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
) -> Recorded:
    """Write one entry of one finding. The same key again changes nothing and says so.

    seen_entry : the latest entry of this place that the person has seen (0: none). Somebody else's newer entry of
    another value is then a `Clash`. Raises `InvalidInput`, `Surprising` (see `read_entry`), `Clash` or `NotFound`;
    then nothing is written.
    """
    if not 8 <= len(idempotency_key) <= 64:
        raise InvalidInput("Idempotency-Key", idempotency_key, "8 to 64 characters, new for each entry, are needed")
    model = model_of(corner)
    value = read_entry(model, path, text, knowledge, units=by.units, confirmed=confirmed)
    _require_place(model, path, value)
    with database.of_workshop(by.workshop_id) as session, session.begin():
        job_of(session, job_id, for_writing=True)
        known = session.scalar(
            select(FindingEntry).where(FindingEntry.job_id == job_id, FindingEntry.idempotency_key == idempotency_key)
        )
        if known is not None:
            return Recorded(known.value, known.id, repeated=True)
        if seen_entry is not None:
            _require_seen(session, job_id, corner, path, value, seen_entry, by)
        entry = FindingEntry(
            job_id=job_id,
            corner=corner,
            path=path,
            value=value,
            entered_by=by.person_id,
            entered_at=now,
            idempotency_key=idempotency_key,
        )
        session.add(entry)
        session.flush()
        return Recorded(value, entry.id, repeated=False)


def _entries_of(job_id: int, corner: str, path: str) -> Select[FindingEntry, str]:
    """Every entry of one place with who made it, the latest first."""
    return (
        select(FindingEntry, Person.name)
        .join(Person, Person.id == FindingEntry.entered_by)
        .where(FindingEntry.job_id == job_id, FindingEntry.corner == corner, FindingEntry.path == path)
        .order_by(FindingEntry.id.desc())
    )


def _require_seen(
    session: WorkshopSession, job_id: int, corner: str, path: str, value: Any, seen_entry: int, by: Who
) -> None:
    """Raise `Clash` where somebody else's entry, made since `seen_entry`, says something else."""
    for entry, who in session.execute(_entries_of(job_id, corner, path).limit(1)):
        if entry.id > seen_entry and entry.entered_by != by.person_id and entry.value != value:
            raise Clash(path, value, entry.value, who, entry.id)


@dataclass(frozen=True)
class Undone:
    """What stands again at a place after its last entry was undone."""

    corner: str
    path: str
    value: Any
    entry_id: int


def undo_last_entry(
    database: Database, job_id: int, *, by: Who, now: datetime.datetime, idempotency_key: str
) -> Undone | None:
    """Take back this person's latest entry of a job that still stands; called again, the one before it.

    The undoing is an entry of its own. None where nothing is left to undo. Raises `NotFound`.
    """
    with database.of_workshop(by.workshop_id) as session, session.begin():
        job_of(session, job_id, for_writing=True)
        rows = session.scalars(
            select(FindingEntry).where(FindingEntry.job_id == job_id).order_by(FindingEntry.id.desc())
        ).all()
        undone = {row.undoes for row in rows if row.undoes is not None}
        standing: set[FindingKey] = set()
        for row in rows:
            place = (row.corner, row.path)
            if row.undoes is not None or row.id in undone:
                continue
            typed = not row.idempotency_key.startswith(FROM_A_DOCUMENT)
            if row.entered_by == by.person_id and place not in standing and typed:
                earlier = (e for e in rows if e.id < row.id and (e.corner, e.path) == place and e.undoes is None)
                before = next((e.value for e in earlier if e.id not in undone), None)
                entry = FindingEntry(
                    job_id=job_id,
                    corner=row.corner,
                    path=row.path,
                    value=before,
                    entered_by=by.person_id,
                    entered_at=now,
                    idempotency_key=idempotency_key,
                    undoes=row.id,
                )
                session.add(entry)
                session.flush()
                return Undone(row.corner, row.path, before, entry.id)
            standing.add(place)
    return None


def _require_place(model: type[CornerFindings] | type[SystemFindings], path: str, value: Any) -> None:
    """Refuse a path that the vocabulary does not have, even one that begins like a finding's."""
    steps = path.split(".")
    if any(step.isdigit() for step in steps) and not (steps[-1].isdigit() and 1 <= int(steps[-1]) <= 12):
        raise InvalidInput("finding", path, "places in a list are numbered 1 to 12")
    try:
        model.model_validate(nest({path: value}))
    except (ValidationError, AttributeError, TypeError):
        raise InvalidInput("finding", path, "there is no such finding; see docs/format.md for the names") from None


def job_of(session: WorkshopSession, job_id: int, *, for_writing: bool = False) -> Job:
    """Return a job of this workshop, locked against other writers if it is to be written. Raises `NotFound`."""
    query = select(Job).where(Job.id == job_id)
    job = session.scalar(query.with_for_update() if for_writing else query)
    if job is None:
        raise NotFound("job")
    return job


@dataclass(frozen=True)
class StandingFindings:
    """The findings that stand for a job (the latest entry of each place, those taken back left out), and the number of
    the latest entry of every place that ever had one."""

    findings: dict[FindingKey, Any] = field(default_factory=dict)
    entry_ids: dict[FindingKey, int] = field(default_factory=dict)

    @property
    def last_entry(self) -> int:
        return max(self.entry_ids.values(), default=0)


def standing_findings(session: WorkshopSession, job_ids: Iterable[int]) -> dict[int, StandingFindings]:
    """What stands for each job."""
    ids = list(job_ids)
    out = {job_id: StandingFindings() for job_id in ids}
    rows = session.execute(
        select(FindingEntry.id, FindingEntry.job_id, FindingEntry.corner, FindingEntry.path, FindingEntry.value)
        .where(FindingEntry.job_id.in_(ids))
        .order_by(FindingEntry.id)
    )
    for entry_id, job_id, corner, path, value in rows:
        standing = out[job_id]
        standing.entry_ids[corner, path] = entry_id
        if value is None:
            standing.findings.pop((corner, path), None)
        else:
            standing.findings[corner, path] = value
    return out


def record_all(session: WorkshopSession, job: Job, inspection: Inspection, *, by: int, now: datetime.datetime) -> None:
    """Write every finding of a document as entries of a job, in the caller's transaction."""
    for number, ((corner, path), value) in enumerate(places_of(inspection).items()):
        session.add(
            FindingEntry(
                job_id=job.id,
                corner=corner,
                path=path,
                value=value,
                entered_by=by,
                entered_at=now,
                idempotency_key=f"{FROM_A_DOCUMENT}{number}",
            )
        )


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


def history_of(database: Database, job_id: int, *, by: Who, after: int = 0) -> list[Entry]:
    """Every entry of a job made after entry `after`, the first first. Raises `NotFound`."""
    with database.of_workshop(by.workshop_id) as session:
        job_of(session, job_id)
        rows = session.execute(
            select(FindingEntry, Person.name)
            .join(Person, Person.id == FindingEntry.entered_by)
            .where(FindingEntry.job_id == job_id)
            .order_by(FindingEntry.id)
        )
        stood: dict[FindingKey, Any] = {}
        out: list[Entry] = []
        for e, who in rows:
            before = stood.get((e.corner, e.path))
            stood[e.corner, e.path] = e.value
            undo = e.undoes is not None
            out.append(Entry(e.id, e.corner, e.path, e.value, before, who, e.entered_by, e.entered_at, undo))
        return [entry for entry in out if entry.id > after]


def last_entry_of(database: Database, job_id: int, *, by: Who) -> int:
    """The number of a job's latest entry; 0 where there is none. Raises `NotFound`. One look at an index."""
    with database.of_workshop(by.workshop_id) as session:
        row = session.execute(
            select(Job.id, func.max(FindingEntry.id))
            .outerjoin(FindingEntry, FindingEntry.job_id == Job.id)
            .where(Job.id == job_id)
            .group_by(Job.id)
        ).one_or_none()
        if row is None:
            raise NotFound("job")
        return row[1] or 0
