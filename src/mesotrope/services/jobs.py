"""Today's jobs, one job with its inspection, and taking a vehicle in."""

from __future__ import annotations

import datetime
import json
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import func, or_, select
from sqlalchemy.orm import joinedload

from mesotrope.core.evidence.since_last import with_earlier_pads
from mesotrope.core.language.entries import check
from mesotrope.core.language.inspection import Inspection, parse_inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.vin import read_vin
from mesotrope.errors import InvalidInput, NotFound
from mesotrope.services.findings import (
    FindingKey,
    StandingFindings,
    build_inspection,
    job_of,
    record_all,
    standing_findings,
)
from mesotrope.services.signing_in import Who
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import Job, Outcome, Vehicle

#: More jobs than this are not shown at once, nor more vehicles found.
MOST_BAYS, MOST_FOUND = 40, 8

LONGEST_REGISTRATION = 20

#: What of a specification is the vehicle's own and never copied from another.
OWN = ("label", "registration", "vin")


@dataclass(frozen=True)
class OpenJob:
    """A job as the screens take it: the vehicle's names, where it stands, and the open document."""

    id: int
    vehicle_id: int
    label: str
    registration: str | None
    opened_at: datetime.datetime
    state: str
    waits_for: str | None
    comes_from: int | None
    inspection: Inspection
    standing: StandingFindings

    @property
    def findings(self) -> Mapping[FindingKey, Any]:
        return self.standing.findings


def _open(job: Job, standing: StandingFindings) -> OpenJob:
    vehicle = job.vehicle
    return OpenJob(
        id=job.id,
        vehicle_id=vehicle.id,
        label=vehicle.label,
        registration=vehicle.registration,
        opened_at=job.opened_at,
        state=job.state,
        waits_for=job.waits_for,
        comes_from=job.comes_from,
        inspection=build_inspection(vehicle.specification, job.visit, standing.findings),
        standing=standing,
    )


def list_bays(database: Database, *, by: Who) -> list[OpenJob]:
    """The open jobs of the workshop, the longest waiting first."""
    with database.of_workshop(by.workshop_id) as session:
        jobs = session.scalars(
            select(Job)
            .options(joinedload(Job.vehicle))
            .where(Job.state == "open")
            .order_by(Job.opened_at, Job.id)
            .limit(MOST_BAYS)
        ).all()
        standing = standing_findings(session, [job.id for job in jobs])
        return [_open(job, standing[job.id]) for job in jobs]


#: As many earlier visits are looked through for the pads' thickness then.
MOST_EARLIER = 3


def open_job(database: Database, job_id: int, *, by: Who, knowledge: Knowledge | None = None) -> OpenJob:
    """One job with its inspection. Raises `NotFound`, also for another workshop's.

    knowledge : where given, the inspection also says what the pads measured at an earlier visit, as the diagnosis
    compares them.
    """
    with database.of_workshop(by.workshop_id) as session:
        job = session.scalar(select(Job).options(joinedload(Job.vehicle)).where(Job.id == job_id))
        if job is None:
            raise NotFound("job")
        if knowledge is None:
            return _open(job, standing_findings(session, [job.id])[job.id])
        before = session.scalars(
            select(Job)
            .where(Job.vehicle_id == job.vehicle_id, Job.opened_at <= job.opened_at, Job.id != job.id)
            .order_by(Job.opened_at.desc())
            .limit(MOST_EARLIER)
        ).all()
        standing = standing_findings(session, [job.id, *(earlier.id for earlier in before)])
        opened = _open(job, standing[job.id])
        earlier = [
            build_inspection(job.vehicle.specification, visit.visit, standing[visit.id].findings) for visit in before
        ]
        return replace(opened, inspection=with_earlier_pads(opened.inspection, earlier, knowledge))


@dataclass(frozen=True)
class Earlier:
    """An earlier visit of the same vehicle."""

    id: int
    opened_at: datetime.datetime
    odometer_km: float | None
    complaint: str | None


def earlier_visits(database: Database, job_id: int, *, by: Who) -> list[Earlier]:
    """Earlier visits of a job's vehicle, the latest first. Raises `NotFound`."""
    with database.of_workshop(by.workshop_id) as session:
        job = job_of(session, job_id)
        rows = session.scalars(
            select(Job)
            .where(Job.vehicle_id == job.vehicle_id, Job.opened_at < job.opened_at)
            .order_by(Job.opened_at.desc())
            .limit(20)
        )
        return [Earlier(r.id, r.opened_at, r.visit.get("odometer_km"), r.visit.get("complaint")) for r in rows]


@dataclass(frozen=True)
class VehicleVisit:
    """One visit of a vehicle with what was found, and what came of it."""

    job_id: int
    opened_at: datetime.datetime
    inspection: Inspection
    outcomes: tuple[str, ...]


@dataclass(frozen=True)
class VehicleHistory:
    id: int
    label: str
    registration: str | None
    visits: tuple[VehicleVisit, ...]


def visits_of(database: Database, vehicle_id: int, *, by: Who) -> VehicleHistory:
    """Every visit of a vehicle, the first first. Raises `NotFound`, also for another workshop's."""
    with database.of_workshop(by.workshop_id) as session:
        vehicle = vehicle_of(session, vehicle_id)
        jobs = session.scalars(select(Job).where(Job.vehicle_id == vehicle_id).order_by(Job.opened_at, Job.id)).all()
        standing = standing_findings(session, [job.id for job in jobs])
        outcomes: dict[int, list[str]] = {}
        for row in session.scalars(select(Outcome).where(Outcome.job_id.in_([job.id for job in jobs]))):
            said = f"{row.corner} {row.fault}".replace("_", " ") + (", came back" if row.came_back else "")
            outcomes.setdefault(row.job_id, []).append(f"{said} ({row.note})" if row.note else said)
        visits = tuple(
            VehicleVisit(
                job.id,
                job.opened_at,
                build_inspection(vehicle.specification, job.visit, standing[job.id].findings),
                tuple(outcomes.get(job.id, ())),
            )
            for job in jobs
        )
        return VehicleHistory(vehicle.id, vehicle.label, vehicle.registration, visits)


@dataclass(frozen=True)
class FoundVehicle:
    """A vehicle the workshop knows: enough to recognize it by."""

    id: int
    label: str
    registration: str | None
    vin: str | None
    kind: str
    last_seen: datetime.datetime | None
    specified: bool


def find_vehicles(database: Database, words: str, *, by: Who) -> list[FoundVehicle]:
    """Vehicles whose plate, VIN or name holds these words, the latest seen first. Two characters at least."""
    words = words.strip()
    if len(words) < 2:
        return []
    pattern = "%" + words.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_") + "%"
    with database.of_workshop(by.workshop_id) as session:
        last = func.max(Job.opened_at)
        rows = session.execute(
            select(Vehicle, last)
            .outerjoin(Job, Job.vehicle_id == Vehicle.id)
            .where(or_(*(column.like(pattern) for column in (Vehicle.registration, Vehicle.vin, Vehicle.label))))
            .group_by(Vehicle.id)
            .order_by(last.desc())
            .limit(MOST_FOUND)
        )
        return [_found(vehicle, seen) for vehicle, seen in rows]


def _found(vehicle: Vehicle, seen: datetime.datetime | None) -> FoundVehicle:
    kind = vehicle.specification.get("kind", "car")
    specified = bool(vehicle.specification.get("axles"))
    return FoundVehicle(vehicle.id, vehicle.label, vehicle.registration, vehicle.vin, kind, seen, specified)


def similar_vehicles(database: Database, kind: str, *, by: Who) -> list[FoundVehicle]:
    """Vehicles of a kind whose brakes are specified, to copy from."""
    with database.of_workshop(by.workshop_id) as session:
        rows = session.scalars(select(Vehicle).order_by(Vehicle.label).limit(400))
        found = [_found(vehicle, None) for vehicle in rows]
        return [vehicle for vehicle in found if vehicle.kind == kind and vehicle.specified]


def vehicle_of(session: WorkshopSession, vehicle_id: int, *, for_writing: bool = False) -> Vehicle:
    """Return a vehicle of this workshop. Raises `NotFound`."""
    query = select(Vehicle).where(Vehicle.id == vehicle_id)
    vehicle = session.scalar(query.with_for_update() if for_writing else query)
    if vehicle is None:
        raise NotFound("vehicle")
    return vehicle


def _require_names(label: str, registration: str, vin: str) -> tuple[str, str | None, str | None]:
    """Name, plate and VIN as they are kept. Raises `InvalidInput`."""
    label, registration = label.strip(), registration.strip().upper()
    if not 1 <= len(label) <= 120:
        raise InvalidInput("vehicle", label, "a name of 1 to 120 characters is needed")
    if len(registration) > LONGEST_REGISTRATION:
        raise InvalidInput("plate", registration, f"at most {LONGEST_REGISTRATION} characters are allowed")
    return label, registration or None, read_vin(vin).number if vin.strip() else None


def _without(specification: Mapping[str, Any], left_out: tuple[str, ...]) -> dict[str, Any]:
    return {name: value for name, value in specification.items() if name not in left_out}


def take_in(
    database: Database,
    knowledge: Knowledge,
    *,
    label: str,
    kind: str,
    registration: str,
    odometer_km: float | None,
    usage: str,
    complaint: str,
    by: Who,
    now: datetime.datetime,
    vin: str = "",
    vehicle_id: int | None = None,
    copy_from: int | None = None,
    recent_work: tuple[str, ...] = (),
    ambient_c: float | None = None,
) -> int:
    """Open a job for a vehicle: one that is known (`vehicle_id`, else its plate or VIN), else new.

    What is not known of a new vehicle is copied from a similar one (`copy_from`) or left out, so that defaults are
    used and said to be defaults. Returns the job's number. Raises `InvalidInput` or `NotFound`; then nothing is
    written.
    """
    label, plate, number = _require_names(label, registration, vin)
    visit = {
        "date": now.date().isoformat(),
        "odometer_km": odometer_km,
        "ambient_c": ambient_c,
        "usage": usage or None,
        "recent_work": list(recent_work) or None,
        "complaint": complaint.strip() or None,
    }
    names = {"label": label, "registration": plate, "vin": number}
    check(parse_inspection(json.dumps({"vehicle": {**names, "kind": kind}, "visit": visit})), knowledge)
    with database.of_workshop(by.workshop_id) as session, session.begin():
        vehicle = vehicle_of(session, vehicle_id) if vehicle_id is not None else _known(session, plate, number)
        if vehicle is None:
            copied = _without(vehicle_of(session, copy_from).specification, OWN) if copy_from is not None else {}
            specification = {**copied, "kind": kind, **{name: value for name, value in names.items() if value}}
            vehicle = Vehicle(label=label, registration=plate, vin=number, specification=specification)
            session.add(vehicle)
            session.flush()
        job = Job(vehicle_id=vehicle.id, opened_by=by.person_id, opened_at=now, state="open", visit=visit)
        session.add(job)
        session.flush()
        return job.id


def _known(session: WorkshopSession, plate: str | None, vin: str | None) -> Vehicle | None:
    """The vehicle that has this plate, else this VIN."""
    for column, value in ((Vehicle.registration, plate), (Vehicle.vin, vin)):
        if value and (vehicle := session.scalar(select(Vehicle).where(column == value).limit(1))):
            return vehicle
    return None


def describe(
    database: Database,
    knowledge: Knowledge,
    job_id: int,
    *,
    specification: Mapping[str, Any] | None = None,
    visit: Mapping[str, Any] | None = None,
    by: Who,
) -> None:
    """Keep what is known of a job's vehicle, of its visit, or of both, as the open format writes them: all or nothing.

    A specification is kept whole. Of a visit, what is not given is not known; its date stays. Raises
    `InvalidDocument`, `InvalidInput`, `NotFound`.
    """
    given = {name: value for name, value in (visit or {}).items() if value not in (None, "", [])}
    check(parse_inspection(json.dumps({"visit": given})), knowledge)
    with database.of_workshop(by.workshop_id) as session, session.begin():
        job = job_of(session, job_id, for_writing=True)
        if specification is not None:
            _specify(session, knowledge, job, specification)
        if visit is not None:
            job.visit = {**given, "date": job.visit.get("date")}


def _specify(session: WorkshopSession, knowledge: Knowledge, job: Job, specification: Mapping[str, Any]) -> None:
    """Keep a specification for a job's vehicle, in the caller's transaction."""
    label, plate, number = _require_names(
        specification.get("label") or "", specification.get("registration") or "", specification.get("vin") or ""
    )
    names = {"label": label, "registration": plate, "vin": number}
    kept = {**specification, **names}
    kept = {name: value for name, value in kept.items() if value is not None}
    check(parse_inspection(json.dumps({"vehicle": kept})), knowledge)
    vehicle = vehicle_of(session, job.vehicle_id, for_writing=True)
    other = session.scalar(select(Vehicle).where(Vehicle.registration == plate)) if plate else None
    if other is not None and other.id != vehicle.id:
        raise InvalidInput("plate", plate, f"it belongs to {other.label}; correct one of the two")
    vehicle.label, vehicle.registration, vehicle.vin, vehicle.specification = label, plate, number, kept


def add_document(
    session: WorkshopSession,
    inspection: Inspection,
    *,
    by: int,
    now: datetime.datetime,
    state: str,
    waits_for: str | None = None,
) -> Job:
    """Write a whole inspection document as a job, in the caller's transaction; the vehicle is found by its plate.

    A vehicle that is new is kept as the document has it. One that is known keeps its specification where the document
    says nothing else. Raises `InvalidInput`.
    """
    plain = json.loads(inspection.model_dump_json(exclude_none=True))
    specification = plain["vehicle"]
    label, plate, number = _require_names(
        specification.get("label") or "Unnamed vehicle",
        specification.get("registration") or "",
        specification.get("vin") or "",
    )
    vehicle = _known(session, plate, number)
    if vehicle is None:
        names = {"registration": plate, "vin": number}
        kept = {**specification, **{name: value for name, value in names.items() if value}}
        vehicle = Vehicle(label=label, registration=plate, vin=number, specification=kept)
        session.add(vehicle)
        session.flush()
    else:
        told = _without(specification, OWN)
        vehicle.specification = {**vehicle.specification, **told}
    job = Job(
        vehicle_id=vehicle.id, opened_by=by, opened_at=now, state=state, visit=plain["visit"], waits_for=waits_for
    )
    session.add(job)
    session.flush()
    record_all(session, job, inspection, by=by, now=now)
    return job
