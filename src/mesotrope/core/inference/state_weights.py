"""What the states of a corner weigh at the points of its axle: all that the corner says to the rest of the vehicle."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from mesotrope.core.inference.corner_space import CornerSpace
from mesotrope.core.language.arrays import Floats, Ints

#: Up to so many terms are sooner multiplied state by state than kind by kind, for which states must be summed first:
#: measured.
FEW_TERMS = 16


@dataclass(frozen=True, eq=False)
class StateWeights:
    """Weight of every state of a corner at some points, to a factor that is common to all.

    by_state : shape (states, points).
    """

    space: CornerSpace
    by_state: Floats

    @cached_property
    def by_kind(self) -> Floats:
        """Weight of every kind: shape (kinds, points)."""
        return self.space.states_of_kind.summed(self.by_state)

    def at(self, points: Ints) -> StateWeights:
        """The same at some of its points."""
        return StateWeights(self.space, self.by_state[:, points])

    def by_variant(self, factor: Floats) -> Floats:
        """Weight of every set of visitors by point and term, shape (sets of visitors, points, terms).

        factor : by how much every kind multiplies each term, shape (kinds, terms).
        """
        if factor.shape[1] > FEW_TERMS:
            return np.array([self.by_kind[some].T @ factor[some] for some in self.space.kinds_of_variant])
        of_state = factor.take(self.space.kind_of_state, axis=0)
        return np.array([self.by_state[some].T @ of_state[some] for some in self.space.states_of_variant])
