"""What rows show, told once for all that show the same: as if it were worked out row by row."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from mesotrope.core.answer.answer import overview
from mesotrope.core.decision.outcomes import entropy_bits, joint
from mesotrope.core.inference.alike import Alike, cases_of, likely, together
from mesotrope.core.inference.corner_space import part_key
from mesotrope.core.inference.worst import worst_of
from mesotrope.core.language.corner import Corner
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.knowledge import knowledge

KNOWN = knowledge()
SPACE = overview(parse_inspection("{}"), KNOWN).posterior.space.corners[Corner.REAR_LEFT]
BY_FAULTS_ALONE = [row for row in KNOWN.likelihoods if not row.drag and not row.rust]


@given(row=st.integers(0, SPACE.rows - 1), likelihood=st.sampled_from(BY_FAULTS_ALONE))
def test_a_row_shows_the_worst_of_what_its_own_causes_give(row, likelihood):
    """Noisy-MAX of each row by itself, [pearl]: what stands in the shared case must be no other."""
    causes = (*SPACE.parts[row], *SPACE.visitors(row))
    speaking = [told for fault, mechanism in causes if (told := likelihood.row(fault.id, mechanism.id))]
    expected = worst_of(speaking, likelihood.leak or likelihood.healthy) if speaking else likelihood.healthy
    assert SPACE.chances_by_rust(likelihood).of_rows()[0, row] == pytest.approx(np.array(expected), abs=1e-12)


def test_rows_are_many_and_what_they_show_is_little():
    """The reason for it: most findings have a few dozen cases among some two thousand rows."""
    cases = [SPACE.chances_by_rust(row).shows.shape[1] for row in BY_FAULTS_ALONE]
    assert np.median(cases) < SPACE.rows / 20
    assert len({part_key(part) for parts in SPACE.parts for part in parts}) < SPACE.rows


tables = st.integers(1, 4).flatmap(
    lambda cases: st.tuples(
        st.lists(st.lists(st.floats(0.01, 1.0), min_size=3, max_size=3), min_size=cases, max_size=cases),
        st.lists(st.integers(0, cases - 1), min_size=5, max_size=5),
    )
)


@given(tables)
def test_it_says_of_rows_what_a_table_of_all_rows_would(table):
    shows, case = np.array(table[0]), np.array(table[1])
    alike, whole = Alike(shows, case), shows[case]
    seen, believed = np.array([0.2, 0.0, 0.7]), np.arange(1.0, 6.0)
    assert np.array_equal(alike.of_rows(), whole)
    assert alike.likely(seen) == pytest.approx(whole @ seen)
    assert alike.summed(believed) @ likely(shows, seen) == pytest.approx(believed @ (whole @ seen))


@given(st.lists(st.lists(st.booleans(), min_size=9, max_size=9), min_size=1, max_size=8))
def test_rows_are_of_one_case_where_they_hold_the_same_and_only_there(holds):
    held, case = cases_of(np.array(holds))
    assert np.array_equal(held[case], np.array(holds, float))
    assert len({tuple(row) for row in holds}) == len(held)


def test_cases_of_two_things_are_told_apart_by_either():
    (one, other), case = together([np.array([0, 0, 1, 1]), np.array([5, 6, 5, 5])])
    assert (one[case].tolist(), other[case].tolist()) == ([0, 0, 1, 1], [5, 6, 5, 5])
    assert len(one) == 3


def test_parts_that_are_independent_tell_as_many_bits_as_they_do_together():
    """H(X, Y) = H(X) + H(Y) for independent parts, [shannon]."""
    parts = [np.array([[0.5, 0.5]]), np.array([[0.1, 0.2, 0.7]])]
    assert entropy_bits(joint(parts))[0] == pytest.approx(sum(float(entropy_bits(part)[0]) for part in parts))
