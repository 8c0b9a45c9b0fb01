"""Figures of wear and drag that are learnt, causes that share a finding, a chain's weight, rows told in words."""

from __future__ import annotations

import json
import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from mesotrope.core.inference.worst import worst_of
from mesotrope.core.language.corner import CORNERS
from mesotrope.core.learning.chain import ALL, WEIGHTS, weight_that_predicts_best
from mesotrope.core.learning.closed import read_closed
from mesotrope.core.learning.counts import DRAG, FIGURE, NOTHING, RATE, Counts, counts_from, total
from mesotrope.core.learning.figures import PRIOR_SD, TILT, is_figure, learnt_figure, moved_usual, with_figures
from mesotrope.core.learning.prequential import LEAST, Predicted
from mesotrope.core.learning.reading import Counting
from mesotrope.core.learning.sharing import beside_each, seen_of_one
from mesotrope.core.learning.tables import learnt
from mesotrope.core.learning.told import rows_learnt
from mesotrope.knowledge import knowledge
from tests.documents import document, pads


def _counted(corners, found=()):
    line = json.dumps({"inspection": document(corners), "found": list(found)})
    return Counting(knowledge()).counts_of(read_closed(line, knowledge()))


# -- figures --------------------------------------------------------------------------------------------------------


def test_a_figure_by_hand():
    """Slope 40 and bend 400 beside a prior of 0.15: 40 / (400 + 1/0.0225) = 0.09, sd one over the root of 444.4."""
    by, sd = learnt_figure((50, 40.0, 400.0), TILT)
    assert (by, sd) == (pytest.approx(40 / (400 + 1 / 0.0225)), pytest.approx(444.4**-0.5, rel=1e-3))
    assert learnt_figure((0, 0.0, 0.0), TILT) == (0.0, 0.15)


def test_inner_pads_that_wear_faster_at_healthy_corners_are_learnt_as_such():
    thin_inside = {corner: {"pad_mm": pads(7.0, 8.4)} for corner in CORNERS[:4]}
    even = {corner: {"pad_mm": pads(8.0, 8.0)} for corner in CORNERS[:4]}
    faster, alike = (_counted(corners).figures["usual:tilt"] for corners in (thin_inside, even))
    assert faster[0] == alike[0] == 4
    assert learnt_figure(faster, TILT)[0] > 0.03 > learnt_figure(alike, TILT)[0]
    tables = learnt(knowledge(), _counted(thin_inside))
    known = knowledge().wear
    assert tables.wear.inner - tables.wear.outer > known.inner - known.outer
    assert tables.wear.inner + tables.wear.outer == pytest.approx(known.inner + known.outer)


def test_the_slope_is_that_of_the_likelihood_of_what_was_measured():
    """By the definition of a derivative, with the posterior's own weights: tables with the figure moved make the same
    pads likelier where the slope is positive."""
    corners = {corner: {"pad_mm": pads(7.0, 8.4)} for corner in CORNERS[:4]}
    counts = _counted(corners)

    def score(by):
        wear = moved_usual(knowledge().wear, TILT, by)
        moved = knowledge().model_copy(update={"wear": wear})
        line = json.dumps({"inspection": document(corners), "found": []})
        return Counting(moved).counts_of(read_closed(line, moved)).figures["usual:tilt"][1]

    best = learnt_figure(counts.figures["usual:tilt"], TILT)[0]
    assert counts.figures["usual:tilt"][1] > 0
    assert score(2 * best) < counts.figures["usual:tilt"][1]  # nearer to its top, the slope is less


def test_wheels_that_turn_freer_than_the_expert_thinks_teach_the_driveline():
    free = {"spin": {"turns": 12, "seconds": 30}}
    figures = _counted(dict.fromkeys(CORNERS[2:4], free)).figures
    assert figures["driveline:undriven"][0] == 2
    assert figures["driveline:undriven"][1] < 0
    tables = with_figures(knowledge(), figures, 1.0)
    assert tables.driveline.undriven_nm.median < knowledge().driveline.undriven_nm.median
    assert tables.driveline.driven_nm == knowledge().driveline.driven_nm


@given(slope=st.floats(-1e4, 1e4), bend=st.floats(-1e3, 1e4), n=st.integers(0, 100))
def test_no_figure_leaves_what_is_believed_of_it(slope, bend, n):
    by, sd = learnt_figure((n, slope, bend), TILT)
    assert abs(by) <= 2 * PRIOR_SD[TILT]
    assert 0 < sd <= PRIOR_SD[TILT]


def test_only_figures_of_the_product_are_figures():
    names = ("usual:tilt", "torque:light", "driveline:driven", "slide_pins_seized/never_across:tilt")
    assert all(is_figure(name, knowledge()) for name in names)
    for name in ("usual:colour", "torque:enormous", "driveline:both", "gremlins:tilt", ""):
        assert not is_figure(name, knowledge())


# -- causes that share a finding ------------------------------------------------------------------------------------

rows = st.lists(st.floats(0.05, 1), min_size=3, max_size=3).map(lambda some: np.array(some) / sum(some))


@given(adds=st.tuples(rows, rows), leak=rows, value=st.integers(0, 2))
def test_what_one_cause_gave_adds_up_to_what_was_seen(adds, leak, value):
    """Over all that it may have given, the chance of what was seen: that of the worst of both (noisy-MAX). A row is
    the worst of what a cause adds and of what happens anyway."""
    both = [np.diff(np.cumsum(add) * np.cumsum(leak), prepend=0.0) for add in adds]
    emission = np.eye(3)[value]
    seen = [seen_of_one(row, beside, emission) for row, beside in zip(both, beside_each(both, leak), strict=True)]
    worst = float(worst_of(both, leak)[value])
    for part in seen:
        assert sum(part) == pytest.approx(worst, abs=1e-9)
        assert not part[value + 1 :].any()  # nothing worse was given


def test_a_cause_alone_gave_what_was_seen():
    (beside,) = beside_each([(0.2, 0.3, 0.5)], (0.8, 0.1, 0.1))
    assert seen_of_one((0.2, 0.3, 0.5), beside, np.array([0.0, 1.0, 0.0])).tolist() == [0.0, 0.3, 0.0]


# -- counts ---------------------------------------------------------------------------------------------------------


def test_counts_can_be_taken_away_again_and_left_out_by_row():
    one = Counts(2, {"a": (1, 0.5)}, {"t": {"r": (1.0, 2.0), "s": (3.0, 4.0)}}, {"usual:tilt": (1, 2.0, 3.0)})
    other = Counts(3, {"a": (2, 0.25), "b": (1, 1)}, {"t": {"r": (0.5, 0.5)}})
    back = total([one, other, other.times(-1)])
    assert back.cases == 2
    assert back.rows["t"]["r"] == (1.0, 2.0)
    assert back.there["b"] == (0, 0)
    left = one.without([("t", "r"), (RATE, "a"), (FIGURE, "usual:tilt")])
    assert (left.there, left.rows, left.figures) == ({}, {"t": {"s": (3.0, 4.0)}}, {})
    assert counts_from(json.loads(json.dumps(one.document()))) == one


# -- a chain --------------------------------------------------------------------------------------------------------


def _scored(*scores):
    return {weight: Predicted(score, None, ()) for weight, score in zip(WEIGHTS, scores, strict=True)}


def test_a_chain_counts_as_much_as_predicts_best():
    assert weight_that_predicts_best([_scored(-2, -1, -1.5, -3)] * LEAST) == 0.3
    assert weight_that_predicts_best([_scored(-2, -2, -2, -1.9)] * LEAST) == 0.0
    assert weight_that_predicts_best([_scored(-2, -2, -2, -2)] * LEAST) == ALL  # of equal ones the greater
    before = {ALL: Predicted(-1, None, ())}  # predicted before there was a chain: it tells nothing of its weight
    assert weight_that_predicts_best([before] * 30 + [_scored(-2, -1, -1, -1)] * (LEAST - 1)) == ALL


# -- told in words --------------------------------------------------------------------------------------------------


def test_a_learnt_row_stands_beside_the_experts_with_its_band():
    """By hand: 30 cases' worth of the expert's 0.85 beside 60 seen, 6 of them so: (25.5 + 6) / 90 = 0.35."""
    expert = knowledge().likelihood["pin.upper"].rows["slide_pins_seized"]
    seen = (54.0, 0.0, 6.0)
    told = rows_learnt(knowledge(), Counts(60, {}, {"pin.upper": {"slide_pins_seized": seen}}))
    (row,) = told
    at = max(range(3), key=lambda n: abs((30 * expert[n] + seen[n]) / 90 - expert[n]))
    assert row.here == pytest.approx((30 * expert[at] + seen[at]) / 90)
    assert (row.about, row.where, row.seen) == ("upper slide pin", "both slide pins seized", 60)
    assert row.differs
    assert row.low == pytest.approx(row.here - 1.645 * math.sqrt(row.here * (1 - row.here) / 91), abs=1e-3)


def test_how_often_a_fault_comes_is_told_of_all_that_came():
    """212 vehicles: expected 8, there 19: (19 + 4) / (8 + 4) of 8 in 212."""
    (row,) = rows_learnt(knowledge(), Counts(212, {"hose_restricted": (19, 8.0)}))
    assert row.product == pytest.approx(8 / 212)
    assert row.here == pytest.approx(8 / 212 * 23 / 12)
    assert (row.kind, row.seen, row.differs) == ("fault", 212, True)
    (few,) = rows_learnt(knowledge(), Counts(10, {"hose_restricted": (1, 0.4)}))
    assert not few.differs


def test_every_table_that_is_counted_has_words():
    corners = {"rear_left": {"spin": {"turns": 1, "seconds": 1.2}, "pad_mm": pads(6, 8), "pad_fit": {"inner": "tight"}}}
    counts = total([_counted(corners, [{"corner": "rear_left", "fault": "hose_restricted"}]), _counted(corners)])
    told = {(row.table, row.row): row for row in rows_learnt(knowledge(), counts)}
    assert told[DRAG, "hose_restricted"].about == "wheel spun by hand"
    assert told["pad_fit.inner", NOTHING].about == "inner pad in the bracket"
    assert all(row.about and (row.where or row.kind == "fault") for row in told.values())
    assert {(table, row) for table, of in counts.rows.items() for row in of} <= told.keys()
