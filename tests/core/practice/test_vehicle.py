"""Mystery vehicles: the same for everybody, as hard as asked for, with a driver who says what can be noticed."""

from __future__ import annotations

import json
import subprocess
import sys

import numpy as np
import pytest

from mesotrope.core.decision.complaint import complaints_in
from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.core.practice.driver import Noticed, complaint_of, noticed
from mesotrope.core.practice.numbers import Drawn, Made, Planted, number_of_drawn, number_of_made
from mesotrope.core.practice.vehicle import mystery_of
from mesotrope.core.simulator import simulate_vehicle
from mesotrope.core.simulator.parts import Fault
from mesotrope.errors import InvalidInput
from mesotrope.knowledge import knowledge

KNOWN = knowledge()
FIGURES = KNOWN.practice


def drawn(difficulty, seed, kind="car"):
    return mystery_of(number_of_drawn(Drawn(kind, difficulty, seed), FIGURES), KNOWN)


def hidden(mystery):
    conditions = {fault.id for fault in KNOWN.faults if fault.condition} | {KNOWN.worn.id}
    return [fault for _, fault in mystery.truth if fault not in conditions]


DIGEST = """
import hashlib
from mesotrope.core.practice.vehicle import mystery_of
from mesotrope.knowledge import knowledge
told = [repr((mystery_of(n, knowledge()).vehicle, mystery_of(n, knowledge()).complaint)) for n in (3, 471112, 471133)]
print(hashlib.sha256("".join(told).encode()).hexdigest())
"""


def test_the_same_number_is_the_same_vehicle_in_another_process():
    runs = {
        subprocess.run([sys.executable, "-c", DIGEST], capture_output=True, text=True, check=True).stdout
        for _ in range(2)
    }
    assert len(runs) == 1


@pytest.mark.parametrize(
    ("number", "truth"),
    [
        (3, {"rear_left:parking_brake_holding", "rear_right:parking_brake_holding"}),
        (422, {"rear_right:parking_brake_holding", "system:excess_running_clearance", "system:master_cylinder_bypass"}),
        (433, {"system:master_cylinder_bypass"}),
        (614, {"front_right:hose_restricted", "rear_right:slide_pin_seized_one", "system:air_in_hydraulics",
               "system:fluid_degraded"}),
    ],
)  # fmt: skip
def test_a_number_stays_the_same_vehicle_from_release_to_release(number, truth):
    """As they were in 0.33: runs are kept by their number, and go on after an upgrade."""
    assert {f"{place}:{fault}" for place, fault in mystery_of(number, knowledge()).vehicle.truth} == truth


def test_difficulties_are_what_they_say():
    for seed in range(1, 25):
        assert len(hidden(drawn("one_fault", seed))) == 1
        assert 2 <= len(hidden(drawn("several", seed))) <= 3
        assert len(hidden(drawn("neglected", seed))) >= 3
        assert drawn("nothing", seed).truth == ()
        assert drawn("nothing", seed, "motorcycle").truth == ()
        assert len(hidden(drawn("red_herring", seed))) == 1
    assert "fluid_degraded" in {fault for _, fault in drawn("neglected", 3).truth}


def test_a_comeback_has_young_pads_and_what_had_worn_the_old_ones():
    for seed in range(1, 20):
        mystery = drawn("comeback", seed)
        fault = mystery.vehicle.faults[0]
        axle = mystery.vehicle.build.axle_of(fault.corner)
        assert axle.distance_km <= 2200
        assert fault.onset_km <= axle.distance_km
        assert mystery.lately == (f"pads_{fault.corner.axle}",)
        assert "renewed a short while ago" in mystery.complaint
        assert mystery.document()["visit"]["recent_work"] == list(mystery.lately)


def test_a_red_herring_stands_at_a_corner_without_a_fault():
    seen = 0
    for seed in range(1, 20):
        mystery = drawn("red_herring", seed)
        faulty = {place for place, _ in mystery.truth}
        for name, corner in mystery.vehicle.corners.items():
            seen += name not in faulty and (
                corner.noise == "squeal" or "torn" in corner.pin_boot.values() or corner.lever == "slow"
            )
    assert seen >= 15


@pytest.mark.parametrize("number", FIGURES.lessons)
def test_a_lesson_has_its_faults_and_no_others(number):
    mystery = mystery_of(number, KNOWN)
    planted = {(one.place, one.fault) for one in FIGURES.lessons[number].faults}
    assert {(str(place), fault) for place, fault in mystery.truth} == planted
    assert mystery.lesson.endswith(".")
    assert mystery.lesson.count(".") == 1  # a lesson is one sentence


def test_lessons_are_the_ten_of_the_trade():
    """The main lessons, by what is wrong: common practice."""
    faults = [tuple(sorted({fault.fault for fault in lesson.faults})) for lesson in FIGURES.lessons.values()]
    assert faults == [
        ("piston_not_releasing",), ("hose_restricted",), ("parking_brake_holding",), ("slide_pins_seized",),
        ("excess_running_clearance",), ("parking_brake_holding",), ("piston_hung_one_of_several",),
        ("rotor_worn_or_damaged",), ("bearing_or_driveline_drag",), (),
    ]  # fmt: skip
    both_rears = mystery_of(3, KNOWN)
    assert {place for place, _ in both_rears.truth} == {Corner.REAR_LEFT, Corner.REAR_RIGHT}
    worn = mystery_of(4, KNOWN).vehicle.corners[Corner.FRONT_LEFT]
    assert worn.outer.mean_mm < worn.inner.mean_mm - 1
    assert mystery_of(6, KNOWN).vehicle.build.axles["rear"].parking_brake == "drum_in_hat"
    assert mystery_of(7, KNOWN).vehicle.build.axles["front"].per_side > 1
    assert mystery_of(8, KNOWN).vehicle.build.axles["front"].distance_km < 2500


def test_a_made_vehicle_has_what_was_planted_and_what_it_cannot_have_is_refused():
    planted = Planted(Corner.REAR_LEFT, "parking_brake_holding", "grave", "long")
    made = mystery_of(number_of_made(Made("light_truck", (planted,), 5), FIGURES), KNOWN)
    assert (Corner.REAR_LEFT, "parking_brake_holding") in made.truth
    assert made.vehicle.faults[0].severity == 0.95
    for kind, place, fault in [
        ("car", Corner.FRONT_LEFT, "parking_brake_holding"), ("motorcycle", Corner.REAR_LEFT, "hose_restricted"),
        ("car", VEHICLE, "hose_restricted"), ("car", Corner.FRONT_LEFT, "air_in_hydraulics"),
        ("motorcycle", VEHICLE, "booster_weak"),
    ]:  # fmt: skip
        number = number_of_made(Made(kind, (Planted(place, fault, "clear", "some"),), 0), FIGURES)
        with pytest.raises(InvalidInput, match="a vehicle of this kind can have"):
            mystery_of(number, KNOWN)


def test_a_vehicle_comes_with_what_the_format_knows_and_nothing_found():
    inspection = parse_inspection(json.dumps(mystery_of(471112, KNOWN).document()))
    assert inspection.visit.complaint == mystery_of(471112, KNOWN).complaint
    assert inspection.findings.corners is None


# -- the driver --------------------------------------------------------------------------------------------------


def with_faults(seed, *faults):
    return simulate_vehicle(np.random.default_rng(seed), "car", faults)


def test_drivers_notice_what_there_is_to_notice():
    sinks = Fault(VEHICLE, "master_cylinder_bypass", 0.9, 5000)
    held = Fault(Corner.FRONT_RIGHT, "piston_seized_applied", 0.95, 6000)
    assert "sinks" in {one.symptom for one in noticed(with_faults(3, sinks), FIGURES)}
    noticed_held = [*noticed(with_faults(4, held), FIGURES)]
    assert Noticed("drags", Corner.FRONT_RIGHT) in noticed_held
    assert {one.corner for one in noticed_held if one.symptom == "hot"} <= {Corner.FRONT_RIGHT}


def test_every_sentence_of_a_driver_is_understood_as_a_complaint():
    """What a driver says is tied to what explains it, as a real complaint is."""
    for symptom in FIGURES.symptom:
        for sentence in (*symptom.says, *symptom.lever):
            said = sentence.format(place="at the front left", side="left", noise="squeal")
            understood = complaints_in(parse_inspection(json.dumps({"visit": {"complaint": said}})), KNOWN)
            assert bool(understood) == (symptom.id != "nothing"), said


def test_a_motorcycle_has_no_pedal_pull_or_parking_brake_in_its_drivers_words():
    for seed in range(60):
        vehicle = simulate_vehicle(np.random.default_rng(seed), "motorcycle")
        said = complaint_of(np.random.default_rng(seed), vehicle, FIGURES)
        assert "arking brake" not in said
        assert "ulls" not in said
        assert "pedal" not in said or "lever" in said
