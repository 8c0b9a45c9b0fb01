"""What a driver notices of a vehicle, and says of it: only what the simulated vehicle would let anybody notice."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from mesotrope.core.language.corner import Corner
from mesotrope.core.language.practice import PracticeFigures
from mesotrope.core.simulator import SimulatedVehicle
from mesotrope.core.simulator.build import Random
from mesotrope.core.simulator.readings import (
    holds_back_nm,
    leans,
    parking_brake_is_weak,
    shakes,
    thinnest_mm,
)

#: A driver tells of no more than this.
MOST_TOLD = 2

#: Pressure that stays keeps a wheel from rolling for a while after braking.
STAYS = ("hose_restricted", "master_cylinder_not_releasing", "fluid_contaminated_mineral_oil")


@dataclass(frozen=True)
class Noticed:
    """Something noticed: the symptom, and where or to which side."""

    symptom: str
    corner: Corner | None = None
    side: str = ""
    noise: str = ""


def _side(lean: float, at: float) -> str:
    return "left" if lean > at else "right" if lean < -at else ""


def noticed(vehicle: SimulatedVehicle, figures: PracticeFigures) -> Iterator[Noticed]:
    """Everything that a driver would notice, the plainest first."""
    at = {symptom.id: symptom.at for symptom in figures.symptom}
    pedal, corners = vehicle.pedal, vehicle.corners
    car = vehicle.build.kind != "motorcycle"
    plain: dict[str, Callable[[], bool]] = {
        "lamp_brake": lambda: car and float(vehicle.fluid["level"]) < -0.1,
        "sinks": lambda: pedal["hold"] == "sinks",
        "spongy": lambda: pedal["feel"] == "spongy",
        "hard": lambda: car and pedal["feel"] == "hard",
        "low": lambda: vehicle.pedal_travel > at["low"],
    }
    for name, shows in plain.items():
        if shows():
            yield Noticed(name)
    hottest = max(corners, key=lambda name: vehicle.hub_c[name])
    if vehicle.hub_c[hottest] > at["hot"]:
        yield Noticed("hot", hottest)
    dragging = max(corners, key=lambda name: corners[name].drag_nm)
    if corners[dragging].drag_nm > at["drags"]:
        if any(cause in STAYS for cause in corners[dragging].torque):
            yield Noticed("returns_late")
        yield Noticed("drags", dragging)
    if car and (side := _side(leans(vehicle), at["pulls"])):
        yield Noticed("pulls", side=side)
    if car and (side := _side(holds_back_nm(vehicle), at["pulls_coasting"])):
        yield Noticed("pulls_coasting", side=side)
    if shakes(vehicle):
        yield Noticed("shakes")
    for name, corner in corners.items():
        if corner.noise in figures.noises:
            yield Noticed("noise", name, noise=corner.noise)
    if car and parking_brake_is_weak(vehicle):
        yield Noticed("parking_weak")
    if car and thinnest_mm(vehicle) < at["lamp_wear"]:
        yield Noticed("lamp_wear")


def complaint_of(random: Random, vehicle: SimulatedVehicle, figures: PracticeFigures) -> str:
    """What the driver says, in their words: at most two things, the plainest first; where nothing is noticed, that."""
    out: list[str] = []
    for one in [*noticed(vehicle, figures)][:MOST_TOLD] or [Noticed("nothing")]:
        symptom = figures.symptoms[one.symptom]
        says = symptom.lever if symptom.lever and vehicle.build.kind == "motorcycle" else symptom.says
        sentence = says[int(random.integers(len(says)))]
        place = figures.places_said[one.corner] if one.corner else ""
        out.append(sentence.format(place=place, side=one.side, noise=figures.noises.get(one.noise, "")))
    return " ".join(out)
