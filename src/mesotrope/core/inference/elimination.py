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

import numpy as np

from mesotrope.core.inference.corner_table import Points
from mesotrope.core.inference.vehicle_space import Space
from mesotrope.core.inference.whole_findings import Terms
from mesotrope.core.language.arrays import Floats
from mesotrope.core.language.corner import Axle, Corner


@dataclass(frozen=True, eq=False)
class Side:
    """One corner: the weight of its kinds at every point, shape (points, kinds); by how much each multiplies each term,
    shape (kinds, terms); and where the kinds of every set of visitors stand."""

    corner: Corner
    weight: Floats
    factor: Floats
    of_variant: tuple[slice, ...]

    def by_variant(self) -> Floats:
        """Weight by set of visitors, point and term."""
        return np.array([self.weight[:, some] @ self.factor[some] for some in self.of_variant])


class AxleSum:
    """An axle with its points and sides: its weight by rust, visit and term, and what the rest says of each side."""

    def __init__(self, space: Space, points: Points, rusts: int, sides: Sequence[Side]) -> None:
        self.space, self.points, self.sides = space, points, sides
        self._of_rust = (np.arange(rusts)[:, None] == points.rust) * points.chance  # (rusts, points)
        self._tables = [side.by_variant() for side in sides]

    @cached_property
    def _pairs(self) -> dict[tuple[int, ...], list[int]]:
        """The visits that look alike on this axle."""
        variants = [self.space.variant_of(side.corner).tolist() for side in self.sides]
        out: dict[tuple[int, ...], list[int]] = {}
        for visit, pair in enumerate(zip(*variants, strict=True)):
            out.setdefault(pair, []).append(visit)
        return out

    def _together(self, pair: tuple[int, ...]) -> Floats:
        """The weight of both sides by point and term, for visits that look so on this axle."""
        first, *second = (table[variant] for table, variant in zip(self._tables, pair, strict=True))
        return np.asarray(first * second[0]) if second else first

    @cached_property
    def weight(self) -> Floats:
        """Shape (levels of rust, visits, terms)."""
        terms = self._tables[0].shape[-1]
        out = np.empty((len(self._of_rust), len(self.space.visits), terms))
        for pair, visits in self._pairs.items():
            out[:, visits] = (self._of_rust @ self._together(pair))[:, None, :]
        return out

    def at_points(self, message: Floats) -> dict[tuple[int, ...], Floats]:
        """A message by rust, visit and term, at every point with its chance, by how the visits look on this axle."""
        return {
            pair: self.points.chance[:, None] * message[:, visits].sum(axis=1)[self.points.rust]
            for pair, visits in self._pairs.items()
        }

    def mass(self, message: Floats) -> Floats:
        """What every point carries, given what the rest of the vehicle says."""
        out = np.zeros(len(self.points.chance))
        for pair, said in self.at_points(message).items():
            out += (said * self._together(pair)).sum(axis=1)
        return out

    def _said(self, message: Floats) -> list[list[Floats]]:
        """What all the rest says of each side, by its visitors: each of shape (points, terms)."""
        at_points = self.at_points(message)
        out = []
        for number, side in enumerate(self.sides):
            by_variant = [np.zeros((len(self.points.chance), side.factor.shape[1])) for _ in side.of_variant]
            for pair, told in at_points.items():
                other = self._tables[1 - number][pair[1 - number]] if len(pair) > 1 else 1.0
                by_variant[pair[number]] += told * other
            out.append(by_variant)
        return out

    def back(self, message: Floats) -> dict[Corner, Floats]:
        """What all the rest says of every kind of each side, by point: shape (points, kinds)."""
        out = {}
        for side, said in zip(self.sides, self._said(message), strict=True):
            told = [here @ side.factor[some].T for some, here in zip(side.of_variant, said, strict=True)]
            out[side.corner] = np.concatenate(told, axis=1)
        return out

    def by_kind_and_term(self, message: Floats) -> dict[Corner, Floats]:
        """Weight of every kind of each side by term, with all the rest: shape (kinds, terms)."""
        out = {}
        for side, said in zip(self.sides, self._said(message), strict=True):
            weights = [
                (side.weight[:, some].T @ here) * side.factor[some]
                for some, here in zip(side.of_variant, said, strict=True)
            ]
            out[side.corner] = np.concatenate(weights)
        return out


@dataclass(frozen=True, eq=False)
class Vehicle:
    """The axles' weights and the system's, under one set of terms."""

    space: Space
    rust_chance: Floats
    terms: Terms
    system_weight: Floats
    axles: Mapping[Axle, Floats]

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
        out = np.zeros((len(self.space.visits), len(self.terms.coefficient)))
        np.add.at(out, self.space.visit_of_set, self.by_set)
        return out * self.terms.coefficient

    def around(self, axle: Axle) -> Floats:
        """What rust, system and all other axles say: shape (levels of rust, visits, terms)."""
        out: Floats = self.rust_chance[:, None, None] * self.by_visit
        for name, weight in self.axles.items():
            if name != axle:
                out = out * weight
        return out

    @cached_property
    def of_axles(self) -> Floats:
        """What rust and all axles say of every visit, with the coefficients: shape (visits, terms)."""
        out: Floats = self.rust_chance[:, None, None] * self.terms.coefficient
        for weight in self.axles.values():
            out = out * weight
        return np.asarray(out.sum(axis=0))

    @cached_property
    def sets(self) -> Floats:
        """Weight of every set of faults of the system by term."""
        out: Floats = self.by_set * self.of_axles[self.space.visit_of_set]
        return out
