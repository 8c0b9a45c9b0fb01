"""The home of practice: vehicles to take, runs that are open, what was done, and progress by fault and skill."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import dataclass

from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import AsWritten, Sayable, said
from mesotrope.core.practice.numbers import written
from mesotrope.core.practice.progress import FAULT, SKILL, Standing
from mesotrope.core.practice.vehicle import mystery_of
from mesotrope.services.practice import Run
from mesotrope.services.practice_progress import Progress, SetVehicle
from mesotrope.web.practice.bay_page import base_of, minutes_said
from mesotrope.words import Speaker


@dataclass(frozen=True)
class Lesson:
    number: int
    complaint: str
    kind: Sayable
    done: Sayable
    lesson: Sayable


@dataclass(frozen=True)
class RunRow:
    href: str
    number: str
    complaint: str
    when: datetime.datetime
    said: Sayable
    missed_danger: bool


@dataclass(frozen=True)
class StandingRow:
    words: Sayable
    about: Sayable
    times: Sayable
    last: Sayable
    recall: str
    width: int
    due: bool
    next: datetime.date


@dataclass(frozen=True)
class HomePage:
    week: str
    next: str
    open: tuple[RunRow, ...]
    over: tuple[RunRow, ...]
    set_for: tuple[tuple[SetVehicle, str], ...]
    lessons: tuple[Lesson, ...]
    skills: tuple[StandingRow, ...]
    faults: tuple[StandingRow, ...]
    done: int
    pictures: bool


#: What a grade is in words.
GRADES = {1: said("missed"), 2: said("with help, or late"), 3: said("right"), 4: said("right and quick")}


def home_page(
    runs: Sequence[Run], week: int, progress: Progress, for_me: Sequence[SetVehicle], knowledge: Knowledge,
    now: datetime.datetime, say: Speaker,
) -> HomePage:  # fmt: skip
    best = {run.number: run for run in reversed(runs) if run.result}
    return HomePage(
        week=written(week),
        next=written(progress.next_number),
        open=tuple(run_row(run, knowledge) for run in runs if not run.result),
        over=tuple(run_row(run, knowledge) for run in runs if run.result),
        set_for=tuple((one, written(one.number)) for one in for_me if not one.over),
        lessons=tuple(_lesson(number, best.get(number), knowledge) for number in knowledge.practice.lessons),
        skills=skills_of(progress.standing, knowledge, now, say),
        faults=faults_of(progress.standing, knowledge, now, say),
        done=progress.done,
        pictures=bool(runs and runs[0].pictures),
    )


def _lesson(number: int, run: Run | None, knowledge: Knowledge) -> Lesson:
    mystery = mystery_of(number, knowledge)
    done = said("{points} points", points=AsWritten(str(run.result["points"]))) if run and run.result else ""
    kind = said(mystery.vehicle.build.kind.replace("_", " "))
    return Lesson(number, mystery.complaint, kind, done, said(mystery.lesson) if done else "")


def run_row(run: Run, knowledge: Knowledge) -> RunRow:
    result = run.result
    told: Sayable = ""
    if result:
        told = said("{points} points, {minutes}, best {best}", points=AsWritten(str(result["points"])),
                    minutes=minutes_said(result["minutes"]), best=minutes_said(result["best_minutes"]))  # fmt: skip
    return RunRow(
        f"{base_of(run.id)}/{'debrief' if result else 'take-in'}", written(run.number),
        mystery_of(run.number, knowledge).complaint, run.committed_at or run.started_at, told,
        bool(result and result["missed_danger"]),
    )  # fmt: skip


def skills_of(
    standing: dict[str, Standing], knowledge: Knowledge, now: datetime.datetime, say: Speaker
) -> tuple[StandingRow, ...]:
    return tuple(
        _standing(said(skill.words), said(skill.about), standing[f"{SKILL}{skill.id}"], now, say)
        for skill in knowledge.practice.skill
        if f"{SKILL}{skill.id}" in standing
    )


def faults_of(
    standing: dict[str, Standing], knowledge: Knowledge, now: datetime.datetime, say: Speaker
) -> tuple[StandingRow, ...]:
    """The faults that were met, the least known first."""
    met = [(key.removeprefix(FAULT), one) for key, one in standing.items() if key.startswith(FAULT)]
    return tuple(
        _standing(said(knowledge.words(fault)), "", one, now, say)
        for fault, one in sorted(met, key=lambda pair: pair[1].recall)
    )


def _standing(words: Sayable, about: Sayable, one: Standing, now: datetime.datetime, say: Speaker) -> StandingRow:
    return StandingRow(
        words,
        about,
        said("{count} of {of} right", count=AsWritten(str(one.right)), of=AsWritten(str(one.times))),
        GRADES[one.last],
        say.chance(one.recall),
        max(1, round(100 * one.recall)),
        one.is_due(now),
        one.due.date(),
    )
