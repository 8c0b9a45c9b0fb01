"""Doing and proving the work: steps ticked off, torques read, figures measured again, and the vehicle released."""

from __future__ import annotations

import datetime
import re
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

from sqlalchemy import select

from mesotrope.core.evidence.specification import Specification
from mesotrope.core.language.corner import VEHICLE, Corner, Place, place_named
from mesotrope.core.language.entries import read_entry
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import Sayable, at_most_characters, joined, marked, one_of, placed, said, verbatim
from mesotrope.core.language.work import Done
from mesotrope.core.plan.came_since import came_since, written
from mesotrope.core.plan.hand_back import Check, touches_parking_brake
from mesotrope.core.plan.release import RELEASES
from mesotrope.errors import InvalidInput, NotAllowed, Overtaken, PlanChanged
from mesotrope.services.findings import field_at, job_of, model_of
from mesotrope.services.job_rows import FindingKey, build_inspection, measured_in, read_measured_again
from mesotrope.services.meanwhile import with_theirs
from mesotrope.services.progress import told_of_work
from mesotrope.services.records import LONGEST_NOTE, StandingRecords, keep_record, needed
from mesotrope.services.signing_in import Who
from mesotrope.store.session import Database
from mesotrope.store.tables import Job, JobRecord
from mesotrope.words import PLAINLY

#: What is asked for again at every corner of an axle that was worked on, and of the whole vehicle; what only some work
#: asks for, by its proof.
CORNER_AFTER = ("spin.turns", "spin.seconds", "hub_temperature_c", "leak")
SYSTEM_AFTER = ("pedal_hold", "pedal_feel", "visible_leak", "fluid_level")
PROVED_BY = {"lining": ("pad_mm.inner.lead_rim", "pad_mm.outer.lead_rim"), "rotor": ("rotor_mm.1",)}
PARKING_BRAKE = "parking_brake_holds"

#: The most torque that is believed of any fastener here, N·m.
MOST_TORQUE_NM = 1000.0


def keep_after(
    database: Database, knowledge: Knowledge, job_id: int, corner: str, path: str, text: str, work: Iterable[Done],
    seen: str = "", *, by: Who, now: datetime.datetime,
) -> None:  # fmt: skip
    """Keep a figure or word measured after the work; an empty text takes it back.

    work : what is planned; the figure tells nothing of what comes to that later. seen : what stood there on the page
    (`stands_as`), "" where it did not say. Raises `InvalidInput`, `Overtaken` where somebody measured something else
    meanwhile.
    """
    more = (path for paths in PROVED_BY.values() for path in paths)
    asked = (*SYSTEM_AFTER, PARKING_BRAKE) if corner == VEHICLE else (*CORNER_AFTER, *more)
    if path not in asked:
        raise InvalidInput("measured after", path, one_of(asked))
    value = read_entry(model_of(corner), path, text, knowledge, units=by.units, confirmed=True)
    after = sorted(told_of_work(place_named(corner) or VEHICLE, work))
    kept = None if value is None else {"is": value, "after": after}

    def beside(theirs: Any) -> Any:
        if seen and stands_as(measured_in(theirs)) not in (seen, stands_as(value)):
            field = field_at((corner, path), knowledge)
            raise Overtaken({}, {}, field.label if field else path)
        return kept

    keep_record(
        database, job_id, "after", f"{corner}/{path}", kept, by=by, now=now, also=read_measured_again, beside=beside
    )


def stands_as(value: Any) -> str:
    """What was measured after the work, as a page sends back that it stood there; "=" where nothing did."""
    return "=" if value is None else f"={value}"


def asked_after(
    work: Iterable[Done], specification: Specification, knowledge: Knowledge
) -> dict[Place, tuple[str, ...]]:
    """What is asked for again after some work: by place, the paths of the findings."""
    work = tuple(work)
    axles = dict.fromkeys(place.axle for place, _ in work if isinstance(place, Corner))
    out: dict[Place, tuple[str, ...]] = {}
    for corner in (corner for axle in axles for corner in specification.corners_on(axle)):
        proofs = {proof for place, action in work if place == corner for proof in knowledge.work[action].proves}
        more = [path for proof, paths in PROVED_BY.items() if proof in proofs for path in paths]
        out[corner] = (*CORNER_AFTER, *more)
    touched = touches_parking_brake(work, specification, knowledge)
    out[VEHICLE] = (*SYSTEM_AFTER, PARKING_BRAKE) if touched else SYSTEM_AFTER
    return out


@dataclass(frozen=True)
class MeasuredAfter:
    """Something measured after the work; `overtaken`: more was planned since that it tells nothing of."""

    value: Any
    overtaken: bool


def after_findings(records: StandingRecords, work: Iterable[Done]) -> dict[FindingKey, MeasuredAfter]:
    """What was measured after the work, by place."""
    work, out = tuple(work), {}
    for (kind, subject), record in records.items():
        if kind == "after":
            corner, _, path = subject.partition("/")
            kept = record.value.get("after") if isinstance(record.value, dict) else None
            came = came_since(kept, told_of_work(place_named(corner) or VEHICLE, work))
            out[corner, path] = MeasuredAfter(measured_in(record.value), bool(came))
    return out


def inspection_after(before: Inspection, records: StandingRecords, work: Iterable[Done]) -> Inspection:
    """The inspection of the vehicle after the work: only what was measured after all of it."""
    vehicle = before.vehicle.model_dump(mode="json", exclude_none=True)
    visit = before.visit.model_dump(mode="json", exclude_none=True, include={"ambient_c", "usage"})
    measured = {place: one.value for place, one in after_findings(records, work).items() if not one.overtaken}
    return build_inspection(vehicle, visit, measured)


#: The lines of a form as its page showed them; None where it does not say.
Lines = Mapping[str, str] | None

#: By step of a card, what it is done for (`CardStep.done_for`).
StepsOf = Mapping[str, Collection[str]]


def done_for(step: str, steps: StepsOf, seen: Collection[str] | None) -> list[str] | bool:
    """What a step is ticked off or struck out for, as it is kept: what the page showed (`seen`) of what is planned now.

    Raises `InvalidInput` for a step that is not on the card, `PlanChanged` where nothing of it was shown.
    """
    if step not in steps:
        raise InvalidInput("step", step, "it is not on this work card")
    now = set(steps[step])
    shown = now if seen is None else now & set(seen)
    if now and not shown:
        raise PlanChanged()
    return sorted(shown) or True


def tick_step(
    database: Database, job_id: int, step: str, steps: StepsOf, done: bool, seen: Collection[str] | None = None,
    *, by: Who, now: datetime.datetime,
) -> None:  # fmt: skip
    """Tick a step of the work card off, or open it again. Raises as `done_for`."""
    kept = done_for(step, steps, seen if done else None)
    keep_record(database, job_id, "tick", step, kept if done else None, by=by, now=now)


def keep_torque(
    database: Database, job_id: int, fastener: str, fasteners: Sequence[str], asked: str, source: str, read: str,
    simulated: bool = False, seen: Lines = None, *, by: Who, now: datetime.datetime,
) -> None:  # fmt: skip
    """Keep a fastener's torque: what the maker asks for and where that stands, and what the wrench read, all N·m.

    simulated : read by the simulated wrench. A torque that is asked for needs its source. All empty takes it back.
    seen : the three as the page showed them: what I left as it was stays as somebody else wrote it meanwhile. Raises
    `InvalidInput`, `Overtaken`.
    """
    if fastener not in fasteners:
        raise InvalidInput("fastener", fastener, "it is not on this work card")
    torques = {
        "asked": _torque(asked, marked("the maker's torque"), by),
        "read": _torque(read, marked("torque read"), by),
    }
    if torques["asked"] is not None:
        source = needed(source, marked("where the maker's torque came from"))
    if len(source) > 120:
        raise InvalidInput("where the maker's torque came from", source, "at most 120 characters are allowed")
    value = {**torques, "source": source.strip()} | ({"simulated": True} if simulated else {})
    mine = {"asked": asked, "source": source, "read": read}

    def beside(theirs: Any) -> dict[str, Any] | None:
        theirs = theirs or {}
        with_theirs(mine, seen, torque_lines(theirs, by))
        left = set() if seen is None else {name for name in mine if mine[name] == seen.get(name, "")}
        left |= {"simulated"} if "read" in left else set()
        return _torque_or_none(value | {name: theirs[name] for name in left if name in theirs})

    kept = _torque_or_none(value)
    keep_record(database, job_id, "torque", fastener, kept, by=by, now=now, beside=beside)


def _torque_or_none(value: dict[str, Any]) -> dict[str, Any] | None:
    """A torque as it is kept; nothing where all of it is empty."""
    return value if any(value[name] for name in ("asked", "source", "read")) else None


def torque_lines(value: Mapping[str, Any], by: Who) -> dict[str, str]:
    """A torque as its row shows it: what the maker asks for and where that stands, and what was read."""
    figures = {name: value.get(name) for name in ("asked", "read")}
    shown = {name: "" if torque is None else by.units.shown(torque, "N.m", 0) for name, torque in figures.items()}
    return {**shown, "source": value.get("source") or ""}


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
        raise InvalidInput(
            name, text, said("allowed: over {most}", most=verbatim(by.units.between(0, MOST_TORQUE_NM, "N.m")))
        )
    return value


@dataclass(frozen=True)
class StopGap:
    """A plan for the time until it is put right: what was only tided over, what is done, until when, what the owner may
    not do till then, was told, and declined."""

    what: str = ""
    steps: str = ""
    until: str = ""
    restriction: str = ""
    told: str = ""
    declined: str = ""
    #: The last day of it, as it stands in a calendar; empty where only `until` says it.
    until_day: str = ""


@dataclass(frozen=True)
class Acknowledged:
    """An owner's word that they were told: their name, their signature as it was drawn, when, and of which plan."""

    name: str
    drawn: str
    at: datetime.datetime
    plan: StopGap


def stop_gap_of(records: StandingRecords) -> StopGap:
    """The stop-gap that stands; one of before the plan had parts is only what was tided over."""
    record = records.get(("stop_gap", ""))
    return _stop_gap_as_kept(record.value if record else None)


def _stop_gap_as_kept(kept: Any) -> StopGap:
    if kept is None:
        return StopGap()
    return StopGap(kept) if isinstance(kept, str) else StopGap(**kept)


def acknowledged_of(records: StandingRecords) -> Acknowledged | None:
    """The owner's word on the stop-gap, as it was then."""
    record = records.get(("acknowledged", ""))
    if record is None:
        return None
    value = record.value
    return Acknowledged(value["name"], value["drawn"], record.at, StopGap(**value["plan"]))


def keep_stop_gap(
    database: Database, job_id: int, plan: StopGap, seen: Lines = None, *, by: Who, now: datetime.datetime
) -> None:
    """Keep the plan for what was only tided over; without anything tided over it is taken back.

    seen : its parts as the page showed them. Raises `InvalidInput` for a part that is too long, or a plan that does not
    say what was tided over; `Overtaken`.
    """
    parts = {name: text.strip() for name, text in asdict(plan).items()}
    if any(parts.values()) and not parts["what"]:
        raise InvalidInput("stop-gap", "", "what was only tided over is needed")
    for name, text in parts.items():
        if len(text) > LONGEST_NOTE:
            raise InvalidInput(name, text, at_most_characters(LONGEST_NOTE))
    parts["until_day"] = require_day(parts["until_day"], marked("last day of the stop-gap"))

    def beside(theirs: Any) -> dict[str, str] | None:
        together = with_theirs(parts, seen, asdict(_stop_gap_as_kept(theirs)))
        return together if together["what"] else None

    kept = parts if parts["what"] else None
    keep_record(database, job_id, "stop_gap", "", kept, by=by, now=now, beside=beside)


def require_day(text: str, name: str) -> str:
    """A day as it is kept, or none. Raises `InvalidInput`."""
    try:
        return datetime.date.fromisoformat(text.strip()).isoformat() if text.strip() else ""
    except ValueError:
        raise InvalidInput(name, text, "a day is needed, as 2026-03-02, or nothing") from None


#: A signature as it was drawn: lines of points.
DRAWN = re.compile(r"(\d{1,3},\d{1,3}( \d{1,3},\d{1,3})*(;|$))+")
LONGEST_DRAWN = 20_000


def keep_acknowledged(
    database: Database, job_id: int, plan: StopGap, name: str, drawn: str, *, by: Who, now: datetime.datetime
) -> None:
    """Keep that the owner was told of the stop-gap: their name, and their signature where one was drawn.

    Raises `InvalidInput` without a stop-gap, without a name, or for a drawing that is none.
    """
    if not plan.what:
        raise InvalidInput("stop-gap", "", "there is none that an owner could be told of")
    name = needed(name, marked("the owner's name"))
    if len(name) > 120:
        raise InvalidInput("the owner's name", name, "at most 120 characters are allowed")
    if drawn and (len(drawn) > LONGEST_DRAWN or not DRAWN.fullmatch(drawn)):
        raise InvalidInput("signature", "the drawing", "it is too long or damaged: draw it again")
    value = {"name": name, "drawn": drawn, "plan": asdict(plan)}
    keep_record(database, job_id, "acknowledged", "", value, by=by, now=now)


def not_proved(checks: Sequence[Check]) -> dict[str, Sayable]:
    """What was not measured again: as it is kept with a release, and as it can be said."""
    still_open = (placed(check.where, check.words) for check in checks if check.state == "open")
    return {PLAINLY(one): one for one in still_open}


def release(
    database: Database, job_id: int, how: str, restriction: str, checks: Sequence[Check],
    refused: Mapping[str, Sayable], without: str = "", until: str = "", done: Iterable[Done] = (),
    planned: Iterable[Done] = (), last_entry: int = 0, *, by: Who, now: datetime.datetime,
) -> None:  # fmt: skip
    """Release the vehicle, with a restriction, or not at all, under the name of who is signed in.

    until : the last day of the restriction, where there is one; done, planned : what was done and what was to be done,
    with its places; last_entry : of the findings; without : what is not proved, as whoever releases confirmed it; it is
    kept with the release. Raises `NotAllowed` for an apprentice, `InvalidInput` where the vehicle may not leave this
    way, or restriction or confirmation is missing.
    """
    if how not in RELEASES:
        raise InvalidInput("release", how, one_of(RELEASES))
    if by.role == "apprentice" and how != "unsafe":
        raise NotAllowed("Releasing a vehicle", "technician or lead")
    if refused[how]:
        raise InvalidInput(RELEASES[how], how, refused[how])
    if restriction.strip() and how == "released":
        raise InvalidInput(
            "restriction", restriction, "a restriction is written: release it with the restriction, or clear it"
        )
    note = needed(restriction, "restriction") if how == "restricted" else restriction
    still_open = not_proved(checks)
    if still_open and how != "unsafe" and without != ", ".join(still_open):
        words = said("confirm that it is released without: {what}", what=joined(still_open.values(), ", "))
        raise InvalidInput("release", RELEASES[how], words)
    value = {
        "as": how,
        "open": list(still_open),
        "until": require_day(until, marked("last day of the restriction")) if how == "restricted" else "",
        "done": [[str(place), action] for place, action in done],
        "planned": sorted(written(planned)),
        "entry": last_entry,
    }
    keep_record(database, job_id, "release", "", value, by=by, now=now, note=note, also=read_measured_again)
