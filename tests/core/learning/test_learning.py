"""Learning: counts by hand, laws, the guard; and that a world which differs from the expert's is learnt."""

from __future__ import annotations

import json
import random
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mesotrope.core.answer.answer import overview
from mesotrope.core.language.corner import CORNERS, VEHICLE, Corner
from mesotrope.core.learning.closed import read_all_closed, read_closed
from mesotrope.core.learning.counts import DRAG, NOTHING, Counts, total
from mesotrope.core.learning.prequential import LAST, LEAST, Predicted, predicted, standing
from mesotrope.core.learning.reading import Counting
from mesotrope.core.learning.tables import Weight, chances_with, learnt, rate_with, that_fit
from mesotrope.core.learning.told import rows_learnt
from mesotrope.demo.closed_year import closed_case
from mesotrope.errors import InvalidInput
from mesotrope.knowledge import knowledge
from tests.documents import DRAGS, document

REAR_LEFT = Corner("rear_left")


def _line(found, corners=None, system=None, **more):
    corners = corners if corners is not None else {"rear_left": {"pin": {"upper": "seized", "lower": "seized"}}}
    inspection = document(corners)
    inspection["findings"]["system"] = system or {}
    return json.dumps({"inspection": inspection, "found": found} | more)


def _counted(line):
    return Counting(knowledge()).counts_of(read_closed(line, knowledge()))


PINS = [{"corner": "rear_left", "fault": "slide_pins_seized"}]


# -- what is read ---------------------------------------------------------------------------------------------------


def test_a_closed_case_says_what_was_found_and_of_what_nothing_is_known():
    case = read_closed(_line(PINS, unknown=["front_left"], certain="cured"), knowledge())
    assert case.found == {(REAR_LEFT, "slide_pins_seized")}
    assert case.known == {VEHICLE, *CORNERS} - {Corner("front_left")}
    assert case.teaches
    assert not read_closed(_line(PINS, certain="guessed"), knowledge()).teaches


@pytest.mark.parametrize(
    ("line", "message"),
    [
        ("{", "invalid JSON"),
        ('{"inspection": {}}', "found.*field required"),
        (_line([{"corner": "middle", "fault": "hose_restricted"}]), "corner: 'middle'.*allowed: null, front_left"),
        (_line([{"corner": None, "fault": "hose_restricted"}]), "allowed of the system: "),
        (_line([{"corner": "rear_left", "fault": "gremlins"}]), "allowed there: piston_not_releasing"),
        (_line(PINS, unknown=["rear_left"]), "something was found there, so it is known"),
        (_line(PINS, certain="perhaps"), "certain"),
        (_line(PINS, plate="x"), "plate.*not permitted"),
        (_line(PINS, {"rear_left": {"pin": {"upper": "purple"}}}), "purple"),
    ],
)
def test_a_closed_case_that_cannot_be_is_refused_with_the_line(line, message):
    with pytest.raises(InvalidInput, match=f"(?s)line 2.*{message}"):
        read_all_closed([_line(PINS), line], knowledge())


# -- counts ---------------------------------------------------------------------------------------------------------


def test_counts_of_one_case_by_hand():
    """Both pins seized were found; nothing else was wrong: each pin's word counts once for the row of that fault."""
    counts = _counted(_line(PINS))
    assert counts.cases == 1
    for pin in ("pin.upper", "pin.lower"):
        assert counts.rows[pin]["slide_pins_seized"] == pytest.approx((0, 0, 1))
        assert NOTHING not in counts.rows[pin]  # no other corner's pins were looked at
    seen = {fault: pair[0] for fault, pair in counts.there.items() if pair[0]}
    assert seen == {"slide_pins_seized": 1.0}
    expected = counts.there["slide_pins_seized"][1]
    assert 0.01 < expected < 0.5  # of four corners of a vehicle that comes in


def test_healthy_corners_teach_what_happens_anyway():
    corners = {"rear_left": {"pin": {"upper": "seized", "lower": "seized"}}, "rear_right": {"pin": {"upper": "stiff"}}}
    counts = _counted(_line(PINS, corners))
    assert counts.rows["pin.upper"][NOTHING] == pytest.approx((0, 1, 0))


def test_a_finding_that_two_causes_speak_to_is_shared_as_they_may_have_given_it():
    """By hand: rows P and Q beside what happens anyway; of a worst value seen, P gave it where it is itself the worst,
    and something less bad where Q alone was."""
    known = knowledge().likelihood["piston_boot"]
    found = [{"corner": "rear_left", "fault": name} for name in ("piston_not_releasing", "lining_contaminated")]
    counts = _counted(_line(found, {"rear_left": {"piston_boot": "wet"}}))
    p, q, anyway = (known.rows["piston_not_releasing"], known.rows["lining_contaminated"], known.healthy)
    added = [min(1.0, sum(q[: v + 1]) / sum(anyway[: v + 1])) for v in (0, 1)]  # at most sound, at most torn, by Q
    added[0] = min(added)
    by_hand = [p[0] * (1 - added[1]), p[1] * (1 - added[1]), p[2]]
    assert counts.rows["piston_boot"]["piston_not_releasing"] == pytest.approx([x / sum(by_hand) for x in by_hand])
    assert sum(counts.rows["piston_boot"]["lining_contaminated"]) == pytest.approx(1)


def test_a_healthy_corner_teaches_what_rust_does_by_the_rust_that_the_vehicle_may_have():
    rusty = {"rear_left": {"pad_fit": {"inner": "tight"}, "bracket_lands": "rusted"}}
    counts = _counted(_line([], rusty)).rows["pad_fit.inner"]
    levels = {row: sum(seen) for row, seen in counts.items() if row.startswith("rust/")}
    assert sum(levels.values()) == pytest.approx(1)
    little, usual, much, neglected = knowledge().rust.chances
    prior = {"rust/little": little, "rust/usual": usual + neglected, "rust/much": much}  # neglect looks as usual
    assert levels["rust/much"] > prior["rust/much"]
    assert levels["rust/little"] < prior["rust/little"]


def test_a_pull_is_counted_away_from_or_toward_the_one_corner_that_was_faulty():
    found = [{"corner": "front_left", "fault": "piston_seized_applied"}]
    for side, column in (("left", 2), ("right", 1), ("none", 0)):
        counts = _counted(_line(found, {"front_left": {"spin": DRAGS}}, system={"pull_braking": side}))
        seen = counts.rows["pull_braking"]["piston_seized_applied"]
        assert seen == pytest.approx([float(at == column) for at in range(3)])


def test_the_levels_of_drag_are_counted_by_what_dragged():
    found = [{"corner": "rear_left", "fault": "piston_seized_applied"}]
    counts = _counted(_line(found, {"rear_left": {"spin": DRAGS}, "rear_right": {"spin": {"turns": 5, "seconds": 5}}}))
    dragged, free = counts.rows[DRAG]["piston_seized_applied"], counts.rows[DRAG][NOTHING]
    assert sum(dragged) == pytest.approx(1)
    assert sum(dragged[2:]) > 0.95
    assert free[0] > 0.9


@pytest.mark.parametrize("more", [{"certain": "guessed"}, {"unknown": [None, *(c for c in CORNERS if c != REAR_LEFT)]}])
def test_what_was_guessed_or_not_found_out_teaches_no_row(more):
    counts = _counted(_line(PINS, **more))
    assert counts.rows == {}


def _some(count, first=0):
    return [json.dumps(closed_case(number)) for number in range(first, first + count)]


@pytest.fixture(scope="module")
def few():
    counting = Counting(knowledge())
    return [counting.counts_of(read_closed(line, knowledge())) for line in _some(12)]


def test_the_order_of_closed_cases_does_not_matter(few):
    mixed = list(few)
    random.Random(3).shuffle(mixed)
    one, other = total(few).document(), total(mixed).document()
    assert one["cases"] == other["cases"]
    assert one["rows"].keys() == other["rows"].keys()
    for table, rows in one["rows"].items():
        for row, values in rows.items():
            assert other["rows"][table][row] == pytest.approx(values)


# -- tables ---------------------------------------------------------------------------------------------------------


def test_no_outcome_no_change_and_the_experts_tables_as_counts_go_to_nothing(few):
    assert learnt(knowledge(), Counts()) is knowledge()
    counts = total(few)
    heavy = learnt(knowledge(), counts, Weight(1e9, 1e9, 1e9))
    for before, after in zip(knowledge().likelihoods, heavy.likelihoods, strict=True):
        assert after.healthy == pytest.approx(before.healthy, abs=1e-6)
        for name, row in before.rows.items():
            assert after.rows[name] == pytest.approx(row, abs=1e-6)
    for before, after in zip(knowledge().faults, heavy.faults, strict=True):
        assert after.odds == pytest.approx(before.odds, rel=1e-6)


@given(
    expert=st.lists(st.floats(0.01, 1), min_size=2, max_size=5),
    seen=st.lists(st.floats(0, 500), min_size=5, max_size=5),
    worth=st.floats(0.1, 1000),
)
def test_chances_stay_chances_and_go_toward_what_was_seen(expert, seen, worth):
    expert = [one / sum(expert) for one in expert]
    seen = seen[: len(expert)]
    out = chances_with(expert, seen, worth)
    assert sum(out) == pytest.approx(1, abs=1e-9)
    for before, count, after in zip(expert, seen, out, strict=True):
        if sum(seen) > 0:
            low, high = sorted((before, count / sum(seen)))
            assert low - 1e-9 <= after <= high + 1e-9


@given(there=st.floats(0, 1000), expected=st.floats(0, 1000), worth=st.floats(0.1, 100))
def test_rates_go_toward_what_was_seen_and_no_further(there, expected, worth):
    rate = rate_with(there, expected, worth)
    if there >= expected:
        assert 1 <= rate <= max(1.0, there / expected if expected else float("inf"))
    else:
        assert there / expected <= rate <= 1


def test_what_came_more_often_gets_likelier_and_a_word_said_otherwise_moves_its_row(few):
    line = _line(PINS, {"rear_left": {"pin": {"upper": "stiff", "lower": "stiff"}}})
    counts = total([_counted(line)] * 40)
    tables = learnt(knowledge(), counts)
    assert tables.fault["slide_pins_seized"].odds > 2 * knowledge().fault["slide_pins_seized"].odds
    assert tables.fault["hose_restricted"].odds < knowledge().fault["hose_restricted"].odds
    row = tables.likelihood["pin.upper"].rows["slide_pins_seized"]
    assert row[1] > 0.6 > knowledge().likelihood["pin.upper"].rows["slide_pins_seized"][1]
    case = read_closed(line, knowledge())
    suspect = (REAR_LEFT, "slide_pins_seized")
    assert overview(case.inspection, tables).chances[suspect] > overview(case.inspection, knowledge()).chances[suspect]


# -- the guard ------------------------------------------------------------------------------------------------------


def _told(score, hit=True, said=0.9, true=0.9):
    tenths = [(0.0, 0.0, 0.0)] * 9 + [(1.0, said, true)]
    return Predicted(score, hit, tuple(tenths))


def _held(count, **learnt_):
    expert = [_told(-2.0 - 0.1 * (n % 3)) for n in range(count)]
    return standing(
        expert, [replace(one, log_score=one.log_score + 0.3 + 0.1 * (n % 2), **learnt_) for n, one in enumerate(expert)]
    )


def test_the_learnt_tables_are_used_only_while_they_lead():
    assert _held(LAST).leads
    assert _held(LEAST - 1).because == f"too few closed cases: {LEAST - 1} of at least {LEAST}"
    assert _held(LAST, hit=False).because == "fewer first suspects are right"
    assert _held(LAST, said=_told(0, said=0.99, true=0.5).said).because == "what is said is less true"
    same = [_told(-2.0 - 0.1 * (n % 3)) for n in range(LAST)]
    assert standing(same, same).because == "the lead is not beyond twice its standard error"
    before = [_told(-9.0)] * LAST  # long ago they were far better; it is the last ones that count
    assert not standing([*before, *same], [*[_told(-1.0)] * LAST, *same]).leads


def test_what_contradicts_what_was_measured_or_is_always_the_same_is_held_back():
    good = [_told(-2.0)] * LAST
    better = [_told(-1.0 - 0.1 * (n % 2)) for n in range(LAST)]
    wrong = [replace(one, contradicts=n % 3 == 0) for n, one in enumerate(good)]
    assert standing(wrong, better).because == "held back: 34 of the last 100 contradict what was measured"
    same = [replace(one, found=("hose_restricted",) if n % 5 else ("pad_bound_inner",)) for n, one in enumerate(good)]
    assert standing(same, better).because.startswith("held back: 80 of the last 100 faults found are the same")
    assert standing(good, better).leads


def test_what_was_found_against_all_that_was_measured_contradicts_it():
    corners = {"rear_left": {"pin": {"upper": "free", "lower": "free"}, "spin": {"turns": 5, "seconds": 5}}}
    for found, contradicts in ((PINS, True), ([], False)):
        case = read_closed(_line(found, corners), knowledge())
        told = predicted(case, overview(case.inspection, knowledge()).chances, knowledge())
        assert told.contradicts is contradicts


def test_what_was_found_is_held_against_what_was_said():
    case = read_closed(_line(PINS, unknown=["front_left"]), knowledge())
    chances = {
        (REAR_LEFT, "slide_pins_seized"): 0.8, (REAR_LEFT, "hose_restricted"): 0.25,
        (Corner("front_left"), "hose_restricted"): 0.99, (REAR_LEFT, "no_fault"): 0.95,
    }  # fmt: skip
    told = predicted(case, chances, knowledge())
    assert told.log_score == pytest.approx(-0.5108, abs=1e-3)  # ln 0.8 + ln 0.75; of the front left nothing is known
    assert told.hit is False  # the surest of all was said of a corner where it was not found
    assert told.said[8] == (1.0, 0.8, 1.0)
    assert told.said[2] == (1.0, 0.25, 0.0)


def test_counts_of_an_earlier_version_leave_out_the_rows_that_it_had_otherwise():
    """Five levels of drag then, more now: its rows and torques say nothing of today's; what else was counted stays."""
    pin = {"slide_pins_seized": (0.0, 1.0, 2.0)}
    rows = {DRAG: {NOTHING: (3.0, 0.0, 0.0, 0.0, 0.0)}, "pin.upper": pin, "a finding of then": {NOTHING: (1.0, 1.0)}}
    earlier = Counts(
        3, {"slide_pins_seized": (3, 0.5)}, rows, {"torque:strong": (2.0, 0.1, 1.0), "usual:tilt": (1.0, 0.1, 1.0)}
    )
    kept = that_fit(earlier, knowledge())
    assert {table: dict(of) for table, of in kept.rows.items() if of} == {"pin.upper": pin}
    assert (kept.cases, kept.there, set(kept.figures)) == (3, earlier.there, {"usual:tilt"})
    assert that_fit(kept, knowledge()) == kept
    assert {row.table for row in rows_learnt(knowledge(), earlier)} >= {"pin.upper"}
