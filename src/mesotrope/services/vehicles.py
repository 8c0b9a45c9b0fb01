"""A vehicle with all that is known of it: its visits, pictures, torques, what was promised, whose it is."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import select

from mesotrope.services.findings import vehicle_of
from mesotrope.services.jobs import VehicleHistory, visits_of
from mesotrope.services.signing_in import Who
from mesotrope.store.day_tables import Owner
from mesotrope.store.session import Database
from mesotrope.store.tables import Job, JobRecord, Photograph


@dataclass(frozen=True)
class Torque:
    """A torque that was asked for in a visit, N·m, and where its figure stood."""

    fastener: str
    asked_nm: float | None
    source: str
    read_nm: float | None
    at: datetime.datetime
    job_id: int


@dataclass(frozen=True)
class Promised:
    """When a visit was promised to be ready, and when it was released."""

    job_id: int
    promised: datetime.datetime
    released: datetime.datetime | None

    @property
    def kept(self) -> bool | None:
        return None if self.released is None else self.released <= self.promised


@dataclass(frozen=True)
class Picture:
    id: int
    job_id: int
    corner: str
    taken_at: datetime.datetime


@dataclass(frozen=True)
class WholeVehicle:
    history: VehicleHistory
    vin: str | None
    owner: tuple[int, str, str] | None
    torques: tuple[Torque, ...]
    promised: tuple[Promised, ...]
    pictures: tuple[Picture, ...]
    open_job: int | None


def whole_vehicle(database: Database, vehicle_id: int, *, by: Who) -> WholeVehicle:
    """A vehicle with all that is known of it. Raises `NotFound`, also for another workshop's."""
    history = visits_of(database, vehicle_id, by=by)
    with database.of_workshop(by.workshop_id) as session:
        vehicle = vehicle_of(session, vehicle_id)
        owner = session.get(Owner, vehicle.owner_id) if vehicle.owner_id else None
        jobs = [visit.job_id for visit in history.visits]
        records = session.scalars(
            select(JobRecord)
            .where(JobRecord.job_id.in_(jobs), JobRecord.kind.in_(("torque", "promised", "release")))
            .order_by(JobRecord.id)
        ).all()
        pictures = session.execute(
            select(Photograph.id, Photograph.job_id, Photograph.corner, Photograph.taken_at)
            .where(Photograph.job_id.in_(jobs))
            .order_by(Photograph.id.desc())
        )
        shots = tuple(Picture(*row) for row in pictures)
        open_job = session.scalar(
            select(Job.id).where(Job.vehicle_id == vehicle_id, Job.state == "open").order_by(Job.id.desc()).limit(1)
        )
    return WholeVehicle(
        history,
        vehicle.vin,
        (owner.id, owner.name, owner.telephone) if owner else None,
        _torques(records),
        _promised(records),
        shots,
        open_job,
    )


def _torques(records: Sequence[JobRecord]) -> tuple[Torque, ...]:
    latest: dict[str, Torque] = {}
    for record in records:
        if record.kind == "torque" and record.value:
            value = record.value
            latest[record.subject] = Torque(
                record.subject, value["asked"], value["source"], value["read"], record.made_at, record.job_id
            )
    return tuple(latest.values())


def _promised(records: Sequence[JobRecord]) -> tuple[Promised, ...]:
    promised: dict[int, datetime.datetime] = {}
    released: dict[int, datetime.datetime] = {}
    for record in records:
        if record.kind == "promised":
            promised.pop(record.job_id, None)
            if record.value:
                promised[record.job_id] = datetime.datetime.fromisoformat(record.value)
        elif record.kind == "release" and record.value:
            released[record.job_id] = record.made_at
    return tuple(Promised(job, moment, released.get(job)) for job, moment in sorted(promised.items(), reverse=True))
