"""The arrays under the diagnosis: rows by state and kind, and which points of a grid are gone on with."""

from __future__ import annotations

from functools import cache

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from mesotrope.core.evidence.specification import complete_specification
from mesotrope.core.inference.corner_table import fewest_that_carry
from mesotrope.core.inference.vehicle_space import space_of
from mesotrope.knowledge import knowledge
from tests.documents import inspect

VEHICLES = [{}, {"kind": "motorcycle", "front_discs": 2}, {"axles": {"rear": {"parking_brake": "drum_in_hat"}}}]


def _space(vehicle):
    return space_of(knowledge(), complete_specification(inspect({}, **vehicle), knowledge()))


@cache
def _says(fault):
    """What a fault does to the findings of the whole vehicle."""
    return {row.key: told for row in knowledge().system_likelihoods if (told := row.rows_of(fault))}


@pytest.mark.parametrize("vehicle", VEHICLES)
def test_rows_stand_by_the_faults_they_hold(vehicle):
    """Plain counting, row by row: a state is every row with the same faults and the same visitors."""
    for space in _space(vehicle).corners.values():
        held = [
            (frozenset(f.id for f, _ in parts), frozenset(f.id for f, _ in space.visitors(row)))
            for row, parts in enumerate(space.parts)
        ]
        assert len(set(held)) == space.states
        assert [held[start] for start in space.state_start] == list(dict.fromkeys(held))
        for row, (own, _) in enumerate(held):
            state, kind = space.state_of_row[row], space.kind_of_row[row]
            assert {f.id for f, has in zip(space.faults, space.state_faults[state], strict=True) if has} == own
            speaking = [sum(_says(fault) == _says(name) for fault in own) for name in space.spoken]
            assert space.kind_faults[kind].tolist() == speaking
            assert sum(speaking) == sum(bool(_says(fault)) for fault in own)


@pytest.mark.parametrize("vehicle", VEHICLES)
def test_conditions_take_no_room_and_no_number_of_faults_is_impossible(vehicle):
    """By the definition: three hidden faults at a corner, two beside conditions; the system has no limit at all."""
    space = _space(vehicle)
    for corner in space.corners.values():
        for row, parts in enumerate(corner.parts):
            hidden = sum(not fault.condition for fault, _ in (*parts, *corner.visitors(row)))
            assert hidden <= (2 if any(fault.condition for fault, _ in parts) else 3)
        assert corner.prior.min() > 0
    assert space.system_members.sum(axis=1).max() == len(space.system_faults)
    assert space.system_prior.sum() == pytest.approx(1)


@pytest.mark.parametrize("vehicle", VEHICLES)
def test_a_corners_faults_are_drawn_anew_for_every_visit(vehicle):
    for space in _space(vehicle).corners.values():
        for by_rust in space.prior:
            assert np.bincount(space.row_variant, by_rust) == pytest.approx(1)


@given(st.lists(st.floats(0, 1), min_size=1, max_size=20).filter(any), st.floats(0, 0.5))
def test_as_few_points_are_gone_on_with_as_carry_the_rest(mass, spared):
    kept = fewest_that_carry(1 - spared, np.array(mass))
    carried = sum(mass[place] for place in kept)
    assert carried >= (1 - spared) * sum(mass) * (1 - 1e-9)
    assert len(kept) == 1 or carried - min(mass[place] for place in kept) <= (1 - spared) * sum(mass) * (1 + 1e-9)
    assert list(kept) == sorted(kept)
