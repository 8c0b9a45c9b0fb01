"""The bay: tests take their minutes, read through the simulator's own instruments, and spoil what they spoil."""

from __future__ import annotations

from collections import Counter
from functools import cache

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.entries import check
from mesotrope.core.practice.acts import Act
from mesotrope.core.practice.bay import Bay
from mesotrope.core.practice.numbers import Drawn, Made, Planted, number_of_drawn, number_of_made
from mesotrope.core.practice.paths import fixed_order
from mesotrope.core.practice.vehicle import mystery_of
from mesotrope.core.simulator.readings import AT_CORNER, OF_VEHICLE, At
from mesotrope.errors import NotNow
from mesotrope.knowledge import knowledge

KNOWN = knowledge()
FIGURES = KNOWN.practice
LEFT, RIGHT = Corner.FRONT_LEFT, Corner.FRONT_RIGHT


def made(fault, place=LEFT, kind="car", severity="grave", seed=0):
    number = number_of_made(Made(kind, (Planted(place, fault, severity, "some"),), seed), FIGURES)
    return Bay(mystery_of(number, KNOWN), KNOWN)


def make(bay, finding, place=LEFT):
    return bay.do(Act("test", finding, place))


def press(bay):
    return bay.do(Act("press"))


def torque(step):
    return sum(step.held.values())


# -- minutes -----------------------------------------------------------------------------------------------------


def test_the_wheel_comes_off_once_and_the_parts_once():
    """By hand from the vocabulary's minutes: wheel off 4, parts out 14 with the wheel, pins 2, rotor 4. Common
    practice."""
    bay = made("hose_restricted")
    assert make(bay, "spin").minutes == 1
    assert make(bay, "hose").minutes == 4 + 1
    assert make(bay, "leak").minutes == 1
    assert make(bay, "pin").minutes == (14 - 4) + 2
    assert make(bay, "rotor_mm").minutes == 4
    assert make(bay, "hose", RIGHT).minutes == 4 + 1
    assert bay.clock == sum(step.minutes for step in bay.steps) == 28


def test_a_test_that_needs_the_caliper_puts_the_corner_together_first():
    bay = made("hose_restricted")
    make(bay, "spin")
    make(bay, "pin")
    together = make(bay, "pedal_response")
    assert together.minutes == 2 + 14
    assert not together.mishap
    assert make(bay, "pin_boot").minutes == (14 - 4) + 1  # out again
    assert bay.do(Act("together", place=LEFT)).minutes == 14
    with pytest.raises(NotNow, match="no caliper is off there"):
        bay.do(Act("together", place=LEFT))


# -- what a step spoils ------------------------------------------------------------------------------------------


def test_a_wheel_is_pressed_before_it_is_spun():
    """Pressure that a bad hose keeps has seeped away on the way in: unpressed, a quarter of the drag is left."""
    bay = made("hose_restricted")
    first = make(bay, "spin")
    assert first.spoiled == "nobody had pressed the pedal before"
    press(bay)
    second = make(bay, "spin")  # tells something new, so it can be made again
    assert torque(second) == pytest.approx(4 * torque(first))
    assert not second.spoiled
    with pytest.raises(NotNow, match="it is made"):
        make(bay, "spin")


def test_what_does_not_need_pressure_drags_unpressed_too():
    bay = made("bearing_or_driveline_drag")
    assert not make(bay, "spin").spoiled


def test_nothing_is_freed_before_anybody_knows_that_it_drags():
    bay = made("hose_restricted")
    with pytest.raises(NotNow, match="spin the wheel first"):
        make(bay, "bleeder_opened")
    press(bay)
    free = next(corner for corner in bay.mystery.vehicle.corners if bay.mystery.vehicle.base_nm[corner.axle] < 1)
    make(bay, "spin", free)
    with pytest.raises(NotNow, match="it turns free"):
        make(bay, "bleeder_opened", free)


def test_an_opened_bleeder_lets_go_until_the_pedal_is_pressed_again():
    bay = made("hose_restricted")
    press(bay)
    dragged = torque(make(bay, "spin"))
    assert make(bay, "bleeder_opened").found == {"bleeder_opened": "frees"}
    with pytest.raises(NotNow, match="the wheel was freed already"):
        make(bay, "caliper_bolts_slackened")
    press(bay)
    assert torque(make(bay, "caliper_bolts_slackened")) == pytest.approx(dragged)


def test_a_piston_that_goes_home_only_firmly_is_tried_with_the_bleeder_open():
    """With the caliper off nothing drags: what a closed hose kept from going home goes home through the bleeder."""
    bay = next(bay for bay in (made("hose_restricted", seed=seed) for seed in range(20)) if _firm(bay))
    tried = make(bay, "bleeder_opened")
    assert tried.found == {"bleeder_opened": "frees"}
    assert tried.minutes == 4  # nothing is put together for it
    with pytest.raises(NotNow, match="spin the wheel first"):
        make(bay, "bleeder_opened", RIGHT)


def _firm(bay):
    return "firm" in make(bay, "piston_pushback").found.values()


def test_a_shared_wheel_is_freed_only_when_both_its_discs_are():
    """A motorcycle's front wheel: what holds it at one disc holds it at the other."""
    bay = made("hose_restricted", RIGHT, "motorcycle", seed=1)
    assert bay.specification.shares_wheel(RIGHT)
    press(bay)
    make(bay, "spin", LEFT)  # the wheel is spun once, at its left
    assert make(bay, "bleeder_opened", LEFT).found == {"bleeder_opened": "no_change"}
    assert make(bay, "bleeder_opened", RIGHT).found == {"bleeder_opened": "frees"}


def test_slackened_bolts_end_the_spinning():
    bay = made("slide_pins_seized")
    press(bay)
    make(bay, "spin")
    make(bay, "caliper_bolts_slackened")
    press(bay)
    with pytest.raises(NotNow, match="cannot be spun dragging any more"):
        make(bay, "pull_n")


def test_a_pedal_pressed_with_a_caliper_off_costs_what_it_costs():
    bay = made("piston_not_releasing")
    make(bay, "pin")
    mishap = press(bay)
    assert "the piston is out" in mishap.mishap.message
    assert mishap.minutes == 0.5 + FIGURES.work["mishap_minutes"]
    with pytest.raises(NotNow, match="until it is bled the pedal tells nothing"):
        make(bay, "pedal_feel", VEHICLE)
    assert not press(bay).mishap  # it was put together


def test_opened_lines_and_pushed_pistons_spoil_pedal_and_level():
    bay = made("master_cylinder_not_releasing", VEHICLE)
    press(bay)
    make(bay, "spin")
    make(bay, "line_loosened_at_master")
    with pytest.raises(NotNow, match="a line was opened"):
        make(bay, "pedal_travel", VEHICLE)
    make(bay, "piston_pushback")
    with pytest.raises(NotNow, match="stands higher than it did"):
        make(bay, "fluid_level", VEHICLE)


def test_the_road_is_behind_once_a_wheel_is_off():
    bay = made("hose_restricted")
    make(bay, "noise")
    make(bay, "hose")
    with pytest.raises(NotNow, match="nobody drives it now"):
        make(bay, "smell", VEHICLE)


def test_a_pad_that_is_out_holds_no_wheel_but_shoes_do():
    held = made("parking_brake_holding", Corner.REAR_LEFT, "light_truck")
    if held.mystery.vehicle.build.axles["rear"].parking_brake != "drum_in_hat":
        held = next(
            bay
            for seed in range(1, 40)
            if (bay := made("parking_brake_holding", Corner.REAR_LEFT, "light_truck", seed=seed))
            .mystery.vehicle.build.axles["rear"]
            .parking_brake
            == "drum_in_hat"
        )
    press(held)
    shoes = torque(make(held, "spin", Corner.REAR_LEFT))
    make(held, "pad_mm", Corner.REAR_LEFT)
    assert sum(held._torque()[Corner.REAR_LEFT].values()) == pytest.approx(shoes)
    pads = made("pad_bound_inner")
    press(pads)
    make(pads, "spin")
    make(pads, "pad_mm")
    assert sum(pads._torque()[LEFT].values()) == 0


def test_what_a_vehicle_does_not_have_cannot_be_tested():
    cycle = Bay(mystery_of(number_of_drawn(Drawn("motorcycle", "one_fault", 1), FIGURES), KNOWN), KNOWN)
    for act in (
        Act("test", "parking_brake_holds"), Act("test", "spin", Corner.REAR_LEFT), Act("test", "wear_sensor", LEFT),
        Act("hint", "the truth"), Act("read", "spin", LEFT),
    ):  # fmt: skip
        with pytest.raises(NotNow):
            cycle.do(act)
    assert cycle.clock == 0
    assert cycle.findings == {}


# -- readings ----------------------------------------------------------------------------------------------------


@settings(deadline=None, max_examples=40)
@given(st.integers(1, 400), st.sampled_from(FIGURES.kinds), st.data())
def test_the_same_acts_give_the_same_readings(seed, kind, data):
    number = number_of_drawn(Drawn(kind, "several", seed), FIGURES)
    one = Bay(mystery_of(number, KNOWN), KNOWN)
    acts = []
    for _ in range(data.draw(st.integers(1, 12))):
        can = [(place, t) for place, t in one.tests() if not one.why_not(place, t)]
        place, field = data.draw(st.sampled_from(can))
        acts.append(Act("test", field.finding, place))
        one.do(acts[-1])
    other = Bay.after(mystery_of(number, KNOWN), acts, KNOWN)
    assert other.findings == one.findings
    assert [step.clock for step in other.steps] == [step.clock for step in one.steps]
    assert all(step.minutes > 0 for step in one.steps)


@cache
def _mysteries():
    numbers = [number_of_drawn(Drawn("car", "one_fault", seed), FIGURES) for seed in range(1, 260)]
    return [mystery_of(number, KNOWN) for number in numbers]


def _readings(of):
    return [of(mystery) for mystery in _mysteries()]


@pytest.mark.parametrize("finding", ["pad_mm", "hub_temperature_c", "rotor_mm", "pad_gap_mm"])
def test_figures_agree_with_the_simulators_own_instruments_in_distribution(finding):
    """Kolmogorov and Smirnov: what the bay reads beyond the truth, against what the instrument reads beyond it."""
    random = np.random.default_rng(5)

    def first(value):
        while not isinstance(value, float | int):
            value = next(iter(value.values())) if isinstance(value, dict) else value[0]
        return float(value)

    def in_the_bay(mystery):
        step = make(Bay(mystery, KNOWN), finding)
        true = first(AT_CORNER[finding](At.as_found(_steady(), mystery.vehicle, LEFT)))
        return first(list(step.found.values())) - true

    def by_the_instrument(mystery):
        true = first(AT_CORNER[finding](At.as_found(_steady(), mystery.vehicle, LEFT)))
        return first(AT_CORNER[finding](At.as_found(random, mystery.vehicle, LEFT))) - true

    bay, own = _readings(in_the_bay), _readings(by_the_instrument)
    assert stats.ks_2samp(bay, own).pvalue > 0.001
    assert np.std(bay) > 0.001


def _steady():
    from mesotrope.core.practice.steady import steady

    return steady()


@pytest.mark.parametrize("finding", ["pad_fit", "rotor_face", "bearing"])
def test_words_agree_with_the_simulators_own_eyes_in_distribution(finding):
    random = np.random.default_rng(6)
    bay = Counter(v for found in _readings(lambda m: make(Bay(m, KNOWN), finding).found.values()) for v in found)

    def by_eye(mystery):
        value = AT_CORNER[finding](At.as_found(random, mystery.vehicle, LEFT))
        return list(value.values()) if isinstance(value, dict) else [value]

    own = Counter(v for found in _readings(by_eye) for v in found)
    words = sorted(word for word in {*bay, *own} if bay[word] + own[word] >= 10)
    table = [[counts[word] for word in words] for counts in (bay, own)]
    assert stats.chi2_contingency(table).pvalue > 0.001


def test_everything_that_is_offered_can_be_made_and_is_known_to_the_vocabulary():
    bay = fixed_order(mystery_of(471112, KNOWN), KNOWN)
    names = {test.finding for _, test in bay.tests()}
    assert names <= {*AT_CORNER, *OF_VEHICLE}
    assert {path.partition(".")[0] for _, path in bay.findings} >= {"spin", "pad_mm", "pin", "rotor_mm", "pedal_travel"}
    assert len(bay.inspection().findings.system.model_dump(exclude_none=True)) >= 15


@pytest.mark.parametrize("number", [718924, *(number_of_drawn(Drawn(kind, "neglected", seed), FIGURES)
                                            for kind in FIGURES.kinds for seed in range(40, 52))])  # fmt: skip
def test_no_instrument_reads_what_cannot_be(number):
    """718 924 drags so hard that its hub would be past the thermometer's scale."""
    check(fixed_order(mystery_of(number, KNOWN), KNOWN).inspection(), KNOWN)


def test_truthful_instruments_show_the_truth():
    mystery = mystery_of(4, KNOWN)
    bay = fixed_order(mystery, KNOWN, truthful=True)
    outer = mystery.vehicle.corners[LEFT].outer
    assert bay.findings[LEFT, "pad_mm.outer.lead_rim"] == round(outer.at("lead_rim"), 1)
    assert bay.findings[LEFT, "pin.upper"] in ("stiff", "seized")


# -- reading pictures --------------------------------------------------------------------------------------------


def test_a_picture_is_a_finding_only_once_it_is_written_down():
    bay = Bay(mystery_of(1, KNOWN), KNOWN, pictures=True)
    press(bay)
    step = make(bay, "spin")
    assert step.found == {}
    assert not bay.made(LEFT, "spin")
    assert bay.unread(LEFT, "spin").shown == step.shown
    with pytest.raises(NotNow, match="write down what the instrument shows"):
        make(bay, "spin")
    with pytest.raises(NotNow, match="write down what the instrument shows"):
        bay.do(Act("read", "spin", LEFT, (("pad_mm.inner.lead_rim", 3.0),)))
    read = bay.do(Act("read", "spin", LEFT, (("spin.turns", 2.0), ("spin.seconds", 1.5))))
    assert read.minutes == 0
    assert bay.findings[LEFT, "spin.turns"] == 2.0  # as it was read, whatever it showed
    assert bay.unread(LEFT, "spin") is None
    assert make(bay, "hose").found == {"hose": "sound"}  # what the eye sees is no picture
