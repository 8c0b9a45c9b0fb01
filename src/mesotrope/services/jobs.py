"""Today's jobs, one job with its inspection, and taking a vehicle in."""

from __future__ import annotations

import datetime
import json
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Select, func, select

from mesotrope.core.evidence.readings import VisitReadings
from mesotrope.core.language.entries import check
from mesotrope.core.language.inspection import Inspection, parse_inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.plate import plate_key
from mesotrope.core.language.saying import at_most_characters, marked, said, verbatim
from mesotrope.core.language.vin import read_vin
from mesotrope.errors import InvalidInput, Surprising
from mesotrope.services.again import done_again
from mesotrope.services.finding import MOST_LOOKED_AT, words_beginning
from mesotrope.services.findings import FROM_A_DOCUMENT, job_of, places_of, record_all, vehicle_of
from mesotrope.services.job_rows import OpenJob, build_inspection, keep_measured, kept_readings, read_job
from mesotrope.services.once import do_once
from mesotrope.services.outcomes import OutcomeOfJob, outcomes_in
from mesotrope.services.owners import Contact, belongs_to, checked
from mesotrope.services.records import add_record
from mesotrope.services.search_index import in_one_word, index_job, index_vehicle
from mesotrope.services.signing_in import Who
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import Job, Vehicle

#: More vehicles than this are not found at once.
MOST_FOUND = 8

#: So many vehicles are offered to copy from.
MOST_SIMILAR = 60

LONGEST_REGISTRATION = 20

#: What of a specification is the vehicle's own and never copied from another.
OWN = ("label", "registration", "vin")


def open_job(database: Database, job_id: int, *, by: Who, knowledge: Knowledge) -> OpenJob:
    """One job with its inspection and the visits of its vehicle. Raises `NotFound`, also for another workshop's."""
    with database.of_workshop(by.workshop_id) as session, session.begin():
        rows = read_job(session, job_id)
    return rows.opened(knowledge)


@dataclass(frozen=True)
class VehicleVisit:
    """One visit of a vehicle, what it measured of the wearing parts, and what came of it."""

    job_id: int
    opened_at: datetime.datetime
    complaint: str
    readings: VisitReadings
    outcome: OutcomeOfJob


@dataclass(frozen=True)
class VehicleHistory:
    """A vehicle with its visits, the first first; `described`: its specification as an inspection without findings."""

    id: int
    label: str
    registration: str | None
    described: Inspection
    visits: tuple[VehicleVisit, ...]

    @property
    def readings(self) -> tuple[VisitReadings, ...]:
        return tuple(visit.readings for visit in self.visits)


def visits_of(database: Database, vehicle_id: int, *, by: Who) -> VehicleHistory:
    """Every visit of a vehicle, the first first. Raises `NotFound`, also for another workshop's."""
    with database.of_workshop(by.workshop_id) as session, session.begin():
        vehicle = vehicle_of(session, vehicle_id)
        jobs = session.scalars(select(Job).where(Job.vehicle_id == vehicle_id).order_by(Job.opened_at, Job.id)).all()
        keep_measured(session, jobs)
        outcomes = outcomes_in(session, [job.id for job in jobs])
        visits = tuple(
            VehicleVisit(
                job.id,
                job.opened_at,
                job.visit.get("complaint") or "",
                kept_readings(job),
                outcomes[job.id],
            )
            for job in jobs
        )
        described = build_inspection(vehicle.specification, jobs[-1].visit if jobs else {}, {})
        return VehicleHistory(vehicle.id, vehicle.label, vehicle.registration, described, visits)


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
    """Vehicles whose plate, VIN or name holds these words, the latest seen first. Two characters at least.

    The plate or VIN itself is looked up first, then what begins so, then any part; each only where the one before it
    left room.
    """
    words = words.strip()
    if len(words) < 2:
        return []
    with database.of_workshop(by.workshop_id) as session:
        ids: dict[int, None] = {}
        for query in _ways_of_finding(words):
            if len(ids) < MOST_FOUND:
                ids |= dict.fromkeys(session.scalars(query.limit(MOST_LOOKED_AT)))
        last = func.max(Job.opened_at)
        latest = (
            select(Vehicle.id, last)
            .outerjoin(Job, Job.vehicle_id == Vehicle.id)
            .where(Vehicle.id.in_(ids))
            .group_by(Vehicle.id)
            .order_by(last.desc())
            .limit(MOST_FOUND)
        )
        seen: dict[int, datetime.datetime | None] = dict(session.execute(latest).all())
        vehicles = {vehicle.id: vehicle for vehicle in session.scalars(select(Vehicle).where(Vehicle.id.in_(seen)))}
        return [_found(vehicles[number], moment) for number, moment in seen.items()]


def _ways_of_finding(words: str) -> Iterator[Select[int]]:
    """Numbers of vehicles by some words: exactly, by a beginning, anywhere; each a span of an index, but for a part of
    a name, which goes through the names alone."""
    key = plate_key(words) or words
    one = select(Vehicle.id)
    yield one.where(Vehicle.plate_key == key)
    yield one.where(Vehicle.vin == words.upper())
    yield one.where(Vehicle.label.startswith(words, autoescape=True))
    if letters := in_one_word(key):
        yield words_beginning(letters)  # plates and VINs are kept under each of their endings
    yield one.where(Vehicle.label.contains(words, autoescape=True))


def vehicle_found(database: Database, vehicle_id: int, *, by: Who) -> FoundVehicle:
    """One vehicle, as it is found. Raises `NotFound`."""
    with database.of_workshop(by.workshop_id) as session:
        vehicle = vehicle_of(session, vehicle_id)
        seen = session.scalar(select(func.max(Job.opened_at)).where(Job.vehicle_id == vehicle_id))
        return _found(vehicle, seen)


def _found(vehicle: Vehicle, seen: datetime.datetime | None) -> FoundVehicle:
    kind = vehicle.specification.get("kind", "car")
    specified = bool(vehicle.specification.get("axles"))
    return FoundVehicle(vehicle.id, vehicle.label, vehicle.registration, vehicle.vin, kind, seen, specified)


def similar_vehicles(database: Database, kind: str, *, by: Who) -> list[FoundVehicle]:
    """Vehicles of a kind whose brakes are specified, to copy from: the latest that came, by name."""
    latest = select(Vehicle).where(Vehicle.specified_kind == kind).order_by(Vehicle.id.desc()).limit(MOST_SIMILAR)
    with database.of_workshop(by.workshop_id) as session:
        return [_found(vehicle, None) for vehicle in sorted(session.scalars(latest), key=lambda one: one.label)]


def _require_names(label: str, registration: str, vin: str) -> tuple[str, str | None, str | None]:
    """Name, plate and VIN as they are kept. Raises `InvalidInput`."""
    label, registration = label.strip(), registration.strip().upper()
    if not 1 <= len(label) <= 120:
        raise InvalidInput("vehicle", label, "a name of 1 to 120 characters is needed")
    if len(registration) > LONGEST_REGISTRATION:
        raise InvalidInput(
            "plate",
            registration,
            at_most_characters(LONGEST_REGISTRATION),
        )
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
    confirmed: bool = False,
    owner: Contact | None = None,
    promised: datetime.datetime | None = None,
) -> int:
    """Open a job for a vehicle: a known one (`vehicle_id`, without names; else its plate or VIN), else a new one.

    owner : whose it is, where that was said; promised : when it is to be ready.

    What is not known of a new vehicle is copied from a similar one (`copy_from`) or left out, so that defaults are
    used and said to be defaults. Returns the job's number; the change's key again returns the same. Raises
    `Surprising` for a vehicle that is in the shop already, or has come less far than at its last visit, unless
    `confirmed`; `InvalidInput` or `NotFound`. Then nothing is written.
    """
    if vehicle_id is None:
        label, plate, number = _require_names(label, registration, vin)
    else:
        plate = number = None
    visit = {
        "date": by.dates.local(now).date().isoformat(),
        "odometer_km": odometer_km,
        "ambient_c": ambient_c,
        "usage": usage or None,
        "recent_work": list(recent_work) or None,
        "complaint": complaint.strip() or None,
    }
    names = {"label": label or None, "registration": plate, "vin": number}
    contact = checked(owner) if owner and owner.name.strip() else None
    check(parse_inspection(json.dumps({"vehicle": {**names, "kind": kind}, "visit": visit})), knowledge)

    def open_it(session: WorkshopSession) -> int:
        vehicle = vehicle_of(session, vehicle_id) if vehicle_id is not None else _known(session, plate, number)
        new = vehicle is None
        if vehicle is None:
            copied = _without(vehicle_of(session, copy_from).specification, OWN) if copy_from is not None else {}
            specification = {**copied, "kind": kind, **{name: value for name, value in names.items() if value}}
            vehicle = Vehicle(label=label, registration=plate, vin=number, specification=specification)
            session.add(vehicle)
            session.flush()
        elif not confirmed:
            _ask_about(session, vehicle, odometer_km, by)
        job = Job(vehicle_id=vehicle.id, opened_by=by.person_id, opened_at=now, state="open", visit=visit)
        session.add(job)
        session.flush()
        index_job(session, job)
        if contact is not None:
            belongs_to(session, vehicle, contact)
        if new or contact is not None:
            index_vehicle(session, vehicle)
        if promised is not None:
            add_record(session, job.id, "promised", "", promised.isoformat(), "", by=by, now=now)
        return job.id

    content = [names, visit, vehicle_id, copy_from, contact and contact.__dict__, promised and promised.isoformat()]
    return do_once(database, "take-in", open_it, content, by=by, now=now)


def _ask_about(session: WorkshopSession, vehicle: Vehicle, odometer_km: float | None, by: Who) -> None:
    """Ask about what is unusual of a vehicle that is known. Raises `Surprising`."""
    visits = session.scalars(select(Job).where(Job.vehicle_id == vehicle.id).order_by(Job.opened_at, Job.id)).all()
    if waiting := [job.id for job in visits if job.state == "open"]:
        words = said("it is in the shop already, as job {number}; open that one, or another beside it",
                     number=verbatim(waiting[-1]))  # fmt: skip
        raise Surprising(vehicle.label, "a second open job", words)
    before = [float(job.visit["odometer_km"]) for job in visits if job.visit.get("odometer_km") is not None]
    if odometer_km is not None and before and odometer_km < before[-1]:
        given, last = (by.units.with_unit(km, "km") for km in (odometer_km, before[-1]))
        raise Surprising(
            "distance", given, said("at its last visit it had {last}; put it right, or keep it", last=verbatim(last))
        )


def _known(session: WorkshopSession, plate: str | None, vin: str | None) -> Vehicle | None:
    """The vehicle that has this plate, else this VIN."""
    for column, value in ((Vehicle.plate_key, plate and plate_key(plate)), (Vehicle.vin, vin)):
        if value and (vehicle := session.scalar(select(Vehicle).where(column == value).limit(1))):
            return vehicle
    return None


#: Vehicle and visit as the open format writes them; None for what is left as it stands.
Described = tuple[Mapping[str, Any] | None, Mapping[str, Any] | None]


@done_again
def describe(
    database: Database, knowledge: Knowledge, job_id: int, written: Callable[[Inspection], Described], *, by: Who
) -> None:
    """Keep what is known of a job's vehicle, of its visit, or of both: all or nothing.

    written : what is kept; it is told how the job is described, and nobody else changes that until it is kept. A
    specification is kept whole. Of a visit, what is not given is not known; its date stays. Raises what `written`
    raises, `InvalidDocument`, `InvalidInput`, `JobClosed`, `NotFound`.
    """
    with database.of_workshop(by.workshop_id) as session, session.begin():
        job = job_of(session, job_id, for_writing=True)
        stands = read_job(session, job_id, for_writing=True).opened(knowledge).inspection
        specification, visit = written(stands)
        if specification is not None:
            _specify(session, knowledge, job, specification)
        if visit is not None:
            given = {name: value for name, value in visit.items() if value not in (None, "", [])}
            check(parse_inspection(json.dumps({"visit": given})), knowledge)
            job.visit = {**given, "date": job.visit.get("date")}
            index_job(session, job)


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
    other = session.scalar(select(Vehicle).where(Vehicle.plate_key == plate_key(plate))) if plate else None
    if other is not None and other.id != vehicle.id:
        raise InvalidInput(
            "plate", plate, said("it belongs to {label}; correct one of the two", label=verbatim(other.label))
        )
    vehicle.label, vehicle.registration, vehicle.vin, vehicle.specification = label, plate, number, kept
    vehicle.due_key = None
    index_vehicle(session, vehicle)


def add_document(
    session: WorkshopSession,
    inspection: Inspection,
    *,
    by: int,
    now: datetime.datetime,
    state: str,
) -> Job:
    """Write a whole inspection document as a job, in the caller's transaction; the vehicle is found by its plate.

    A vehicle that is new is kept as the document has it. One that is known keeps its specification where the document
    says nothing else. Raises `InvalidInput`.
    """
    plain = json.loads(inspection.model_dump_json(exclude_none=True))
    specification = plain["vehicle"]
    label, plate, number = _require_names(
        specification.get("label") or marked("Unnamed vehicle"),
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
        index_vehicle(session, vehicle)
    else:
        told = _without(specification, OWN)
        vehicle.specification = {**vehicle.specification, **told}
    job = Job(
        vehicle_id=vehicle.id, opened_by=by, opened_at=now, state=state, visit=plain["visit"],
        closed_at=now if state == "closed" else None,
    )  # fmt: skip
    session.add(job)
    session.flush()
    index_job(session, job)
    vehicle.due_key = None
    record_all(session, job, places_of(inspection).items(), FROM_A_DOCUMENT, by=by, now=now)
    return job
