"""The plan of the day: the open jobs against the hours of the people and the places there are."""

from __future__ import annotations

import datetime
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from sqlalchemy import select, true

from mesotrope.core.day.hours import Week
from mesotrope.core.day.schedule import DayPlan, Task, Worker, WorkPlace, plan_day
from mesotrope.core.day.waiting import OUTSIDE
from mesotrope.services.day import DayJob
from mesotrope.services.signing_in import Who
from mesotrope.services.workshop import away_of, places_in
from mesotrope.store.session import Database
from mesotrope.store.tables import Person, Workshop

#: So many days are planned; what does not fit into them is said to find no time.
DAYS = 5

#: What each role may do: work that opens the hydraulics asks for a technician. Basis: common practice.
SKILL = {"apprentice": 0, "technician": 1, "lead": 1}


@dataclass(frozen=True)
class PlannedDay:
    """The plan, with the first midnight that its minutes count from, the people in it with their names, how many
    minutes each is there on the first day from now on, and whether the hours are the usual ones because nobody has said
    any."""

    plan: DayPlan
    midnight: datetime.datetime
    now: float
    people: Mapping[int, str]
    there: Mapping[int, tuple[tuple[float, float], ...]]
    places: tuple[WorkPlace, ...]
    jobs: Mapping[int, DayJob]
    usual_hours: bool

    def moment(self, minutes: float) -> datetime.datetime:
        """A moment of the plan, by the clock on the wall."""
        return self.midnight + datetime.timedelta(minutes=minutes)


_AT_WORK = select(Person).where(Person.active == true()).order_by(Person.name)


def plan_of_the_day(
    database: Database, jobs: Sequence[DayJob], *, by: Who, now: datetime.datetime, moving: bool = False
) -> PlannedDay:
    """Plan the jobs of today and the days after it; moving : and look what could be moved for those that are late.

    What waits for somebody outside is planned from the day on which that is expected; where no day is known, as if it
    came now. A vehicle that only has to be collected, or stays as unsafe, takes nobody's time.
    """
    local = by.dates.local(now).replace(tzinfo=None)
    midnight = local.replace(hour=0, minute=0, second=0, microsecond=0)
    minute = (local - midnight).total_seconds() / 60
    with database.of_workshop(by.workshop_id) as session:
        shop = session.get_one(Workshop, by.workshop_id)
        week = Week.of(shop.opening)
        people = session.scalars(_AT_WORK).all()
        places = places_in(shop)
    workers, there = [], {}
    for person in people:
        own = Week.of(person.hours) if person.hours else week
        spans = own.minutes_from(midnight.date(), DAYS, away_of(person))
        left = tuple((max(start, minute), end) for start, end in spans if end > minute)
        there[person.id] = left
        workers.append(Worker(person.id, SKILL[person.role], left))
    known = {person.id for person in people}
    tasks = [_task(job, midnight, minute, known, places, by) for job in jobs if job.minutes > 0]
    plan = plan_day(tasks, workers, places, moving=moving)
    names = {person.id: person.name for person in people}
    return PlannedDay(
        plan, midnight, minute, names, there, tuple(places), {job.id: job for job in jobs}, week.usual
    )  # fmt: skip


def _task(
    job: DayJob, midnight: datetime.datetime, minute: float, people: set[int], places: Sequence[WorkPlace], by: Who
) -> Task:
    def since_midnight(moment: datetime.datetime) -> float:
        return (by.dates.local(moment).replace(tzinfo=None) - midnight).total_seconds() / 60

    until = job.waits.until if job.waits.state in OUTSIDE else None
    expected = (until - midnight.date()).days * 1440.0 if until else 0.0
    known_place = job.place if any(place.name == job.place for place in places) else ""
    return Task(
        job.id,
        round(job.minutes),
        promised=since_midnight(job.promised) if job.promised else None,
        since=since_midnight(job.opened_at),
        not_before=max(minute, expected),
        who=job.who if job.who in people else None,
        skill=1 if job.stand and job.stand.opens else 0,
        place=known_place,
        lift=not (job.stand and job.stand.kind == "motorcycle"),
    )
