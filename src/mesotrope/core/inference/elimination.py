"""Summing out everything that is hidden, corner by corner: exact, however many faults there are.

Given the vehicle's rust, what an axle shares and which faults of the system visit, corners are independent; the
findings of the whole vehicle are sums of products over corners (`whole_findings`). So each corner becomes one table by
point and term, the sides of an axle are multiplied and summed over the axle's points, the axles and the system
multiplied and summed over rust, visits and terms; and back the same way for what is believed of each corner.
Source: variable elimination, [pearl].
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np

from mesotrope.core.inference.corner_space import CornerSpace
from mesotrope.core.inference.corner_table import Points, Told
from mesotrope.core.inference.state_weights import StateWeights
from mesotrope.core.inference.vehicle_space import Space
from mesotrope.core.inference.whole_findings import Terms
from mesotrope.core.language.arrays import Floats, Truths
from mesotrope.core.language.corner import Axle, Corner


@dataclass(frozen=True, eq=False)
class Side:
    """One corner: what its states weigh at every point, and by how much every kind multiplies each term by each way,
    shape (kinds, ways x terms): a term counts once for every way in which the sides of the axle go together."""

    corner: Corner
    weight: StateWeights
    factor: Floats

    @property
    def space(self) -> CornerSpace:
        return self.weight.space

    @cached_property
    def by_variant(self) -> Floats:
        """Weight by set of visitors, point and term."""
        return self.weight.by_variant(self.factor)


class Said(NamedTuple):
    """What all the rest says of one side, by set of visitors: shape (sets of visitors, points, ways x terms)."""

    side: Side
    by_variant: Floats
    ways: int

    def by_kind(self) -> Floats:
        """The same of every kind, by point: shape (kinds, points)."""
        by_variant = zip(self.side.space.kinds_of_variant, self.by_variant, strict=True)
        return np.concatenate([self.side.factor[some] @ here.T for some, here in by_variant])

    def weight_of_kinds(self) -> Floats:
        """Weight of every kind, with all the rest: shape (kinds, ways, terms)."""
        by_variant = zip(self.side.space.kinds_of_variant, self.by_variant, strict=True)
        weights = [self.side.weight.by_kind[some] @ here for some, here in by_variant]
        by_way = np.concatenate(weights) * self.side.factor
        return by_way.reshape(len(by_way), self.ways, -1)

    def chances(self) -> Floats:
        """Chance of every state of the corner, shape (states,)."""
        by_variant = zip(self.side.space.states_of_variant, self.by_variant, strict=True)
        by_term = np.concatenate([self.side.weight.by_state[some] @ here for some, here in by_variant])
        by_state = np.einsum("st,st->s", by_term, self.side.factor.take(self.side.space.kind_of_state, axis=0))
        return np.asarray(np.clip(by_state, 0.0, None) / by_state.sum())

    def with_rows(self, can_be: Truths) -> Told:
        """The same as it is weighed with the rows, at the wears at which anything can be; terms that are alike at the
        side are taken together. This has all points of the axle's grid.

        can_be : where anything can be, shape (wears, levels of rust).
        """
        wears = np.flatnonzero(can_be.any(axis=1))
        said, (distinct, alike) = self.by_variant, _distinct(self.side.factor)
        by_factor = said @ np.eye(len(distinct))[alike] if len(distinct) < len(alike) else said
        grid = by_factor.reshape(len(said), can_be.shape[1], -1, len(can_be), len(distinct))
        by_wear = grid[:, :, :, wears].transpose(2, 0, 3, 1, 4)
        return Told(by_wear, self.side.factor.take(distinct, axis=1), wears, can_be[wears])


class AxleSum:
    """An axle with its points and sides: its weight by rust, visit and term, and what the rest says of each side.

    Visits that look alike on this axle are one *look*. What its sides share is summed out here, with the ways.
    """

    def __init__(self, space: Space, axle: Axle, points: Points, rusts: int, sides: Sequence[Side]) -> None:
        self.points, self.sides = points, sides
        self._ways = space.weight_of_ways(axle)  # (rusts, ways)
        self.looks = space.looks_at(tuple(side.corner for side in sides))
        self._of_rust = (np.arange(rusts)[:, None] == points.rust) * points.chance  # (rusts, points)
        self._tables = [side.by_variant for side in sides]

    def _by_look(self, side: int) -> Floats:
        """The weight of a side by look, point, way and term."""
        return self._tables[side][self.looks.variants[side]]

    @cached_property
    def _together(self) -> Floats:
        """The weight of both sides by look, point, way and term."""
        return self._by_look(0) * self._by_look(1) if len(self.sides) > 1 else self._by_look(0)

    @cached_property
    def weight(self) -> Floats:
        """Shape (levels of rust, visits, terms)."""
        by_way = np.matmul(self._of_rust, self._together)  # (looks, rusts, ways x terms)
        by_look = np.einsum("lrwt,rw->rlt", by_way.reshape(*by_way.shape[:2], self._ways.shape[1], -1), self._ways)
        return np.asarray(by_look[:, self.looks.of_visit])

    def at_points(self, message: Floats) -> Floats:
        """A message by rust, visit and term, at every point with its chance: shape (looks, points, ways x terms)."""
        by_look = np.matmul(self.looks.members, message)  # (rusts, looks, terms)
        by_way = np.einsum("rlt,rw->lrwt", by_look, self._ways).reshape(by_look.shape[1], len(by_look), -1)
        return np.asarray(by_way[:, self.points.rust] * self.points.chance[:, None])

    def mass(self, message: Floats) -> Floats:
        """What every point carries, given what the rest of the vehicle says."""
        out: Floats = np.einsum("lpt,lpt->p", self.at_points(message), self._together)
        return out

    def said(self, message: Floats) -> list[Said]:
        """What all the rest says of each side."""
        told = self.at_points(message)
        out = []
        for number, side in enumerate(self.sides):
            with_other = told * self._by_look(1 - number) if len(self.sides) > 1 else told
            by_variant = np.zeros((len(side.space.variants), *told.shape[1:]))
            for variant, said in zip(self.looks.variants[number], with_other, strict=True):
                by_variant[variant] += said
            out.append(Said(side, by_variant, self._ways.shape[1]))
        return out


@dataclass(frozen=True, eq=False)
class Vehicle:
    """The sums of the axles and the weight of the system, under one set of terms."""

    space: Space
    rust_chance: Floats
    terms: Terms
    system_weight: Floats
    axles: Mapping[Axle, AxleSum]

    @cached_property
    def by_set(self) -> Floats:
        """Weight of every set of faults of the system by term, its coefficient aside."""
        factor = np.exp(self.space.system_members @ self.terms.system.T)
        factor[:, self.terms.unhidden] *= (1 - self.space.system_hidden)[:, None]
        out: Floats = factor * self.system_weight[:, None]
        return out

    @cached_property
    def by_visit(self) -> Floats:
        """The same by visit, with the coefficients: shape (visits, terms)."""
        return np.asarray(self.space.visit_members @ self.by_set * self.terms.coefficient)

    @cached_property
    def around(self) -> dict[Axle, Floats]:
        """What rust, system and all other axles say of every axle: shape (levels of rust, visits, terms)."""
        return {name: self._around(name) for name in self.axles}

    def _around(self, axle: Axle) -> Floats:
        out: Floats = self.rust_chance[:, None, None] * self.by_visit
        for name, one in self.axles.items():
            if name != axle:
                out = out * one.weight
        return out

    @cached_property
    def said(self) -> dict[Corner, Said]:
        """What all the rest says of every corner."""
        return {said.side.corner: said for name, one in self.axles.items() for said in one.said(self.around[name])}

    @cached_property
    def of_axles(self) -> Floats:
        """What rust and all axles say of every visit, with the coefficients: shape (visits, terms)."""
        out: Floats = self.rust_chance[:, None, None] * self.terms.coefficient
        for one in self.axles.values():
            out = out * one.weight
        return np.asarray(out.sum(axis=0))

    @cached_property
    def sets(self) -> Floats:
        """Weight of every set of faults of the system by term."""
        out: Floats = self.by_set * self.of_axles[self.space.visit_of_set]
        return out


def _distinct(factor: Floats) -> tuple[list[int], list[int]]:
    """Those terms that multiply the kinds of a corner differently, and for every term which of them it is alike.

    >>> _distinct(np.array([[1.0, 0.5, 1.0], [0.2, 0.5, 0.2]]))
    ([0, 1], [0, 1, 0])
    """
    first: dict[bytes, int] = {}
    of_terms = [first.setdefault(one.tobytes(), term) for term, one in enumerate(factor.T.round(12))]
    distinct = list(first.values())
    return distinct, np.searchsorted(distinct, of_terms).tolist()
