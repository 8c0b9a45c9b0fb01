"""What of a corner's rows goes together when they are summed, put in an order in which sums are quick."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from mesotrope.core.inference.alike import together
from mesotrope.core.language.arrays import Floats, Ints


@dataclass(frozen=True, eq=False)
class Layers:
    """Members of groups in layers: first one of every group, the groups with most members ahead, then another of those
    that have two, and so on. So all groups are summed by adding what is under one another.

    order : the members, layer by layer; sizes : how many each layer has; place : where each group stands in a layer.
    """

    order: Ints
    sizes: tuple[int, ...]
    place: Ints

    @classmethod
    def of(cls, group: Ints) -> Layers:
        """group : of every member; none is without any.

        >>> layers = Layers.of(np.array([0, 1, 1, 2, 1, 2]))
        >>> layers.order.tolist(), layers.sizes, layers.place.tolist()
        ([1, 3, 0, 2, 5, 4], (3, 2, 1), [2, 0, 1])
        """
        by_group = np.argsort(group, kind="stable")
        sorted_group = group[by_group]
        layer = np.empty(len(group), dtype=int)
        layer[by_group] = np.arange(len(group)) - np.searchsorted(sorted_group, sorted_group)
        order = np.lexsort((group, -np.bincount(group)[group], layer))
        sizes = tuple(np.bincount(layer).tolist())
        return cls(order, sizes, np.argsort(group[order[: sizes[0]]]))

    def summed(self, arranged: Floats) -> Floats:
        """Sum of every group along the first axis. arranged : of every member, in `order`; it is written over.

        >>> layers = Layers.of(np.array([0, 1, 1, 2, 1, 2]))
        >>> layers.summed(np.array([1.0, 2, 3, 4, 5, 6]).take(layers.order)).tolist()
        [1.0, 10.0, 10.0]
        """
        at = self.sizes[0]
        first = arranged[:at]
        for size in self.sizes[1:]:
            first[:size] += arranged[at : at + size]
            at += size
        return first.take(self.place, axis=0)


@dataclass(frozen=True, eq=False)
class Groups:
    """Rows of one kind and one pattern of wear: what tells pads and findings of the vehicle alike; and, as *pairs*,
    groups of one set of visitors and one pattern.

    of_row : the group of each row; rows : the rows of each group; kind, pair : of each group; kinds : the groups of
    each kind; pattern : of each pair; of_variant : the pairs of every set of visitors.
    """

    of_row: Ints
    rows: Layers
    kind: Ints
    kinds: Layers
    pair: Ints
    pattern: Ints
    of_variant: tuple[slice, ...]

    @classmethod
    def of(cls, kind: Ints, pattern: Ints, variant: Ints) -> Groups:
        """kind, pattern, variant : of every row; a kind is of one variant, and every variant has rows."""
        (kinds, patterns), of_row = together([kind, pattern])
        of_kind = np.zeros(kind.max() + 1, dtype=int)
        of_kind[kind] = variant
        (variants, of_pair), pair = together([of_kind[kinds], patterns])
        of_variant = [slice(*np.searchsorted(variants, (n, n + 1)).tolist()) for n in range(variants[-1] + 1)]
        return cls(of_row, Layers.of(of_row), kinds, Layers.of(kinds), pair, of_pair, tuple(of_variant))
