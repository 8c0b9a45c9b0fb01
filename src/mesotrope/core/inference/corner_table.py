"""What was found at one corner, one finding after the other, as weights of its rows over what is hidden.

Hidden are, beside the faults: the corner's drag level and how long its faults have been there, summed out here; the
axle's normal wear, its driveline's drag and the vehicle's rust, which stand on points that other corners share.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property, reduce
from typing import NamedTuple

import numpy as np

from mesotrope.core.evidence.pieces import Evidence, Graded, Isolated, Tapered, Warm, Worn
from mesotrope.core.inference.corner_space import CornerSpace
from mesotrope.core.inference.densities import (
    Driven,
    WearModel,
    over_ages,
    taper_densities,
    warmth_density,
    wear_density,
    wear_model,
)
from mesotrope.core.inference.groups import Groups
from mesotrope.core.inference.state_weights import StateWeights
from mesotrope.core.language.arrays import UNCHECKED, Floats, Ints, Truths
from mesotrope.core.language.knowledge import Knowledge

#: Up to so many factors for each cell at which anything can be, with wear and without, rows are sooner weighed factor
#: by factor than kind by kind: measured.
FEW_WORN, FEW_UNWORN = 0.4, 2.0


@dataclass(frozen=True, eq=False)
class Points:
    """Points of what an axle shares: which level of rust, drag of the driveline and normal wear each is.

    `chance` is of the axle's own, the rust aside.
    """

    rust: Ints
    drags: Ints
    wears: Ints
    chance: Floats

    @classmethod
    def grid(cls, rusts: int, drag_chance: Floats, wear_chance: Floats) -> Points:
        """Every combination."""
        rust, drags, wears = (index.reshape(-1) for index in np.indices((rusts, len(drag_chance), len(wear_chance))))
        return cls(rust, drags, wears, drag_chance[drags] * wear_chance[wears])

    def only(self, some: Ints) -> Points:
        return Points(self.rust[some], self.drags[some], self.wears[some], self.chance[some])


class Told(NamedTuple):
    """What all the rest says of a corner at some normal wears of its axle.

    said : by drag of the axle's grid, set of visitors, wear, level of rust and factor; factors : by how much every kind
    multiplies each, shape (kinds, factors); wears : which of the axle's grid; can_be : where anything can be, shape
    (wears, levels of rust).
    """

    said: Floats
    factors: Floats
    wears: Ints
    can_be: Truths

    def only(self, wears: Ints) -> Told:
        """The same at some of its wears."""
        kept = np.isin(self.wears, wears)
        return Told(self.said[:, :, kept], self.factors, self.wears[kept], self.can_be[kept])


class PadsTold(NamedTuple):
    """What was measured of the pads tells, once for all patterns of wear that it tells alike: tapers tell few apart.

    by_case : by level, case and wear; case : of every pattern.
    """

    by_case: Floats
    case: Ints


class FoundAtCorner(NamedTuple):
    """What has been found at one corner up to a moment, as likelihoods.

    by_row : by level of rust seen (or one for all) and row; by_level : by level of the drag and row; pads : what was
    measured of their wear and tapers, which tells by so much that it is worked out where it is asked for; drag : by
    level and drag of the axle's grid; held : what a warm hub tells, and that it was isolated, by level.
    """

    by_row: Floats
    by_level: Floats
    pads: tuple[Worn | Tapered, ...]
    drag: Floats
    held: Floats


@dataclass(frozen=True, eq=False)
class CornerTable:
    """One corner: what a piece of evidence tells of its rows."""

    knowledge: Knowledge
    space: CornerSpace
    driven: Driven

    def nothing_found(self, drag: Floats) -> FoundAtCorner:
        by_row = np.ones((1, self.space.rows))
        return FoundAtCorner(by_row, self.space.drag_by_level, (), drag, np.ones(len(self.knowledge.drag.levels)))

    @property
    def model(self) -> WearModel:
        return wear_model(self.knowledge, self.space.wear_patterns, self.driven)

    def take(self, found: FoundAtCorner, item: Evidence) -> FoundAtCorner:
        """Take in one piece of evidence of this corner, but for drag: that is the axle's."""
        if isinstance(item, Worn | Tapered):
            return found._replace(pads=(*found.pads, item))
        if isinstance(item, Warm):
            warmth = warmth_density(self.knowledge, item)
            return found._replace(held=found.held * warmth / warmth.max())
        if isinstance(item, Isolated):
            return found._replace(held=found.held * np.array(self.knowledge.drag.isolated))
        assert isinstance(item, Graded)
        if item.likelihood.drag:
            return found._replace(by_level=found.by_level * self.tells_by_level(item))
        return found._replace(by_row=found.by_row * self.tells(item))

    def worn(self, pads: Sequence[Worn | Tapered]) -> PadsTold | None:
        """What was measured of the pads tells; None where nothing was."""
        if not pads:
            return None
        density, case = self._of_pads(pads)
        return PadsTold(over_ages(self.model, density).swapaxes(1, 2).copy(), case)

    def _of_pads(self, measured: Sequence[Worn | Tapered]) -> tuple[Floats, Ints]:
        """What was measured of the pads tells by level, onset and case, and the case of every pattern of wear; what
        tells few patterns apart goes together first."""
        model, patterns, new_mm = self.model, self.space.wear_patterns, self.driven.new_mm
        of_all = [wear_density(model, *item.weighs, new_mm) for item in measured if isinstance(item, Worn)]
        tapers = [item for item in measured if isinstance(item, Tapered)]
        of_few = [taper_densities(self.knowledge, patterns, model, item) for item in tapers]
        if not of_all:
            return reduce(np.multiply, of_few), patterns.taper_case
        density = reduce(np.multiply, of_all)
        if of_few:
            for some, tells in zip(patterns.alike_to_tapers, reduce(np.multiply, of_few).T, strict=True):
                density[..., some] *= tells.T[..., None]
        return density, np.arange(len(patterns.inner))

    def tells(self, item: Graded) -> Floats:
        """How likely a graded finding is by level of rust and row."""
        return self.space.chances_by_rust(item.likelihood).likely(item.emission)

    def tells_by_level(self, item: Graded) -> Floats:
        """How likely a finding that heat leaves a mark on is by level of drag and row."""
        return self.space.likely_by_drag(item.likelihood, item.emission)

    def weighed(self, found: FoundAtCorner, worn: PadsTold | None, wears: int) -> RowWeights:
        """What every row weighs at every point, by all that was found.

        worn : what was measured of the pads tells; wears : of the axle's grid.
        """
        level, of_rust = found.drag * found.held[:, None], self.space.at_prior(found.by_row)
        return RowWeights(self.space, of_rust / of_rust.max(), found.by_level, level / level.max(), worn, wears)


@dataclass(frozen=True, eq=False)
class RowWeights:
    """What every row of a corner weighs at every point of its axle: its prior times how likely all that was found is,
    to a factor that is common to all. It is kept in the factors it is made of, so that rows never stand by points,
    only states.

    of_rust : by level of rust and row; by_level : by level of the drag and row; level : by level and drag of the axle's
    grid; worn : None where nothing was measured of the pads; wears : of the axle's grid.
    """

    space: CornerSpace
    of_rust: Floats
    by_level: Floats
    level: Floats
    worn: PadsTold | None
    wears: int

    @property
    def groups(self) -> Groups:
        return self.space.groups_unworn if self.worn is None else self.space.groups

    @cached_property
    def states(self) -> StateWeights:
        """The same of states, at every point."""
        worn, patterns = self._worn.by_case, self._case_of_row
        rusts, (levels, drags), wears = len(self.of_rust), self.level.shape, worn.shape[2]
        out = np.empty((self.space.states, rusts, drags * wears))
        for stack in self.space.rows_of_state:  # one after the other: each is small enough to stay near
            found = worn.take(patterns[stack.members], axis=1)
            found *= self.by_level.take(stack.members, axis=1)[:, :, None]
            by_drag = (self.level.T @ found.reshape(levels, -1)).reshape(drags, -1, wears).swapaxes(0, 1)
            of_rust = self.of_rust.T.take(stack.members, axis=0)
            out[stack.groups] = stack.multiplied(of_rust, by_drag.reshape(len(of_rust), -1))
        by_wear = out.reshape(-1, rusts, drags, wears)
        by_point = np.broadcast_to(by_wear, (*by_wear.shape[:3], self.wears))
        return StateWeights(self.space, by_point.reshape(self.space.states, -1))

    @property
    def _case_of_row(self) -> Ints:
        """The case of every row."""
        return self._worn.case.take(self.space.wear_patterns.of_row)

    @property
    def _worn(self) -> PadsTold:
        """What was measured of the pads tells; where nothing was, one case and one wear stand for all."""
        if self.worn is not None:
            return self.worn
        return PadsTold(np.ones((len(self.level), 1, 1)), np.zeros(len(self.space.wear_patterns.inner), int))

    def row_weights(self, told: Told) -> Floats:
        """Weight of every row with what all the rest says of it, shape (rows,)."""
        said = _over_levels(self.said_of_rows(told), self.by_level)
        return np.asarray(np.einsum("nr,rn->n", said, self.of_rust))

    def said_of_rows(self, told: Told) -> Floats:
        """What all the rest, drag, warmth and wear say of every row, by level of rust and of the drag: shape (rows,
        levels of rust, levels)."""
        if self.worn is None:
            said, can_be = told.said.sum(axis=2, keepdims=True), np.array([told.can_be.any(axis=0)])
            told = Told(said, told.factors, np.zeros(1, dtype=int), can_be)
        few = told.factors.shape[1] <= told.can_be.sum() * (FEW_UNWORN if self.worn is None else FEW_WORN)
        by_group = self._said_by_factor(told) if few else self._said_by_kind(told)
        return by_group.take(self.groups.of_row, axis=0)

    def _said_by_factor(self, told: Told) -> Floats:
        """What all the rest says of every group, shape (groups, levels of rust, levels): as many sums as factors."""
        groups, levels, (drags, variants, wears, rusts, factors) = self.groups, len(self.level), told.said.shape
        said = (self.level @ told.said.reshape(drags, -1)).reshape(levels, variants, wears, -1)
        worn, case = self._worn.by_case, self._worn.case.take(groups.pattern)
        worn = worn.take(told.wears, axis=2, mode=UNCHECKED).take(case, axis=1)
        by_pair = np.empty((levels, len(groups.pattern), rusts * factors))
        for variant, some in enumerate(groups.of_variant):
            np.matmul(worn[:, some], said[:, variant], out=by_pair[:, some])
        by_factor = by_pair.reshape(levels, -1, rusts, factors).transpose(3, 1, 2, 0).copy()
        out = np.zeros((len(groups.kind), rusts, levels))
        for of_pair, factor in zip(by_factor, told.factors.T.take(groups.kind, axis=1), strict=True):
            of_group = of_pair.take(groups.pair, axis=0)
            of_group *= factor[:, None, None]
            out += of_group
        return out

    def _said_by_kind(self, told: Told) -> Floats:
        """The same where there are many factors: from what is said of every kind wherever anything can be."""
        groups, (worn, case), drags = self.groups, self._worn, len(told.said)
        wear, rust = told.can_be.nonzero()
        said = told.said[:, :, wear, rust].swapaxes(2, 3)  # (drags, sets of visitors, factors, cells)
        kinds = enumerate(self.space.kinds_of_variant)
        by_kind = np.concatenate([told.factors[some] @ said[:, variant] for variant, some in kinds], axis=1)
        by_kind = by_kind.reshape(drags, -1)
        case, of_rust = case[groups.pattern[groups.pair]], np.eye(told.can_be.shape[1])[rust]
        at, out = told.wears[wear], np.empty((len(groups.kind), of_rust.shape[1], len(self.level)))
        for level, by_drag in enumerate(self.level):  # one after the other: each is small enough to stay near
            by_group = (by_drag @ by_kind).reshape(-1, len(wear)).take(groups.kind, axis=0)
            by_group *= worn[level].take(at, axis=1, mode=UNCHECKED).take(case, axis=0)
            out[:, :, level] = by_group @ of_rust
        return out

    def at_moments(self, said_of_rows: Floats, moments: Sequence[FoundAtCorner]) -> Floats:
        """As `row_weights`, at several moments that tell the same by point, shape (moments, rows).

        said_of_rows : as of the method of that name.
        """
        out = np.empty((len(moments), self.space.rows))
        told = None
        for moment, weight in zip(moments, out, strict=True):
            if moment.by_level is not told:  # what leaves its mark by the drag: few findings do
                told = moment.by_level
                said = _over_levels(said_of_rows, told)
                seen = self.space.by_rust_seen @ (self.space.prior * said.T)
                unseen = seen.sum(axis=0)
            weight[:] = (moment.by_row * seen).sum(axis=0) if len(moment.by_row) > 1 else moment.by_row[0] * unseen
        return out

    def at(self, points: Points, rows: Ints) -> Floats:
        """Weight of some rows at some points, shape (points, rows)."""
        by_level = self.by_level[:, rows]
        if self.worn is None:
            out = self.level.T[points.drags] @ by_level
        else:
            worn, case = self.worn.by_case, self._case_of_row[rows]
            out = np.empty((len(points.rust), by_level.shape[1]))
            for wear in np.unique(points.wears):
                here = np.flatnonzero(points.wears == wear)
                out[here] = self.level.T[points.drags[here]] @ (by_level * worn[:, :, wear].take(case, axis=1))
        return out * self.of_rust[:, rows][points.rust]


def _over_levels(said: Floats, by_level: Floats) -> Floats:
    """What is said of rows, shape (rows, levels of rust, levels), by what is known of the level of their drag, shape
    (levels, rows): shape (rows, levels of rust)."""
    return np.asarray(np.einsum("nrl,nl->nr", said, np.ascontiguousarray(by_level.T)))


def fewest_that_carry(share: float, mass: Floats) -> Ints:
    """Places of the fewest that carry together a share of the mass, in their order.

    >>> fewest_that_carry(0.85, np.array([0.05, 0.6, 0.3, 0.04, 0.01])).tolist()
    [1, 2]
    """
    least_first = np.argsort(mass)
    left_out = int((np.cumsum(mass[least_first]) <= (1 - share) * mass.sum()).sum())
    return np.sort(least_first[left_out:])
