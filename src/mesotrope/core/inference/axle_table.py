"""How likely what was found at the corners of an axle is, by the states of its corners, one finding after the other.

Three hidden things tie the findings of an axle together: each corner's drag level, the axle's normal wear and its
driveline's drag. The level is summed out at the corner; the other two stand on a grid and are summed out over the axle.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np

from mesotrope.core.evidence.pieces import Dragging, Evidence, Graded, Tapered, Warm, Worn
from mesotrope.core.evidence.specification import Specification
from mesotrope.core.inference.corner_space import CornerSpace
from mesotrope.core.inference.densities import axle_grid, drag_density, taper_density, warmth_density, worn_by_row
from mesotrope.core.inference.vehicle_space import Space
from mesotrope.core.language.arrays import Floats, Ints
from mesotrope.core.language.corner import Axle, Corner
from mesotrope.core.language.inspection import STAGES
from mesotrope.core.language.knowledge import Knowledge

#: How many numbers are worked on at once: what stays near the processor.
NUMBERS_AT_ONCE = 250_000

#: How much of the chances may go missing with the drags, and as much with the wears, that a story leaves out.
LEFT_OUT = 1e-4


class FoundAtCorner(NamedTuple):
    """What has been found at one corner up to a moment, as likelihoods.

    by_row : by row, shape (rows,); by_level : by level of the drag and row, times the row's share among its state's
    mechanisms, shape (levels, rows); worn : shape (levels, wears, rows), None until wear is measured; drag : density of
    the measured drag, shape (levels, drags of the grid), and warmth that of the hub's temperature, shape (levels, 1).
    """

    by_row: Floats
    by_level: Floats
    worn: Floats | None
    drag: Floats
    warmth: Floats


#: What has been found at each corner of an axle up to a moment.
Moment = tuple[FoundAtCorner, ...]


@dataclass(frozen=True)
class Points:
    """The points of an axle's grid that are looked at: some drags, each with some wears; with their chances."""

    drags: Ints | slice
    wears: Ints | slice
    drag_chance: Floats
    wear_chance: Floats

    @property
    def chance(self) -> Floats:
        """Chance of every point, the wears of the first drag first."""
        return np.outer(self.drag_chance, self.wear_chance).reshape(-1)

    @property
    def before_wear(self) -> Points:
        """The same drags, while wear is not measured and tells nothing."""
        return replace(self, wear_chance=np.ones(1))

    def only(self, drags: Ints, wears: Ints) -> Points:
        """Some of all the points."""
        return Points(drags, wears, self.drag_chance[drags], self.wear_chance[wears])


@dataclass(frozen=True, eq=False)
class CornerTable:
    """One corner: what a piece of evidence tells of its rows, and what all of them tell of its states."""

    knowledge: Knowledge
    space: CornerSpace
    new_mm: float

    def take(self, found: FoundAtCorner, item: Evidence) -> FoundAtCorner:
        """Take in one piece of evidence of this corner, but for drag: that is the axle's."""
        if isinstance(item, Worn):
            return found._replace(worn=worn_by_row(self.space, item, self.new_mm))
        if isinstance(item, Tapered):
            return found._replace(by_row=found.by_row * taper_density(self.space, item))
        if isinstance(item, Warm):
            density = warmth_density(self.knowledge, item)
            return found._replace(warmth=found.warmth * (density / density.max())[:, None])
        assert isinstance(item, Graded)
        if item.likelihood.drag:
            marks = likely(self.space.chances_by_drag(item.likelihood), item.emission)
            return found._replace(by_level=found.by_level * marks)
        return found._replace(by_row=found.by_row * likely(self.space.chances(item.likelihood), item.emission))

    def states(self, moments: Sequence[FoundAtCorner], points: Points, numbers: type[np.floating[Any]]) -> Floats:
        """Likelihood of each state with each point of the grid, at several moments, each to a common factor.

        Shape (moments, points, states). Wear is measured at all of the moments or at none.
        """
        level = np.array([(found.drag[:, points.drags] * found.warmth).T for found in moments], numbers)
        measured = moments[-1].worn
        worn = None if measured is None else measured[:, points.wears].astype(numbers, copy=False)
        wears = 1 if worn is None else worn.shape[1]
        out = np.empty((*level.shape[:2], wears * self.space.states), numbers)
        at_once = max(1, NUMBERS_AT_ONCE // (level.shape[2] * wears * self.space.states))
        for first in range(0, len(moments), at_once):
            run = slice(first, first + at_once)
            by_row = np.array([found.by_row / found.by_row.max() for found in moments[run]], numbers)
            by_level = np.array([found.by_level for found in moments[run]], numbers) * by_row[:, None, :]
            states = self.space.add_up(by_level) if worn is None else self.space.add_up_with_wear(by_level, worn)
            np.matmul(level[run], states.reshape(*states.shape[:2], -1), out=out[run])
        out /= out.max(axis=2).max(axis=1)[:, None, None]
        out = out.reshape(len(moments), -1, self.space.states)
        return out if wears == len(points.wear_chance) else np.repeat(out, len(points.wear_chance), axis=1)

    def rows(self, found: FoundAtCorner, points: Points) -> Floats:
        """Likelihood of every row, times its share among its state's mechanisms, over the axle's grid."""
        level = (found.drag[:, points.drags] @ points.drag_chance) * found.warmth[:, 0]
        if found.worn is None:
            return found.by_row * (level @ found.by_level)
        by_level = found.by_level * np.einsum("w,lwr->lr", points.wear_chance, found.worn[:, points.wears])
        by_row: Floats = found.by_row * (level @ by_level)
        return by_row


class AxleTable:
    """Both corners of an axle: what was found there, moment by moment in the order of the work, and what it tells.

    `groups` are the pieces of evidence that are taken in between one moment and the next.
    """

    def __init__(
        self,
        knowledge: Knowledge,
        specification: Specification,
        space: Space,
        name: Axle,
        evidence: Sequence[Evidence],
        km_since_fitted: float | None,
        usage: str | None,
    ) -> None:
        self.knowledge = knowledge
        self.name = name
        self.corners = [corner for corner in space.axles[name] if corner]
        self.space = space.axle_spaces[name]
        axle = specification.axles[name]
        self.grid = axle_grid(knowledge, axle, km_since_fitted, usage)
        evidence = [item for item in evidence if item.corner in self.corners]
        self.shared_wheel = len(self.corners) > 1 and specification.shares_wheel(self.corners[0])
        self.tables = {
            corner: CornerTable(knowledge, space.corners[corner], axle.pad_new_mm) for corner in self.corners
        }
        any_worn = any(isinstance(item, Worn) for item in evidence)
        any_drag = any(isinstance(item, Dragging) for item in evidence)
        levels = len(knowledge.drag.levels)
        drag_chance = self.grid.driveline_chance if any_drag else np.ones(1)
        drags = [np.ones((levels, len(drag_chance)))] * len(self.corners)
        if any_drag and self.shared_wheel:
            # The grid's drags are pairs: the driveline's, and the drag level of the right corner.
            drag_chance = np.repeat(drag_chance, levels)
            same_level = np.tile(np.eye(levels)[:, None, :], (1, len(self.grid.driveline_nm), 1))
            drags = [np.ones((levels, len(drag_chance))), same_level.reshape(levels, -1)]
        self.points = Points(slice(None), slice(None), drag_chance, self.grid.wear_chance if any_worn else np.ones(1))
        self.groups = _side_by_side(evidence, knowledge)
        self.moments: list[Moment] = [
            tuple(
                FoundAtCorner(np.ones(table.space.rows), table.space.drag_shares, None, drag, np.ones((levels, 1)))
                for table, drag in zip(self.tables.values(), drags, strict=True)
            )
        ]
        for items in self.groups:
            now = dict(zip(self.corners, self.moments[-1], strict=True))
            for item in items:
                corner = self._corner_of(item)
                now[corner] = self._take(corner, now[corner], item)
            self.moments.append(tuple(now.values()))

    def _corner_of(self, item: Evidence) -> Corner:
        """The corner at which a piece of evidence is taken in: a shared wheel's drag at its left one."""
        if self.shared_wheel and isinstance(item, Dragging):
            return self.corners[0]
        return next(corner for corner in self.corners if corner == item.corner)

    def _take(self, corner: Corner, found: FoundAtCorner, item: Evidence) -> FoundAtCorner:
        if not isinstance(item, Dragging):
            return self.tables[corner].take(found, item)
        base = self.grid.driveline_nm
        if not self.shared_wheel:
            return found._replace(drag=drag_density(self.knowledge, item, base, np.zeros(1), np.zeros(1)))
        drag = self.knowledge.drag
        other_nm = np.array(drag.torque_nm)[None, :]
        other_var = (other_nm * np.array(drag.torque_log_sd)[None, :]) ** 2
        joint = drag_density(self.knowledge, item, base[:, None], other_nm, other_var)
        return found._replace(drag=joint.reshape(len(joint), -1))

    def found(self, corner: Corner) -> FoundAtCorner:
        """Everything that was found at a corner."""
        return self.moments[-1][self.corners.index(corner)]

    def rows(self, corner: Corner) -> Floats:
        """Likelihood of every row of a corner, times its share among its state's mechanisms."""
        return self.tables[corner].rows(self.found(corner), self.points)

    @cached_property
    def states(self) -> Floats:
        """Likelihood of every axle state given all that was found, scaled to a greatest of 1."""
        out = self.space.pair(*self._in_the_end)
        scaled: Floats = out / out.max()
        return scaled

    @cached_property
    def _in_the_end(self) -> tuple[Floats, Floats]:
        """The states of the left corner with the grid's chances, and of the right, shapes (points, states)."""
        left, right = self._sides(self.moments[-1:], self.points, np.float64)
        return left[0], right[0]

    def _sides(
        self, moments: Sequence[Moment], points: Points, numbers: type[np.floating[Any]]
    ) -> tuple[Floats, Floats]:
        """As `_in_the_end`, at several moments, the first axis."""
        each = zip(self.tables.values(), zip(*moments, strict=True), strict=True)
        left, *right = (table.states(found, points, numbers) for table, found in each)
        left *= points.chance.astype(numbers)[:, None]
        return left, right[0] if right else np.ones((*left.shape[:2], 1), numbers)

    def points_that_matter(self, message: Floats) -> Points:
        """The fewest drags and wears that carry all but `LEFT_OUT` of a message, given all that was found."""
        left, right = self._in_the_end
        carried = message * self.states
        most = np.flatnonzero(carried > 1e-7 * carried.sum())
        mass = (left[:, self.space.left[most]] * right[:, self.space.right[most]]) @ message[most]
        mass = mass.reshape(len(self.points.drag_chance), -1)
        drags, wears = (fewest_that_carry(1 - LEFT_OUT, mass.sum(axis=axis)) for axis in (1, 0))
        return self.points.only(drags, wears)

    def states_along(self, points: Points) -> Floats:
        """As `states` at every moment, over some points of the grid, to a factor of each; shape (moments, states)."""
        worn = [any(found.worn is not None for found in moment) for moment in self.moments]
        before = worn.index(True) if True in worn else len(worn)
        out = np.empty((len(self.moments), len(self.space.left)))
        for run, over in ((slice(before), points.before_wear), (slice(before, None), points)):
            if self.moments[run]:
                self.space.pair(*self._sides(self.moments[run], over, np.float32), out=out[run])
        return out


def likely(chances: Floats, emission: Floats) -> Floats:
    """How likely a finding is in every case: chances of its values, last axis, weighed by what makes them likely.

    Of a word only one value counts.

    >>> likely(np.array([[0.7, 0.3], [0.2, 0.8]]), np.array([0.0, 1.0])).tolist()
    [0.3, 0.8]
    """
    (told,) = emission.nonzero()
    if len(told) == 1:
        alone: Floats = chances[..., told[0]]
        return alone if emission[told[0]] == 1 else alone * emission[told[0]]
    out: Floats = chances @ emission
    return out


def fewest_that_carry(share: float, mass: Floats) -> Ints:
    """Places of the fewest that carry together a share of the mass, in their order.

    >>> fewest_that_carry(0.85, np.array([0.05, 0.6, 0.3, 0.04, 0.01])).tolist()
    [1, 2]
    """
    least_first = np.argsort(mass)
    left_out = int((np.cumsum(mass[least_first]) <= (1 - share) * mass.sum()).sum())
    return np.sort(least_first[left_out:])


def _side_by_side(evidence: Sequence[Evidence], knowledge: Knowledge) -> list[tuple[Evidence, ...]]:
    """The same finding of both sides together, with all its parts, in the order of the work: compared, not queued."""
    groups: dict[tuple[object, ...], list[Evidence]] = {}
    for item in evidence:
        key = item.finding if isinstance(item, Graded) else getattr(item, "direction", "")
        groups.setdefault((type(item), key), []).append(item)

    def order(items: list[Evidence]) -> tuple[int, int, str]:
        first = items[0]
        field = knowledge.corner_finding.get(first.finding)
        row = knowledge.likelihood_place[first.likelihood.key] if isinstance(first, Graded) else -1
        return STAGES.index(field.stage if field else STAGES[0]), row, type(first).__name__

    return [tuple(items) for items in sorted(groups.values(), key=order)]
