"""A job as it stands in the database, read once: its vehicle, all visits of that vehicle, and the job's entries.

A few queries bring everything that a page or an entry needs, fewer where it was read before; what is made from them is
handed on, never read again.
"""

from __future__ import annotations

import datetime
import json
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, NamedTuple

from sqlalchemy import bindparam, func, select

from mesotrope.core.evidence.readings import AFTER, MADE_NEW, MAKES_NEW, VisitReadings, measured_of
from mesotrope.core.evidence.since_last import new_fluid_of, with_earlier_visits
from mesotrope.core.language.corner import VEHICLE
from mesotrope.core.language.inspection import Inspection, parse_inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.paths import nest
from mesotrope.errors import JobArchived, NotFound
from mesotrope.services.read_before import ReadBefore
from mesotrope.store.session import WorkshopSession
from mesotrope.store.tables import FindingEntry, Job, JobRecord, Vehicle

#: Where a finding is kept: the name of its place, and its path in the vocabulary.
FindingKey = tuple[str, str]


class EntryRow(NamedTuple):
    """One entry as it stands in the database."""

    id: int
    corner: str
    path: str
    value: Any
    entered_by: int
    key: str
    undoes: int | None
    device: str
    simulated: bool = False


@dataclass(frozen=True)
class StandingFindings:
    """The findings that stand for a job (the latest entry of each place, those taken back left out), and the number of
    the latest entry of every place that ever had one."""

    findings: dict[FindingKey, Any] = field(default_factory=dict)
    entry_ids: dict[FindingKey, int] = field(default_factory=dict)
    #: The places whose finding is a reading of a simulated instrument.
    simulated: set[FindingKey] = field(default_factory=set)

    @property
    def last_entry(self) -> int:
        return max(self.entry_ids.values(), default=0)

    @classmethod
    def of(cls, entries: Iterable[EntryRow]) -> StandingFindings:
        """What stands after some entries, in their order."""
        standing = cls()
        for entry in entries:
            place = (entry.corner, entry.path)
            standing.entry_ids[place] = entry.id
            standing.simulated.discard(place)
            if entry.value is None:
                standing.findings.pop(place, None)
            else:
                standing.findings[place] = entry.value
                if entry.simulated:
                    standing.simulated.add(place)
        return standing


@dataclass(frozen=True)
class EarlierVisit:
    """An earlier visit of the same vehicle."""

    id: int
    opened_at: datetime.datetime
    odometer_km: float | None
    complaint: str | None


@dataclass(frozen=True)
class OpenJob:
    """A job as the screens take it: the vehicle's names, where it stands, the open document, and the vehicle's visits.

    The document says what the pads measured at an earlier visit, so that whoever diagnoses it finds the same.
    new_fluid : the last day on which the vehicle left with new fluid.
    """

    id: int
    vehicle_id: int
    label: str
    registration: str | None
    opened_at: datetime.datetime
    state: str
    comes_from: int | None
    inspection: Inspection
    standing: StandingFindings
    visits: tuple[VisitReadings, ...]
    earlier: tuple[EarlierVisit, ...]
    new_fluid: datetime.date | None = None
    #: The learnt version that its verdict was signed with, whose tables it keeps; none: those in use.
    signed_with: int | None = None

    @property
    def findings(self) -> Mapping[FindingKey, Any]:
        return self.standing.findings

    @property
    def simulated(self) -> int:
        """How many of the findings are readings of simulated instruments."""
        return len(self.standing.simulated)


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


class VisitRow(NamedTuple):
    """One visit of a vehicle as it stands in the database: as much of it as every other visit needs."""

    id: int
    opened_at: datetime.datetime
    visit: dict[str, Any]
    measured: dict[str, dict[str, float]] | None
    measured_at: int
    last_entry: int


@dataclass
class JobRows:
    """The rows of one job: itself, its vehicle, all visits of that vehicle (itself among them), its entries."""

    job: Job
    vehicle: Vehicle
    visits: list[VisitRow]
    entries: list[EntryRow]

    @cached_property
    def standing(self) -> StandingFindings:
        return StandingFindings.of(self.entries)

    def entry_of_key(self, key: str) -> EntryRow | None:
        """The entry that was made under an idempotency key."""
        return next((entry for entry in self.entries if entry.key == key), None)

    def add(self, session: WorkshopSession, entry: FindingEntry) -> None:
        """Write one more entry, and move the job on to it."""
        session.add(entry)
        session.flush()
        self.job.last_entry = entry.id
        self.entries.append(_row(entry))
        self.__dict__.pop("standing", None)
        _entries_up_to(session, self.job, lambda: tuple(self.entries))

    def opened(self, knowledge: Knowledge) -> OpenJob:
        """The job as the screens take it; its document is parsed here, and nowhere else."""
        job, vehicle, standing = self.job, self.vehicle, self.standing
        before = [other for other in self.visits if _before(other, job)]
        written = build_inspection(vehicle.specification, job.visit, standing.findings)
        readings = {other.id: kept_readings(other) for other in self.visits if other.id != job.id}
        earlier = [readings[other.id] for other in before]
        inspection = with_earlier_visits(written, job.opened_at.date(), earlier, knowledge)
        readings[job.id] = VisitReadings(job.id, job.visit.get("odometer_km"), measured_of(standing.findings))
        return OpenJob(
            id=job.id,
            vehicle_id=vehicle.id,
            label=vehicle.label,
            registration=vehicle.registration,
            opened_at=job.opened_at,
            state=job.state,
            comes_from=job.comes_from,
            inspection=inspection,
            standing=standing,
            new_fluid=new_fluid_of(earlier),
            visits=tuple(readings[other.id] for other in self.visits),
            earlier=tuple(
                EarlierVisit(o.id, o.opened_at, o.visit.get("odometer_km"), o.visit.get("complaint"))
                for o in reversed(before)
            ),
            signed_with=job.signed_with,
        )


def _before(other: VisitRow, job: Job) -> bool:
    return (other.opened_at, other.id) < (job.opened_at, job.id)


def kept_readings(visit: Job | VisitRow) -> VisitReadings:
    """What a visit keeps of the thicknesses it measured; see `keep_measured`."""
    before: dict[str, Any] = dict(visit.measured or {})
    after, made_new = before.pop(AFTER, {}), before.pop(MADE_NEW, {})
    odometer_km, day = visit.visit.get("odometer_km"), visit.opened_at.date()
    return VisitReadings(visit.id, odometer_km, before, after, made_new, day)


def _row(entry: FindingEntry) -> EntryRow:
    return EntryRow(
        entry.id, entry.corner, entry.path, entry.value, entry.entered_by, entry.idempotency_key, entry.undoes,
        entry.device, bool(entry.simulated),
    )  # fmt: skip


_JOB = select(Job, Vehicle).join(Vehicle, Vehicle.id == Job.vehicle_id).where(Job.id == bindparam("job_id"))
_JOB_TO_WRITE = _JOB.with_for_update()


def read_job(session: WorkshopSession, job_id: int, *, for_writing: bool = False) -> JobRows:
    """Read one job of the session's workshop, locked against other writers if it is to be written.

    Raises `JobArchived`; `NotFound`, also for another workshop's.
    """
    # The locking read asks for nothing within it: it would see what was there before the lock was had, and with it
    # everything that is read after it in the transaction.
    found = session.execute(_JOB_TO_WRITE if for_writing else _JOB, {"job_id": job_id}).first()
    if found is None:
        raise NotFound("job")
    job, vehicle = found
    if job.archived_at is not None:
        raise JobArchived(job_id)
    own = VisitRow(job.id, job.opened_at, job.visit, job.measured, job.measured_at, job.last_entry)
    visits = sorted([*_other_visits(session, job), own], key=lambda visit: (visit.opened_at, visit.id))
    entries = _entries_up_to(session, job, lambda: tuple(entries_of(session, [job_id])[job_id]))
    return JobRows(job, vehicle, visits, list(entries))


#: The entries of the latest jobs, by the job and the number of the last of them: an entry is never changed, and every
#: entry moves its job on. The visits of the latest jobs' vehicles, by the job and what any change of them changes.
_entries: ReadBefore[tuple[EntryRow, ...]] = ReadBefore(128)
_others: ReadBefore[tuple[VisitRow, ...]] = ReadBefore(128)


def _entries_up_to(
    session: WorkshopSession, job: Job, read: Callable[[], tuple[EntryRow, ...]]
) -> tuple[EntryRow, ...]:
    """All entries of a job, as far as it has come."""
    return _entries.of(session, (job.id, job.last_entry), read)


_OTHERS = (Job.vehicle_id == bindparam("vehicle_id"), Job.id != bindparam("job_id"))
_STALE = Job.measured_at != Job.last_entry
_KEPT = func.sum(func.crc32(func.coalesce(Job.measured, "")))
_OTHERS_STAND = select(
    func.count(), func.max(Job.id), func.sum(Job.last_entry), func.sum(func.crc32(Job.visit)), _KEPT, func.sum(_STALE)
).where(*_OTHERS)
_OTHERS_STALE = select(Job).where(*_OTHERS, _STALE)
_OTHERS_READ = select(Job.id, Job.opened_at, Job.visit, Job.measured, Job.measured_at, Job.last_entry).where(*_OTHERS)


def _other_visits(session: WorkshopSession, job: Job) -> tuple[VisitRow, ...]:
    """All other visits of a job's vehicle, each with what it measured."""
    others = {"vehicle_id": job.vehicle_id, "job_id": job.id}
    count, *state, of_them_stale = session.execute(_OTHERS_STAND, others).one()
    if not count:
        return ()
    if of_them_stale:
        keep_measured(session, session.scalars(_OTHERS_STALE, others))
        session.flush()
        count, *state, _ = session.execute(_OTHERS_STAND, others).one()

    def read() -> tuple[VisitRow, ...]:
        return tuple(VisitRow(*row) for row in session.execute(_OTHERS_READ, others))

    return _others.of(session, (job.id, count, *map(int, state)), read)


def entries_of(session: WorkshopSession, job_ids: Iterable[int]) -> dict[int, list[EntryRow]]:
    """The entries of some jobs, each job's in their order."""
    out: dict[int, list[EntryRow]] = {job_id: [] for job_id in job_ids}
    entry = FindingEntry
    rows = session.execute(
        select(
            entry.job_id, entry.id, entry.corner, entry.path, entry.value, entry.entered_by, entry.idempotency_key,
            entry.undoes, entry.device, entry.simulated,
        ).where(entry.job_id.in_(list(out))).order_by(entry.id)
    )  # fmt: skip
    for job_id, *columns in rows:
        out[job_id].append(EntryRow(*columns))
    return out


def keep_measured(session: WorkshopSession, visits: Iterable[Job]) -> None:
    """See that visits keep the thicknesses they measured, before their work and after it, and what they left with that
    is new: those that had entries or such records since are read again."""
    stale = {visit.id: visit for visit in visits if visit.measured_at != visit.last_entry}
    if not stale:
        return
    after: dict[int, dict[FindingKey, Any]] = {job_id: {} for job_id in stale}
    made_new: dict[int, dict[str, list[str]]] = {job_id: {} for job_id in stale}
    for job_id, kind, subject, kept in session.execute(_AFTER_THE_WORK, {"job_ids": list(stale)}):
        if kind == AFTER:
            corner, _, path = subject.partition("/")
            after[job_id][corner, path] = measured_in(kept)
        else:
            made_new[job_id] = made_new_by(kept)
    for job_id, entries in entries_of(session, stale).items():
        before, later = measured_of(StandingFindings.of(entries).findings), measured_of(after[job_id])
        beside = {AFTER: later, MADE_NEW: made_new[job_id]}
        stale[job_id].measured = {**before, **{name: told for name, told in beside.items() if told}}
        stale[job_id].measured_at = stale[job_id].last_entry


_AFTER_THE_WORK = (
    select(JobRecord.job_id, JobRecord.kind, JobRecord.subject, JobRecord.value)
    .where(JobRecord.job_id.in_(bindparam("job_ids", expanding=True)), JobRecord.kind.in_((AFTER, "release")))
    .order_by(JobRecord.id)
)


def made_new_by(release: Any) -> dict[str, list[str]]:
    """What was done before a release that makes pads or rotors other ones, or the fluid new, by place; nothing for a
    vehicle that did not leave.

    >>> made_new_by({"as": "released", "done": [["rear_left", "replace_pads"], ["system", "bleed_system"]]})
    {'rear_left': ['replace_pads']}
    """
    out: dict[str, list[str]] = {}
    if release and release["as"] != "unsafe":
        for place, action in release.get("done", ()):
            if action in MAKES_NEW:
                out.setdefault(place, []).append(action)
    return out


def measured_in(kept: Any) -> Any:
    """What was measured after the work, of its record; earlier versions kept nothing else."""
    return kept["is"] if isinstance(kept, dict) else kept


def read_measured_again(job: Job) -> None:
    """What a job keeps of its thicknesses is read again: one was measured after the work, or the vehicle left."""
    job.measured_at = -1
