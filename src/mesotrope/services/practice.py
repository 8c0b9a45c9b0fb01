"""Practice: mystery vehicles taken, worked and committed to, each person's own.

A run is a number and the acts done in it; what was found, the clock and the debrief are worked out from these. Nothing
of it is ever a job, nor counted, nor learnt from.
"""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import select

from mesotrope.core.language.corner import VEHICLE, Place, place_named
from mesotrope.core.language.knowledge import Knowledge, KnowledgeKey
from mesotrope.core.language.remembering import Latest
from mesotrope.core.language.saying import marked
from mesotrope.core.practice.acts import Act
from mesotrope.core.practice.bay import Bay
from mesotrope.core.practice.debrief import Debrief, debrief
from mesotrope.core.practice.judged import Commitment
from mesotrope.core.practice.progress import grades_of
from mesotrope.core.practice.vehicle import mystery_of
from mesotrope.errors import InvalidInput, NotFound, NotNow
from mesotrope.services.once import do_once
from mesotrope.services.signing_in import Who, require_lead
from mesotrope.store.practice_tables import PracticeAct, PracticeRun
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import Person

#: What only a lead does with practice.
LEADS = marked("Seeing others' practice and setting vehicles")

#: Runs that are shown of a person; more acts than this nobody does in one.
MOST_SHOWN, MOST_ACTS = 60, 400


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
    return Act(kept["kind"], kept["what"], named_place(kept["place"]), read)


def named_place(name: str) -> Place:
    """The place of this name. Raises `InvalidInput` where there is none."""
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
    pairs = [frozenset((named_place(place), name) for place, name in kept[part]) for part in ("faults", "work")]
    return Commitment(pairs[0], pairs[1], kept["safe"])


# -- runs --------------------------------------------------------------------------------------------------------


def start_run(
    database: Database, knowledge: Knowledge, number: int, pictures: bool, *, asked: str = "",
    by: Who, now: datetime.datetime,
) -> int:  # fmt: skip
    """Take the vehicle of a number; returns the run's number. Raises `InvalidInput` for one that no vehicle has.

    asked : what was asked for, where the number was drawn for it: the same asked again is the same run.
    """
    mystery_of(number, knowledge)

    def start(session: WorkshopSession) -> int:
        run = PracticeRun(
            person_id=by.person_id, number=number, pictures=pictures, started_at=now, workshop_id=by.workshop_id
        )
        session.add(run)
        session.flush()
        return run.id

    return do_once(database, "practice", start, [asked or number, pictures], by=by, now=now)


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
        nth = len(acts)
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
    require_own_or_lead(person_id, by)
    with database.of_workshop(by.workshop_id) as session:
        rows = session.execute(
            select(PracticeRun, Person.name)
            .join(Person, Person.id == PracticeRun.person_id)
            .where(PracticeRun.person_id == person_id)
            .order_by(PracticeRun.id.desc())
            .limit(MOST_SHOWN)
        )
        return [_run(row, name) for row, name in rows]


def require_own_or_lead(person_id: int, by: Who) -> None:
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
