"""How people stand in practice, which vehicle comes next, and what a lead sets and makes."""

from __future__ import annotations

import datetime
from dataclasses import dataclass

from sqlalchemy import func, select, true

from mesotrope.core.language.corner import Place
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import at_most_characters, marked, said, verbatim
from mesotrope.core.practice.numbers import MOST_PLANTED, Drawn, number_of_drawn
from mesotrope.core.practice.progress import Grade, Review, Standing, next_key, next_number, standings
from mesotrope.core.practice.vehicle import mystery_of
from mesotrope.errors import InvalidInput, NotFound
from mesotrope.services.once import do_once
from mesotrope.services.outcomes import FOUND, outcomes_in
from mesotrope.services.practice import LEADS, MOST_SHOWN, require_own_or_lead
from mesotrope.services.signing_in import Who, require_lead
from mesotrope.store.practice_tables import PracticeRun, PracticeSet
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import Job, JobRecord, Person, Vehicle

LONGEST_SET_NOTE = 200

# -- progress ----------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Progress:
    """How a person stands, by fault and skill, what comes next, and by which vehicle."""

    person: str
    standing: dict[str, Standing]
    done: int
    next_key: str
    next_number: int


def progress_of(
    database: Database, knowledge: Knowledge, person_id: int, *, by: Who, now: datetime.datetime
) -> Progress:
    """The progress of a person: one's own, or for a lead anybody's. Raises `NotFound`, `NotAllowed`."""
    require_own_or_lead(person_id, by)
    with database.of_workshop(by.workshop_id) as session:
        person = session.get(Person, person_id)
        if person is None:
            raise NotFound("person")
        rows = session.execute(
            select(PracticeRun.committed_at, PracticeRun.result)
            .where(PracticeRun.person_id == person_id, PracticeRun.committed_at.is_not(None))
            .order_by(PracticeRun.committed_at)
        ).all()
        name = person.name
    reviews = [Review(key, _grade(grade), at) for at, result in rows for key, grade in result["grades"].items()]
    known = {f"fault:{fault}" for fault in knowledge.practice.faults}
    known |= {f"skill:{skill}" for skill in knowledge.practice.skills}
    standing = standings([review for review in reviews if review.key in known], now)
    key = next_key(standing, knowledge.practice, now)
    return Progress(name, standing, len(rows), key, next_number(key, len(rows), knowledge))


def _grade(value: int) -> Grade:
    return 1 if value <= 1 else 2 if value == 2 else 3 if value == 3 else 4


@dataclass(frozen=True)
class Learner:
    """Somebody whose progress a lead can see."""

    person_id: int
    name: str
    role: str
    done: int
    last: datetime.datetime | None


def learners(database: Database, *, by: Who) -> list[Learner]:
    """Everybody who works here, by name, with how many vehicles they have worked. Raises `NotAllowed`."""
    require_lead(by, LEADS)
    with database.of_workshop(by.workshop_id) as session:
        rows = session.execute(
            select(Person.id, Person.name, Person.role, func.count(PracticeRun.id), func.max(PracticeRun.committed_at))
            .outerjoin(
                PracticeRun, (PracticeRun.person_id == Person.id) & PracticeRun.committed_at.is_not(None)
            )
            .where(Person.active == true())
            .group_by(Person.id, Person.name, Person.role)
            .order_by(Person.name)
        )  # fmt: skip
        return [Learner(*row) for row in rows]


# -- numbers to take ---------------------------------------------------------------------------------------------


def number_of_the_week(day: datetime.date, knowledge: Knowledge) -> int:
    """The vehicle of a week: one number, the same for everybody."""
    figures, (year, week, _) = knowledge.practice, day.isocalendar()
    turn = 53 * year + week
    difficulty = figures.difficulties[turn % len(figures.difficulties)]
    return number_of_drawn(Drawn(figures.kinds[turn // 6 % 2], difficulty, turn), figures)


def fresh_number(kind: str, difficulty: str, knowledge: Knowledge, *, by: Who, database: Database) -> int:
    """A number of a kind and difficulty that this person has not had."""
    figures = knowledge.practice
    for name, value, allowed in (("kind", kind, figures.kinds), ("difficulty", difficulty, figures.difficulties)):
        if value not in allowed:
            raise InvalidInput(
                name, value, said("allowed: {choices}", choices=verbatim(", ".join(allowed).replace("_", " ")))
            )
    with database.of_workshop(by.workshop_id) as session:
        had = set(session.scalars(select(PracticeRun.number).where(PracticeRun.person_id == by.person_id)))
    seed = 100 + 7 * by.person_id + len(had)
    while (number := number_of_drawn(Drawn(kind, difficulty, seed), figures)) in had:
        seed += 1
    return number


@dataclass(frozen=True)
class SetVehicle:
    """A vehicle that a lead set for somebody; `run_id` of the run in which they took it, if they did."""

    number: int
    note: str
    by: str
    at: datetime.datetime
    run_id: int | None
    over: bool


def set_vehicle(
    database: Database, knowledge: Knowledge, person_id: int, number: int, note: str,
    *, by: Who, now: datetime.datetime,
) -> None:  # fmt: skip
    """Set a vehicle for somebody. Raises `NotAllowed`, `NotFound`, `InvalidInput`."""
    require_lead(by, LEADS)
    mystery_of(number, knowledge)
    note = note.strip()
    if len(note) > LONGEST_SET_NOTE:
        raise InvalidInput(
            "what it is set for",
            note,
            at_most_characters(LONGEST_SET_NOTE),
        )

    def keep(session: WorkshopSession) -> bool:
        if session.get(Person, person_id) is None:
            raise NotFound("person")
        row = {"person_id": person_id, "number": number, "note": note, "set_by": by.person_id, "set_at": now}
        session.add(PracticeSet(**row, workshop_id=by.workshop_id))
        return True

    do_once(database, marked("practice set"), keep, [person_id, number, note], by=by, now=now)


def set_for(database: Database, person_id: int, *, by: Who) -> list[SetVehicle]:
    """What was set for a person, the latest first: one's own, or for a lead anybody's."""
    require_own_or_lead(person_id, by)
    with database.of_workshop(by.workshop_id) as session:
        rows = session.execute(
            select(PracticeSet, Person.name)
            .join(Person, Person.id == PracticeSet.set_by)
            .where(PracticeSet.person_id == person_id)
            .order_by(PracticeSet.id.desc())
            .limit(MOST_SHOWN)
        ).all()
        runs = session.execute(
            select(PracticeRun.number, PracticeRun.id, PracticeRun.started_at, PracticeRun.committed_at)
            .where(PracticeRun.person_id == person_id)
            .order_by(PracticeRun.id)
        ).all()
    out = []
    for row, name in rows:
        taken = next((run for run in runs if run.number == row.number and run.started_at >= row.set_at), None)
        out.append(SetVehicle(row.number, row.note, name, row.set_at, taken.id if taken else None,
                              bool(taken and taken.committed_at)))  # fmt: skip
    return out


@dataclass(frozen=True)
class FoundVehicle:
    """What was found in a closed job, and of which kind its vehicle was: nothing that tells whose it was, or when."""

    kind: str
    faults: tuple[tuple[Place, str], ...]


#: As many closed jobs are offered to make a vehicle from, of the latest records looked at.
MOST_FOUND, MOST_RECORDS = 12, 400


def vehicles_found(database: Database, knowledge: Knowledge, *, by: Who) -> list[FoundVehicle]:
    """The latest closed jobs of which it is known what was wrong, each combination once. Raises `NotAllowed`."""
    require_lead(by, LEADS)
    with database.of_workshop(by.workshop_id) as session:
        rows = session.execute(
            select(JobRecord.job_id, Vehicle.specification)
            .join(Job, Job.id == JobRecord.job_id)
            .join(Vehicle, Vehicle.id == Job.vehicle_id)
            .where(JobRecord.kind == FOUND, Job.state == "closed")
            .order_by(JobRecord.id.desc())
            .limit(MOST_RECORDS)
        ).all()
        kinds = {job_id: specification.get("kind") or "car" for job_id, specification in rows}
        outcomes = outcomes_in(session, kinds)
    out: dict[FoundVehicle, None] = {}
    for job_id, kind in kinds.items():
        faults = [
            (place, fault)
            for place, one in outcomes[job_id].found.items()
            if one.sure
            for fault in one.faults or ()
            if fault in knowledge.practice.faults
        ]
        if faults:
            out[FoundVehicle(kind, tuple(sorted(faults))[:MOST_PLANTED])] = None
    return list(out)[:MOST_FOUND]
