"""What Today shows of a job, and how it is filtered and sorted: kept in the address."""

from __future__ import annotations

import datetime
import json
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from urllib.parse import urlencode

from mesotrope.core.day.waiting import SETTABLE, STATES
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.odds import likely
from mesotrope.core.language.saying import Sayable, said, verbatim
from mesotrope.services.day import DayJob
from mesotrope.services.day_plan import PlannedDay
from mesotrope.services.signing_in import Who
from mesotrope.web.plate.drawing import tiny_plate
from mesotrope.web.plate.pen import Plate
from mesotrope.words import Speaker

#: In what order the jobs stand, in words.
SORTS = {
    "mine": said("mine first, then as promised"), "promised": said("as promised"), "since": said("longest here first"),
    "minutes": said("most work first"), "place": said("by place"),
}  # fmt: skip

#: Where a job stands that nobody has.
NOBODY = "nobody"


@dataclass(frozen=True)
class Chosen:
    """What somebody chose to see: whose jobs, those that wait for what, late ones only, and in what order."""

    whose: str = ""
    waits: str = ""
    late: bool = False
    sort: str = "mine"

    def address(self, **other: object) -> str:
        """The address of Today with this choice, some of it otherwise."""
        chosen = {**self.__dict__, **other}
        kept = {name: "1" if value is True else value for name, value in chosen.items() if value}
        if kept.get("sort") == "mine":
            kept.pop("sort")
        return f"/?{urlencode(kept)}" if kept else "/"


@dataclass(frozen=True)
class DayRow:
    """One job of the day in words."""

    id: int
    href: str
    label: str
    registration: str
    complaint: str
    verdict: str
    open: int
    leading: str
    plate: Plate | None
    waits: str
    until: str
    who: str
    mine: bool
    note: str
    promised: str
    late: str
    place: str
    minutes: str
    unreadable: str
    fields: str


@dataclass(frozen=True)
class Today:
    rows: tuple[DayRow, ...]
    all: int
    stale: bool
    chosen: Chosen
    waiting: tuple[tuple[str, str, int], ...]
    people: tuple[tuple[str, str, int], ...]
    late: int
    approvals: tuple[DayRow, ...] = field(default=())


def today(
    jobs: Sequence[DayJob], planned: PlannedDay, chosen: Chosen, knowledge: Knowledge, say: Speaker,
    *, by: Who, now: datetime.datetime,
) -> Today:  # fmt: skip
    """Today as somebody chose to see it."""
    ends = {slot.task.id: slot for slot in planned.plan.slots}
    late = {job.id for job in jobs if job.late(now) or (job.id in ends and ends[job.id].late_by > 0)}
    shown = [job for job in jobs if _wanted(job, chosen, late, by)]
    shown.sort(key=lambda job: _sort_key(job, chosen.sort, by))
    counts = Counter(job.waits.state for job in jobs)
    theirs = Counter(str(job.who or NOBODY) for job in jobs)
    named = [(str(by.person_id), say("mine")), (NOBODY, say("nobody’s"))]
    named += [(str(number), name) for number, name in planned.people.items() if number != by.person_id]
    people = [("", say("everybody’s"), len(jobs)), *((key, words, theirs[key]) for key, words in named)]

    def row(job: DayJob) -> DayRow:
        return _row(job, planned, job.id in late, knowledge, say, by, now)

    approvals = [row(job) for job in jobs if job.waits.state == "approval"] if by.role == "lead" else []
    return Today(
        tuple(map(row, shown)), len(jobs), any(job.stale for job in jobs), chosen,
        tuple((state, say(words), counts[state]) for state, words in STATES.items() if state in counts),
        tuple(people), len(late), tuple(approvals),
    )  # fmt: skip


def _wanted(job: DayJob, chosen: Chosen, late: set[int], by: Who) -> bool:
    whose = {"": True, NOBODY: job.who is None}.get(chosen.whose, str(job.who) == chosen.whose)
    return whose and chosen.waits in ("", job.waits.state) and (not chosen.late or job.id in late)


def _sort_key(job: DayJob, sort: str, by: Who) -> tuple[object, ...]:
    promised = (job.promised is None, job.promised or job.opened_at, job.opened_at, job.id)
    by_sort: Mapping[str, tuple[object, ...]] = {
        "mine": (job.who != by.person_id, *promised),
        "promised": promised,
        "since": (job.opened_at, job.id),
        "minutes": (-job.minutes, job.id),
        "place": (job.place == "", job.place, *promised),
    }
    return by_sort.get(sort, by_sort["mine"])


def _row(
    job: DayJob, planned: PlannedDay, late: bool, knowledge: Knowledge, say: Speaker, by: Who, now: datetime.datetime
) -> DayRow:
    glance = job.stand.glance if job.stand else None
    leading = ""
    if glance and glance.leading:
        place, fault, chance = glance.leading
        leading = say.begin(said("{place}: {fault}, {likely}", place=place, fault=knowledge.words(fault),
                                 likely=likely(chance, knowledge)))  # fmt: skip
    local = say.dates.local(job.promised) if job.promised else None
    return DayRow(
        id=job.id,
        href=f"/jobs/{job.id}/{_page_of(job)}",
        label=job.label,
        registration=job.registration or say("no plate"),
        complaint=job.complaint or say("no complaint written down"),
        verdict=glance.verdict if glance else "",
        open=glance.open if glance else 0,
        leading=leading,
        plate=tiny_plate(glance.linings, say) if glance else None,
        waits=say(job.waits.said),
        until=say.dates.day(job.waits.until) if job.waits.until else "",
        who=job.who_name or say("nobody"),
        mine=job.who == by.person_id,
        note=job.has_it.note if job.has_it else "",
        promised=promised_words(job.promised, say, now),
        late=_late_words(job, planned, late, say, now),
        place=job.place,
        minutes=say(span_words(job.minutes)) if job.minutes else "",
        unreadable=job.unreadable,
        fields=json.dumps(_fields(job, local)),
    )


def _fields(job: DayJob, promised: datetime.datetime | None) -> dict[str, dict[str, str]]:
    """What stands in the forms of a job, by how their addresses end. promised : by the clock on the wall."""
    told = job.told
    return {
        "/day/who": {"to": str(job.who or "")},
        "/day/promised": {
            "day": promised.date().isoformat() if promised else "",
            "hour": promised.strftime("%H:%M") if promised else "",
        },
        "/day/waits": {
            "what": told.state if told else "",
            "words": str(told.words) if told else "",
            "until": told.until.isoformat() if told and told.until else "",
        },
        "/day/place": {"place": job.place},
    }


#: Where somebody goes who taps a job, by what it waits for.
PAGES = {
    "inspect": "lift", "next_test": "lift", "verdict": "verdict", "approval": "verdict", "owner": "verdict",
    "parts": "card", "work": "card", "proof": "prove", "release": "prove", "collect": "outcome", "unsafe": "prove",
}  # fmt: skip


def _page_of(job: DayJob) -> str:
    return PAGES.get(job.waits.state, "lift")


def promised_words(promised: datetime.datetime | None, say: Speaker, now: datetime.datetime) -> str:
    """When a vehicle was promised: today by the clock, else with the day."""
    if promised is None:
        return ""
    if say.dates.local(promised).date() == say.dates.local(now).date():
        return say.dates.clock(promised)
    return say.dates.moment(promised)


def _late_words(job: DayJob, planned: PlannedDay, late: bool, say: Speaker, now: datetime.datetime) -> str:
    """That it is late, or will be, and by how much."""
    if not late or job.promised is None:
        return ""
    if job.late(now):
        return say(said("late by {span}", span=span_words((now - job.promised).total_seconds() / 60)))
    slot = planned.plan.of(job.id)
    return say(said("will be late by {span}", span=span_words(slot.late_by))) if slot else ""


def span_words(minutes: float) -> Sayable:
    """A span of time, as it is said.

    >>> from mesotrope.words import PLAINLY
    >>> PLAINLY(span_words(35)), PLAINLY(span_words(95)), PLAINLY(span_words(60 * 30))
    ('35 min', '1 h 35 min', '30 h')
    """
    hours, rest = divmod(round(minutes), 60)
    if hours and rest and hours < 24:
        return said("{hours} h {minutes} min", hours=verbatim(hours), minutes=verbatim(rest))
    return said("{hours} h", hours=verbatim(hours)) if hours else said("{minutes} min", minutes=verbatim(rest))


#: What people can say that a job waits for, in words.
CHOICES = [(state, said(STATES[state])) for state in SETTABLE]
