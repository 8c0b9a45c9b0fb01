"""How a corner's rows are put together to be summed, and that every way of summing them tells the same."""

from __future__ import annotations

from unittest.mock import patch

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mesotrope.core.answer.answer import overview
from mesotrope.core.evidence.specification import complete_specification
from mesotrope.core.inference.corner_table import RowWeights
from mesotrope.core.inference.groups import Layers, stacks_of
from mesotrope.core.inference.vehicle_space import space_of
from mesotrope.core.language.corner import Corner
from mesotrope.core.language.inspection import Inspection
from mesotrope.knowledge import knowledge
from tests.documents import FREE, inspect, pads


@given(st.lists(st.integers(0, 6), min_size=1, max_size=40))
def test_the_sum_of_layers_is_the_sum_of_every_group(numbers):
    _, group = np.unique(numbers, return_inverse=True)
    figures = np.random.default_rng(len(numbers)).random((len(numbers), 3))
    expected = [figures[group == number].sum(axis=0) for number in range(group.max() + 1)]
    assert list(Layers.of(group).summed(figures)) == [pytest.approx(one) for one in expected]


@given(st.lists(st.integers(0, 6), min_size=1, max_size=40))
def test_the_products_of_stacks_are_summed_within_every_group(numbers):
    _, group = np.unique(numbers, return_inverse=True)
    random = np.random.default_rng(len(numbers))
    one, other = random.random((len(numbers), 3)), random.random((len(numbers), 4))
    expected = np.zeros((group.max() + 1, 3, 4))
    for member, number in enumerate(group):
        expected[number] += np.outer(one[member], other[member])
    stacks = stacks_of(group)
    assert sorted(np.concatenate([stack.members for stack in stacks]).tolist()) == list(range(len(group)))
    for stack in stacks:
        assert stack.multiplied(one[stack.members], other[stack.members]) == pytest.approx(expected[stack.groups])


@pytest.mark.parametrize("corner", [Corner.FRONT_LEFT, Corner.REAR_RIGHT])
def test_rows_of_a_group_are_of_one_kind_pattern_and_set_of_visitors(corner):
    known = knowledge()
    space = space_of(known, complete_specification(inspect({corner: {"bearing": "quiet"}}), known)).corners[corner]
    for groups, pattern in (space.groups, space.wear_patterns.of_row), (space.groups_unworn, np.zeros(space.rows, int)):
        assert np.array_equal(groups.kind[groups.of_row], space.kind_of_row)
        assert np.array_equal(groups.pattern[groups.pair[groups.of_row]], pattern)
        assert len(groups.kind) == len(set(zip(space.kind_of_row.tolist(), pattern.tolist(), strict=True)))
        for variant, some in enumerate(groups.of_variant):
            pairs = groups.pair[groups.of_row[space.row_variant == variant]]
            assert set(pairs.tolist()) == set(range(some.start, some.stop))


#: A vehicle of which both axles were measured, or one of them in part, or nothing of wear was.
_measured = st.sampled_from(["all", "one pad", "none"])
_pull = st.sampled_from(["none", "left", "right"])


def _found(thick: float, split: float, pull: str, measured: str) -> Inspection:
    worn = {"pad_mm": pads(thick, thick + split)} if measured != "none" else {}
    other = {"pad_mm": pads(8.0, 8.2)} if measured == "all" else {"bearing": "quiet"}
    corners = {Corner.FRONT_LEFT: {"spin": FREE, **worn}, Corner.FRONT_RIGHT: other, Corner.REAR_LEFT: other}
    return inspect(corners, system={"pull_braking": pull, "pedal_feel": "firm"})


@given(thick=st.floats(3.0, 9.0), split=st.floats(-1.5, 1.5), pull=_pull, measured=_measured)
@settings(max_examples=10)
def test_a_state_is_as_likely_as_all_its_rows(thick, split, pull, measured):
    """States are summed from what they weigh at every point, rows from what all the rest says of them."""
    posterior = overview(_found(thick, split, pull, measured), knowledge()).posterior
    for corner, space in posterior.space.corners.items():
        by_row = np.bincount(space.state_of_row, posterior.row_chances(corner))
        assert posterior.state_chances(corner) == pytest.approx(by_row, rel=1e-7, abs=1e-12)


@given(thick=st.floats(3.0, 9.0), split=st.floats(-1.5, 1.5), pull=_pull, measured=_measured)
@settings(max_examples=10)
def test_rows_weigh_the_same_factor_by_factor_and_kind_by_kind(thick, split, pull, measured):
    """Which of the two is quicker hangs on how many factors there are; what they say does not."""
    asked, seen = _found(thick, split, pull, measured), {}
    for way in "_said_by_factor", "_said_by_kind":
        only = getattr(RowWeights, way)
        with patch.multiple(RowWeights, _said_by_factor=only, _said_by_kind=only):
            posterior = overview(asked, knowledge()).posterior
            seen[way] = [posterior.row_chances(corner) for corner in posterior.space.corners]
    for one, other in zip(*seen.values(), strict=True):
        assert one == pytest.approx(other, rel=1e-7, abs=1e-12)
