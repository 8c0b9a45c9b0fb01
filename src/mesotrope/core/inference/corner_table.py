"""What was found at one corner, one finding after the other, as weights of its rows over what is hidden.

Hidden are, beside the faults: the corner's drag level and how long its faults have been there, summed out here; the
axle's normal wear, its driveline's drag and the vehicle's rust, which stand on points that other corners share.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
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
from mesotrope.core.language.arrays import Floats, Ints
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.quantity import Measure


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


@dataclass(frozen=True, eq=False)
class Cells:
    """Some pairs of a level of rust and a normal wear of an axle, each with every drag of the axle's grid.

    points : the numbers of their points, shape (drags, cells); wears : of each cell; of_rust : 1 where a cell is of a
    level of rust, shape (cells, levels of rust).
    """

    points: Ints
    wears: Ints
    of_rust: Floats

    @classmethod
    def of_grid(cls, points: Points, rusts: int, wears: int) -> Cells:
        """Every cell of a grid of points."""
        by_drag = np.arange(len(points.chance)).reshape(rusts, -1, wears).swapaxes(0, 1)
        numbers = by_drag.reshape(len(by_drag), -1)
        rust = points.rust[numbers[0]]
        return cls(numbers, points.wears[numbers[0]], np.eye(rusts)[rust])

    def only(self, some: Ints) -> Cells:
        return Cells(self.points[:, some], self.wears[some], self.of_rust[some])


class Told(NamedTuple):
    """What all the rest says of every kind of a corner at some cells, shape (drags, kinds, cells)."""

    said: Floats
    cells: Cells


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

    def _of_pads(self, measured: Sequence[Worn | Tapered]) -> Floats:
        """What was measured of the pads tells by level, age, wear and pattern of wear; what tells few patterns apart
        goes together first."""
        model, patterns = self.model, self.space.wear_patterns
        of_few: tuple[Floats, Ints] | None = None
        of_all = [_worn_pads(model, item.weighs, self.driven.new_mm) for item in measured if isinstance(item, Worn)]
        for item in measured:
            if isinstance(item, Tapered):
                density = taper_densities(self.knowledge, patterns, model, item)
                density /= density.max()
                which = patterns.tapers[item.direction][1]
                if of_few is not None:
                    both = of_few[0][..., None] * density[..., None, :]
                    which = of_few[1] * density.shape[3] + which
                    density = both.reshape(*density.shape[:3], -1)
                of_few = density, which
        if of_few:
            of_all.append(of_few[0].take(of_few[1], axis=3))
        return reduce(np.multiply, of_all)

    def tells(self, item: Graded) -> Floats:
        """How likely a graded finding is by level of rust and row."""
        return self.space.chances_by_rust(item.likelihood).likely(item.emission)

    def tells_by_level(self, item: Graded) -> Floats:
        """How likely a finding that heat leaves a mark on is by level of drag and row."""
        return self.space.likely_by_drag(item.likelihood, item.emission)

    def weighed(self, found: FoundAtCorner, wears: int) -> RowWeights:
        """What every row weighs at every point, by all that was found; wears : of the axle's grid."""
        worn = over_ages(self.model, self._of_pads(found.pads)) if found.pads else None
        level = found.drag * found.held[:, None]
        return RowWeights(self.space, self.space.at_prior(found.by_row), found.by_level, level, worn, wears)


@dataclass(frozen=True, eq=False)
class RowWeights:
    """What every row of a corner weighs at every point of its axle: its prior times how likely all that was found is,
    to a factor that is common to all. It is kept in the factors it is made of, so that rows never stand by points:
    those of one kind and pattern of wear go together first.

    of_rust : by level of rust and row; by_level : by level of the drag and row; level : by level and drag of the axle's
    grid; worn : by level, wear and pattern, None where no wear was measured; wears : of the axle's grid.
    """

    space: CornerSpace
    of_rust: Floats
    by_level: Floats
    level: Floats
    worn: Floats | None
    wears: int

    @cached_property
    def by_kind(self) -> Floats:
        """Weight of every kind at every point, shape (points, kinds)."""
        if self.worn is None:
            by_row = self.of_rust[:, None, :] * self.by_level  # (rusts, levels, rows)
            return self._at_points(np.add.reduceat(by_row, self.space.kind_start, axis=2)[:, :, None, :])
        return self._at_points(self._kinds_of_groups(self.worn)).take(self.space.groups.place, axis=1)

    def _kinds_of_groups(self, by_pattern: Floats) -> Floats:
        """Weight of every kind by rust, level and wear, in the order of the groups' first layer."""
        groups = self.space.groups
        of_rust, by_level = (weight.take(groups.rows, axis=1) for weight in (self.of_rust, self.by_level))
        by_group = np.add.reduceat(of_rust[:, None, :] * by_level, groups.start, axis=2)[:, :, None, :]
        out = np.empty((*by_group.shape[:2], by_pattern.shape[1], groups.layers[0]))
        for level in range(out.shape[1]):  # one after the other: each is small enough to stay near
            weight = by_group[:, level] * by_pattern[level].take(groups.pattern, axis=1)
            at = groups.layers[0]
            here = weight[..., :at]
            for width in groups.layers[1:]:
                here[..., :width] += weight[..., at : at + width]
                at += width
            out[:, level] = here
        return out

    def _at_points(self, here: Floats) -> Floats:
        """From rust, level and wear to the points, whose drags are the axle's; shape (points, kinds)."""
        rusts, levels, wears, kinds = here.shape
        told = (self.level.T @ here.reshape(rusts, levels, -1)).reshape(rusts, -1, wears, kinds)
        out = np.broadcast_to(told, (*told.shape[:2], self.wears, kinds)).reshape(-1, kinds)
        return np.asarray(out / out.max())

    def row_weights(self, told: Told) -> Floats:
        """Weight of every row with what all the rest says of it, shape (rows,)."""
        out = np.zeros((self.space.rows, len(self.of_rust)))
        for said, by_level in zip(self._said_by_level(told), self.by_level, strict=True):
            out += said * by_level[:, None]
        return np.asarray(np.einsum("nr,rn->n", out, self.of_rust))

    def said_of_rows(self, told: Told) -> Floats:
        """What all the rest, drag, warmth and wear say of every row, by level of the drag and of rust: shape (levels,
        rows, levels of rust)."""
        return np.array(list(self._said_by_level(told)))

    def _said_by_level(self, told: Told) -> Iterator[Floats]:
        """The same level by level: each is small enough to stay near."""
        space, (levels, drags), cells = self.space, self.level.shape, told.cells
        here = (self.level @ told.said.reshape(drags, -1)).reshape(levels, space.kinds, len(cells.wears))
        if self.worn is None:
            yield from (here @ cells.of_rust).take(space.kind_of_row, axis=1)
            return
        groups = space.groups
        for level, by_kind in enumerate(here):
            worn = np.ascontiguousarray(self.worn[level].take(cells.wears, axis=0).T)  # (patterns, cells)
            by_group = by_kind.take(groups.kind, axis=0)
            by_group *= worn.take(groups.pattern, axis=0)
            yield (by_group @ cells.of_rust).take(groups.of_row, axis=0)

    def at_moments(self, said_of_rows: Floats, moments: Sequence[FoundAtCorner]) -> Floats:
        """As `row_weights`, at several moments that tell the same by point, shape (moments, rows).

        said_of_rows : as of the method of that name.
        """
        out = np.empty((len(moments), self.space.rows))
        told = None
        for moment, weight in zip(moments, out, strict=True):
            if moment.by_level is not told:  # what leaves its mark by the drag: few findings do
                told = moment.by_level
                said = (said_of_rows * told[:, :, None]).sum(axis=0)
                seen = self.space.by_rust_seen @ (self.space.prior * said.T)
                unseen = seen.sum(axis=0)
            weight[:] = (moment.by_row * seen).sum(axis=0) if len(moment.by_row) > 1 else moment.by_row[0] * unseen
        return out

    def at(self, points: Points, rows: Ints | slice = slice(None)) -> Floats:
        """Weight of all rows, or some, at some points, shape (points, rows)."""
        by_level, worn = self.by_level[:, rows], self.worn
        if worn is None:
            out = self.level.T[points.drags] @ by_level
        else:
            patterns = self.space.wear_patterns.of_row[rows]
            out = np.empty((len(points.rust), by_level.shape[1]))
            for wear in np.unique(points.wears):
                here = np.flatnonzero(points.wears == wear)
                out[here] = self.level.T[points.drags[here]] @ (by_level * worn[:, wear].take(patterns, axis=1))
        return out * self.of_rust[:, rows][points.rust]


def _worn_pads(model: WearModel, measured: tuple[Measure | None, Measure | None, float], new_mm: float) -> Floats:
    """`wear_density`, the greatest 1."""

    def made() -> Floats:
        density = wear_density(model, *measured, new_mm)
        density /= density.max()
        density.flags.writeable = False
        return density

    return model.densities.of((measured, new_mm), made)


def fewest_that_carry(share: float, mass: Floats) -> Ints:
    """Places of the fewest that carry together a share of the mass, in their order.

    >>> fewest_that_carry(0.85, np.array([0.05, 0.6, 0.3, 0.04, 0.01])).tolist()
    [1, 2]
    """
    least_first = np.argsort(mass)
    left_out = int((np.cumsum(mass[least_first]) <= (1 - share) * mass.sum()).sum())
    return np.sort(least_first[left_out:])
