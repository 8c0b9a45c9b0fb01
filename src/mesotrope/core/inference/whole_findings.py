"""What findings of the whole vehicle tell, as sums of terms whose every term is a product over the causes.

The worst that any cause gives is at most v with the product of each cause's chance to give at most v: F(v). A finding
is then a sum of such products with signs, F(v) − F(v−1) for a word, and several findings together are the products of
their terms. Every term can be taken corner by corner, so nothing limits how many faults there are. A pull to one side
is made of "not to the left" and "not to the right" in the same way. Sources: noisy-OR, [pearl]; [shwe].
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property, reduce

import numpy as np

from mesotrope.core.evidence.pieces import Graded
from mesotrope.core.inference.corner_space import CornerSpace
from mesotrope.core.inference.worst import added_by
from mesotrope.core.language.arrays import Floats
from mesotrope.core.language.corner import Corner
from mesotrope.core.language.faults import Fault, Likelihood


@dataclass(frozen=True, eq=False)
class Terms:
    """Terms of a sum: a coefficient each, and for every cause the logarithm of the factor by which it multiplies.

    coefficient : shape (terms,); corners : by corner, shape (terms, faults that speak); system : shape (terms, faults);
    unhidden : True where a term stands only for vehicles without any hidden fault.
    """

    coefficient: Floats
    corners: Mapping[Corner, Floats]
    system: Floats
    unhidden: np.ndarray

    def times(self, other: Terms) -> Terms:
        """The products of two sums, the terms of the other running fastest."""

        def added(a: Floats, b: Floats) -> Floats:
            return (a[:, None, :] + b[None, :, :]).reshape(len(a) * len(b), a.shape[1])

        return Terms(
            np.outer(self.coefficient, other.coefficient).reshape(-1),
            {corner: added(logs, other.corners[corner]) for corner, logs in self.corners.items()},
            added(self.system, other.system),
            np.logical_or.outer(self.unhidden, other.unhidden).reshape(-1),
        )

    def of_corners(self, spaces: Mapping[Corner, CornerSpace]) -> dict[Corner, Floats]:
        """By how much each kind of every corner multiplies each term, shape (kinds, terms)."""
        out = {}
        for corner, space in spaces.items():
            out[corner] = np.exp(space.kind_faults @ self.corners[corner].T)
            out[corner][:, self.unhidden] *= (1 - space.kind_hidden)[:, None]
        return out


@dataclass(frozen=True, eq=False)
class Elementary:
    """The elementary terms of one finding, and what each counts for in the chance of each value: (terms, values)."""

    terms: Terms
    counts: Floats

    @cached_property
    def alone(self) -> Floats:
        """What the terms come to where there is no cause, and with every single cause: shape (causes + 1, terms)."""
        logs = np.hstack([self.terms.system, *self.terms.corners.values()]).T
        return np.asarray(self.terms.coefficient * np.exp(np.vstack([np.zeros((1, logs.shape[1])), logs])))

    def seen(self, emission: Floats) -> Terms:
        """The terms of what was seen; those that cancel are left out."""
        weight = self.counts @ emission
        used = np.flatnonzero(weight)
        terms = self.terms
        return Terms(
            terms.coefficient[used] * weight[used],
            {corner: logs[used] for corner, logs in terms.corners.items()},
            terms.system[used],
            terms.unhidden[used],
        )


def elementary(likelihood: Likelihood, corners: Mapping[Corner, CornerSpace], system: Sequence[Fault]) -> Elementary:
    """The elementary terms of a finding of the whole vehicle."""
    return _sided(likelihood, corners, system) if likelihood.sided else _worst(likelihood, corners, system)


def _worst(likelihood: Likelihood, corners: Mapping[Corner, CornerSpace], system: Sequence[Fault]) -> Elementary:
    beside = np.cumsum(likelihood.leak or likelihood.healthy)
    beside[-1] = 1.0

    def logs(faults: Sequence[str], axle: str = "") -> Floats:
        out = np.zeros((len(beside), len(faults)))
        for column, fault in enumerate(faults):
            if row := likelihood.row_at(fault, axle):
                out[:, column] = np.log(added_by(np.cumsum(row)[None], beside)[0])
        return out

    values = len(beside)
    counts = np.eye(values) - np.eye(values, k=1)
    return Elementary(
        Terms(
            beside,
            {corner: logs(space.spoken, corner.axle) for corner, space in corners.items()},
            logs([fault.id for fault in system]),
            np.zeros(values, dtype=bool),
        ),
        counts,
    )


#: Of "neither, not left, not right, anything", what makes none, left and right; both at once are either, evenly.
_OF_SIDES = np.array([[1.0, -0.5, -0.5], [0.0, -0.5, 0.5], [0.0, 0.5, -0.5], [0.0, 0.5, 0.5]])


def _sided(likelihood: Likelihood, corners: Mapping[Corner, CornerSpace], system: Sequence[Fault]) -> Elementary:
    _, left, right = likelihood.healthy
    by_corner = {}
    for corner, space in corners.items():
        logs = np.zeros((4, len(space.spoken)))
        for column, fault in enumerate(space.spoken):
            row = likelihood.row_at(fault, corner.axle)
            if row is None or not corner.side:
                continue
            share = 1.0 if corner.axle == "front" else likelihood.rear_share
            away, toward = np.log(1 - share * np.array(row))
            not_left, not_right = (toward, away) if corner.side == "left" else (away, toward)
            logs[:, column] = not_left + not_right, not_left, not_right, 0.0
        by_corner[corner] = logs
    coefficient = np.array([(1 - left) * (1 - right), 1 - left, 1 - right, 1.0])
    return Elementary(Terms(coefficient, by_corner, np.zeros((4, len(system))), np.zeros(4, dtype=bool)), _OF_SIDES)


def come_in(corners: Mapping[Corner, CornerSpace], system: Sequence[Fault], share: float) -> Terms:
    """Who comes through the door: every vehicle with a hidden fault, and of those without any a share."""
    nothing = {corner: np.zeros((2, len(space.spoken))) for corner, space in corners.items()}
    return Terms(np.array([1.0, share - 1.0]), nothing, np.zeros((2, len(system))), np.array([False, True]))


def seen_together(start: Terms, items: Sequence[tuple[Elementary, Graded]]) -> Terms:
    """The terms of several findings that were made, beside those to start from."""
    return reduce(lambda terms, item: terms.times(item[0].seen(item[1].emission)), items, start)


def values_of(elements: Sequence[Elementary], start: Terms) -> tuple[Terms, Floats]:
    """The terms of findings not made yet, all their values together, and what each counts for in each value.

    Counts have shape (terms of the findings, values): the terms of `start` are to be added up first.
    """
    terms = start
    counts: Floats = np.ones((1, 1))
    for element in elements:
        terms = terms.times(element.terms)
        counts = np.asarray(np.kron(counts, element.counts))
    return terms, counts
