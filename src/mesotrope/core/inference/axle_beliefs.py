"""What is believed of every axle as a whole: which faults its two corners have together."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from mesotrope.core.inference.elimination import Side
from mesotrope.core.inference.posterior import Posterior, Suspect
from mesotrope.core.language.arrays import Floats, Ints
from mesotrope.core.language.corner import Axle

#: States of a corner rarer than this are left out of what is believed of an axle as a whole.
RARE = 3e-5


class AxleBeliefs(NamedTuple):
    """What is believed of an axle: for each of its corners the suspects, the last that it has no fault; which of them
    each state of it has, shape (states, suspects); and the chance of every pair of states, or of those of one corner.
    """

    suspects: Sequence[Sequence[Suspect]]
    members: Sequence[Floats]
    chances: Floats


def beliefs_of(posterior: Posterior) -> dict[Axle, AxleBeliefs]:
    """What is believed of every axle that is diagnosed, over the points that matter; states rarer than `RARE` at
    either side are left out."""
    return {name: _axle_beliefs(posterior, name) for name in posterior.axles}


def _axle_beliefs(posterior: Posterior, name: Axle) -> AxleBeliefs:
    one, corners = posterior.as_it_matters.axles[name], posterior.axles[name].corners
    spaces = [posterior.space.corners[corner] for corner in corners]
    kept = [np.flatnonzero(posterior.state_chances(corner) >= RARE) for corner in corners]
    members = [space.state_members[some] for space, some in zip(spaces, kept, strict=True)]
    if len(corners) == 1:
        chances = posterior.state_chances(corners[0])[kept[0]]
        return AxleBeliefs([posterior.names_at(corners[0])], members, chances / chances.sum())
    joint = np.zeros((len(kept[0]), len(kept[1])))
    pairs_of_variants = zip(*one.looks.variants, strict=True)
    for pair, told in zip(pairs_of_variants, one.at_points(posterior.vehicle.around[name]), strict=True):
        here = [
            np.flatnonzero(space.state_variant[some] == variant)
            for space, some, variant in zip(spaces, kept, pair, strict=True)
        ]
        if all(map(len, here)):
            left, right = (_by_state(side, kept[n][here[n]]) for n, side in enumerate(one.sides))
            both = (told[:, :, None] * left).reshape(-1, len(here[0])).T @ right.reshape(-1, len(here[1]))
            joint[np.ix_(*here)] = both
    joint = np.clip(joint, 0.0, None)
    return AxleBeliefs(list(map(posterior.names_at, corners)), members, joint / joint.sum())


def _by_state(side: Side, states: Ints) -> Floats:
    """Weight of some states of a corner by point and term, shape (points, terms, states)."""
    by_state = side.weight.by_state[states].T
    return by_state[:, None, :] * side.factor[side.space.kind_of_state[states]].T[None]
