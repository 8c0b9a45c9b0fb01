"""Practice: mystery vehicles taken, worked and committed to, each person's own.

A run is a number and the acts done in it; what was found, the clock and the debrief are worked out from these. Nothing
of it is ever a job, nor counted, nor learnt from.
"""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import func, select

from mesotrope.core.language.corner import VEHICLE, Place, place_named
from mesotrope.core.language.knowledge import Knowledge, KnowledgeKey
from mesotrope.core.practice.bay import Act, Bay
from mesotrope.core.practice.debrief import Debrief, debrief
from mesotrope.core.practice.judged import Commitment
from mesotrope.core.practice.numbers import MOST_PLANTED, Drawn, number_of_drawn
from mesotrope.core.practice.progress import Grade, Review, Standing, grades_of, next_key, next_number, standings
from mesotrope.core.practice.vehicle import mystery_of
from mesotrope.errors import InvalidInput, NotFound, NotNow
from mesotrope.services.answers import Latest
from mesotrope.services.once import do_once
from mesotrope.services.outcomes import FOUND, outcomes_in
from mesotrope.services.signing_in import Who, require_lead
from mesotrope.store.practice_tables import PracticeAct, PracticeRun, PracticeSet
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import Job, JobRecord, Person, Vehicle

#: What only a lead does with practice.
LEADS = "Seeing others' practice and setting vehicles"

#: Runs that are shown of a person; more acts than this nobody does in one.
MOST_SHOWN, MOST_ACTS = 60, 400

LONGEST_SET_NOTE = 200


@dataclass(frozen=True)
class Run:
    """A run as it stands."""

    id: int
    person_id: int
    person: str
    number: int
    pictures: bool
    started_at: datetime.datetime
    committed_at: datetime.datetime | None
    commitment: Commitment | None
    result: dict[str, Any] | None
    acts: tuple[Act, ...] = ()

    def bay(self, knowledge: Knowledge) -> Bay:
        """The bay after all that was done in it."""
        return _bay(self.number, self.acts, self.pictures, knowledge)


def _bay(number: int, acts: Sequence[Act], pictures: bool, knowledge: Knowledge) -> Bay:
    bay = Bay(mystery_of(number, knowledge), knowledge, pictures=pictures)
    for act in acts:
        try:
            bay.do(act)
        except NotNow:  # a limit that was changed since lets it through no more
            continue
    return bay


# -- acts as they are kept ---------------------------------------------------------------------------------------


def _kept(act: Act) -> dict[str, Any]:
    out: dict[str, Any] = {"kind": act.kind, "what": act.what, "place": str(act.place)}
    return out | {"read": [list(one) for one in act.read]} if act.read else out


def _act(kept: dict[str, Any]) -> Act:
    read = tuple((str(path), value) for path, value in kept.get("read", ()))
    return Act(kept["kind"], kept["what"], _place(kept["place"]), read)


def _place(name: str) -> Place:
    place = place_named(name)
    if place is None:
        raise InvalidInput("place", name, "a corner or the whole vehicle is allowed")
    return place


def _kept_commitment(one: Commitment) -> dict[str, Any]:
    return {
        "faults": sorted([str(place), fault] for place, fault in one.faults),
        "work": sorted([str(place), action] for place, action in one.work),
        "safe": one.safe,
    }


def _commitment(kept: dict[str, Any] | None) -> Commitment | None:
    if kept is None:
        return None
    pairs = [frozenset((_place(place), name) for place, name in kept[part]) for part in ("faults", "work")]
    return Commitment(pairs[0], pairs[1], kept["safe"])


# -- runs --------------------------------------------------------------------------------------------------------


def start_run(
    database: Database, knowledge: Knowledge, number: int, pictures: bool, *, by: Who, now: datetime.datetime
) -> int:
    """Take the vehicle of a number; returns the run's number. Raises `InvalidInput` for one that no vehicle has."""
    mystery_of(number, knowledge)

    def start(session: WorkshopSession) -> int:
        run = PracticeRun(
            person_id=by.person_id, number=number, pictures=pictures, started_at=now, workshop_id=by.workshop_id
        )
        session.add(run)
        session.flush()
        return run.id

    return do_once(database, "practice", start, [number, pictures], by=by, now=now)


def run_of(database: Database, run_id: int, *, by: Who) -> Run:
    """A run of one's own; a lead sees those of the workshop. Raises `NotFound`."""
    with database.of_workshop(by.workshop_id) as session:
        row = session.execute(
            select(PracticeRun, Person.name).join(Person, Person.id == PracticeRun.person_id)
            .where(PracticeRun.id == run_id)
        ).one_or_none()  # fmt: skip
        if row is None or (row[0].person_id != by.person_id and by.role != "lead"):
            raise NotFound("practice run")
        run, name = row
        return replace(_run(run, name), acts=_acts(session, run_id))


def _acts(session: WorkshopSession, run_id: int) -> tuple[Act, ...]:
    rows = session.scalars(select(PracticeAct.act).where(PracticeAct.run_id == run_id).order_by(PracticeAct.nth))
    return tuple(map(_act, rows))


def _run(row: PracticeRun, name: str) -> Run:
    return Run(
        row.id, row.person_id, name, row.number, row.pictures, row.started_at, row.committed_at,
        _commitment(row.committed), row.result,
    )  # fmt: skip


def _own_open(session: WorkshopSession, run_id: int, by: Who) -> PracticeRun:
    """One's own run, held for a change. Raises `NotFound`, `NotNow` where it is over."""
    row = session.scalar(select(PracticeRun).where(PracticeRun.id == run_id).with_for_update())
    if row is None or row.person_id != by.person_id:
        raise NotFound("practice run")
    if row.committed_at is not None:
        raise NotNow("this run is over: take another vehicle")
    return row


def do_act(database: Database, knowledge: Knowledge, run_id: int, act: Act, *, by: Who, now: datetime.datetime) -> None:
    """Do one thing in one's own run. Raises `NotFound`, and `NotNow` where it cannot be done as things stand."""

    def do(session: WorkshopSession) -> int:
        row = _own_open(session, run_id, by)
        acts = _acts(session, run_id)
        if len(acts) >= MOST_ACTS:
            raise NotNow("nobody does more than this on one vehicle: commit to something")
        _bay(row.number, acts, row.pictures, knowledge).do(act)
        nth = session.scalar(select(func.count()).where(PracticeAct.run_id == run_id)) or 0
        session.add(
            PracticeAct(run_id=run_id, nth=nth, act=_kept(act), made_at=now, workshop_id=by.workshop_id)
        )  # fmt: skip
        return nth

    do_once(database, f"practice act {run_id}", do, _kept(act), by=by, now=now)


def commit(
    database: Database, knowledge: Knowledge, run_id: int, commitment: Commitment, *, by: Who, now: datetime.datetime
) -> None:
    """Stand for something: the run is over, and its debrief can be read.

    Raises `NotFound`, `NotNow` where it is over or something was done in it at the same moment, `InvalidInput`.
    """
    run = run_of(database, run_id, by=by)
    if run.committed_at is None:
        mystery = mystery_of(run.number, knowledge)
        for place, _ in (*commitment.faults, *commitment.work):
            if place not in (*mystery.vehicle.build.corners, VEHICLE):
                raise InvalidInput("place", place.words, "a corner that this vehicle has is allowed")
        told = debrief_of(run, commitment, knowledge)  # takes seconds: no row is held meanwhile

    def end(session: WorkshopSession) -> bool:
        row = _own_open(session, run_id, by)
        if _acts(session, run_id) != run.acts:
            raise NotNow("something was done at this vehicle at the same moment: look, and commit again")
        row.committed, row.committed_at = _kept_commitment(commitment), now
        row.result = _result(told, knowledge)
        return True

    do_once(database, f"practice end {run_id}", end, _kept_commitment(commitment), by=by, now=now)


def _result(told: Debrief, knowledge: Knowledge) -> dict[str, Any]:
    """What is kept of a debrief, so that progress is read and not worked out anew."""
    judged = told.judged
    return {
        "points": told.points,
        "minutes": told.taken.minutes,
        "best_minutes": told.best.minutes,
        "over": round(judged.over, 2),
        "missed_danger": judged.missed_danger,
        "right": len(judged.right),
        "missed": len(judged.missed),
        "wrong": len(judged.wrong),
        "grades": grades_of(told, knowledge.practice),
    }


def runs_of(database: Database, person_id: int, *, by: Who) -> list[Run]:
    """The runs of a person, the latest first, without their acts: one's own, or for a lead anybody's."""
    _require_own_or_lead(person_id, by)
    with database.of_workshop(by.workshop_id) as session:
        rows = session.execute(
            select(PracticeRun, Person.name)
            .join(Person, Person.id == PracticeRun.person_id)
            .where(PracticeRun.person_id == person_id)
            .order_by(PracticeRun.id.desc())
            .limit(MOST_SHOWN)
        )
        return [_run(row, name) for row, name in rows]


def _require_own_or_lead(person_id: int, by: Who) -> None:
    if person_id != by.person_id:
        require_lead(by, LEADS)


#: The latest debriefs: each takes seconds.
_debriefs: Latest[Debrief] = Latest(32)


def debrief_of(run: Run, commitment: Commitment, knowledge: Knowledge) -> Debrief:
    """The debrief of a run that ends, or ended, with a commitment; remembered."""
    mystery = mystery_of(run.number, knowledge)
    return _debriefs.of(
        (run.number, run.acts, run.pictures, commitment, KnowledgeKey(knowledge)),
        lambda: debrief(mystery, run.acts, commitment, knowledge, pictures=run.pictures),
    )


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
    _require_own_or_lead(person_id, by)
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
            .where(Person.active.is_(True))
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
            raise InvalidInput(name, value, f"allowed: {', '.join(allowed).replace('_', ' ')}")
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
        raise InvalidInput("what it is set for", note, f"at most {LONGEST_SET_NOTE} characters are allowed")

    def keep(session: WorkshopSession) -> bool:
        if session.get(Person, person_id) is None:
            raise NotFound("person")
        row = {"person_id": person_id, "number": number, "note": note, "set_by": by.person_id, "set_at": now}
        session.add(PracticeSet(**row, workshop_id=by.workshop_id))
        return True

    do_once(database, "practice set", keep, [person_id, number, note], by=by, now=now)


def set_for(database: Database, person_id: int, *, by: Who) -> list[SetVehicle]:
    """What was set for a person, the latest first: one's own, or for a lead anybody's."""
    _require_own_or_lead(person_id, by)
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
