"""How a corner's rows are put together to be summed, and that either way of summing them tells the same."""

from __future__ import annotations

from unittest.mock import patch

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mesotrope.core.answer.answer import overview
from mesotrope.core.evidence.specification import complete_specification
from mesotrope.core.inference.corner_table import RowWeights
from mesotrope.core.inference.groups import Layers, Stacks
from mesotrope.core.inference.vehicle_space import space_of
from mesotrope.core.language.corner import Corner
from mesotrope.knowledge import knowledge
from tests.documents import FREE, inspect, pads


@given(st.lists(st.integers(0, 6), min_size=1, max_size=40))
def test_the_sum_of_layers_is_the_sum_of_every_group(numbers):
    _, group = np.unique(numbers, return_inverse=True)
    figures = np.random.default_rng(len(numbers)).random((3, len(numbers)))
    layers = Layers.of(group)
    expected = [figures[:, group == number].sum(axis=1) for number in range(group.max() + 1)]
    sums = layers.summed(figures.take(layers.order, axis=1)).take(layers.place, axis=1)
    assert list(sums.T) == [pytest.approx(one) for one in expected]


@given(st.lists(st.integers(0, 6), min_size=1, max_size=40))
def test_the_products_of_stacks_are_summed_within_every_group(numbers):
    _, group = np.unique(numbers, return_inverse=True)
    random = np.random.default_rng(len(numbers))
    one, other = random.random((len(numbers), 2, 3)), random.random((len(numbers), 2, 4))
    stacks = Stacks.of(group)
    expected = np.zeros((group.max() + 1, 3, 4))
    for member, number in enumerate(group):
        expected[number] += one[member].T @ other[member]
    assert stacks.multiplied(one[stacks.order], other[stacks.order]) == pytest.approx(expected)


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


@given(
    thick=st.floats(3.0, 9.0), split=st.floats(-1.5, 1.5), pull=st.sampled_from(["none", "left", "right"]),
    measured=st.booleans(),
)  # fmt: skip
@settings(max_examples=10)
def test_rows_weigh_the_same_factor_by_factor_and_kind_by_kind(thick, split, pull, measured):
    """Which of the two is quicker hangs on how many factors there are; what they say does not."""
    worn = {"pad_mm": pads(thick, thick + split)} if measured else {}
    found = {Corner.FRONT_LEFT: {"spin": FREE, **worn}, Corner.FRONT_RIGHT: {"pad_mm": pads(8.0, 8.2)}}
    asked = inspect(found, system={"pull_braking": pull, "pedal_feel": "firm"})
    seen = {}
    for way in "_said_by_factor", "_said_by_kind":
        only = getattr(RowWeights, way)
        with patch.multiple(RowWeights, _said_by_factor=only, _said_by_kind=only):
            posterior = overview(asked, knowledge()).posterior
            seen[way] = [posterior.row_chances(corner) for corner in found]
    for one, other in zip(*seen.values(), strict=True):
        assert one == pytest.approx(other, rel=1e-7, abs=1e-12)
