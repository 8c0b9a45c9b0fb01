"""The home of practice: vehicles to take, runs that are open, what was done, and progress by fault and skill."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from dataclasses import dataclass

from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.quantity import percent
from mesotrope.core.practice.numbers import written
from mesotrope.core.practice.progress import FAULT, SKILL, Standing
from mesotrope.core.practice.vehicle import mystery_of
from mesotrope.services.practice import Run
from mesotrope.services.practice_progress import Progress, SetVehicle
from mesotrope.web.practice.bay_page import base_of, minutes_said


@dataclass(frozen=True)
class Lesson:
    number: int
    complaint: str
    kind: str
    done: str
    lesson: str


@dataclass(frozen=True)
class RunRow:
    href: str
    number: str
    complaint: str
    when: datetime.datetime
    said: str
    missed_danger: bool


@dataclass(frozen=True)
class StandingRow:
    words: str
    about: str
    times: str
    last: str
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
GRADES = {1: "missed", 2: "with help, or late", 3: "right", 4: "right and quick"}


def home_page(
    runs: Sequence[Run], week: int, progress: Progress, for_me: Sequence[SetVehicle], knowledge: Knowledge,
    now: datetime.datetime,
) -> HomePage:  # fmt: skip
    best = {run.number: run for run in reversed(runs) if run.result}
    return HomePage(
        week=written(week), next=written(progress.next_number),
        open=tuple(run_row(run, knowledge) for run in runs if not run.result),
        over=tuple(run_row(run, knowledge) for run in runs if run.result),
        set_for=tuple((one, written(one.number)) for one in for_me if not one.over),
        lessons=tuple(_lesson(number, best.get(number), knowledge) for number in knowledge.practice.lessons),
        skills=skills_of(progress.standing, knowledge, now), faults=faults_of(progress.standing, knowledge, now),
        done=progress.done, pictures=bool(runs and runs[0].pictures),
    )  # fmt: skip


def _lesson(number: int, run: Run | None, knowledge: Knowledge) -> Lesson:
    mystery = mystery_of(number, knowledge)
    done = f"{run.result['points']} points" if run and run.result else ""
    kind = mystery.vehicle.build.kind.replace("_", " ")
    return Lesson(number, mystery.complaint, kind, done, mystery.lesson if done else "")


def run_row(run: Run, knowledge: Knowledge) -> RunRow:
    result = run.result
    said = ""
    if result:
        said = (
            f"{result['points']} points, {minutes_said(result['minutes'])}, best {minutes_said(result['best_minutes'])}"
        )
    return RunRow(
        f"{base_of(run.id)}/{'debrief' if result else 'take-in'}", written(run.number),
        mystery_of(run.number, knowledge).complaint, run.committed_at or run.started_at, said,
        bool(result and result["missed_danger"]),
    )  # fmt: skip


def skills_of(standing: dict[str, Standing], knowledge: Knowledge, now: datetime.datetime) -> tuple[StandingRow, ...]:
    return tuple(
        _standing(skill.words, skill.about, standing[f"{SKILL}{skill.id}"], now)
        for skill in knowledge.practice.skill
        if f"{SKILL}{skill.id}" in standing
    )


def faults_of(standing: dict[str, Standing], knowledge: Knowledge, now: datetime.datetime) -> tuple[StandingRow, ...]:
    """The faults that were met, the least known first."""
    met = [(key.removeprefix(FAULT), one) for key, one in standing.items() if key.startswith(FAULT)]
    return tuple(
        _standing(knowledge.words(fault), "", one, now) for fault, one in sorted(met, key=lambda pair: pair[1].recall)
    )


def _standing(words: str, about: str, one: Standing, now: datetime.datetime) -> StandingRow:
    return StandingRow(
        words, about, f"{one.right} of {one.times} right", GRADES[one.last], percent(one.recall),
        max(1, round(100 * one.recall)), one.is_due(now), one.due.date(),
    )  # fmt: skip
