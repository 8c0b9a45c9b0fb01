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
class Stack:
    """Groups with equally many members: what is multiplied and summed within each is one product of matrices for all.

    groups : which they are; members : those of the first group, then those of the next.
    """

    groups: Ints
    members: Ints

    def multiplied(self, one: Floats, other: Floats) -> Floats:
        """Products of two things of every member, summed within each group: shape (groups, x, y).

        one, other : of the members in their order, shapes (members, x) and (members, y).

        >>> stack = stacks_of(np.array([0, 1, 0, 1]))[0]
        >>> stack.multiplied(np.array([[2.0], [3.0], [5.0], [7.0]]), np.array([[1.0, 10]] * 4)).tolist()
        [[[5.0, 50.0]], [[12.0, 120.0]]]
        """
        if len(self.members) == len(self.groups):  # nothing to sum
            return np.asarray(np.einsum("gx,gy->gxy", one, other))
        left, right = (part.reshape(len(self.groups), -1, part.shape[1]) for part in (one, other))
        return np.asarray(np.matmul(left.swapaxes(1, 2), right))


def stacks_of(group: Ints) -> tuple[Stack, ...]:
    """Groups by how many members they have. group : of every member; none is without any.

    >>> [(stack.groups.tolist(), stack.members.tolist()) for stack in stacks_of(np.array([0, 1, 1, 2, 0]))]
    [([2], [3]), ([0, 1], [0, 4, 1, 2])]
    """
    sizes = np.bincount(group)
    by_group = np.argsort(group, kind="stable")
    stacks = []
    for size in np.unique(sizes):
        groups = np.flatnonzero(sizes == size)
        stacks.append(Stack(groups, by_group[np.isin(group[by_group], groups)]))
    return tuple(stacks)


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
