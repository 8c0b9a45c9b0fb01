"""From findings to evidence: what is compared with what, and the sentences."""

from __future__ import annotations

import json

import pytest

from mesotrope.core.answer.answer import diagnose, overview
from mesotrope.core.evidence.collect import collect
from mesotrope.core.evidence.measures import CornerMeasures, measure_all
from mesotrope.core.evidence.specification import complete_specification
from mesotrope.core.evidence.worn_out import chance_lining_worn_out
from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.core.language.quantity import percent
from mesotrope.core.language.saying import placed
from mesotrope.core.physics.pads import pad_measure
from mesotrope.knowledge import knowledge
from mesotrope.words import PLAINLY
from tests.documents import DRAGS, FREE, answer, chances_of, document, inspect, pad, pads


def _sentences(corners, **vehicle):
    known, inspection = knowledge(), inspect(corners, **vehicle)
    specification = complete_specification(inspection, known)
    measures = measure_all(inspection, specification, known)
    return [PLAINLY(placed(item.corner, item.sentence)) for item in collect(inspection, specification, measures, known)]


def test_a_spin_says_torque_uncertainty_and_partner():
    """1 turn in 1.2 s at the default inertia of 1.017: 4π/1.44·1.017 = 8.9 N·m; 4 turns in 5 s: 2.0 N·m."""
    said = _sentences({Corner.REAR_LEFT: {"spin": DRAGS}, Corner.REAR_RIGHT: {"spin": FREE}})
    assert said[0] == "rear left stopped after 1 turn in 1.2 s: 8.9 ± 4.3 N·m; its partner 2.0 N·m"


def test_a_wheel_held_fast_says_at_least():
    assert "cannot be turned by hand: at least 40 N·m" in _sentences({Corner.FRONT_LEFT: {"spin": {"turns": 0}}})[0]


def test_a_pull_counts_as_drag():
    said = _sentences({Corner.REAR_LEFT: {"pull_n": 40, "pull_radius_mm": 300}})
    assert said == ["rear left needs 12.0 ± 1.2 N·m to turn"]


def test_turns_without_seconds_say_nothing_yet():
    assert _sentences({Corner.FRONT_LEFT: {"spin": {"turns": 2}}}) == []


def test_sides_are_compared_pad_with_the_same_pad():
    """Only the inner pads were measured on both sides: 5.0 against 7.0, whatever the outer of one side is."""
    one = CornerMeasures(pad_measure(pad(5.0), 0.15), pad_measure(pad(9.0), 0.15))
    other = CornerMeasures(pad_measure(pad(7.0), 0.15), None)
    assert one.minus(other).value == pytest.approx(-2.0)
    assert CornerMeasures().minus(one) is None


def test_a_measured_pad_wins_over_the_one_seen_through_the_window():
    found = {"pad_mm": {"inner": pad(5.0)}, "window_pad_mm": {"inner": 8.0, "outer": 6.0}}
    document = answer({Corner.FRONT_LEFT: found}).measures[Corner.FRONT_LEFT]
    assert document.inner.mean.value == pytest.approx(5.0)
    assert document.outer.mean.value == pytest.approx(6.0)
    assert document.outer.mean.sd == 0.5


@pytest.mark.parametrize(("outer_mm", "told"), [(9.0, "inner 4.0 mm thinner"), (5.1, "inner and outer alike")])
def test_inner_against_outer_is_said_with_the_pad_that_is_thin(outer_mm, told):
    """4 mm is far beyond what a gauge errs by, 0.1 mm well within (a gauge of 0.1 to 0.2 mm, common practice)."""
    assert told in _sentences({Corner.FRONT_LEFT: {"pad_mm": pads(5.0, outer_mm)}})[0]


@pytest.mark.parametrize(
    ("found", "by_inertia"), [({"spin": DRAGS}, True), ({"pull_n": 40, "pull_radius_mm": 300}, False)]
)
def test_drag_of_a_spin_rests_on_the_wheels_usual_inertia_drag_of_a_pull_does_not(found, by_inertia):
    assert ("wheel_inertia_kg_m2" in answer({Corner.REAR_LEFT: found}).defaults_used) is by_inertia


def test_a_taper_is_said_for_the_end_that_is_thin():
    said = _sentences({Corner.FRONT_LEFT: {"pad_mm": {"inner": pad(4.0, 6.0), "outer": pad(5.0)}}})
    assert any("inner pad 2.0 mm thinner at its leading end, outer pad has no end-to-end taper" in s for s in said)


def test_findings_that_cannot_be_made_on_a_caliper_are_not_weighed():
    fixed = {"axles": {"front": {"caliper": "fixed", "pistons": 4, "piston_diameter_mm": [36, 38]}}}
    assert _sentences({Corner.FRONT_LEFT: {"pin": {"upper": "seized"}}}, **fixed) == []


def test_rotor_figures_are_weighed_against_discard_and_each_other():
    said = _sentences({Corner.FRONT_LEFT: {"rotor_mm": [23.10, 22.90, 23.00]}})
    assert "front left rotor at its thinnest place 0.10 mm under its discard thickness" in said
    assert "front left rotor thickness varies by 0.200 mm" in said


@pytest.mark.parametrize(
    ("corner", "partner"), [(Corner.FRONT_LEFT, Corner.FRONT_RIGHT), ("rear", None), ("front", None)]
)
def test_partners(corner, partner):
    assert (Corner(corner).partner or None) == partner


def test_a_day_whose_temperature_nobody_wrote_down_is_a_default_and_said_to_be_one():
    hot = {Corner.REAR_LEFT: {"hub_temperature_c": 115.0}}
    assert "rear left hub 100 °C over the outside after the drive" in _sentences(hot)  # 15 °C: common practice
    assert "ambient_c" in answer(hot).defaults_used
    known = parse_inspection(json.dumps({"visit": {"ambient_c": 25.0}, **document(hot)}))
    assert "ambient_c" not in diagnose(known, knowledge()).defaults_used


def test_the_chance_of_a_worn_lining_worked_on_paper():
    """3.15 mm read with 0.15/√4 = 0.075 against 3.0: two standard uncertainties above, P = 0.0228 (normal table)."""
    here = CornerMeasures(inner=pad_measure(pad(3.15), 0.15))
    assert chance_lining_worn_out(here, 3.0) == pytest.approx(0.0228, abs=5e-5)
    assert chance_lining_worn_out(CornerMeasures(), 3.0) is None


def test_the_bleeder_that_frees_a_whole_circuit_points_upstream():
    """Common practice: the first bleeder opened frees more than one corner of a circuit, the line frees them all."""
    held = {"spin": DRAGS, "bleeder_opened": "frees", "line_loosened_at_master": "frees"}
    upstream = answer(
        {Corner.FRONT_LEFT: held, Corner.FRONT_RIGHT: held, Corner.REAR_LEFT: {"spin": FREE}},
        circuit_split="front_rear",
    )
    assert upstream.chances[VEHICLE, "master_cylinder_not_releasing"] > 0.8
    assert upstream.suspects[0].fault == "master_cylinder_not_releasing"
    one = {**held, "line_loosened_at_master": "no_change"}
    hose = answer({Corner.FRONT_LEFT: one, Corner.FRONT_RIGHT: {"spin": FREE}}, circuit_split="front_rear")
    assert hose.chances[VEHICLE, "master_cylinder_not_releasing"] < 0.05
    assert hose.chances[Corner.FRONT_LEFT, "hose_restricted"] > 0.5


def test_rust_belongs_to_the_vehicle():
    """Pins rusted in at one corner make pins likelier at every other, more than a shield that touches does."""
    seized = {"pin": {"upper": "seized", "lower": "seized"}, "pin_condition": {"upper": "pitted", "lower": "corroded"}}
    after_pins, after_shield = (
        chances_of({Corner.FRONT_LEFT: found}) for found in (seized, {"shield": "touching", "noise": "scrape"})
    )
    for corner in (Corner.FRONT_RIGHT, Corner.REAR_LEFT, Corner.REAR_RIGHT):
        assert after_pins[corner, "slide_pins_seized"] > 1.3 * after_shield[corner, "slide_pins_seized"]


def test_rust_on_four_corners_is_one_fact():
    """Rusted lands and bleeders all round say that the vehicle is rusty, not that four calipers are bad."""
    rusty = {"bracket_lands": "rusted", "bleeder": "rusted", "pad_fit": {"inner": "free", "outer": "free"}}
    chances = chances_of(dict.fromkeys(list(Corner)[:4], rusty))
    assert all(chances[corner, "pad_bound_inner"] < 0.05 for corner in list(Corner)[:4])


def test_an_old_vehicle_is_likelier_rusty():
    stuck = {Corner.FRONT_LEFT: {"pin": {"upper": "stiff"}}}
    new, old = (
        overview(
            parse_inspection(json.dumps({**document(stuck, model_year=year), "visit": {"date": "2026-05-04"}})),
            knowledge(),
        ).chances
        for year in (2025, 2008)
    )
    assert old[Corner.FRONT_LEFT, "slide_pins_seized"] > new[Corner.FRONT_LEFT, "slide_pins_seized"]


def test_a_driven_wheel_is_compared_with_its_partner():
    """6 N·m on both driven wheels is driveline; on one of two free wheels it is drag."""
    both = {"spin": {"turns": 2, "seconds": 2.05}}
    driven = answer({Corner.FRONT_LEFT: both, Corner.FRONT_RIGHT: both}, driven="front")
    free = answer({Corner.FRONT_LEFT: both, Corner.FRONT_RIGHT: both}, driven="rear")
    assert driven.chances[Corner.FRONT_LEFT, "no_fault"] > free.chances[Corner.FRONT_LEFT, "no_fault"]


def test_distance_tells_early_wear_from_a_long_life():
    """Both sides alike at 4 mm of 11: after 60 000 km of town that is life, after 6 000 motorway km it is not."""
    corners = {Corner.FRONT_LEFT: {"pad_mm": pads(4, 4.2)}, Corner.FRONT_RIGHT: {"pad_mm": pads(4, 4.2)}}

    def no_fault(fitted, usage):
        document = {
            "vehicle": {"kind": "car", "axles": {"front": {"pads_fitted_odometer_km": fitted}}},
            "visit": {"odometer_km": 80000, "usage": usage},
            "findings": {"corners": corners},
        }
        return overview(parse_inspection(json.dumps(document)), knowledge()).chances[Corner.FRONT_LEFT, "no_fault"]

    assert no_fault(50000, "town") > 0.8
    assert no_fault(74000, "motorway") < no_fault(50000, "town") - 0.03


def test_two_places_that_agree_are_no_slip_of_the_gauge():
    """Both hub places thin by 3.7 mm: two readings would have to be wrong alike. One thin place alone may be a slip."""
    wedge = {"lead_rim": 7.9, "trail_rim": 7.9, "lead_hub": 4.2, "trail_hub": 4.2}
    slip = {"lead_rim": 7.9, "trail_rim": 7.9, "lead_hub": 7.9, "trail_hub": 4.2}
    healthy = [
        chances_of({Corner.FRONT_LEFT: {"pad_mm": {"inner": points, "outer": pads(7.9, 7.9)["outer"]}}})[
            Corner.FRONT_LEFT, "no_fault"
        ]
        for points in (wedge, slip)
    ]
    assert healthy[0] < 0.1 < healthy[1]


def test_a_taper_is_judged_by_what_the_pad_has_worn():
    """1.2 mm along the pad: within reason at a lining worn to its limit, not at one that is nearly new."""
    worn, new = (
        chances_of({Corner.FRONT_LEFT: {"pad_mm": {"inner": pad(mm - 0.6, mm + 0.6), "outer": pad(mm, mm)}}})[
            Corner.FRONT_LEFT, "no_fault"
        ]
        for mm in (4.0, 10.2)
    )
    assert new < worn


@pytest.mark.parametrize(
    ("chance", "said"), [(1.0, "over 99 %"), (0.0, "under 1 %"), (0.5, "50 %"), (0.994, "over 99 %"), (0.01, "1 %")]
)
def test_nobody_is_ever_told_certainty(chance, said):
    assert percent(chance) == said


def test_a_wheel_held_fast_is_at_least_the_torque_of_a_hand_and_a_turned_reading_wins_over_it():
    """Two hands at the tire turn up to about 40 N·m (common practice): no turns say at least that, a pull how much."""
    held = {"spin": {"turns": 0}}
    alone = measure_all(inspect({Corner.FRONT_LEFT: held}), *_known(held))[Corner.FRONT_LEFT].drag
    assert (alone.held_fast, alone.torque_nm) == (True, 40.0)
    both = {**held, "pull_n": 100, "pull_radius_mm": 300}
    pulled = measure_all(inspect({Corner.FRONT_LEFT: both}), *_known(both))[Corner.FRONT_LEFT].drag
    assert (pulled.held_fast, round(pulled.torque_nm, 9)) == (False, 30.0)


def _known(found):
    return complete_specification(inspect({Corner.FRONT_LEFT: found}), knowledge()), knowledge()


def test_only_a_motorcycles_front_shares_one_wheel():
    for kind, corner, shared in (
        ("motorcycle", Corner.FRONT_LEFT, True), ("motorcycle", Corner.REAR, False), ("car", Corner.FRONT_LEFT, False),
    ):  # fmt: skip
        specification = complete_specification(inspect({}, kind=kind), knowledge())
        assert specification.shares_wheel(corner) is shared
