"""What faults do to a corner's pads while they act: the patterns of wear, once for all rows that have the same."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from mesotrope.core.language.arrays import Floats, Ints
from mesotrope.core.language.faults import Mechanism

#: No log of wear goes further than this, however many faults push it the same way.
FURTHEST = 0.8


@dataclass(frozen=True, eq=False)
class WearPatterns:
    """The distinct patterns, each figure of shape (patterns,), and which of them each row has.

    inner, outer : logarithm of that pad's braking wear while the faults act; split_sd : spread of inner against outer,
    as a share of what is worn meanwhile; inner_share : of the wear by drag, what the inner pad takes; drags : 1 where
    the pads take the drag's work; fore_aft, radial : spread of the taper, mm for each mm worn meanwhile; acts : 1 where
    there is any fault; from_new : 1 where it has been there since the pads were fitted.
    """

    inner: Floats
    outer: Floats
    split_sd: Floats
    inner_share: Floats
    drags: Floats
    fore_aft: Floats
    radial: Floats
    acts: Floats
    from_new: Floats
    of_row: Ints


def wear_patterns(rows: Sequence[Sequence[Mechanism]]) -> WearPatterns:
    """The patterns of the mechanisms that act in each row; the first is that of none."""
    table = np.array([_pattern(()), *(_pattern(mechanisms) for mechanisms in rows)]).round(6)
    _, first, which = np.unique(table, axis=0, return_index=True, return_inverse=True)
    names = [name for name in WearPatterns.__annotations__ if name != "of_row"]
    return WearPatterns(**dict(zip(names, table[first].T.copy(), strict=True)), of_row=which.reshape(-1)[1:])


def _pattern(mechanisms: Sequence[Mechanism]) -> tuple[float, ...]:
    wearing = [m for m in mechanisms if not m.spares_pads and m.drag]

    def together(name: str) -> float:
        return float(np.clip(sum(getattr(m, name) for m in mechanisms), -FURTHEST, FURTHEST))

    def widest(name: str) -> float:
        return max((float(getattr(m, name)) for m in mechanisms), default=0.0)

    return (
        together("inner"),
        together("outer"),
        widest("split_sd"),
        max((m.inner_share for m in wearing), key=lambda share: (abs(share - 0.5), share), default=0.5),
        float(bool(wearing)),
        widest("fore_aft"),
        widest("radial"),
        float(bool(mechanisms)),
        float(any(m.from_new for m in mechanisms)),
    )
