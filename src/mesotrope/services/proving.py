"""Doing and proving the work: steps ticked off, torques read, figures measured again, and the vehicle released."""

from __future__ import annotations

import datetime
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from sqlalchemy import select

from mesotrope.core.language.corner import VEHICLE
from mesotrope.core.language.entries import read_entry
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import Sayable, placed
from mesotrope.core.plan.hand_back import RELEASES, Check
from mesotrope.errors import InvalidInput, NotAllowed
from mesotrope.services.findings import job_of, model_of
from mesotrope.services.job_rows import FindingKey, build_inspection
from mesotrope.services.records import StandingRecords, keep_record, needed
from mesotrope.services.signing_in import Who
from mesotrope.store.session import Database
from mesotrope.store.tables import Job, JobRecord
from mesotrope.words import PLAINLY

#: What is asked for again at every corner of an axle that was worked on, and of the whole vehicle.
CORNER_AFTER = ("spin.turns", "spin.seconds", "hub_temperature_c", "leak")
SYSTEM_AFTER = ("pedal_hold", "pedal_feel", "visible_leak", "fluid_level")

#: The most torque that is believed of any fastener here, N·m.
MOST_TORQUE_NM = 1000.0


def keep_after(
    database: Database, knowledge: Knowledge, job_id: int, corner: str, path: str, text: str,
    *, by: Who, now: datetime.datetime,
) -> None:  # fmt: skip
    """Keep a figure or word measured after the work; an empty text takes it back. Raises `InvalidInput`."""
    asked = SYSTEM_AFTER if corner == VEHICLE else CORNER_AFTER
    if path not in asked:
        raise InvalidInput("measured after", path, f"allowed: {', '.join(asked)}")
    value = read_entry(model_of(corner), path, text, knowledge, units=by.units, confirmed=True)
    keep_record(database, job_id, "after", f"{corner}/{path}", value, by=by, now=now)


def after_findings(records: StandingRecords) -> dict[FindingKey, object]:
    """What was measured after the work, by place."""
    out: dict[FindingKey, object] = {}
    for (kind, subject), record in records.items():
        if kind == "after":
            corner, _, path = subject.partition("/")
            out[corner, path] = record.value
    return out


def inspection_after(before: Inspection, records: StandingRecords) -> Inspection:
    """The inspection of the vehicle after the work: only what was measured then."""
    vehicle = before.vehicle.model_dump(mode="json", exclude_none=True)
    visit = before.visit.model_dump(mode="json", exclude_none=True, include={"ambient_c", "usage"})
    return build_inspection(vehicle, visit, after_findings(records))


def tick_step(
    database: Database, job_id: int, step: str, steps: Sequence[str], done: bool, *, by: Who, now: datetime.datetime
) -> None:
    """Tick a step of the work card off, or open it again. Raises `InvalidInput` for a step that is not on the card."""
    if step not in steps:
        raise InvalidInput("step", step, "it is not on this work card")
    keep_record(database, job_id, "tick", step, True if done else None, by=by, now=now)


def keep_torque(
    database: Database, job_id: int, fastener: str, fasteners: Sequence[str], asked: str, source: str, read: str,
    *, by: Who, now: datetime.datetime,
) -> None:  # fmt: skip
    """Keep a fastener's torque: what the maker asks for and where that stands, and what the wrench read, all N·m.

    A torque that is asked for needs its source. All empty takes it back. Raises `InvalidInput`.
    """
    if fastener not in fasteners:
        raise InvalidInput("fastener", fastener, "it is not on this work card")
    torques = {"asked": _torque(asked, "the maker's torque", by), "read": _torque(read, "torque read", by)}
    if torques["asked"] is not None:
        source = needed(source, "where the maker's torque came from")
    if len(source) > 120:
        raise InvalidInput("where the maker's torque came from", source, "at most 120 characters are allowed")
    value = {**torques, "source": source.strip()}
    keep_record(database, job_id, "torque", fastener, value if any(value.values()) else None, by=by, now=now)


@dataclass(frozen=True)
class KnownTorque:
    """A maker's torque that somebody wrote down before, with where it came from and the day."""

    asked_nm: float
    source: str
    on: datetime.date


def torques_before(database: Database, job_id: int, *, by: Who) -> dict[str, KnownTorque]:
    """The makers' torques kept at earlier visits of a job's vehicle, the latest of each fastener. Raises `NotFound`."""
    with database.of_workshop(by.workshop_id) as session:
        job = job_of(session, job_id)
        rows = session.execute(
            select(JobRecord.job_id, JobRecord.subject, JobRecord.value, JobRecord.made_at)
            .join(Job, Job.id == JobRecord.job_id)
            .where(Job.vehicle_id == job.vehicle_id, Job.id < job.id, JobRecord.kind == "torque")
            .order_by(JobRecord.job_id, JobRecord.id)
        )
        latest = {(visit, fastener): (value, at) for visit, fastener, value, at in rows}
    return {
        fastener: KnownTorque(value["asked"], value["source"], at.date())
        for (_, fastener), (value, at) in latest.items()
        if value and value["asked"] is not None
    }


def _torque(text: str, name: str, by: Who) -> float | None:
    if not text.strip():
        return None
    value = by.units.read(text, "N.m", name=name)
    if not 0 < value <= MOST_TORQUE_NM:
        raise InvalidInput(name, text, f"allowed: over {by.units.between(0, MOST_TORQUE_NM, 'N.m')}")
    return value


def keep_stop_gap(database: Database, job_id: int, words: str, *, by: Who, now: datetime.datetime) -> None:
    """Keep what was only tided over until the owner decides; nothing takes it back."""
    keep_record(database, job_id, "stop_gap", "", words.strip() or None, by=by, now=now, note="")


def not_proved(checks: Sequence[Check]) -> list[str]:
    """What was not measured again, by name."""
    return [PLAINLY(placed(check.where, check.words)) for check in checks if check.state == "open"]


def release(
    database: Database, job_id: int, how: str, restriction: str, checks: Sequence[Check],
    refused: Mapping[str, Sayable], without: str = "",
    *, by: Who, now: datetime.datetime,
) -> None:  # fmt: skip
    """Release the vehicle, with a restriction, or not at all, under the name of who is signed in.

    without : what is not proved, as whoever releases confirmed it; it is kept with the release. Raises `NotAllowed` for
    an apprentice, `InvalidInput` where the vehicle may not leave this way, or restriction or confirmation is missing.
    """
    if how not in RELEASES:
        raise InvalidInput("release", how, f"allowed: {', '.join(RELEASES)}")
    if by.role == "apprentice" and how != "unsafe":
        raise NotAllowed("Releasing a vehicle", "technician or lead")
    if refused[how]:
        raise InvalidInput(RELEASES[how], how, PLAINLY(refused[how]))
    if restriction.strip() and how == "released":
        words = "a restriction is written: release it with the restriction, or clear it"
        raise InvalidInput("restriction", restriction, words)
    note = needed(restriction, "restriction") if how == "restricted" else restriction
    still_open = not_proved(checks)
    if still_open and how != "unsafe" and without != ", ".join(still_open):
        words = f"confirm that it is released without: {', '.join(still_open)}"
        raise InvalidInput("release", RELEASES[how], words)
    keep_record(database, job_id, "release", "", {"as": how, "open": still_open}, by=by, now=now, note=note)
