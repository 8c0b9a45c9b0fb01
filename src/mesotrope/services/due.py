"""What falls due of all the vehicles of a workshop: worked out vehicle by vehicle from visits that are over, kept, and
made again when a visit ends or the knowledge or the rules change. What became of each is kept with who and why."""

from __future__ import annotations

import datetime
import hmac
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import Exists, delete, exists, func, or_, select, tuple_
from sqlalchemy.orm import aliased

from mesotrope.core.day.due import DueFact, EndedVisit, due_of
from mesotrope.core.evidence.specification import complete_specification
from mesotrope.core.evidence.wear_log import wear_log
from mesotrope.core.language.corner import VEHICLE, place_named
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import at_most_characters, marked, one_of
from mesotrope.core.language.work import Done
from mesotrope.errors import InvalidInput, LinkGone, NotFound
from mesotrope.services.again import done_again
from mesotrope.services.audit import note_by
from mesotrope.services.for_a_while import for_a_while
from mesotrope.services.job_rows import build_inspection, keep_measured, kept_readings
from mesotrope.services.once import do_once, token_for
from mesotrope.services.records import LONGEST_NOTE, needed
from mesotrope.services.rules import rules_of, schools_of
from mesotrope.services.signing_in import Who, nobody_of, require_lead, token_digest
from mesotrope.store.day_tables import DueAnswer, DueItem, Owner
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import FindingEntry, Job, JobRecord, Vehicle, Workshop
from mesotrope.words import Dates

#: For so long vehicles are worked out while somebody waits, seconds; the rest follow by the clock.
WORKS_FOR_S = 0.6

#: What can become of something that fell due, in words.
ANSWERS: Mapping[str, str] = {"done": "done", "dismissed": "dismissed", "open": marked("open again")}

#: What only a lead does with the calendar.
FEED = marked("Making or closing the calendar's address")

#: The records of a job that its dates are worked out from.
TOLD_BY = ("release", "stop_gap", "agreed", "tick")


#: The finding of the whole vehicle from which it is worked out when the fluid is due.
FLUID_AGE = "fluid_age_months"


@dataclass(frozen=True)
class Due:
    """Something that falls due, with its vehicle and whom to tell."""

    id: int
    vehicle_id: int
    job_id: int
    key: str
    kind: str
    day: datetime.date
    first: datetime.date | None
    last: datetime.date | None
    told: Mapping[str, Any] = field(hash=False)
    label: str
    registration: str | None
    owner_id: int | None
    owner: str
    telephone: str
    here: bool


def _answered() -> Exists:
    """That the latest answer to something that fell due, if there is any, does not leave it open."""
    of_it = (
        DueAnswer.vehicle_id == DueItem.vehicle_id, DueAnswer.job_id == DueItem.job_id, DueAnswer.key == DueItem.key,
    )  # fmt: skip
    latest = select(func.max(DueAnswer.id)).where(*of_it).correlate(DueItem).scalar_subquery()
    answer = aliased(DueAnswer)
    return exists().where(answer.id == latest, answer.answer != "open").correlate(DueItem)


_HERE = select(Job.id).where(Job.vehicle_id == DueItem.vehicle_id, Job.state == "open").exists()
_DUE = (
    select(DueItem, Vehicle.label, Vehicle.registration, Vehicle.owner_id, Owner.name, Owner.telephone, _HERE)
    .join(Vehicle, Vehicle.id == DueItem.vehicle_id)
    .outerjoin(Owner, Owner.id == Vehicle.owner_id)
    .where(~_answered())
    .order_by(DueItem.day, DueItem.id)
)


def due_in(
    database: Database, first: datetime.date | None, last: datetime.date, *, by: Who, vehicle_id: int | None = None,
    owner_id: int | None = None, most: int | None = None, after: tuple[datetime.date, int] | None = None,
) -> list[Due]:  # fmt: skip
    """What is due in a span of days and nobody has answered, the soonest first; first None: everything before too.

    most : so many of them; after : those that follow one, by its day and number.
    """
    with database.of_workshop(by.workshop_id) as session:
        query = _DUE.where(DueItem.day <= last).limit(most)
        if first is not None:
            query = query.where(DueItem.day >= first)
        if after is not None:
            query = query.where(DueItem.day >= after[0], tuple_(DueItem.day, DueItem.id) > after)
        if vehicle_id is not None:
            query = query.where(DueItem.vehicle_id == vehicle_id)
        if owner_id is not None:
            query = query.where(Vehicle.owner_id == owner_id)
        return [
            _due(item, label, plate, owner_number, name, telephone, in_shop)
            for item, label, plate, owner_number, name, telephone, in_shop in session.execute(query)
        ]


def _due(
    item: DueItem, label: str, plate: str | None, owner_id: int | None, owner: str | None, telephone: str | None,
    here: bool,
) -> Due:  # fmt: skip
    return Due(
        item.id, item.vehicle_id, item.job_id, item.key, item.kind, item.day, item.first, item.last, item.told, label,
        plate, owner_id, owner or "", telephone or "", here,
    )  # fmt: skip


def answer_due(
    database: Database, vehicle_id: int, job_id: int, key: str, answer: str, reason: str,
    *, by: Who, now: datetime.datetime,
) -> None:  # fmt: skip
    """Keep what became of something that fell due. Raises `NotFound`, `InvalidInput` for a dismissal without reason."""
    if answer not in ANSWERS:
        raise InvalidInput("what became of it", answer, one_of(ANSWERS.values()))
    reason = needed(reason, marked("reason for dismissing it")) if answer == "dismissed" else reason.strip()
    if len(reason) > LONGEST_NOTE:
        raise InvalidInput("reason", reason, at_most_characters(LONGEST_NOTE))

    def keep(session: WorkshopSession) -> None:
        item = select(DueItem.id).where(DueItem.vehicle_id == vehicle_id, DueItem.job_id == job_id, DueItem.key == key)
        if session.scalar(item) is None:
            raise NotFound("date")
        session.add(
            DueAnswer(
                vehicle_id=vehicle_id, job_id=job_id, key=key, answer=answer, reason=reason, made_by=by.person_id,
                made_at=now,
            )
        )  # fmt: skip

    do_once(database, f"due {key} of vehicle {vehicle_id}", keep, [job_id, answer, reason], by=by, now=now)


def refresh_due(
    database: Database, knowledge: Knowledge, *, by: Who, knowledge_key: str, works_for_s: float | None = WORKS_FOR_S
) -> int:
    """Work out the dates of vehicles whose visits changed, or that were worked out with another knowledge or other
    rules; works_for_s : None works all of them out. Returns how many are left.

    knowledge : with the workshop's own limits; knowledge_key : names the knowledge that ships with the product.
    """
    key = f"{knowledge_key}/{by.rules_version}/{by.dates.zone}"
    stale = or_(Vehicle.due_key.is_(None), Vehicle.due_key != key)
    with database.of_workshop(by.workshop_id) as session:
        ids = list(session.scalars(select(Vehicle.id).where(stale).order_by(Vehicle.id.desc())))
    schools = schools_of(knowledge, rules_of(database, by=by)) if ids else {}
    done = 0
    for vehicle_id in for_a_while(ids, works_for_s):
        _refresh(database, vehicle_id, knowledge, schools, key, by)
        done += 1
    return len(ids) - done


@done_again
def _refresh(
    database: Database, vehicle_id: int, knowledge: Knowledge, schools: dict[str, str], key: str, by: Who
) -> None:
    with database.of_workshop(by.workshop_id) as session, session.begin():
        _write_anew(session, vehicle_id, knowledge, schools, by.dates, key)


def _write_anew(
    session: WorkshopSession, vehicle_id: int, knowledge: Knowledge, schools: dict[str, str], dates: Dates, key: str
) -> None:
    vehicle = session.scalar(select(Vehicle).where(Vehicle.id == vehicle_id).with_for_update())
    if vehicle is None:
        return
    jobs = session.scalars(select(Job).where(Job.vehicle_id == vehicle_id).order_by(Job.opened_at, Job.id)).all()
    facts: Sequence[DueFact] = ()
    visits = ended_visits(session, jobs, dates)
    if visits:
        keep_measured(session, jobs)
        try:
            described = build_inspection(vehicle.specification, jobs[-1].visit, {})
            specification = complete_specification(described, knowledge)
            log = wear_log([kept_readings(job) for job in jobs], specification, knowledge)
            facts = due_of(visits, log, specification, schools, knowledge)
        except InvalidInput:
            facts = ()  # a vehicle that cannot be read is said to be so where it is opened
    session.execute(delete(DueItem).where(DueItem.vehicle_id == vehicle_id))
    for fact in facts:
        session.add(
            DueItem(
                vehicle_id=vehicle_id, job_id=fact.job_id, key=fact.key, kind=fact.kind, day=fact.day,
                first=fact.first, last=fact.last, told=fact.told,
            )
        )  # fmt: skip
    vehicle.due_key = key


def ended_visits(session: WorkshopSession, jobs: Sequence[Job], dates: Dates) -> list[EndedVisit]:
    """The visits of a vehicle that are over: released, or closed."""
    ids = [job.id for job in jobs]
    records: dict[int, dict[tuple[str, str], JobRecord]] = {job_id: {} for job_id in ids}
    rows = session.scalars(
        select(JobRecord).where(JobRecord.job_id.in_(ids), JobRecord.kind.in_(TOLD_BY)).order_by(JobRecord.id)
    )
    for row in rows:
        records[row.job_id][row.kind, row.subject] = row
    entries = session.execute(
        select(FindingEntry.job_id, FindingEntry.value)
        .where(FindingEntry.job_id.in_(ids), FindingEntry.corner == str(VEHICLE), FindingEntry.path == FLUID_AGE)
        .order_by(FindingEntry.id)
    )
    ages: dict[int, Any] = dict(entries.all())
    out = []
    for job in jobs:
        told = {place: row for place, row in records[job.id].items() if row.value is not None}
        release = told.get(("release", ""))
        left = release is not None and (release.value or {}).get("as") != "unsafe"
        if not left and job.state != "closed":
            continue
        out.append(_ended(job, told, release if left else None, ages.get(job.id), dates))
    return out


def _ended(
    job: Job, told: Mapping[tuple[str, str], JobRecord], release: JobRecord | None, age: Any, dates: Dates
) -> EndedVisit:
    moment = release.made_at if release else job.closed_at or job.opened_at
    gap, agreed = told.get(("stop_gap", "")), told.get(("agreed", ""))
    kept: Any = gap.value if gap else {}
    plan: dict[str, Any] = {"what": kept} if isinstance(kept, str) else kept
    left: dict[str, Any] = release.value or {} if release else {}
    said: dict[str, Any] = agreed.value or {} if agreed else {}
    declined = [plan.get("declined", "")]
    if agreed is not None and said["as"] in ("part", "no"):
        declined.append(agreed.note)
    return EndedVisit(
        job_id=job.id,
        day=dates.local(moment).date(),
        odometer_km=job.visit.get("odometer_km"),
        done=_done(told, release),
        fluid_age_months=age,
        restriction=release.note if release is not None and left["as"] == "restricted" else "",
        restricted_until=_day(left.get("until")),
        stop_gap=plan.get("what", ""),
        stop_gap_until=_day(plan.get("until_day")),
        declined="; ".join(filter(None, declined)),
    )


def _done(told: Mapping[tuple[str, str], JobRecord], release: JobRecord | None) -> tuple[Done, ...]:
    """What was done, with its places: as the release kept it. One of before it did so only ticked its actions off."""
    left: dict[str, Any] = release.value or {} if release else {}
    if "done" in left:
        return tuple((place_named(place) or VEHICLE, action) for place, action in left["done"])
    return tuple((VEHICLE, subject) for kind, subject in told if kind == "tick")


def _day(text: Any) -> datetime.date | None:
    return datetime.date.fromisoformat(text) if text else None


def new_feed(database: Database, *, by: Who, now: datetime.datetime) -> str:
    """Make the address of the calendar anew, so that the old one is worth nothing; returns its token, shown only now.

    Raises `NotAllowed` for anybody but a lead.
    """
    require_lead(by, FEED)
    token = token_for("due feed", by)

    def make(session: WorkshopSession) -> None:
        session.get_one(Workshop, by.workshop_id, with_for_update=True).feed_digest = token_digest(token)
        note_by(session, "due_feed", marked("a new address"), by=by, now=now)

    do_once(database, "due feed", make, by=by, now=now)
    return token


@done_again
def close_feed(database: Database, *, by: Who, now: datetime.datetime) -> None:
    """Take the calendar's address away. Raises `NotAllowed` for anybody but a lead."""
    require_lead(by, FEED)
    with database.of_workshop(by.workshop_id) as session, session.begin():
        session.get_one(Workshop, by.workshop_id, with_for_update=True).feed_digest = ""
        note_by(session, "due_feed", marked("no address any more"), by=by, now=now)


def has_feed(database: Database, *, by: Who) -> bool:
    """Whether the calendar can be read under an address."""
    with database.of_workshop(by.workshop_id) as session:
        return bool(session.get_one(Workshop, by.workshop_id).feed_digest)


def feed_reader(database: Database, token: str) -> Who:
    """Who reads the calendar under an address: nobody of the workshop, but in its name. Raises `LinkGone`."""
    digest = token_digest(token)
    with database.at_the_door() as session:
        shop = session.scalar(select(Workshop).where(Workshop.feed_digest == digest))
    if shop is None or not hmac.compare_digest(shop.feed_digest, digest):
        raise LinkGone("This calendar has no address here any more. A lead of the workshop makes a new one.")
    return nobody_of(database, shop.id)
