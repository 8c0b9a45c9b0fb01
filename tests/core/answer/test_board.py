"""The suspect board and what-if: the same weights as the reasons, laid out; the same posterior, tried out."""

from __future__ import annotations

import json

import pytest

from mesotrope.core.answer.answer import diagnose
from mesotrope.core.answer.board import board_of
from mesotrope.core.answer.what_if import trials_of, what_if
from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.errors import InvalidDocument
from mesotrope.knowledge import knowledge
from mesotrope.words import PLAINLY
from tests.documents import ALL_FREE, DRAGS, FREE, document, inspect, pads

FOUND = {
    Corner.REAR_LEFT: {"spin": DRAGS, "pad_mm": pads(3.6, 4.2), **ALL_FREE, "bleeder_opened": "no_change"},
    Corner.REAR_RIGHT: {"spin": FREE, "pad_mm": pads(7.0, 7.2)},
}


def board(corner, corners=FOUND, **system):
    text = document(corners)
    text["findings"]["system"] = system
    answer = diagnose(parse_inspection(json.dumps(text)), knowledge())
    return board_of(corner, answer.story, answer.chances, knowledge()), answer


def test_every_suspect_of_the_list_has_a_row_and_the_likeliest_stands_first():
    told, answer = board(Corner.REAR_LEFT)
    listed = {s.fault for s in answer.suspects if s.corner == Corner.REAR_LEFT and s.fault != "worn_out_normally"}
    assert listed <= {row.fault for row in told.rows}
    unstruck = [row.probability for row in told.rows if not row.struck]
    assert unstruck == sorted(unstruck, reverse=True)


def test_cells_are_the_weights_of_the_reasons():
    told, answer = board(Corner.REAR_LEFT)
    suspect = next(s for s in answer.suspects if (s.corner, s.fault) == (Corner.REAR_LEFT, "piston_not_releasing"))
    row = next(row for row in told.rows if row.fault == "piston_not_releasing")
    reasons = {round(r.decibans, 6) for r in (*suspect.reasons_for, *suspect.reasons_against)}
    assert reasons <= {round(weight, 6) for weight in row.decibans}


def test_seized_pins_are_struck_out_by_the_pins():
    told, _ = board(Corner.REAR_LEFT)
    pins = next(row for row in told.rows if row.fault == "slide_pins_seized")
    column = [c.finding for c in told.columns].index("pin")
    assert pins.struck
    assert pins.decibans[column] == min(pins.decibans)
    assert "slide pin: free" in " ".join(map(PLAINLY, told.columns[column].sentences))


def test_one_finding_has_one_column_for_each_thing_it_tells():
    told, _ = board(Corner.REAR_LEFT)
    heads = [(c.finding, c.aspect) for c in told.columns]
    assert len(heads) == len(set(heads))
    assert ("pad_mm", "thickness") in heads
    system, _ = board(VEHICLE, pedal_feel="spongy", pedal_pump="rises")
    assert [c.finding for c in system.columns].count("pedal_feel") == 1


def test_nothing_found_makes_an_empty_board():
    told, _ = board(Corner.FRONT_LEFT, {})
    assert (told.columns, told.rows) == ((), told.rows)
    assert all(not row.decibans for row in told.rows)


@pytest.mark.parametrize("value", ["frees", "no_change"])
def test_what_if_is_the_posterior_with_that_answer(value):
    bare = {**FOUND, Corner.REAR_LEFT: {k: v for k, v in FOUND[Corner.REAR_LEFT].items() if k != "bleeder_opened"}}
    answers = [(value, {"bleeder_opened": value}) for value in ("frees", "no_change")]
    tried = {one.value: one for one in what_if(inspect(bare), Corner.REAR_LEFT, answers, knowledge())}
    truth = diagnose(
        inspect({**bare, Corner.REAR_LEFT: {**bare[Corner.REAR_LEFT], "bleeder_opened": value}}), knowledge()
    )
    here = {f: p for (corner, f), p in truth.chances.items() if corner == Corner.REAR_LEFT and f != "no_fault"}
    best = max(here, key=here.get)
    assert tried[value].leading[0] == (knowledge().words(best), here[best])
    assert tried[value].verdict == truth.decision.corners[Corner.REAR_LEFT].verdict


@pytest.mark.parametrize(
    ("corner", "path", "value", "verdict"),
    [
        (Corner.REAR_RIGHT, "piston_pushback.1", "immovable", "unsafe"),  # stuck in its bore: it does not brake
        (Corner.REAR_RIGHT, "pin.upper", "seized", "service"),
        (VEHICLE, "pedal_hold", "sinks", "unsafe"),
    ],
)
def test_what_if_reaches_lists_parts_and_the_whole_vehicle(corner, path, value, verdict):
    assert what_if(inspect(FOUND), corner, [(value, {path: value})], knowledge())[0].verdict == verdict


def test_what_if_of_a_word_that_is_none_is_refused():
    with pytest.raises(InvalidDocument, match="allowed: 'free', 'stiff' or 'seized'"):
        what_if(inspect(FOUND), Corner.REAR_RIGHT, [("loose", {"pin.upper": "loose"})], knowledge())


def _tried(finding, corners, corner=Corner.REAR_LEFT):
    answer = diagnose(inspect(corners), knowledge())
    (trial,) = trials_of(finding, answer.specification.axle_of(corner), knowledge())
    return what_if(inspect(corners), corner, trial.answers, knowledge())


def test_a_wheel_not_spun_yet_is_tried_from_free_to_held():
    """Common practice: what spins freely drags nowhere; what cannot be turned is unsafe."""
    free, *_, held = _tried("spin", {Corner.REAR_LEFT: {"hub_temperature_c": 120}, Corner.REAR_RIGHT: {"spin": FREE}})
    assert PLAINLY(free.value) == "stopped after 6 turns in 7 s"
    assert held.verdict == "unsafe"
    assert held.leading[0][1] > free.leading[0][1]


def test_linings_and_rotors_are_tried_with_figures_of_the_axle():
    alike, inner_thin, outer_thin = _tried("pad_mm", {Corner.REAR_RIGHT: {"pad_mm": pads(6.4, 6.5)}})
    assert PLAINLY(alike.value) == "inner 6.5 mm, outer 6.5 mm"  # 0.65 of a new rear lining of 10 mm
    names = [{words for words, _ in one.leading} for one in (inner_thin, outer_thin)]
    assert "inner pad bound in the bracket" in names[0]
    assert "outer pad bound in the bracket" in names[1]
    over, under = _tried("rotor_mm", {Corner.REAR_RIGHT: {"spin": FREE}})
    assert PLAINLY(under.value) == "7.8 mm"
    assert under.verdict == "replace"
    assert over.verdict != "replace"


def test_every_finding_that_can_be_offered_can_be_tried():
    """What the board offers has answers, and every answer can be written."""
    known = knowledge()
    axle = diagnose(inspect(FOUND), known).specification.axles["rear"]
    untried = {"pull_n", "pull_radius_mm", "pad_material", "leak_at", "window_pad_mm"}
    for finding in known.corner_finding:
        trials = trials_of(finding, axle, known)
        assert trials or finding in untried, finding
        for trial in trials:
            assert len(trial.answers) >= 2
            for answer in trial.answers:
                assert what_if(inspect({}), Corner.REAR_LEFT, [answer], known)
