"""How much a chain's counts are worth to one workshop: as much as predicts its own cases best.

The expert's tables are the prior of the chain's, these of each workshop's; a workshop's own counts count in full, so
it goes its own way as it earns it. Source: empirical Bayes, the prior's weight chosen by prediction, [dawid].
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from mesotrope.core.learning.prequential import LAST, LEAST, Predicted

#: The whole of the chain's counts: what they are worth as long as nothing tells otherwise.
ALL = 1.0

#: The shares that are tried, from all to none.
WEIGHTS = (ALL, 0.3, 0.1, 0.0)


def weight_that_predicts_best(told: Sequence[Mapping[float, Predicted]]) -> float:
    """The share whose tables have the best log score over the last cases; of equal ones the greater.

    told : how each case was predicted with each share. Fewer than `LEAST` cases with all shares choose none.

    >>> def scored(*scores):
    ...     return {w: Predicted(s, None, ()) for w, s in zip(WEIGHTS, scores)}
    >>> weight_that_predicts_best([scored(-2, -1, -1.5, -3)] * LEAST)
    0.3
    >>> weight_that_predicts_best([scored(-2, -1, -1.5, -3)] * (LEAST - 1))
    1.0
    """
    shared = [one for one in told[-LAST:] if all(weight in one for weight in WEIGHTS)]
    if len(shared) < LEAST:
        return ALL
    return max(WEIGHTS, key=lambda weight: (round(sum(one[weight].log_score for one in shared), 6), weight))
