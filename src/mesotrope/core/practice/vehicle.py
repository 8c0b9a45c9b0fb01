"""The mystery vehicle of a number: built, its faults planted, and what its driver says of it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

import numpy as np

from mesotrope.core.language.corner import VEHICLE, Axle, Corner, Place, place_named
from mesotrope.core.language.knowledge import Knowledge, KnowledgeKey
from mesotrope.core.language.practice import Lesson, PracticeFigures
from mesotrope.core.language.saying import marked, said, verbatim
from mesotrope.core.practice.driver import complaint_of
from mesotrope.core.practice.numbers import Drawn, Made, Prepared, meaning_of
from mesotrope.core.simulator import SimulatedVehicle, simulate_built
from mesotrope.core.simulator.build import Build, Random, make_build
from mesotrope.core.simulator.drawn import CORNER_FAULTS, OF_THE_SYSTEM, SYSTEM_FAULTS, make_fault, possible
from mesotrope.core.simulator.parts import Fault, pick
from mesotrope.errors import InvalidInput

#: A vehicle is drawn so often until its build can have the faults asked for.
BUILDS = 400

#: Faults and how old they are at least, so that they show on something.
LEAST_SEVERITY, LEAST_KM = 0.45, 2500.0

#: What a comeback's pads have gone since they were renewed, km.
SINCE_RENEWED_KM = (400.0, 2200.0)

#: What the pads of a lesson's vehicle have gone where nothing is wrong, km: no worn lining beside what is taught.
LESSON_PADS_KM = 1.2e4


@dataclass(frozen=True)
class Mystery:
    """A mystery vehicle: its truth, and what comes with it through the door."""

    number: int
    difficulty: str
    vehicle: SimulatedVehicle
    complaint: str
    lately: tuple[str, ...]
    lesson: str = ""

    @property
    def truth(self) -> tuple[tuple[Place, str], ...]:
        """Every fault as (place, name), worn-out linings among them, each once."""
        planted = [(fault.corner, fault.name) for fault in self.vehicle.faults]
        worn = [(corner, "worn_out_normally") for corner in self.vehicle.worn_out]
        return tuple(dict.fromkeys([*planted, *worn]))

    def document(self) -> dict[str, Any]:
        """Vehicle and visit as the open format writes them, with nothing found yet."""
        build = self.vehicle.build
        visit: dict[str, Any] = {
            "odometer_km": round(build.odometer_km), "ambient_c": round(self.vehicle.ambient_c), "usage": build.usage,
            "complaint": self.complaint,
        }  # fmt: skip
        if self.lately:
            visit["recent_work"] = list(self.lately)
        return {"vehicle": build.document(), "visit": visit}


def random_of(number: int, *parts: int) -> Random:
    """The chance of a number: the same on every machine; each part of the vehicle has its own."""
    return np.random.default_rng(np.random.SeedSequence([number, *parts]))


def mystery_of(number: int, knowledge: Knowledge) -> Mystery:
    """The vehicle of a number. Raises `InvalidInput` where no vehicle can be so."""
    return _mystery(number, KnowledgeKey(knowledge))


@lru_cache(maxsize=128)
def _mystery(number: int, key: KnowledgeKey) -> Mystery:
    figures = key.knowledge.practice
    try:
        meaning = meaning_of(number, figures)
    except ValueError as error:
        raise InvalidInput("number of a vehicle", number, "no vehicle has it") from error
    if isinstance(meaning, Prepared):
        return _lesson(number, figures.lessons[meaning.number], figures)
    return _of_drawn(number, meaning, figures) if isinstance(meaning, Drawn) else _of_made(number, meaning, figures)


# -- drawn -------------------------------------------------------------------------------------------------------


def _of_drawn(number: int, drawn: Drawn, figures: PracticeFigures) -> Mystery:
    random = random_of(number, 1)
    build = make_build(random, drawn.kind)
    lately: tuple[str, ...] = ()
    if drawn.difficulty == "neglected":
        build = replace(build, rust=max(build.rust, float(random.uniform(2.5, 5.0))))
    count = {"nothing": 0, "several": int(random.integers(2, 4)), "neglected": int(random.integers(3, 5))}
    of_system = 0.0 if drawn.difficulty == "comeback" else OF_THE_SYSTEM
    faults = _hidden(random, build, count.get(drawn.difficulty, 1), of_system)
    if drawn.difficulty == "neglected":
        faults.append(make_fault(random, build, VEHICLE, "fluid_degraded"))
    if drawn.difficulty == "comeback":
        build, faults, lately = _comeback(random, build, faults)
    if drawn.difficulty == "nothing":
        build = _young(build, Axle.FRONT, float(random.uniform(6e3, 2.5e4)))
        build = _young(build, Axle.REAR, float(random.uniform(6e3, 2.5e4)))
        build = replace(build, rust=0.2, fluid_age_months=min(build.fluid_age_months, 14.0))
    vehicle = simulate_built(random_of(number, 2), build, faults, spotless=drawn.difficulty == "nothing")
    if drawn.difficulty == "red_herring":
        _red_herring(random_of(number, 3), vehicle, figures)
    return _mystery_with(number, drawn.difficulty, vehicle, lately, figures)


#: How often each fault of the system is hidden. As it was when numbers were first given out: a number stays the same
#: vehicle, also where its run goes on in a later release.
HIDDEN_IN_SYSTEM = SYSTEM_FAULTS | {"master_cylinder_not_releasing": 5}


def _hidden(random: Random, build: Build, count: int, of_system: float) -> list[Fault]:
    """As many hidden faults, old and grave enough to show, this share of them of the whole system; two at a corner at
    most."""
    out: list[Fault] = []
    while len(out) < count:
        if random.random() < of_system:
            place: Place = VEHICLE
            name = pick(random, **HIDDEN_IN_SYSTEM)
            if not possible(build, place, name):
                continue
        else:
            name = pick(random, **{fault: odds * build.rust**rusts for fault, (odds, rusts) in CORNER_FAULTS.items()})
            places = [corner for corner in build.corners if possible(build, corner, name)]
            if not places:
                continue
            place = places[int(random.integers(len(places)))]
        taken = [fault for fault in out if fault.corner == place]
        if any(fault.name == name for fault in taken) or len(taken) > 1:
            continue
        out.append(_that_shows(make_fault(random, build, place, name), build))
    return out


def _reach_km(build: Build, place: Place) -> float:
    return build.axle_of(place).distance_km if isinstance(place, Corner) else build.odometer_km


def _that_shows(fault: Fault, build: Build) -> Fault:
    onset = min(_reach_km(build, fault.corner), max(LEAST_KM, fault.onset_km))
    return replace(fault, severity=max(LEAST_SEVERITY, fault.severity), onset_km=onset)


def _young(build: Build, axle: Axle, km: float) -> Build:
    """A vehicle whose pads on one axle were renewed so many km ago."""
    young = replace(build.axles[axle], distance_km=min(km, build.axles[axle].distance_km))
    return replace(build, axles={**build.axles, axle: young})


def _comeback(random: Random, build: Build, faults: list[Fault]) -> tuple[Build, list[Fault], tuple[str, ...]]:
    """Pads were renewed a short while ago, and what had worn them is still there."""
    at = faults[0].corner
    assert isinstance(at, Corner)
    km = float(random.uniform(*SINCE_RENEWED_KM))
    build = _young(build, at.axle, km)
    since = [replace(f, onset_km=min(f.onset_km, _reach_km(build, f.corner))) for f in faults]
    return build, since, (f"pads_{at.axle}",)


def _red_herring(random: Random, vehicle: SimulatedVehicle, figures: PracticeFigures) -> None:
    """Something at a corner without a fault that catches the eye and explains nothing."""
    faulty = {fault.corner for fault in vehicle.faults}
    sound = [corner for corner in vehicle.build.corners if corner not in faulty]
    for name in sound[:: max(1, len(sound) - 1)]:  # the first and the last of them
        corner = vehicle.corners[name]
        herring = figures.herring[int(random.integers(len(figures.herring)))]
        setattr(corner, herring.part, herring.becomes)
        if corner.pin_boot:
            torn = list(corner.pin_boot)[int(random.integers(len(corner.pin_boot)))]
            corner.pin_boot[torn] = "torn"


# -- made and prepared -------------------------------------------------------------------------------------------


def _build_for(number: int, kind: str, suits: Lesson | None, faults: Sequence[tuple[Place, str]]) -> Build:
    for attempt in range(BUILDS):
        build = make_build(random_of(number, 4, attempt), kind)
        if _suits(build, suits) and all(_can_have(build, place, name) for place, name in faults):
            return build
    words = marked(
        "a vehicle of this kind can have: slide pins only floating calipers, a parking brake only a rear axle"
    )
    raise InvalidInput(
        "faults",
        ", ".join(name.replace("_", " ") for _, name in faults),
        said("allowed is what {words}", words=verbatim(words)),
    )


def _can_have(build: Build, place: Place, name: str) -> bool:
    of_system = name in SYSTEM_FAULTS or name in ("fluid_degraded", "reservoir_overfilled")
    if not isinstance(place, Corner):
        return of_system and possible(build, place, name)
    return not of_system and place in build.corners and possible(build, place, name)


def _suits(build: Build, lesson: Lesson | None) -> bool:
    if lesson is None:
        return True
    at = [place for one in lesson.faults if isinstance(place := place_named(one.place), Corner)]
    axles = [build.axle_of(corner) for corner in at if corner in build.corners] or [build.axles[Axle.REAR]]
    return (
        (not lesson.parking or build.axles[Axle.REAR].parking_brake in lesson.parking)
        and (not lesson.caliper or all(axle.caliper == lesson.caliper for axle in axles))
        and (not lesson.pistons or all(axle.pistons == lesson.pistons for axle in axles))
    )


def _fault(random: Random, build: Build, place: Place, name: str, severity: float, km: float, way: str = "") -> Fault:
    made = make_fault(random, build, place, name)
    return replace(made, severity=severity, onset_km=min(km, _reach_km(build, place)), way=way or made.way)


def _long_on_its_pads(build: Build, faults: Iterable[tuple[Place, float]]) -> Build:
    """The vehicle with pads that have gone at least as far as the faults at them are old."""
    axles = dict(build.axles)
    for place, km in faults:
        if isinstance(place, Corner):
            axle = axles[place.axle]
            axles[place.axle] = replace(axle, distance_km=max(axle.distance_km, km))
    longest = max(axle.distance_km for axle in axles.values())
    return replace(build, axles=axles, odometer_km=max(build.odometer_km, longest + 5000))


def _of_made(number: int, made: Made, figures: PracticeFigures) -> Mystery:
    severity = {one.id: one.value for one in figures.severity}
    age = {one.id: one.km for one in figures.age}
    build = _build_for(number, made.kind, None, [(one.place, one.fault) for one in made.planted])
    build = _long_on_its_pads(build, [(one.place, age[one.age]) for one in made.planted])
    random = random_of(number, 1)
    faults = [_fault(random, build, o.place, o.fault, severity[o.severity], age[o.age]) for o in made.planted]
    return _mystery_with(number, "made", simulate_built(random_of(number, 2), build, faults), (), figures)


def _lesson(number: int, lesson: Lesson, figures: PracticeFigures) -> Mystery:
    planted = [(_place(one.place), one) for one in lesson.faults]
    build = _build_for(number, lesson.kind, lesson, [(place, one.fault) for place, one in planted])
    build = replace(build, rust=min(build.rust, 0.6), fluid_age_months=min(build.fluid_age_months, 14.0))
    for axle in Axle:
        build = _young(build, axle, LESSON_PADS_KM)
    build = _long_on_its_pads(build, [(place, one.km) for place, one in planted])
    if lesson.young:
        build = _young(build, Axle(lesson.young), float(random_of(number, 5).uniform(*SINCE_RENEWED_KM)))
    random = random_of(number, 1, lesson.draw)
    faults = [_fault(random, build, place, o.fault, o.severity, o.km, o.way) for place, o in planted]
    vehicle = simulate_built(random_of(number, 2, lesson.draw), build, faults, spotless=True)
    return replace(_mystery_with(number, "lesson", vehicle, lesson.lately, figures), lesson=lesson.lesson)


def _place(name: str) -> Place:
    place = place_named(name)
    assert place is not None, name
    return place


def _mystery_with(
    number: int, difficulty: str, vehicle: SimulatedVehicle, lately: tuple[str, ...], figures: PracticeFigures
) -> Mystery:
    complaint = complaint_of(random_of(number, 6), vehicle, figures)
    if difficulty == "comeback":
        again = figures.again.format(place=figures.places_said[lately[0].removeprefix("pads_")])
        complaint = f"{again} {complaint}"
    return Mystery(number, difficulty, vehicle, complaint, lately)
