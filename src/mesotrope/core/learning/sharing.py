"""Expected counts where several causes speak to one finding: the worst of them is what was seen.

Source: noisy-OR and its graded form, [pearl]; expected counts, [dempster].
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from mesotrope.core.inference.worst import added_by
from mesotrope.core.language.arrays import Floats


def seen_of_one(row: Sequence[float], others: Floats, emission: Floats) -> Floats:
    """How likely each value is that one cause gave, together with what was seen: the worst of it and of the others.

    row : the cause's whole chances; others : the chance that all others are at most so bad; emission : how likely each
    value makes what was seen. Shapes (values,).

    >>> seen_of_one((0.5, 0.5), np.array([1.0, 1.0]), np.array([0.0, 1.0])).tolist()    # nothing else speaks
    [0.0, 0.5]
    >>> seen_of_one((0.5, 0.5), np.array([0.2, 1.0]), np.array([0.0, 1.0])).round(3).tolist()  # it may be the other's
    [0.4, 0.5]
    """
    own = np.array(row)
    only_others = np.diff(others, prepend=0.0) * emission  # the others are worse than what it gave
    worse = np.append(np.cumsum(only_others[::-1])[::-1][1:], 0.0)
    out: Floats = own * (others * emission + worse)
    return out


def beside_each(rows: Sequence[Sequence[float]], leak: Sequence[float]) -> list[Floats]:
    """For each of several causes, the chance that all the others are at most so bad; what happens anyway belongs to
    every cause's own row."""
    anyway = np.cumsum(leak)
    added = [added_by(np.cumsum(np.array(row))[None], anyway)[0] for row in rows]
    ones = np.ones(len(anyway))
    return [np.asarray(np.prod([ones, *added[:at], *added[at + 1 :]], axis=0)) for at in range(len(rows))]
