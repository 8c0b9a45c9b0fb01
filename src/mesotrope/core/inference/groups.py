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

    def summed(self, members: Floats) -> Floats:
        """Sum of every group along the first axis.

        >>> Layers.of(np.array([0, 1, 1, 2, 1, 2])).summed(np.array([1.0, 2, 3, 4, 5, 6])).tolist()
        [1.0, 10.0, 10.0]
        """
        arranged, at = members.take(self.order, axis=0), self.sizes[0]
        first = arranged[:at]
        for size in self.sizes[1:]:
            first[:size] += arranged[at : at + size]
            at += size
        return first.take(self.place, axis=0)


@dataclass(frozen=True, eq=False)
class Stacks:
    """Groups with equally many members side by side: what is multiplied and summed within each is one product of
    matrices for all groups of a size.

    order : the members, stack by stack, those of a group together; sizes : how many groups a stack has, and how many
    members each of them; place : where each group stands.
    """

    order: Ints
    sizes: tuple[tuple[int, int], ...]
    place: Ints

    @classmethod
    def of(cls, group: Ints) -> Stacks:
        """group : of every member; none is without any.

        >>> stacks = Stacks.of(np.array([0, 1, 1, 2, 0]))
        >>> stacks.order.tolist(), stacks.sizes, stacks.place.tolist()
        ([3, 0, 4, 1, 2], ((1, 1), (2, 2)), [1, 2, 0])
        """
        members = np.bincount(group)
        size, groups = np.unique(members, return_counts=True)
        order = np.lexsort((group, members[group]))
        return cls(
            order,
            tuple(zip(groups.tolist(), size.tolist(), strict=True)),
            np.argsort(np.argsort(members, kind="stable")),
        )

    def multiplied(self, one: Floats, other: Floats) -> Floats:
        """Products of two things of every member, summed within each group: shape (groups, x, y).

        one, other : in `order`, shapes (members, a, x) and (members, a, y); a is summed over too.

        >>> stacks = Stacks.of(np.array([0, 1, 1]))
        >>> stacks.multiplied(np.array([[[2.0]], [[3.0]], [[5.0]]]), np.array([[[1.0, 10]]] * 3)).tolist()
        [[[2.0, 20.0]], [[8.0, 80.0]]]
        """
        out = np.empty((len(self.place), one.shape[2], other.shape[2]))
        at = done = 0
        for groups, members in self.sizes:
            here = slice(at, at + groups * members)
            left, right = (part[here].reshape(groups, -1, part.shape[2]) for part in (one, other))
            np.matmul(left.swapaxes(1, 2), right, out=out[done : done + groups])
            at, done = here.stop, done + groups
        return out.take(self.place, axis=0)


@dataclass(frozen=True, eq=False)
class Groups:
    """Rows of one kind and one pattern of wear: what tells pads and findings of the vehicle alike; and, as *pairs*,
    groups of one set of visitors and one pattern.

    of_row : the group of each row; kind, pair : of each group; pattern : of each pair; of_variant : the pairs of every
    set of visitors.
    """

    of_row: Ints
    kind: Ints
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
        return cls(of_row, kinds, pair, of_pair, tuple(of_variant))
