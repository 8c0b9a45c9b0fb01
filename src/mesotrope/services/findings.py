"""Recording findings one by one, and building the open inspection document from them and back."""

from __future__ import annotations

import datetime
import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError
from sqlalchemy import select
from sqlalchemy.exc import IntegrityError

from mesotrope.core.findings import CORNERS, CornerFindings, Inspection, SystemFindings, leaves, parse_inspection
from mesotrope.core.model import Knowledge
from mesotrope.core.vocabulary import read_entry
from mesotrope.errors import InvalidInput, NotFound
from mesotrope.services.signing_in import Who
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import FindingEntry, Job, Person

#: Where a finding of the whole vehicle is kept.
SYSTEM = "system"

#: (corner, path) of one finding.
Place = tuple[str, str]


def nest(values: Mapping[str, Any]) -> dict[str, Any]:
    """Turn paths into nested fields, numbered steps into lists with gaps.

    >>> nest({"pin.upper": "stiff", "rotor_mm.2": 22.1})
    {'pin': {'upper': 'stiff'}, 'rotor_mm': [None, 22.1]}
    """
    out: dict[str, Any] = {}
    for path, value in values.items():
        *steps, last = path.split(".")
        if last.isdigit():
            *steps, name = steps
            place = _down(out, steps).setdefault(name, [])
            place.extend([None] * (int(last) - len(place)))
            place[int(last) - 1] = value
        else:
            _down(out, steps)[last] = value
    return out


def _down(fields: dict[str, Any], steps: list[str]) -> dict[str, Any]:
    for step in steps:
        fields = fields.setdefault(step, {})
    return fields


def build_inspection(
    specification: Mapping[str, Any], visit: Mapping[str, Any], findings: Mapping[Place, Any]
) -> Inspection:
    """Build the open document from a vehicle, a visit and the findings that stand."""
    by_corner: dict[str, dict[str, Any]] = {}
    for (corner, path), value in findings.items():
        by_corner.setdefault(corner, {})[path] = value
    system = nest(by_corner.pop(SYSTEM, {}))
    corners = {corner: nest(paths) for corner, paths in by_corner.items()}
    document = {"vehicle": specification, "visit": visit, "findings": {"system": system, "corners": corners}}
    return parse_inspection(json.dumps(document))


def places_of(inspection: Inspection) -> dict[Place, Any]:
    """Take an open document apart into its findings; `build_inspection` puts them together again."""
    out: dict[Place, Any] = {(SYSTEM, path): value for path, value in leaves(inspection.system)}
    for corner in CORNERS:
        out |= {(corner, path): value for path, value in leaves(inspection.corner(corner))}
    return out


@dataclass(frozen=True)
class Recorded:
    """What stands after an entry: its value (None: taken back), and whether this key had been recorded before."""

    value: Any
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
) -> Recorded:
    """Write one entry of one finding. The same key again changes nothing and says so.

    Raises `InvalidInput`, `Surprising` (see `read_entry`), or `NotFound`; then nothing is written.
    """
    if not 8 <= len(idempotency_key) <= 64:
        raise InvalidInput("Idempotency-Key", idempotency_key, "8 to 64 characters, new for each entry, are needed")
    if corner != SYSTEM and corner not in CORNERS:
        raise InvalidInput("corner", corner, f"allowed: {', '.join((*CORNERS, SYSTEM))}")
    model = SystemFindings if corner == SYSTEM else CornerFindings
    value = read_entry(model, path, text, knowledge, confirmed=confirmed)
    _hold_place(model, path, value)
    with database.of_workshop(by.workshop_id) as session:
        job_of(session, job_id)
        session.add(
            FindingEntry(
                job_id=job_id,
                corner=corner,
                path=path,
                value=value,
                entered_by=by.person_id,
                entered_at=now,
                idempotency_key=idempotency_key,
            )
        )
        try:
            session.commit()
        except IntegrityError:
            session.rollback()
            known = session.scalar(
                select(FindingEntry).where(
                    FindingEntry.job_id == job_id, FindingEntry.idempotency_key == idempotency_key
                )
            )
            if known is None:
                raise
            return Recorded(known.value, repeated=True)
    return Recorded(value, repeated=False)


def _hold_place(model: type[CornerFindings] | type[SystemFindings], path: str, value: Any) -> None:
    """Refuse a path that the vocabulary does not have, even one that begins like a finding's."""
    steps = path.split(".")
    if any(step.isdigit() for step in steps) and not (steps[-1].isdigit() and 1 <= int(steps[-1]) <= 12):
        raise InvalidInput("finding", path, "places in a list are numbered 1 to 12")
    try:
        model.model_validate(nest({path: value}))
    except (ValidationError, AttributeError, TypeError):
        raise InvalidInput("finding", path, "there is no such finding; see docs/format.md for the names") from None


def job_of(session: WorkshopSession, job_id: int) -> Job:
    """Return a job of this workshop. Raises `NotFound`, also for another workshop's."""
    job = session.scalar(select(Job).where(Job.id == job_id))
    if job is None:
        raise NotFound("job")
    return job


def standing_findings(session: WorkshopSession, job_ids: Iterable[int]) -> dict[int, dict[Place, Any]]:
    """The findings that stand for each job: the latest entry of each place, those taken back left out."""
    ids = list(job_ids)
    out: dict[int, dict[Place, Any]] = {job_id: {} for job_id in ids}
    rows = session.execute(
        select(FindingEntry.job_id, FindingEntry.corner, FindingEntry.path, FindingEntry.value)
        .where(FindingEntry.job_id.in_(ids))
        .order_by(FindingEntry.id)
    )
    for job_id, corner, path, value in rows:
        if value is None:
            out[job_id].pop((corner, path), None)
        else:
            out[job_id][corner, path] = value
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
                idempotency_key=f"document-{number}",
            )
        )


@dataclass(frozen=True)
class Entry:
    """One line of a finding's history."""

    value: Any
    by: str
    at: datetime.datetime


def history_of(database: Database, job_id: int, corner: str, path: str, *, by: Who) -> list[Entry]:
    """Every entry of one finding, the first first: what, by whom, when. Raises `NotFound`."""
    with database.of_workshop(by.workshop_id) as session:
        job_of(session, job_id)
        rows = session.execute(
            select(FindingEntry.value, Person.name, FindingEntry.entered_at)
            .join(Person, Person.id == FindingEntry.entered_by)
            .where(FindingEntry.job_id == job_id, FindingEntry.corner == corner, FindingEntry.path == path)
            .order_by(FindingEntry.id)
        )
        return [Entry(*row) for row in rows]
