"""What faults do to a corner's pads while they act: the patterns of wear, once for all rows that have the same."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from mesotrope.core.language.arrays import Floats, Ints
from mesotrope.core.language.faults import Mechanism

#: What tells patterns apart to a taper.
OF_TAPERS = ("from_new", "drags", "acts", "fore_aft", "radial")

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
    def alike_to_tapers(self) -> tuple[slice, ...]:
        """The patterns that no taper tells apart: they stand together."""
        figures = np.array([getattr(self, name) for name in OF_TAPERS])
        starts = np.flatnonzero(np.diff(figures, axis=1, prepend=np.nan).any(axis=0)).tolist()
        return tuple(map(slice, starts, [*starts[1:], len(self.inner)]))

    @cached_property
    def taper_case(self) -> Ints:
        """Which of these each pattern is among."""
        sizes = [some.stop - some.start for some in self.alike_to_tapers]
        return np.repeat(np.arange(len(sizes)), sizes)

    @cached_property
    def taper_first(self) -> Ints:
        """The first of each of these."""
        return np.array([some.start for some in self.alike_to_tapers])


def wear_patterns(membership: Floats, mechanisms: Sequence[Mechanism]) -> WearPatterns:
    """The patterns of rows, those that are alike to tapers together.

    membership : 1 where a mechanism acts in a row, shape (rows, mechanisms).
    """
    acting = np.vstack([np.zeros((1, len(mechanisms))), membership])

    def figure(name: str) -> Floats:
        return np.array([float(getattr(m, name)) for m in mechanisms])

    def together(name: str) -> Floats:
        return np.clip(acting @ figure(name), -FURTHEST, FURTHEST)

    def widest(name: str) -> Floats:
        return np.asarray((acting * figure(name)).max(axis=1, initial=0.0))

    wearing = np.array([float(m.rubs) for m in mechanisms])
    share = figure("inner_share")
    uneven = acting * wearing * (abs(share - 0.5) + 1e-6 * share + 1e-9)
    rubs = acting @ wearing > 0
    figures = {
        "from_new": acting @ figure("from_new") > 0,
        "drags": rubs,
        "acts": acting.sum(axis=1) > 0,
        "fore_aft": widest("fore_aft"),
        "radial": widest("radial"),
        "inner": together("inner"),
        "outer": together("outer"),
        "split_sd": widest("split_sd"),
        "inner_share": (
            np.where(rubs, share[uneven.argmax(axis=1)], 0.5) if len(mechanisms) else np.full(len(acting), 0.5)
        ),
    }
    names = sorted(figures, key=lambda name: name not in OF_TAPERS)  # sorted by what stands first
    table = np.column_stack([figures[name] for name in names]).round(6)
    _, first, which = np.unique(table, axis=0, return_index=True, return_inverse=True)
    return WearPatterns(**dict(zip(names, table[first].T.copy(), strict=True)), of_row=which.reshape(-1)[1:])
