"""The plan of the day drawn, a lane for each person, the hours along it, a box for each job; and said in words."""

from __future__ import annotations

import datetime
import math
from dataclasses import dataclass

from mesotrope.core.day.schedule import Slot
from mesotrope.core.language.saying import Sayable, joined, marked, said, verbatim
from mesotrope.services.day_plan import PlannedDay
from mesotrope.web.day.views import span_words
from mesotrope.web.plate.pen import Pen, Plate
from mesotrope.words import Speaker

#: Sizes of the drawing, in its own units.
LEFT, RIGHT, TOP, LANE, GAP = 34.0, 320.0, 10.0, 16.0, 5.0

#: About as many letters fit into one unit of width.
LETTERS = 0.44


@dataclass(frozen=True)
class PlanLine:
    """One thing that the plan says: of a job, or of none."""

    words: Sayable
    job: int | None = None
    label: str = ""


@dataclass(frozen=True)
class PersonDay:
    """One person's day: how long they are there still, how much of it is planned, and their jobs in order."""

    name: str
    there: Sayable
    planned: Sayable
    slots: tuple[tuple[Sayable, str, str, int], ...]


def _today(planned: PlannedDay) -> tuple[float, float]:
    """From when until when the drawing goes: what is left of the first day on which anybody is there."""
    spans = [span for there in planned.there.values() for span in there]
    day = min((int(start // 1440) for start, _ in spans), default=0)
    here = [(start, end) for start, end in spans if int(start // 1440) == day] or [(480.0, 1020.0)]
    return min(start for start, _ in here) // 60 * 60, math.ceil(max(end for _, end in here) / 60) * 60


def day_picture(planned: PlannedDay, say: Speaker) -> Plate:
    """The plan as it is for today; where nobody is there any more, for the next day."""
    first, last = _today(planned)
    pen, people = Pen(say=say), list(planned.people.items())
    bottom = TOP + len(people) * (LANE + GAP)

    def x(minute: float) -> float:
        return LEFT + (min(max(minute, first), last) - first) / (last - first) * (RIGHT - LEFT)

    hour = first
    while hour <= last:
        pen.line("graph-grid", x(hour), TOP - 2, x(hour), bottom - GAP)
        pen.text("graph-figure", x(hour), TOP - 4, f"{int(hour // 60) % 24}:00")
        hour += 60
    for number, (person, name) in enumerate(people):
        y = TOP + number * (LANE + GAP)
        pen.text("graph-words", LEFT - 2, y + LANE / 2 + 1.5, name.split(" ")[0], "end")
        for start, end in planned.there.get(person, ()):
            if start < last and end > first:
                pen.box("day-there", x(start), y, x(end), y + LANE)
        for slot in planned.plan.slots:
            if slot.who == person and slot.start < last and slot.end > first:
                _slot(pen, slot, planned, x(slot.start), x(slot.end), y)
    if first <= planned.now <= last:
        pen.line("day-now", x(planned.now), TOP - 2, x(planned.now), bottom - GAP)
    return Plate(RIGHT + 4, bottom + 2, tuple(pen.shapes), say(_description(planned)))


def _slot(pen: Pen, slot: Slot, planned: PlannedDay, x0: float, x1: float, y: float) -> None:
    """A job's box: its name and place as far as they fit; a heavy edge where it ends after its promise."""
    pen.box("day-slot day-late" if slot.late_by else "day-slot", x0 + 0.3, y + 0.6, x1 - 0.3, y + LANE - 0.6)
    room = int((x1 - x0 - 2) * LETTERS)
    for number, words in enumerate((planned.jobs[slot.task.id].label, slot.place)):
        if room >= 4 and words:
            cut = words if len(words) <= room else f"{words[: room - 1]}…"
            pen.text("graph-words", x0 + 1.6, y + 6.4 + 6 * number, cut, "start")


def _description(planned: PlannedDay) -> Sayable:
    slots = planned.plan.slots
    late = len(planned.plan.late)
    counts = {"jobs": verbatim(len(slots)), "people": verbatim(len(planned.people)), "late": verbatim(late)}
    if not late:
        return said("{jobs} jobs planned for {people} people, none late", **counts)
    return said("{jobs} jobs planned for {people} people, {late} late", **counts)


def people_of_the_day(planned: PlannedDay) -> list[PersonDay]:
    """Each person's day in words: free hours against what is planned."""
    first, _ = _today(planned)
    day_end = (first // 1440 + 1) * 1440
    out = []
    for person, name in planned.people.items():
        there = sum(end - start for start, end in planned.there.get(person, ()) if start < day_end)
        slots = [slot for slot in planned.plan.slots if slot.who == person and slot.start < day_end]
        within = sum(
            max(0.0, min(end, slot.end, day_end) - max(start, slot.start))
            for slot in slots
            for start, end in planned.there.get(person, ())
        )
        rows = tuple(
            (
                _span(planned.moment(slot.start), planned.moment(slot.end), planned),
                planned.jobs[slot.task.id].label,
                slot.place,
                slot.task.id,
            )
            for slot in sorted(slots, key=lambda slot: slot.start)
        )
        out.append(PersonDay(name, span_words(there) if there else "", span_words(within), rows))
    return out


#: Why a job finds no place in the plan.
WITHOUT = {
    "person": said("nobody who may do it is there in the next days"),
    "place": said("there is no place that takes it"),
    "time": said("it finds no time in the next days"),
}


def words_of_the_plan(planned: PlannedDay) -> list[PlanLine]:
    """What will be late, what could be moved, and what finds no place, the worst first."""
    out = []
    moves = {move.late: move for move in planned.plan.moves}
    for slot in planned.plan.late:
        job = planned.jobs[slot.task.id]
        ready, promised = planned.moment(slot.end), planned.moment(slot.task.promised or 0)
        parts: list[Sayable] = [
            said("ready about {ready}, promised for {promised}", ready=_when(ready, planned),
                 promised=_when(promised, planned))
        ]  # fmt: skip
        move = moves.get(slot.task.id)
        if move is None and slot.task.id in planned.plan.looked_at:
            parts.append(said("Nothing that is moved helps: tell the owner"))
        elif move is None:
            parts.append(said("What is late before it comes first"))
        elif move.give_to is not None:
            parts.append(said("In time if {person} takes it", person=verbatim(planned.people[move.give_to])))
        elif move.put_off is not None:
            parts.append(said("In time if {job} comes another day", job=verbatim(planned.jobs[move.put_off].label)))
        out.append(PlanLine(joined(parts, ". "), job.id, job.label))
    for number, why in planned.plan.without.items():
        out.append(PlanLine(WITHOUT[why], number, planned.jobs[number].label))
    return out


def _when(moment: datetime.datetime, planned: PlannedDay) -> Sayable:
    """A moment of the plan: today by the clock, another day by its name too."""
    clock = verbatim(f"{moment:%H:%M}")
    if moment.date() == planned.midnight.date():
        return clock
    return said("{day} {clock}", day=WEEKDAYS[moment.weekday()], clock=clock)


def _span(start: datetime.datetime, end: datetime.datetime, planned: PlannedDay) -> Sayable:
    """From when to when; the day of its end is named where it is another than that of its start."""
    same_day = start.date() == end.date()
    return joined((_when(start, planned), verbatim(f"{end:%H:%M}") if same_day else _when(end, planned)), "–")


WEEKDAYS = (
    marked("Monday"), marked("Tuesday"), marked("Wednesday"), marked("Thursday"), marked("Friday"), marked("Saturday"),
    marked("Sunday"),
)  # fmt: skip
