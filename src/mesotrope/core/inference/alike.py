"""What the rows of a corner show, told once for all rows that show the same: a few dozen cases of thousands of rows."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from mesotrope.core.language.arrays import Floats, Ints, Truths


class Alike(NamedTuple):
    """What every row shows of something.

    shows : chances of its values, shape (..., cases, values); case : of every row, shape (rows,).
    """

    shows: Floats
    case: Ints

    def of_rows(self, rows: Ints | slice = slice(None)) -> Floats:
        """What all rows, or some, show: shape (..., rows, values)."""
        return self.shows.take(self.case[rows], axis=-2)

    def likely(self, emission: Floats) -> Floats:
        """How likely every row makes what was found, shape (..., rows); emission : how likely each value makes it."""
        return likely(self.shows, emission).take(self.case, axis=-1)

    def summed(self, chances: Floats) -> Floats:
        """Chance of every case, shape (cases,); chances : of every row."""
        return np.asarray(np.bincount(self.case, chances, minlength=self.shows.shape[-2]), float)


def likely(chances: Floats, emission: Floats) -> Floats:
    """How likely a finding is in every case: chances of its values, last axis, weighed by what makes them likely.

    Of a word only one value counts.

    >>> likely(np.array([[0.7, 0.3], [0.2, 0.8]]), np.array([0.0, 1.0])).tolist()
    [0.3, 0.8]
    """
    (told,) = emission.nonzero()
    if len(told) == 1:
        alone: Floats = chances[..., told[0]]
        return alone if emission[told[0]] == 1 else alone * emission[told[0]]
    out: Floats = chances @ emission
    return out


def cases_of(holds: Truths) -> tuple[Floats, Ints]:
    """Rows that hold the same, together: 1 where a case holds a thing, shape (cases, things); and the case of every
    row.

    holds : whether a row holds a thing, shape (rows, things).

    >>> held, case = cases_of(np.array([[True, False], [False, False], [True, False]]))
    >>> held.tolist(), case.tolist()
    ([[0.0, 0.0], [1.0, 0.0]], [1, 0, 1])
    """
    if not holds.shape[1]:
        return np.zeros((1, 0)), np.zeros(len(holds), int)
    _, first, case = np.unique(np.packbits(holds, axis=1), axis=0, return_index=True, return_inverse=True)
    return holds[first].astype(float), case.reshape(-1)


def together(cases: Sequence[Ints]) -> tuple[list[Ints], Ints]:
    """Cases of several things taken together: which of each thing every case is, and the case of every row.

    cases : of every row, by thing.

    >>> (one, other), case = together([np.array([0, 1, 1]), np.array([2, 2, 2])])
    >>> one.tolist(), other.tolist(), case.tolist()
    ([0, 1], [2, 2], [0, 1, 1])
    """
    of_each, case = np.unique(np.array(cases), axis=1, return_inverse=True)
    return list(of_each), case.reshape(-1)
