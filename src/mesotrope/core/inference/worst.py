"""The worst that several independent causes give (noisy-MAX): what each adds to what happens anyway."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from mesotrope.core.language.arrays import Floats


def worst_of(tables: Sequence[Sequence[float]], leak: Sequence[float]) -> Floats:
    """Chances of the worst of several independent causes (noisy-MAX) beside a leak.

    tables : one row for each cause: the whole chances of the finding's values, from normal to worst, where that cause
    is there alone. What it adds to the leak is worked out of them, so that a row says what it says.
    Source: noisy-OR and its graded form, [pearl].

    >>> worst_of([(0.1, 0.9)], (0.5, 0.5)).round(3).tolist()
    [0.1, 0.9]
    >>> worst_of([(0.1, 0.9), (0.4, 0.6)], (0.5, 0.5)).round(3).tolist()
    [0.08, 0.92]
    """
    at_most = np.cumsum(leak)
    for added in (
        added_by(np.cumsum(np.array(tables).reshape(len(tables), -1), axis=1), np.cumsum(leak)) if tables else ()
    ):
        at_most = at_most * added
    at_most[-1] = 1.0
    return np.diff(at_most, prepend=0.0)


def added_by(whole: Floats, beside: Floats) -> Floats:
    """What causes add to what happens anyway: "at most this bad" of the whole over that of the rest, never above 1.

    whole : cumulated chances where the cause is there alone, shape (causes, values); beside : of what happens anyway.

    >>> added_by(np.array([[0.1, 1.0], [0.9, 1.0]]), np.array([0.5, 1.0])).tolist()
    [[0.2, 1.0], [1.0, 1.0]]
    """
    out: Floats = np.minimum.accumulate(np.minimum(whole / beside, 1.0)[:, ::-1], axis=1)[:, ::-1]
    out[:, -1] = 1.0
    return out
