"""Today's jobs, one job with its inspection, and taking a vehicle in."""

from __future__ import annotations

import datetime
import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import joinedload

from mesotrope.core.findings import Inspection, parse_inspection
from mesotrope.core.model import Knowledge
from mesotrope.core.vocabulary import check
from mesotrope.errors import InvalidInput, NotFound
from mesotrope.services.findings import Place, build_inspection, record_all, standing_findings
from mesotrope.services.signing_in import Who
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import Job, Vehicle

#: More jobs than this are not shown at once.
MOST_BAYS = 40


@dataclass(frozen=True)
class OpenJob:
    """A job as the screens take it: the vehicle's names, where it stands, and the open document."""

    id: int
    label: str
    registration: str | None
    opened_at: datetime.datetime
    state: str
    waits_for: str | None
    inspection: Inspection
    findings: Mapping[Place, Any]


def _open(job: Job, findings: Mapping[Place, Any]) -> OpenJob:
    vehicle = job.vehicle
    return OpenJob(
        id=job.id,
        label=vehicle.label,
        registration=vehicle.registration,
        opened_at=job.opened_at,
        state=job.state,
        waits_for=job.waits_for,
        inspection=build_inspection(vehicle.specification, job.visit, findings),
        findings=findings,
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
        findings = standing_findings(session, [job.id for job in jobs])
        return [_open(job, findings[job.id]) for job in jobs]


def open_job(database: Database, job_id: int, *, by: Who) -> OpenJob:
    """One job with its inspection. Raises `NotFound`, also for another workshop's."""
    with database.of_workshop(by.workshop_id) as session:
        job = session.scalar(select(Job).options(joinedload(Job.vehicle)).where(Job.id == job_id))
        if job is None:
            raise NotFound("job")
        return _open(job, standing_findings(session, [job.id])[job.id])


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
        job = session.scalar(select(Job).where(Job.id == job_id))
        if job is None:
            raise NotFound("job")
        rows = session.scalars(
            select(Job)
            .where(Job.vehicle_id == job.vehicle_id, Job.opened_at < job.opened_at)
            .order_by(Job.opened_at.desc())
            .limit(20)
        )
        return [Earlier(r.id, r.opened_at, r.visit.get("odometer_km"), r.visit.get("complaint")) for r in rows]


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
) -> int:
    """Open a job for a vehicle, found again by its plate, else new. Returns the job's number.

    What is not known of a new vehicle is left out, so that defaults are used and said to be defaults.
    Raises `InvalidInput`; then nothing is written.
    """
    label, registration = label.strip(), registration.strip().upper()
    if not 1 <= len(label) <= 120:
        raise InvalidInput("vehicle", label, "a name of 1 to 120 characters is needed")
    if len(registration) > 20:
        raise InvalidInput("plate", registration, "at most 20 characters are allowed")
    visit = {
        "date": now.date().isoformat(),
        "odometer_km": odometer_km,
        "usage": usage or None,
        "complaint": complaint.strip() or None,
    }
    specification = {"label": label, "kind": kind, "registration": registration or None}
    check(parse_inspection(json.dumps({"vehicle": specification, "visit": visit})), knowledge)
    with database.of_workshop(by.workshop_id) as session, session.begin():
        vehicle = None
        if registration:
            vehicle = session.scalar(select(Vehicle).where(Vehicle.registration == registration))
        if vehicle is None:
            vehicle = Vehicle(label=label, registration=registration or None, specification=specification)
            session.add(vehicle)
            session.flush()
        job = Job(vehicle_id=vehicle.id, opened_by=by.person_id, opened_at=now, state="open", visit=visit)
        session.add(job)
        session.flush()
        return job.id


def add_document(
    session: WorkshopSession,
    inspection: Inspection,
    *,
    by: int,
    now: datetime.datetime,
    state: str,
    waits_for: str | None = None,
) -> Job:
    """Write a whole inspection document as a job, in the caller's transaction; the vehicle is found by its plate."""
    plain = json.loads(inspection.model_dump_json(exclude_none=True))
    specification = plain["vehicle"]
    registration = specification.get("registration")
    vehicle = session.scalar(select(Vehicle).where(Vehicle.registration == registration)) if registration else None
    if vehicle is None:
        label = specification.get("label") or "Unnamed vehicle"
        vehicle = Vehicle(label=label, registration=registration, specification=specification)
        session.add(vehicle)
        session.flush()
    job = Job(
        vehicle_id=vehicle.id, opened_by=by, opened_at=now, state=state, visit=plain["visit"], waits_for=waits_for
    )
    session.add(job)
    session.flush()
    record_all(session, job, inspection, by=by, now=now)
    return job
