"""The shape of what practice is made from: numbers, lessons, what drivers say, points and skills."""

from __future__ import annotations

from functools import cached_property
from typing import Annotated, Literal

from pydantic import Field

from mesotrope.core.language.known import Basis, Known, Named


class Severity(Named):
    """How grave a planted fault is, 0 to 1."""

    value: Annotated[float, Field(gt=0, le=1)]


class Age(Named):
    """For how long a planted fault has been there."""

    km: Annotated[float, Field(gt=0)]


class Symptom(Known):
    """What a driver says of something noticed: sentences with gaps for side, place and noise, and those of a motorcycle
    where they differ. `at` is the figure from which on it is noticed."""

    id: str
    says: tuple[str, ...]
    lever: tuple[str, ...] = ()
    at: float = 0.0


class Herring(Known):
    """Something that catches the eye at a corner without a fault: a part of it, and what it becomes."""

    part: str
    becomes: str | float


class PlantedFault(Known):
    """A fault that a lesson plants."""

    place: str
    fault: str
    severity: Annotated[float, Field(gt=0, le=1)]
    km: Annotated[float, Field(gt=0)]
    way: str = ""


class Lesson(Known):
    """A prepared vehicle, what it must be built like, and what it teaches, in one sentence.

    lately : what was renewed a short while ago, as a visit writes it; young : the axle whose pads that were. draw :
    which of the vehicles that could be so.
    """

    number: int
    lesson: str
    kind: Literal["car", "light_truck", "motorcycle"]
    faults: tuple[PlantedFault, ...]
    parking: tuple[str, ...] = ()
    caliper: str = ""
    pistons: int = 0
    lately: tuple[str, ...] = ()
    young: Literal["", "front", "rear"] = ""
    draw: int = 0


class Skill(Named):
    """Something that is practised over many vehicles; `faults` are those by which it shows, none for one of the way, of
    which `difficulty` is then the kind of vehicle that practises it."""

    about: str
    faults: tuple[str, ...] = ()
    difficulty: str = ""


class PracticeFigures(Known):
    """Everything that practice counts and speaks with."""

    basis: Basis
    kinds: tuple[str, ...]
    difficulties: tuple[str, ...]
    places: tuple[str, ...]
    faults: tuple[str, ...]
    severity: tuple[Severity, ...]
    age: tuple[Age, ...]
    words: dict[str, str]
    work: dict[str, float]
    unpressed: dict[str, float]
    symptom: tuple[Symptom, ...]
    noises: dict[str, str]
    places_said: dict[str, str]
    again: str
    herring: tuple[Herring, ...]
    points: dict[str, float]
    hints: dict[str, str]
    skill: tuple[Skill, ...]
    lesson: tuple[Lesson, ...]

    @cached_property
    def lessons(self) -> dict[int, Lesson]:
        return {lesson.number: lesson for lesson in self.lesson}

    @cached_property
    def symptoms(self) -> dict[str, Symptom]:
        return {symptom.id: symptom for symptom in self.symptom}

    @cached_property
    def skills(self) -> dict[str, Skill]:
        return {skill.id: skill for skill in self.skill}
