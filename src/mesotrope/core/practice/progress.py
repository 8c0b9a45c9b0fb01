"""What somebody has practised, by fault and by skill, and what comes next: what was missed comes sooner.

Spacing is that of FSRS, by its own library; a debrief is a review of every fault that was there and of the skills that
it took.
"""

from __future__ import annotations

import datetime
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from fsrs import Card, Rating, Scheduler

from mesotrope.core.language.corner import VEHICLE, Corner, Place
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.practice import PracticeFigures, Skill
from mesotrope.core.practice.debrief import Debrief
from mesotrope.core.practice.numbers import Drawn, Made, Planted, number_of_drawn, number_of_made
from mesotrope.core.practice.vehicle import mystery_of
from mesotrope.errors import InvalidInput

#: 1: missed, 2: with help or late, 3: right, 4: right and quick.
Grade = Literal[1, 2, 3, 4]

FAULT, SKILL = "fault:", "skill:"

#: How much longer than the best path may be, for each grade of the order of tests.
QUICK, FAIR, SLOW = 1.25, 1.75, 3.0

#: Needless tests after which somebody still knew when to stop.
FEW_NEEDLESS = 2


@dataclass(frozen=True)
class Review:
    """What one debrief says of one fault or skill."""

    key: str
    grade: Grade
    at: datetime.datetime


@dataclass(frozen=True)
class Standing:
    """How somebody stands with a fault or a skill: reviews, the share that were right, the last grade, the chance that
    it is still known now, and when it should come again."""

    key: str
    times: int
    right: int
    last: Grade
    recall: float
    due: datetime.datetime

    def is_due(self, now: datetime.datetime) -> bool:
        return self.due <= now


def grades_of(debrief: Debrief, figures: PracticeFigures) -> dict[str, Grade]:
    """What a debrief says of each fault that was there or was named, and of each skill that it took."""
    judged, helped = debrief.judged, debrief.hints > 0
    faults: dict[str, Grade] = {}
    for _, fault in judged.right:
        faults[fault] = 2 if helped else 3
    for _, fault in (*judged.missed, *judged.wrong):
        faults[fault] = 1
    out: dict[str, Grade] = {f"{FAULT}{fault}": grade for fault, grade in faults.items() if fault in figures.faults}
    for skill in figures.skill:
        shown = [grade for fault, grade in faults.items() if fault in skill.faults]
        if shown:
            out[f"{SKILL}{skill.id}"] = min(shown)
    out[f"{SKILL}order"] = _order(debrief)
    out[f"{SKILL}stopping"] = _stopping(debrief)
    safe = not (judged.missed_danger or judged.false_alarm or debrief.mishaps)
    out[f"{SKILL}safety"] = 3 if safe else 1
    return out


def _order(debrief: Debrief) -> Grade:
    times = debrief.taken.minutes / max(1.0, debrief.best.minutes)
    grade: Grade = 4 if times <= QUICK else 3 if times <= FAIR else 2 if times <= SLOW else 1
    return 2 if debrief.spoiled and grade > 2 else grade


def _stopping(debrief: Debrief) -> Grade:
    """Needless tests are too many; to commit while a test could still change the work, and be wrong, is too few."""
    too_soon = not debrief.taken.enough and bool(debrief.judged.missed or debrief.judged.wrong)
    if too_soon:
        return 1
    if not debrief.needless:
        return 4 if debrief.taken.enough else 3
    return 3 if debrief.needless <= FEW_NEEDLESS else 2


def standings(reviews: Iterable[Review], now: datetime.datetime) -> dict[str, Standing]:
    """How somebody stands now, by key; times without a zone are UTC."""
    scheduler = Scheduler(learning_steps=(), relearning_steps=(), enable_fuzzing=False)
    cards: dict[str, Card] = {}
    grades: dict[str, list[Grade]] = {}
    for review in sorted(reviews, key=lambda one: one.at):
        card = cards.get(review.key) or Card(card_id=1, due=_utc(review.at))
        cards[review.key], _ = scheduler.review_card(card, Rating(review.grade), _utc(review.at))
        grades.setdefault(review.key, []).append(review.grade)
    return {
        key: Standing(
            key, len(grades[key]), sum(grade >= 3 for grade in grades[key]), grades[key][-1],
            scheduler.get_card_retrievability(card, _utc(now)), card.due.replace(tzinfo=None),
        )
        for key, card in cards.items()
    }  # fmt: skip


def _utc(moment: datetime.datetime) -> datetime.datetime:
    return moment.replace(tzinfo=datetime.UTC)


def next_key(standing: Mapping[str, Standing], figures: PracticeFigures, now: datetime.datetime) -> str:
    """What comes next: of what is due the least known; else a fault never met, in the order of the lists; else the
    least known of all."""
    due = [one for one in standing.values() if one.is_due(now)]
    fresh = [f"{FAULT}{fault}" for fault in figures.faults if f"{FAULT}{fault}" not in standing]
    if due:
        return min(due, key=lambda one: (one.recall, one.key)).key
    return fresh[0] if fresh else min(standing.values(), key=lambda one: (one.recall, one.key)).key


def next_number(key: str, turn: int, knowledge: Knowledge) -> int:
    """The number of a vehicle by which a fault or a skill is practised; turn : how many there were before."""
    figures = knowledge.practice
    if key.startswith(SKILL):
        skill = figures.skills[key.removeprefix(SKILL)]
        if skill.difficulty:
            return number_of_drawn(Drawn(figures.kinds[turn % 2], skill.difficulty, 1000 + turn), figures)
        return _with_fault(_in_turn(skill, turn), turn, knowledge)
    return _with_fault(key.removeprefix(FAULT), turn, knowledge)


def _in_turn(skill: Skill, turn: int) -> str:
    return skill.faults[turn % len(skill.faults)]


def _with_fault(fault: str, turn: int, knowledge: Knowledge) -> int:
    """A vehicle with this one fault, somewhere it can be."""
    figures = knowledge.practice
    severity, age = figures.severity[1 + turn % 2].id, figures.age[1 + turn // 2 % 2].id
    places = _places_of(fault, knowledge)
    for attempt in range(len(places) * len(figures.kinds)):
        place = places[(turn + attempt) % len(places)]
        kind = figures.kinds[(turn // 3 + attempt // len(places)) % len(figures.kinds)]
        made = Made(kind, (Planted(place, fault, severity, age),), turn)
        number = number_of_made(made, figures)
        try:
            mystery_of(number, knowledge)
        except InvalidInput:
            continue
        return number
    raise InvalidInput("fault", fault, "no vehicle can be made with it")


def _places_of(fault: str, knowledge: Knowledge) -> Sequence[Place]:
    if knowledge.fault[fault].scope == "system":
        return (VEHICLE,)
    return (Corner.FRONT_LEFT, Corner.REAR_RIGHT, Corner.FRONT_RIGHT, Corner.REAR_LEFT, Corner.REAR, Corner.FRONT)
