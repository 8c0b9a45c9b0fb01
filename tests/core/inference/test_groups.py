"""The order in which a corner's rows are summed: groups in layers, each kind under its own."""

from __future__ import annotations

import numpy as np
import pytest

from mesotrope.core.evidence.specification import complete_specification
from mesotrope.core.inference.vehicle_space import space_of
from mesotrope.core.language.corner import Corner
from mesotrope.knowledge import knowledge
from tests.documents import inspect


@pytest.mark.parametrize("corner", [Corner.FRONT_LEFT, Corner.REAR_RIGHT])
def test_groups_stand_in_layers_each_kind_under_its_own(corner):
    known = knowledge()
    space = space_of(known, complete_specification(inspect({corner: {"bearing": "quiet"}}), known)).corners[corner]
    groups, at = space.groups, 0
    first = groups.kind[: groups.layers[0]]
    for width in groups.layers:
        assert np.array_equal(groups.kind[at : at + width], first[:width])
        at += width
    assert at == len(groups.kind) == len(set(zip(groups.kind.tolist(), groups.pattern.tolist(), strict=True)))
    assert np.array_equal(first[groups.place], np.arange(space.kinds))
    assert np.array_equal(groups.kind[groups.of_row], space.kind_of_row)
    assert np.array_equal(groups.pattern[groups.of_row], space.wear_patterns.of_row)
    assert np.array_equal(groups.of_row[groups.rows], np.repeat(np.arange(at), np.diff([*groups.start, space.rows])))
