"""The plate for every kind of caliper, and the pedal's drawing: what is drawn, in which state, and where it leads."""

from __future__ import annotations

import pytest

from mesotrope.core.language.inspection import SystemFindings
from mesotrope.core.language.units import Units
from mesotrope.knowledge import knowledge
from mesotrope.web.plate.drawing import axle_plate
from mesotrope.web.plate.parts import noteworthy
from mesotrope.web.plate.reservoir import pedal_plate
from mesotrope.words import PLAINLY, Speaker
from tests.documents import answer, inspect, pads

FIXED = {"axles": {"front": {"caliper": "fixed", "pistons": 4, "piston_diameter_mm": [40.0, 36.0]}}}
IN_HAT = {"axles": {"rear": {"parking_brake": "drum_in_hat"}}}


def plate(corners, axle="front", units=None, **vehicle):
    return axle_plate(
        inspect(corners, **vehicle),
        answer(corners, **vehicle),
        axle,
        knowledge().limit,
        False,
        Speaker(units or Units()),
    )


def leading(shapes, to, style=""):
    return [s for s in shapes if s.leads_to == to and s.style != "plate-target" and style in s.style]


def test_a_fixed_caliper_has_pistons_on_both_sides_and_no_pins():
    drawn = plate({"front_left": {"piston_pushback": ["easy", "immovable"]}}, **FIXED)
    assert len(leading(drawn.shapes, "front-left-piston-pushback-1", "plate-free")) == 2
    assert len(leading(drawn.shapes, "front-left-piston-pushback-2", "plate-fast")) == 2
    assert not [s for s in drawn.shapes if "pin-upper" in s.leads_to]


def test_two_pistons_of_a_floating_caliper_stand_behind_the_inner_pad():
    two = {"axles": {"front": {"pistons": 2, "piston_diameter_mm": [45.0, 48.0]}}}
    drawn = plate({"front_left": {"piston_pushback": ["firm", "easy"]}}, **two)
    assert len(leading(drawn.shapes, "front-left-piston-pushback-1", "plate-stiff")) == 1
    assert len(leading(drawn.shapes, "front-left-piston-pushback-2", "plate-free")) == 1


def test_the_parking_brake_in_the_hat_is_drawn_inside_it():
    drawn = plate({"rear_left": {"parking_shoes": "tight"}}, "rear", **IN_HAT)
    assert len(leading(drawn.shapes, "rear-left-parking-shoes", "plate-fast")) == 2
    without = plate({"rear_left": {}}, "rear")
    assert not leading(without.shapes, "rear-left-parking-shoes")
    assert drawn.height > without.height


def test_a_motorcycles_single_disc_is_drawn_alone():
    drawn = plate({"front": {"pad_mm": pads(3.0, 3.2)}}, kind="motorcycle", front_discs=1)
    assert len([s for s in drawn.shapes if s.style == "plate-lining"]) == 2
    assert not [s for s in drawn.shapes if s.style == "plate-axis"]


@pytest.mark.parametrize(
    ("found", "to", "style"),
    [
        ({"pin": {"upper": "seized"}}, "front-left-pin-upper", "plate-fast"),
        ({"pin_boot": {"lower": "torn"}}, "front-left-pin-boot-lower", "plate-fast"),
        ({"bracket_lands": "rusted"}, "front-left-bracket-lands", "plate-stiff"),
        ({"piston_boot": "torn"}, "front-left-piston-boot", "plate-fast"),
        ({"bleeder": "seized"}, "front-left-bleeder", "plate-bleeder-bad"),
        ({"leak": "drip", "leak_at": "hose_union"}, "front-left-leak", "plate-leak"),
        ({}, "front-left-pin-upper", "plate-unknown"),
    ],
)
def test_a_part_is_drawn_in_its_state_and_leads_to_its_entry(found, to, style):
    assert leading(plate({"front_left": found}).shapes, to, style)


def test_a_bad_hose_is_drawn_heavier_and_an_unseen_one_dashed():
    bad, unseen = plate({"front_left": {"hose": "swollen"}}), plate({})
    assert [s for s in bad.shapes if "plate-hose-bad" in s.style]
    assert all("plate-hose-unknown" in s.style for s in unseen.shapes if "plate-hose" in s.style)


def test_every_measured_place_of_a_rotor_is_marked_and_the_thinnest_is_solid():
    drawn = plate({"front_left": {"rotor_mm": [24.0, 23.8, 24.1, 24.0, 24.0, 24.1]}})
    assert len([s for s in drawn.shapes if s.style == "plate-place-thinnest"]) == 1
    assert any(s.text == "23.8" for s in drawn.shapes)


def test_a_part_that_can_be_tapped_is_as_large_as_a_thumb():
    """A plate of some 220 units is drawn about 700 px wide: 44 px are about 13 units; pins lie close, 9 are theirs."""
    for shape in plate({}).shapes:
        if shape.style == "plate-target":
            xs, ys = zip(*(map(float, point.split(",")) for point in shape.points.split()), strict=True)
            assert max(xs) - min(xs) >= 9
            assert max(ys) - min(ys) >= 9


def test_figures_are_in_the_persons_units():
    drawn = plate({"front_left": {"pad_mm": pads(7.14375, 7.14375)}}, units=Units(length="32nds"))
    assert [s.text for s in drawn.shapes if s.style == "plate-figure"][:2] == ["9/32", "9/32"]


def test_only_what_is_not_as_it_should_be_is_noted():
    found = inspect({"front_left": {
        "pin": {"upper": "free", "lower": "stiff"}, "hose": "sound", "leak": "seep", "pad_fit": {"inner": "bound"},
        "pad_gap_mm": {"inner": 0.2, "outer": 1.4}, "bleeder": "low",
    }}).corner("front_left")  # fmt: skip
    assert [PLAINLY(one) for one in noteworthy(found, knowledge().limit)] == [
        "leaks", "lower pin stiff", "bleeder not uppermost", "inner pad bound", "outer gap 1.4 mm"
    ]  # fmt: skip


def test_the_reservoir_stands_at_its_level_and_shows_what_the_wear_explains():
    low, high = (pedal_plate(SystemFindings(fluid_level=level), 0.5) for level in (0.1, 0.9))

    def top(drawn):
        fluid = next(s for s in drawn.shapes if s.style == "plate-fluid")
        return min(float(point.split(",")[1]) for point in fluid.points.split())

    assert top(high) < top(low)
    assert any(s.text == "as the wear explains" for s in low.shapes)


def test_a_pedal_not_felt_is_a_question():
    drawn = pedal_plate(SystemFindings())
    assert [s.text for s in drawn.shapes if s.style == "plate-ask"] == ["?", "?"]
    felt = pedal_plate(SystemFindings(pedal_travel=0.6, pedal_feel="spongy", pedal_hold="sinks"))
    assert any(s.text == "spongy, sinks" for s in felt.shapes)
    assert any(s.text == "60 %" for s in felt.shapes)
