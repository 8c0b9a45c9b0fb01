"""Today: every open job with who has it, where it stands, what was promised, and what it waits for.

How a job stands is worked out from the job itself and kept with it; it is made again when what it was made from has
changed: an entry, a record, the vehicle, the visit, the knowledge or the workshop's rules. So many that a page does not
wait for them are made at once; the rest are shown as they were, and said to be.
"""

from __future__ import annotations

import datetime
import hashlib
import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import bindparam, func, select, tuple_
from sqlalchemy.orm import aliased

from mesotrope.core.answer.glance import Glance, glance_at
from mesotrope.core.day.waiting import JobFacts, Told, Waiting, minutes_to_go, waits_for
from mesotrope.core.language.corner import VEHICLE, Corner, place_named
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import Sayable, marked, said
from mesotrope.core.language.work import Done
from mesotrope.core.plan.worth import takes_of
from mesotrope.errors import InvalidInput
from mesotrope.services.again import done_again
from mesotrope.services.answers import Remembered
from mesotrope.services.for_a_while import for_a_while
from mesotrope.services.orders import HERE, ORDERED, not_ordered
from mesotrope.services.planned_jobs import Planned, planned_job, proved_job
from mesotrope.services.progress import agreed_to
from mesotrope.services.records import Record
from mesotrope.services.rules import chosen_of
from mesotrope.services.search_index import index_job, leading_fault
from mesotrope.services.signing_in import Who, nobody_of
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import Job, JobRecord, Person, Vehicle

#: The kinds of record that Today reads of every job.
OF_THE_DAY = ("has_it", "promised", "place", "waits")

#: Which of its shapes a stand is kept in; one that was kept in another is made again.
SHAPE = 3

#: For so long a page makes what is stale, seconds; what is left is made at its next look.
MAKES_FOR_S = 0.6

#: A job with its plan, by its number.
PlannedOf = Callable[[int], Planned]


@dataclass(frozen=True)
class ForALead:
    """What a lead is asked to approve: the work with its places, the key of the plan, why, and what to look out for."""

    work: tuple[Done, ...]
    plan: str
    signed_by: str
    why: str
    unexplained: bool

    def kept(self) -> dict[str, Any]:
        return {**self.__dict__, "work": [[str(place), action] for place, action in self.work]}

    @classmethod
    def of(cls, kept: Mapping[str, Any]) -> ForALead:
        work = tuple((place_named(place) or VEHICLE, action) for place, action in kept["work"])
        return cls(**{**kept, "work": work})


@dataclass(frozen=True)
class Stand:
    """How a job stands: at a glance, the facts that say what it waits for, the minutes that its work is counted with,
    whether its work opens the hydraulics, and what a lead is asked, where one is."""

    glance: Glance
    facts: Mapping[str, Any]
    planned_minutes: float
    test_minutes: float
    opens: bool
    kind: str
    for_a_lead: ForALead | None = None

    def kept(self) -> dict[str, Any]:
        asked = self.for_a_lead.kept() if self.for_a_lead else None
        return {**self.__dict__, "glance": self.glance.kept(), "facts": dict(self.facts), "for_a_lead": asked}

    @classmethod
    def of(cls, kept: Mapping[str, Any]) -> Stand:
        asked = kept["for_a_lead"]
        return cls(**{**kept, "glance": Glance.of(kept["glance"]), "for_a_lead": ForALead.of(asked) if asked else None})


@dataclass(frozen=True)
class DayJob:
    """One open job of the day. `stand` is None where it was never worked out or the job cannot be read (`unreadable`
    then says why); `stale`: it is worked out again at the next look."""

    id: int
    label: str
    registration: str | None
    complaint: str
    opened_at: datetime.datetime
    stand: Stand | None
    stale: bool
    unreadable: str
    has_it: Record | None
    who: int | None
    who_name: str
    promised: datetime.datetime | None
    place: str
    told: Told | None
    waits: Waiting
    minutes: float

    def late(self, now: datetime.datetime) -> bool:
        """Whether what was promised has passed, while the vehicle is not ready."""
        return self.promised is not None and self.promised < now and self.waits.state != "collect"


def list_day(
    database: Database, knowledge: Knowledge, planned: PlannedOf, *, by: Who, knowledge_key: str,
    makes_for_s: float | None = MAKES_FOR_S,
) -> list[DayJob]:  # fmt: skip
    """Every open job of the workshop, the longest there first.

    knowledge : with the workshop's own figures; knowledge_key : names the knowledge that ships with the product;
    planned : a job with its plan; makes_for_s : None makes all that is stale.
    """
    rows, people = _rows(database, by, f"{knowledge_key}/{by.rules_version}/{by.learnt_version}")
    made: dict[int, tuple[str, dict[str, Any]]] = {}
    for row in for_a_while([row for row in rows if row.stale], makes_for_s):
        try:
            made[row.id] = row.key, stand_of(planned(row.id), knowledge).kept()
        except InvalidInput as error:  # one job that cannot be read takes no other with it
            made[row.id] = row.key, {"unreadable": str(error)}
    if made:
        _keep(database, made, by)
    return [
        _day_job(row, made[row.id][1] if row.id in made else row.shown, row.id not in made, people, knowledge)
        for row in rows
    ]


def stand_of(here: Planned, knowledge: Knowledge) -> Stand:
    """How a job stands, from its plan."""
    records = here.plan.records
    proved = proved_job(here, knowledge)
    progress = here.progress
    agreed, more = agreed_to(records.get(("agreed", "")), here.work)
    declined = agreed == "no" and not more
    asked = chosen_of("day", here.plan.rules)["owner_word"] == "yes"
    steps = [] if declined else [step.id for step in here.card.steps if step.id not in progress.struck]
    test = here.answer.next_tests[0] if here.answer.next_tests else None
    signed = records.get(("signed", ""))
    facts = {
        "found": bool(here.job.findings),
        "test": [str(test.corner), test.finding] if test else None,
        "sign_off": here.plan.sign_off.state,
        "signed_by": signed.by if signed else "",
        "work": bool(here.work) and not declined,
        "agreed": not asked or bool(agreed and not more),
        "asked_again": asked and more,
        "parts": _parts(here),
        "steps": len(steps),
        "done": len(progress.ticked & set(steps)),
        "unproved": sum(check.state == "open" for check in proved.checks),
        "released": progress.release.value["as"] if progress.release else "",
    }
    inspection = here.job.inspection
    signing = here.plan.sign_off
    for_a_lead = None
    if signed and signing.state == "waits":
        for_a_lead = ForALead(here.work, here.plan.key, signed.by, signing.why, here.plan.unexplained)
    return Stand(
        glance_at(inspection, here.answer, knowledge),
        facts,
        0.0 if declined else takes_of(here.work, knowledge).minutes,
        sum(test.minutes for test in here.answer.next_tests),
        any(action in knowledge.opening_actions for _, action in here.work),
        here.kind,
        for_a_lead,
    )


def _parts(here: Planned) -> str:
    """How the parts of a job stand, as `JobFacts.parts` has it."""
    ordered, arrived = (here.plan.records.get(("tick", one)) for one in (ORDERED, HERE))
    if not here.card.parts:
        return "none"
    if not_ordered(here.card.parts, ordered, arrived):
        return "more" if ordered or arrived else "to_order"
    return "here" if arrived and not not_ordered(here.card.parts, None, arrived) else "ordered"


@dataclass
class _Row:
    """What the database holds of one open job; `key` names all that how it stands is made from, `shown_key` what it was
    made from when it was kept."""

    id: int
    label: str
    registration: str | None
    complaint: str
    opened_at: datetime.datetime
    shown: Any
    shown_key: str | None
    key: str
    records: dict[str, Record]

    @property
    def stale(self) -> bool:
        return self.shown_key != self.key


def _key(*made_from: Any) -> str:
    """A short key of everything that something is made from."""
    return hashlib.sha256(json.dumps(made_from, sort_keys=True, default=str).encode()).hexdigest()


_VISIT = aliased(Job)
_BEFORE = tuple_(_VISIT.opened_at, _VISIT.id) < tuple_(Job.opened_at, Job.id)
_EARLIER = select(func.max(_VISIT.last_entry)).where(_VISIT.vehicle_id == Job.vehicle_id, _BEFORE).scalar_subquery()
_LAST_RECORD = select(func.max(JobRecord.id)).where(JobRecord.job_id == Job.id).scalar_subquery()
_OPEN = (
    select(
        Job.id, Vehicle.label, Vehicle.registration, Job.visit, Job.opened_at, Job.shown, Job.shown_key,
        Job.last_entry, _EARLIER, _LAST_RECORD, func.sha1(Job.visit), func.sha1(Vehicle.specification),
    )
    .join(Vehicle, Vehicle.id == Job.vehicle_id)
    .where(Job.state == "open")
    .order_by(Job.opened_at, Job.id)
)  # fmt: skip
_NAMES = select(Person.id, Person.name)


def _rows(database: Database, by: Who, knowledge: str) -> tuple[list[_Row], dict[int, str]]:
    """The open jobs, and the names of all who work or worked here. knowledge : names what is known."""
    with database.of_workshop(by.workshop_id) as session, session.begin():
        rows = session.execute(_OPEN).all()
        people = dict(session.execute(_NAMES).all())
        records = _records(session, [job_id for job_id, *_ in rows], people)
        return [
            _Row(
                job_id, label, plate, visit.get("complaint") or "", opened_at, shown, shown_key,
                _key(SHAPE, knowledge, *made_from), records.get(job_id, {}),
            )
            for job_id, label, plate, visit, opened_at, shown, shown_key, *made_from in rows
        ], people  # fmt: skip


_RECORDS = (
    select(JobRecord)
    .where(JobRecord.job_id.in_(bindparam("job_ids", expanding=True)), JobRecord.kind.in_(OF_THE_DAY))
    .order_by(JobRecord.id)
)


def _records(session: WorkshopSession, job_ids: list[int], people: Mapping[int, str]) -> dict[int, dict[str, Record]]:
    """By job, the records of the day that stand, by their kind."""
    out: dict[int, dict[str, Record]] = {}
    for row in session.scalars(_RECORDS, {"job_ids": job_ids}):
        record = Record(row.kind, "", row.value, row.note, people.get(row.made_by, ""), row.role, row.made_at)
        out.setdefault(row.job_id, {})[row.kind] = record
    return {job: {kind: r for kind, r in kinds.items() if r.value is not None} for job, kinds in out.items()}


@done_again
def _keep(database: Database, made: Mapping[int, tuple[str, dict[str, Any]]], by: Who) -> None:
    with database.of_workshop(by.workshop_id) as session, session.begin():
        for job in session.scalars(select(Job).where(Job.id.in_(list(made))).order_by(Job.id)):
            suspected = leading_fault(job)
            job.shown_key, job.shown = made[job.id]
            if leading_fault(job) != suspected:
                index_job(session, job)


def _day_job(
    row: _Row, kept: dict[str, Any] | None, as_it_was: bool, names: Mapping[int, str], knowledge: Knowledge
) -> DayJob:
    """A job of the day. kept : how it stands; as_it_was : that is what was kept before."""
    stand = Stand.of(kept) if kept and "facts" in kept else None
    records = row.records
    told = told_of(records.get("waits"))
    facts = replace(facts_of(stand.facts, knowledge) if stand else JobFacts(found=True), told=told)
    unreadable = (kept or {}).get("unreadable", "")
    unknown = Waiting("other", marked("what cannot be read put right") if unreadable else marked("being worked out"))
    waits = waits_for(facts) if stand or told else unknown
    minutes = minutes_to_go(facts, stand.planned_minutes, stand.test_minutes, knowledge.of_the_day) if stand else 0.0
    has_it, promised = records.get("has_it"), records.get("promised")
    who = has_it.value if has_it else None
    return DayJob(
        row.id, row.label, row.registration, row.complaint, row.opened_at, stand, as_it_was and row.stale, unreadable,
        has_it, who, names.get(who, "") if who else "",
        datetime.datetime.fromisoformat(promised.value) if promised else None,
        records["place"].value if "place" in records else "", told, waits, minutes,
    )  # fmt: skip


def told_of(record: Record | None) -> Told | None:
    """What somebody said that a job waits for."""
    if record is None:
        return None
    until = record.value.get("until")
    return Told(record.value["for"], record.note, datetime.date.fromisoformat(until) if until else None)


def facts_of(kept: Mapping[str, Any], knowledge: Knowledge) -> JobFacts:
    """The facts as they were kept, with their words."""
    test: Sayable = ""
    if kept["test"]:
        place, finding = place_named(kept["test"][0]), kept["test"][1]
        fields = knowledge.corner_finding if isinstance(place, Corner) else knowledge.system_finding
        field = fields.get(finding)
        words = (field.doing or field.label) if field else finding.replace("_", " ")
        test = said("{place}: {what}", place=place, what=words) if isinstance(place, Corner) else words
    why = said("signed by {name}", name=kept["signed_by"]) if kept["signed_by"] else ""
    plain = {name: kept[name] for name in kept if name not in ("test", "signed_by")}
    return JobFacts(**plain, test=test, why_approval=why)


def refresh_day(
    database: Database, knowledge: Knowledge, workshop_id: int, knowledge_key: str, remember: Remembered | None = None
) -> None:
    """Work out how all of a workshop's open jobs stand, so that nobody who opens Today waits for it.

    knowledge : that ships with the product; knowledge_key : its name; remember : answers that are known already.
    """
    nobody = nobody_of(database, workshop_id)
    remember = remember or Remembered(knowledge)
    figures = remember.figures(database, nobody)
    known = remember.known(figures)

    def planned(job_id: int) -> Planned:
        return planned_job(
            database, known, lambda job: remember.answer_of(database, job, figures, by=nobody), job_id, by=nobody
        )

    list_day(database, known, planned, by=nobody, knowledge_key=knowledge_key, makes_for_s=None)
