"""Practice cases worked out by trade reasoning: what must be suspected first, and what must not be.

Source of every case: common practice (how each fault shows, and by what the others are cleared).
"""

from __future__ import annotations

import pytest

from mesotrope.core.answer.answer import moved_decibans, overview, suspects_of
from mesotrope.knowledge import knowledge
from mesotrope.words import PLAINLY
from tests.documents import (
    ALL_FREE,
    DRAGS,
    FREE,
    FRONT_LEFT,
    FRONT_RIGHT,
    REAR_LEFT,
    REAR_RIGHT,
    answer,
    chances_of,
    inspect,
    pad,
    pads,
)

NORMAL = {"spin": FREE, "pad_mm": pads(7.0, 7.2), **ALL_FREE}
TWO_PISTONS = {"axles": {"front": {"caliper": "floating", "pistons": 2, "piston_diameter_mm": [48, 48]}}}
FOUR_PISTONS = {"axles": {"front": {"caliper": "fixed", "pistons": 4, "piston_diameter_mm": [40, 44]}}}

#: name: corners, vehicle, the suspect that must lead, suspects that must not reach one in ten.
CASES = {
    "pads free, pins free, piston goes home, wheel drags: the seal no longer draws it back": (
        {
            REAR_LEFT: {"spin": DRAGS, "pad_mm": pads(3.6, 4.2), **ALL_FREE, "bleeder_opened": "no_change",
                          "parking_lever": "returns", "parking_cable_slackened": "no_change"},
            REAR_RIGHT: NORMAL,
        },
        {}, (REAR_LEFT, "piston_not_releasing"),
        ["slide_pins_seized", "pad_bound_inner", "pad_bound_outer", "hose_restricted", "parking_brake_holding"],
    ),
    "inner pad two to three times as worn, both pins rusted in": (
        {
            FRONT_LEFT: {"spin": DRAGS, "pad_mm": pads(3.2, 8.0), "pin": {"upper": "seized", "lower": "stiff"},
                           "pad_fit": {"inner": "free", "outer": "free"}, "piston_pushback": ["easy"]},
            FRONT_RIGHT: NORMAL,
        },
        {}, (FRONT_LEFT, "slide_pins_seized"), ["piston_not_releasing", "hose_restricted", "pad_bound_inner"],
    ),
    "outer pad worn first, pins seized: the caliper was dragged across and cannot come back": (
        {
            FRONT_LEFT: {"spin": DRAGS, "pad_mm": pads(7.6, 3.4), "pin": {"upper": "seized", "lower": "seized"}},
            FRONT_RIGHT: NORMAL,
        },
        {}, (FRONT_LEFT, "slide_pins_seized"), ["piston_seized_applied", "hose_restricted"],
    ),
    "one pin stuck, pads wedge-shaped": (
        {
            FRONT_LEFT: {"spin": {"turns": 2, "seconds": 2.2},
                           "pad_mm": {"inner": pad(3.4, 6.2), "outer": pad(6.8, 4.5)},
                           "pin": {"upper": "free", "lower": "seized"}, "piston_pushback": ["easy"]},
            FRONT_RIGHT: NORMAL,
        },
        {}, (FRONT_LEFT, "slide_pin_seized_one"), ["slide_pins_seized", "hose_restricted"],
    ),
    "piston will not go back, inner lining nearly gone": (
        {
            FRONT_RIGHT: {"spin": {"turns": 0, "seconds": 0}, "pad_mm": pads(1.8, 4.4),
                            "piston_pushback": ["immovable"], "piston_boot": "torn", "bleeder_opened": "no_change",
                            "pin": {"upper": "free", "lower": "free"}, "pad_fit": {"inner": "free", "outer": "free"}},
            FRONT_LEFT: NORMAL,
        },
        {}, (FRONT_RIGHT, "piston_seized_applied"), ["slide_pins_seized", "piston_seized_released"],
    ),
    "a gap at the pad, thick linings, piston will not move: stuck in its bore": (
        {
            REAR_RIGHT: {"spin": FREE, "pad_gap_mm": {"inner": 1.4, "outer": 0.9}, "pad_mm": pads(9.2, 9.3),
                           "piston_pushback": ["immovable"], "pedal_response": {"inner": "still", "outer": "still"}},
            REAR_LEFT: {"spin": FREE, "pad_mm": pads(4.3, 4.6)},
        },
        {}, (REAR_RIGHT, "piston_seized_released"), ["piston_seized_applied", "hose_restricted"],
    ),
    "the bleeder frees it, the line at the master does not, pads evenly worn": (
        {
            FRONT_RIGHT: {"spin": DRAGS, "pad_mm": pads(4.9, 5.1), "bleeder_opened": "frees",
                            "line_loosened_at_master": "no_change", "pin": {"upper": "free", "lower": "free"}},
            FRONT_LEFT: NORMAL,
        },
        {}, (FRONT_RIGHT, "hose_restricted"), ["piston_not_releasing", "slide_pins_seized", "pad_bound_inner"],
    ),
    "inner pad left the bracket only with force and wore ahead": (
        {
            FRONT_LEFT: {"spin": {"turns": 2, "seconds": 2.1}, "pad_mm": pads(3.9, 6.9),
                           "pad_fit": {"inner": "bound", "outer": "free"}, "pin": {"upper": "free", "lower": "free"},
                           "piston_pushback": ["easy"], "piston_boot": "sound", "bracket_lands": "rusted"},
            FRONT_RIGHT: NORMAL,
        },
        {}, (FRONT_LEFT, "pad_bound_inner"), ["pad_bound_outer", "slide_pins_seized", "hose_restricted"],
    ),
    "outer pad left the bracket only with force and wore ahead": (
        {
            FRONT_LEFT: {"spin": {"turns": 2, "seconds": 2.1}, "pad_mm": pads(6.9, 3.9),
                           "pad_fit": {"inner": "free", "outer": "bound"}, "pin": {"upper": "free", "lower": "free"},
                           "piston_pushback": ["easy"], "piston_boot": "sound"},
            FRONT_RIGHT: NORMAL,
        },
        {}, (FRONT_LEFT, "pad_bound_outer"), ["pad_bound_inner", "slide_pins_seized"],
    ),
    "two pistons, one easy and one not, pads thin at one end": (
        {
            FRONT_RIGHT: {"spin": {"turns": 2, "seconds": 2.2}, "piston_pushback": ["easy", "immovable"],
                            "pad_mm": {"inner": pad(4.3, 7.1), "outer": pad(4.8, 7.0)},
                            "pin": {"upper": "free", "lower": "free"}},
            FRONT_LEFT: NORMAL,
        },
        TWO_PISTONS, (FRONT_RIGHT, "piston_hung_one_of_several"), ["slide_pins_seized", "hose_restricted"],
    ),
    "slackening the cable frees it": (
        {
            REAR_LEFT: {"spin": DRAGS, "bleeder_opened": "no_change", "parking_cable_slackened": "frees",
                          "parking_lever": "stuck"},
            REAR_RIGHT: {"spin": FREE},
        },
        {}, (REAR_LEFT, "parking_brake_holding"), ["hose_restricted", "slide_pins_seized"],
    ),
    "drags and rumbles whatever is opened, pads normal: not the brake": (
        {
            REAR_LEFT: {"spin": {"turns": 1.5, "seconds": 1.6}, "pad_mm": pads(7.0, 7.1), "bearing": "rough",
                          "noise": "rumble", "bleeder_opened": "no_change", "caliper_bolts_slackened": "no_change",
                          **ALL_FREE},
            REAR_RIGHT: NORMAL,
        },
        {}, (REAR_LEFT, "bearing_or_driveline_drag"), ["hose_restricted", "piston_not_releasing"],
    ),
    "a clip on the wrong way round, the lining worn off at its rim": (
        {
            FRONT_LEFT: {"spin": FREE, "hardware": "clip_reversed", "noise": "squeal",
                           "pad_mm": {"inner": {"lead_rim": 6.0, "lead_hub": 8.0, "trail_rim": 6.1, "trail_hub": 8.1},
                                      "outer": pad(7.5, 7.6)}},
            FRONT_RIGHT: NORMAL,
        },
        {}, (FRONT_LEFT, "pad_or_hardware_misfitted"), ["pad_bound_inner", "slide_pins_seized", "hose_restricted"],
    ),
    "glazed linings and faces, brakes with two thirds of its partner's force": (
        {
            FRONT_LEFT: {"spin": FREE, "pad_condition": {"inner": "oiled", "outer": "glazed"}, "leak": "seep",
                           "rotor_face": {"inner": "glazed", "outer": "glazed"}},
            FRONT_RIGHT: NORMAL,
        },
        {}, (FRONT_LEFT, "lining_contaminated"), ["piston_seized_released", "hose_restricted"],
    ),
    "a rotor under its discard thickness, with a lip": (
        {FRONT_LEFT: {"spin": FREE, "rotor_mm": [22.6, 22.6], "rotor_lip_mm": 1.4}, FRONT_RIGHT: NORMAL},
        {}, (FRONT_LEFT, "rotor_worn_or_damaged"), ["piston_not_releasing", "hose_restricted"],
    ),
    "it scrapes, but spins freely, is cool, and the shield touches": (
        {FRONT_LEFT: {"spin": FREE, "noise": "scrape", "shield": "touching"}, FRONT_RIGHT: {"spin": FREE}},
        {}, (FRONT_LEFT, "shield_contact"), ["rotor_worn_or_damaged", "bearing_or_driveline_drag"],
    ),
    "nothing known but the pads' shape: both thin at one end, at opposite ends": (
        {FRONT_LEFT: {"pad_mm": {"inner": pad(4.0, 6.5), "outer": pad(6.5, 4.2)}}, FRONT_RIGHT: NORMAL},
        {}, (FRONT_LEFT, "slide_pin_seized_one"), ["hose_restricted", "piston_not_releasing", "slide_pins_seized"],
    ),
    "both rears hot, linings fine, the shoes in the hat tight": (
        {side: {"spin": DRAGS, "pad_mm": pads(7.0, 7.2), "parking_shoes": "tight", "bleeder_opened": "no_change"}
         for side in (REAR_LEFT, REAR_RIGHT)},
        {}, (REAR_LEFT, "parking_brake_holding"), ["hose_restricted", "piston_not_releasing"],
    ),
    "a fixed caliper, its retaining pin rusted in, the inner pad bound and worn ahead": (
        {
            FRONT_LEFT: {"spin": {"turns": 2.5, "seconds": 3.0}, "retaining_pin": "seized", "pad_mm": pads(4.0, 7.0),
                           "pad_fit": {"inner": "bound", "outer": "free"}, "piston_pushback": ["easy", "easy"]},
            FRONT_RIGHT: NORMAL,
        },
        FOUR_PISTONS, (FRONT_LEFT, "pad_bound_inner"), ["hose_restricted", "piston_not_releasing"],
    ),
    "linings at their limit, even all round: simply worn": (
        {name: {"spin": FREE, "pad_mm": pads(2.6, 2.8), **ALL_FREE} for name in (FRONT_LEFT, FRONT_RIGHT)},
        {}, (FRONT_LEFT, "worn_out_normally"), ["piston_not_releasing", "slide_pins_seized", "hose_restricted"],
    ),
    "everything measured and nothing wrong": (
        dict.fromkeys((FRONT_LEFT, FRONT_RIGHT, REAR_LEFT, REAR_RIGHT), NORMAL),
        {}, (FRONT_LEFT, "no_fault"),
        ["piston_not_releasing", "slide_pins_seized", "slide_pin_seized_one", "hose_restricted", "worn_out_normally"],
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", CASES)
def test_a_practice_case_names_what_a_master_would(name):
    corners, vehicle, (corner, fault), must_not = CASES[name]
    out = answer(corners, **vehicle)
    here = {f: p for (where, f), p in out.chances.items() if where == corner}
    assert max(here, key=here.get) == fault
    assert here[fault] > 0.5
    assert all(here.get(other, 0) < 0.1 for other in must_not), {o: here.get(o) for o in must_not}
    if fault != "no_fault":
        first = out.suspects[0]
        assert first.fault == fault
        assert first.reasons_for


def test_pins_seized_both_ways_are_told_apart():
    """Two schools: pins that never let the caliper across starve the outer pad; those that hold it wear it."""
    inner = {FRONT_LEFT: {"pad_mm": pads(3.2, 8.0), "pin": {"upper": "seized", "lower": "seized"}}}
    outer = {FRONT_LEFT: {"pad_mm": pads(8.0, 3.4), "pin": {"upper": "seized", "lower": "seized"}}}
    told = [
        next(s.mechanism for s in answer({**case, FRONT_RIGHT: NORMAL}).suspects if s.fault == "slide_pins_seized")
        for case in (inner, outer)
    ]
    assert told[0].startswith("the caliper never comes across")
    assert told[1].startswith("the caliper is dragged across and cannot come back")


def test_a_reason_is_a_sentence_with_the_measured_figures():
    out = answer({FRONT_LEFT: {"pad_mm": pads(3.5, 6.9)}, FRONT_RIGHT: {"pad_mm": pads(6.9, 7.1)}})
    top = next(s for s in out.suspects if s.corner == FRONT_LEFT)
    assert "front left inner 3.5 mm, outer 6.9 mm: inner 3.4 mm thinner (32 × gauge error)" in PLAINLY(
        top.reasons_for[0].because
    )


def test_what_is_cleared_says_by_what():
    out = answer({FRONT_LEFT: {"spin": DRAGS, "pin": {"upper": "free", "lower": "free"}}})
    cleared = next(c for c in out.cleared if c.fault == "slide_pins_seized" and c.corner == FRONT_LEFT)
    assert "slide pin: free" in PLAINLY(cleared.because)


def test_a_difference_inside_gauge_error_is_called_that():
    out = answer({FRONT_LEFT: {"window_pad_mm": {"inner": 6.0, "outer": 6.5}}, FRONT_RIGHT: {"spin": FREE}})
    reasons = [PLAINLY(r.because) for s in out.suspects for r in (*s.reasons_for, *s.reasons_against)]
    assert any("inner and outer alike within gauge error" in words for words in reasons)


def test_a_bleeder_that_is_not_uppermost_is_a_caliper_on_the_wrong_side():
    low = answer({FRONT_LEFT: {"bleeder": "low"}, FRONT_RIGHT: {"bleeder": "sound"}})
    assert low.suspects[0].fault == "pad_or_hardware_misfitted"
    assert low.suspects[0].probability > 0.5


def test_a_scaled_face_speaks_for_the_rotor():
    scaled = {"rotor_face": {"inner": "rust_scaled", "outer": "smooth"}, "spin": FREE, "pad_mm": pads(6.0, 6.8)}
    smooth = {**scaled, "rotor_face": {"inner": "smooth", "outer": "smooth"}}
    one, other = (chances_of({REAR_LEFT: face})[REAR_LEFT, "rotor_worn_or_damaged"] for face in (scaled, smooth))
    assert one > 2 * other


def test_slide_pins_that_were_felt_are_a_floating_calipers_even_where_another_is_usual():
    """A motorcycle's caliper is taken for a fixed one, until somebody writes down its slide pins; so with shoes."""
    found = {FRONT_LEFT: {"pin": {"upper": "seized", "lower": "seized"}}, FRONT_RIGHT: {"spin": FREE}}
    felt = answer(found, kind="motorcycle", front_discs=2)
    assert felt.specification.axles["front"].caliper == "floating"
    assert "front.caliper" in felt.defaults_used
    assert felt.suspects[0].fault == "slide_pins_seized"
    empty = {FRONT_LEFT: {"pin": {"upper": None}}, FRONT_RIGHT: {"spin": FREE}}
    assert answer(empty, kind="motorcycle", front_discs=2).specification.axles["front"].caliper == "fixed"
    fixed = answer(found, **FOUR_PISTONS)
    assert tuple(map(PLAINLY, fixed.notes)) == (
        "front left slide pins: recorded, not weighed, for a fixed caliper has none",
    )
    shoes = answer({REAR_LEFT: {"parking_shoes": "tight"}})
    assert shoes.specification.axles["rear"].parking_brake == "drum_in_hat"
    assert shoes.suspects[0].fault == "parking_brake_holding"


def test_what_nothing_found_speaks_for_is_no_sure_suspect_of_the_first_answer():
    """One wheel spun at the front: a parking brake at the rear is about as likely as ever, and not sure to be named."""
    short, least = (
        overview(inspect({FRONT_LEFT: {"spin": DRAGS}}), knowledge()),
        knowledge().threshold["least_decibans"],
    )
    listed = {(one.corner, one.fault) for one in suspects_of(short)}
    named = {one for one in listed if moved_decibans(short, one) >= least}
    assert (REAR_LEFT, "parking_brake_holding") in listed
    assert (FRONT_LEFT, "slide_pins_seized") in named
    assert {corner for corner, _ in named} == {FRONT_LEFT}
