"""What faults do to a corner's pads while they act: the patterns of wear, once for all rows that have the same."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

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

    @cached_property
    def tapers(self) -> dict[str, tuple[Ints, Ints]]:
        """By direction, the patterns that are alike to a taper: the first of each, and which of those each has."""
        lost = (self.from_new, self.drags, self.acts)
        out = {}
        for direction, added in (("fore_aft", self.fore_aft), ("radial", self.radial)):
            table = np.column_stack([added, *lost])
            _, first, which = np.unique(table, axis=0, return_index=True, return_inverse=True)
            out[direction] = first, which.reshape(-1)
        return out

    @cached_property
    def tapered(self) -> Ints:
        """The first patterns of both directions."""
        return np.unique(np.concatenate([first for first, _ in self.tapers.values()]))


def wear_patterns(membership: Floats, mechanisms: Sequence[Mechanism]) -> WearPatterns:
    """The patterns of rows; the first row of the patterns is that of a row in which nothing acts.

    membership : 1 where a mechanism acts in a row, shape (rows, mechanisms).
    """
    acting = np.vstack([np.zeros((1, len(mechanisms))), membership])

    def figure(name: str) -> Floats:
        return np.array([float(getattr(m, name)) for m in mechanisms])

    def together(name: str) -> Floats:
        return np.clip(acting @ figure(name), -FURTHEST, FURTHEST)

    def widest(name: str) -> Floats:
        return np.asarray((acting * figure(name)).max(axis=1, initial=0.0))

    wearing = np.array([float(bool(m.drag) and not m.spares_pads) for m in mechanisms])
    share = figure("inner_share")
    uneven = acting * wearing * (abs(share - 0.5) + 1e-6 * share + 1e-9)
    rubs = acting @ wearing > 0
    table = np.column_stack([
        together("inner"),
        together("outer"),
        widest("split_sd"),
        np.where(rubs, share[uneven.argmax(axis=1)], 0.5) if len(mechanisms) else np.full(len(acting), 0.5),
        rubs,
        widest("fore_aft"),
        widest("radial"),
        acting.sum(axis=1) > 0,
        acting @ figure("from_new") > 0,
    ]).round(6)  # fmt: skip
    _, first, which = np.unique(table, axis=0, return_index=True, return_inverse=True)
    names = [name for name in WearPatterns.__annotations__ if name != "of_row"]
    return WearPatterns(**dict(zip(names, table[first].T.copy(), strict=True)), of_row=which.reshape(-1)[1:])
