"""The arrays under the diagnosis: rows added up into states, and which points of a grid are gone on with."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from mesotrope.core.evidence.specification import complete_specification
from mesotrope.core.inference.axle_table import fewest_that_carry
from mesotrope.core.inference.vehicle_space import space_of
from mesotrope.core.language.corner import Corner
from mesotrope.knowledge import knowledge
from tests.documents import inspect

VEHICLES = [{}, {"kind": "motorcycle", "front_discs": 2}, {"axles": {"rear": {"parking_brake": "drum_in_hat"}}}]


def _corners(vehicle):
    specification = complete_specification(inspect({}, **vehicle), knowledge())
    return space_of(knowledge(), specification).corners


@pytest.mark.parametrize("vehicle", VEHICLES)
def test_rows_are_added_up_by_the_faults_they_hold(vehicle):
    """Plain counting, row by row: a state is every row with the same faults and the same visitors."""
    for space in _corners(vehicle).values():
        values = np.random.default_rng(4).random(space.rows)
        by_state = {}
        for value, parts, visitors in zip(values, space.parts, space.visitors, strict=True):
            held = frozenset(fault.id for fault, _ in parts), frozenset(fault.id for fault, _ in visitors)
            by_state[held] = by_state.get(held, 0.0) + value
        states = space.add_up(values)
        assert len(by_state) == space.states
        for held, variant, total in zip(space.state_faults, space.state_variant, states, strict=True):
            faults = frozenset(f.id for f, has in zip(space.faults, held, strict=True) if has)
            visitors = frozenset(fault.id for fault, _ in space.variants[variant])
            assert total == pytest.approx(by_state[faults, visitors])


def test_rows_are_added_up_with_wear_as_their_products_are():
    space = _corners({})[Corner.REAR_LEFT]
    random = np.random.default_rng(5)
    by_level, worn = random.random((3, 5, space.rows)), random.random((5, 2, space.rows))
    together = space.add_up_with_wear(by_level, worn)
    assert together.shape == (3, 5, 2, space.states)
    assert together == pytest.approx(space.add_up(by_level[:, :, None, :] * worn))


@given(st.lists(st.floats(0, 1), min_size=1, max_size=20).filter(any), st.floats(0, 0.5))
def test_as_few_points_are_gone_on_with_as_carry_the_rest(mass, spared):
    kept = fewest_that_carry(1 - spared, np.array(mass))
    carried = sum(mass[place] for place in kept)
    assert carried >= (1 - spared) * sum(mass) * (1 - 1e-9)
    assert len(kept) == 1 or carried - min(mass[place] for place in kept) <= (1 - spared) * sum(mass) * (1 + 1e-9)
    assert list(kept) == sorted(kept)
