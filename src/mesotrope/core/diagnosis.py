"""The exact posterior over every set of up to three simultaneous faults, and the weight of each finding.

At each corner the faults act on the findings as graded noisy-OR causes. Four hidden things tie findings
together, so that one fact is not counted twice: the corner's drag level ties spin, pull and early wear; the
axle's normal wear ties both pads of both corners; the driveline's drag ties both wheels of an axle; and a fault
of the whole system reaches several corners. All are summed out exactly (the two continuous ones on a fixed
grid), corner by corner, then axle by axle, then over the vehicle.

Sources: noisy-OR diagnosis networks, Pearl 1988, Shwe et al. 1991; weight of evidence in decibans, Good 1950
(all from memory).
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np

from mesotrope.core.densities import axle_grid, drag_density, taper_density, warmth_density, worn_by_row
from mesotrope.core.evidence import Dragging, Evidence, Graded, Tapered, Warm, Worn, shares_wheel
from mesotrope.core.findings import STAGES
from mesotrope.core.model import Fault, Knowledge
from mesotrope.core.space import CornerSpace, Floats, Ints, Space
from mesotrope.core.specification import Specification

#: A suspect: (corner, or "" for the whole system; fault id).
Suspect = tuple[str, str]


@dataclass(frozen=True)
class _Kept:
    """Points of an axle's grid that are gone on with: each one's drag and wear; the wears and drags among them, each
    once; and at which of those drags each point stands."""

    drag: Ints
    wear: Ints
    wears: Ints
    drags: Ints
    place: Ints


class CornerTable:
    """How likely what was found at one corner is, for each of its states and each point of the axle's grid.

    Evidence is taken in piece by piece with `take`; the drag and wear tie to the axle's grid.
    """

    def __init__(
        self,
        knowledge: Knowledge,
        space: CornerSpace,
        new_mm: float,
        wear_points: int,
        exact: bool,
        told: dict[Evidence, Floats],
    ) -> None:
        self.numbers: np.dtype[Any] = np.dtype(np.float64 if exact else np.float32)
        self.knowledge = knowledge
        self.space = space
        self.new_mm = new_mm
        self.wear_points = wear_points
        self.told = told
        self.product = np.ones(space.rows)
        self.worn: Floats | None = None
        self._drag: Floats = np.ones((len(knowledge.drag.levels), 1))
        self._warmth: Floats = np.ones((len(knowledge.drag.levels), 1))
        self._marks: Floats | None = None
        self._joined: Floats | None = None
        self._states: Floats | None = None
        self._kept: _Kept | None = None

    def keep(self, kept: _Kept) -> None:
        """Go on with some points of the axle's grid only."""
        self._kept = kept
        self._join_again()

    @property
    def drag(self) -> Floats:
        """Density of the measured drag by drag level and drag point."""
        return self._drag

    @drag.setter
    def drag(self, density: Floats) -> None:
        self._drag = density
        self._join_again()

    def _join_again(self) -> None:
        self._joined = self._states = None

    def take(self, item: Evidence) -> None:
        """Take in one piece of evidence of this corner; drag is set on `drag` by the axle."""
        if isinstance(item, Worn):
            self.worn = worn_by_row(self.space, item, self.new_mm)
            self._join_again()
        elif isinstance(item, Graded) and item.likelihood.drag:
            marks = self._tells(item)
            self._marks = marks if self._marks is None else self._marks * marks
            self._join_again()
        elif isinstance(item, Graded):
            self._multiply(self._tells(item))
        elif isinstance(item, Warm):
            density = warmth_density(self.knowledge, item)
            self._warmth = self._warmth * (density / density.max())[:, None]
            self._join_again()
        elif isinstance(item, Tapered):
            self._multiply(self._tells(item))

    def _tells(self, item: Graded | Tapered) -> Floats:
        """How likely a piece of evidence is by row (and by level of the drag, where it comes with that); once."""
        if item not in self.told:
            if isinstance(item, Tapered):
                patterns, row_pattern = self.space.wear_patterns
                self.told[item] = taper_density(self.knowledge, patterns, item)[row_pattern]
            elif item.likelihood.drag:
                self.told[item] = likely(self.space.chances_by_drag(item.likelihood), item.emission)
            else:
                self.told[item] = likely(self.space.chances(item.likelihood), item.emission)
        return self.told[item]

    def _multiply(self, factor: Floats) -> None:
        """Take in a factor by row."""
        self.product = self.product * factor
        self.product /= self.product.max()
        self._states = None

    def _joined_rows(self) -> Floats:
        """What ties to the axle's grid, times the mechanisms' shares, shape (grid points, rows), scaled.

        Where only some points are kept and no wear is measured, wear tells nothing: the shape is (drags kept, rows).
        """
        if self._joined is None:
            drag = (self.drag * self._warmth).T
            shares = self.space.drag_shares
            shares = shares if self._marks is None else shares * self._marks.T
            if self.worn is None:
                by_drag = drag @ shares
                kept = self._kept
                joined = by_drag[kept.drags] if kept else np.repeat(by_drag, self.wear_points, axis=0)
            else:
                worn = self.worn[:, self._kept.wears] if self._kept else self.worn
                worn = worn * shares[:, None, :]
                by_point = (drag @ worn.reshape(drag.shape[1], -1)).reshape(len(drag), -1, self.space.rows)
                joined = by_point[self._kept.drag, self._kept.wear] if self._kept else by_point
            joined = joined.reshape(-1, self.space.rows)
            joined /= joined.max()
            self._joined = joined.astype(self.numbers, copy=False)
        return self._joined

    def moment(self) -> tuple[Floats, Floats]:
        """What `rows` is now made of: by row, and by grid point and row."""
        return self.product.astype(self.numbers, copy=False), self._joined_rows()

    def states_of(self, moments: Sequence[tuple[Floats, Floats]], points: int) -> Floats:
        """As `states` at each of several moments, shape (moments, grid points, states)."""
        rows = np.empty((len(moments), points, self.space.rows), self.numbers)
        for number, (product, joined) in enumerate(moments):
            if self._kept and len(joined) < points:
                joined = joined[self._kept.place]
            np.multiply(product, joined, out=rows[number])
        states = self.space.add_up(rows)
        states /= states.max(axis=2).max(axis=1)[:, None, None]
        return states

    def rows(self) -> Floats:
        """Likelihood by grid point and row times the mechanisms' shares, (drag points × wear points, rows), scaled."""
        product, joined = self.moment()
        return product * joined

    def states(self) -> Floats:
        """As `rows`, added up into states, to a common factor: shape (grid points, states)."""
        if self._states is None:
            states = self.space.add_up(self.rows())
            self._states = states / states.max()
        return self._states


class AxleTable:
    """Both corners of an axle with the hidden figures they share: how likely what was found is, by axle state."""

    def __init__(
        self,
        knowledge: Knowledge,
        specification: Specification,
        space: Space,
        name: str,
        evidence: Sequence[Evidence],
        km_since_fitted: float | None,
        usage: str | None,
        told: dict[Evidence, Floats],
        exact: bool,
    ) -> None:
        self.knowledge = knowledge
        self.name = name
        self.corners = [corner for corner in space.axles[name] if corner]
        self.space = space.axle_spaces[name]
        axle = specification.axles[name]
        self.grid = axle_grid(knowledge, axle, km_since_fitted, usage)
        self.evidence = [item for item in evidence if item.corner and item.corner in self.corners]
        self.shared_wheel = len(self.corners) > 1 and shares_wheel(specification, self.corners[0])
        any_worn = any(isinstance(item, Worn) for item in self.evidence)
        any_drag = any(isinstance(item, Dragging) for item in self.evidence)
        wear_points = len(self.grid.wear_mm) if any_worn else 1
        self.tables = {
            corner: CornerTable(knowledge, space.corners[corner], axle.pad_new_mm, wear_points, exact, told)
            for corner in self.corners
        }
        wear_chance = self.grid.wear_chance if any_worn else np.ones(1)
        drag_chance = self.grid.driveline_chance if any_drag else np.ones(1)
        levels = len(knowledge.drag.levels)
        if any_drag and self.shared_wheel:
            drag_chance = np.repeat(drag_chance, levels)
            same_level = np.tile(np.eye(levels)[:, None, :], (1, len(self.grid.driveline_nm), 1))
            self.tables[self.corners[1]].drag = same_level.reshape(levels, -1)
        for table in self.tables.values():
            if table.drag.shape[1] == 1:
                table.drag = np.ones((levels, len(drag_chance)))
        self.grid_chance = (drag_chance[:, None] * wear_chance[None, :]).reshape(-1)

    def take(self, item: Evidence) -> None:
        """Take in one piece of evidence of one of the corners."""
        if not isinstance(item, Dragging):
            self.tables[item.corner].take(item)
            return
        base = self.grid.driveline_nm
        if self.shared_wheel:
            # The points are pairs: driveline drag, and the drag level of the right corner.
            drag = self.knowledge.drag
            other_nm = np.array(drag.torque_nm)[None, :]
            other_var = (other_nm * np.array(drag.torque_log_sd)[None, :]) ** 2
            joint = drag_density(self.knowledge, item, base[:, None], other_nm, other_var)
            self.tables[self.corners[0]].drag = joint.reshape(len(joint), -1)
        else:
            none = np.zeros_like(base)
            self.tables[item.corner].drag = drag_density(self.knowledge, item, base, none, none)

    def keep_points(self, points: Ints) -> None:
        """Go on with these points of the grid only."""
        self.grid_chance = self.grid_chance[points]
        tables = list(self.tables.values())
        drag, wear = np.divmod(points, tables[0].wear_points)
        wears, wear_place = np.unique(wear, return_inverse=True)
        drags, place = np.unique(drag, return_inverse=True)
        for table in tables:
            table.keep(_Kept(drag, wear_place, wears, drags, place))
        self._drag_chance: Floats = np.asarray(np.bincount(place, self.grid_chance), dtype=float)

    def points_that_matter(self, message: Floats) -> Ints:
        """The fewest points of the grid that carry all but a thousandth of a message, given what was found."""
        left, right = self._both_sides()
        mass = self.space.mass(message, left, right)
        least_first = np.argsort(mass)
        spared = int((np.cumsum(mass[least_first]) <= 1e-3 * mass.sum()).sum())
        return np.sort(least_first[spared:])

    def states(self) -> Floats:
        """Likelihood of every axle state, scaled to a greatest of 1."""
        out = self.space.pair(*self._both_sides())
        return out / out.max()

    def _both_sides(self) -> tuple[Floats, Floats]:
        """The states of the left corner with the grid's chances, and of the right, shapes (states, grid points)."""
        sides = [self.tables[corner].states() for corner in self.corners]
        right = sides[1] if len(sides) > 1 else np.ones((len(self.grid_chance), 1))
        return (sides[0] * self.grid_chance[:, None]).T, right.T

    def states_along(self, groups: Sequence[Sequence[Evidence]]) -> Floats:
        """As `states` before any of the groups of evidence is taken in and after each, shape (groups + 1, states)."""
        tables = list(self.tables.values())
        moments = [[table.moment() for table in tables]]
        worn = [False]
        for items in groups:
            for item in items:
                self.take(item)
            moments.append([table.moment() for table in tables])
            worn.append(any(table.worn is not None for table in tables))
        before = worn.index(True) if True in worn else len(worn)  # until wear is measured it tells nothing
        parts = [
            self._at(moments[run], chance)
            for run, chance in ((slice(before), self._drag_chance), (slice(before, None), self.grid_chance))
            if moments[run]
        ]
        return np.concatenate(parts)

    def _at(self, moments: Sequence[Sequence[tuple[Floats, Floats]]], chance: Floats) -> Floats:
        """The states at several moments, shape (moments, axle states); chance : of every point of the grid."""
        each = zip(self.tables.values(), zip(*moments, strict=True), strict=True)
        sides = [table.states_of(side, len(chance)) for table, side in each]
        left = sides[0]
        left *= chance.astype(left.dtype)[:, None]
        right = sides[1] if len(sides) > 1 else np.ones((*left.shape[:2], 1), left.dtype)
        out = self.space.pair(left.swapaxes(1, 2), right.swapaxes(1, 2))
        out /= out.max(axis=1, keepdims=True)
        return out


class Posterior:
    """Chances of every fault of one vehicle, given what was found.

    All quantities are exact for the model: sets of up to three simultaneous faults, hidden figures on the grid.
    """

    def __init__(
        self,
        knowledge: Knowledge,
        specification: Specification,
        space: Space,
        evidence: Sequence[Evidence],
        km_since_fitted: Mapping[str, float | None],
        usage: str | None = None,
    ) -> None:
        self.knowledge = knowledge
        self.space = space
        self.evidence = list(evidence)
        self._rows: dict[str, Floats] = {}
        told: dict[Evidence, Floats] = {}

        def table(name: str, exact: bool) -> AxleTable:
            km = km_since_fitted.get(name)
            return AxleTable(knowledge, specification, space, name, evidence, km, usage, told, exact)

        self._axles = {name: table(name, exact=True) for name in space.axles}
        self._fresh = lambda name: table(name, exact=False)
        self._states = {}
        for name, axle in self._axles.items():
            for item in axle.evidence:
                axle.take(item)
            self._states[name] = axle.states()
        self._index = {"front": space.front, "rear": space.rear}
        self._of_system = [item for item in self.evidence if isinstance(item, Graded) and not item.corner]
        self._tellings = [likely(space.chances(item.likelihood), item.emission) for item in self._of_system]
        self._told = np.ones(len(space.prior))
        for telling in self._tellings:
            self._told *= telling
        weight = space.prior * self._told
        for name, states in self._states.items():
            weight = weight * states[self._index[name]]
        self.chance = weight / weight.sum()

    # -- chances of faults ------------------------------------------------------------------------------------

    @cached_property
    def _exactly(self) -> dict[Suspect, float]:
        return dict(zip(self._names, self._suspects([self.chance], slice(None))[0].tolist(), strict=True))

    def suspects(self) -> dict[Suspect, float]:
        """Marginal chance of every fault at every corner and of the system, and of no fault at each corner.

        No fault at a corner means that nothing is wrong there and no fault of the system reaches it.
        """
        return self._exactly

    @property
    def _names(self) -> list[Suspect]:
        """Every suspect: the faults of the system, then those of the corners."""
        system: list[Suspect] = [("", fault.id) for fault in self.space.system_faults]
        return system + [suspect for axle in self._axles.values() for suspect in self._axle_names(axle)]

    def _suspects(self, chances: Sequence[Floats], live: Ints | slice) -> Floats:
        """Chances of `_names` for each of several sets of chances of the hypotheses `live`, shape (sets, suspects)."""

        def added_up(index: Ints, size: int) -> Floats:
            alive = index[live]
            return np.array([np.bincount(alive, chance, size) for chance in chances])

        sets = added_up(self.space.system, len(self.space.system_sets)) @ self.space.system_members
        corners = [
            added_up(self._index[name], len(states)) @ self.space.axle_members(name)
            for name, states in self._states.items()
        ]
        return np.hstack([sets, *corners])

    def _axle_states(self, name: str) -> Floats:
        out: Floats = np.asarray(np.bincount(self._index[name], self.chance, len(self._states[name])), dtype=float)
        return out

    def _axle_names(self, axle: AxleTable) -> list[Suspect]:
        """The suspects of an axle's corners, each corner's faults and last that it has none."""
        none = self.knowledge.none.id
        return [
            (corner, name)
            for corner in axle.corners
            for name in (*(fault.id for fault in self.space.corners[corner].faults), none)
        ]

    def row_chances(self, corner: str) -> Floats:
        """Chance of every row of a corner: its states, each split among mechanisms as the findings tell them."""
        if corner not in self._rows:
            self._rows[corner] = self._row_chances(corner)
        return self._rows[corner]

    def _row_chances(self, corner: str) -> Floats:
        space = self.space.corners[corner]
        axle = next(axle for axle in self._axles.values() if corner in axle.corners)
        index = axle.space.left if corner == axle.corners[0] else axle.space.right
        by_state = np.bincount(index, self._axle_states(axle.name), minlength=space.states)
        rows = axle.grid_chance @ axle.tables[corner].rows()
        totals = space.add_up(rows)
        return rows * (by_state / np.where(totals > 0, totals, 1.0))[space.state_of_row]

    def mechanism(self, corner: str, fault: str) -> str:
        """The words of the mechanism that the findings fit best; nothing where they do not tell."""
        chances = self.row_chances(corner)
        rows = self.space.corners[corner].rows_by_mechanism.get(fault, {})
        by_words = {words: float(chances[having].sum()) for words, having in rows.items()}
        if not by_words:
            return ""
        best = max(by_words, key=lambda words: by_words[words])
        return best if by_words[best] >= 0.6 * sum(by_words.values()) else ""

    def fit(self, item: Evidence) -> float:
        """How well a finding fits what is now believed of its corner: 1 as well as it could, 0 not at all.

        A finding that no fault would explain well (a small thing that just happens) fits by definition.
        """
        space: CornerSpace | Space = self.space.corners[item.corner] if item.corner else self.space
        believed = self.row_chances(item.corner) if item.corner else self.chance
        if isinstance(item, Graded):
            return _fit_of_grade(space, believed, item)
        corner = self.space.corners[item.corner]
        if isinstance(item, Dragging) and not item.shared_wheel:
            axle = next(axle for axle in self._axles.values() if item.corner in axle.corners)
            by_row = corner.drag_chances @ axle.tables[item.corner].drag.mean(axis=1)
        elif isinstance(item, Warm):
            by_row = corner.drag_chances @ warmth_density(self.knowledge, item)
        else:
            return 1.0
        return float(believed @ by_row / by_row.max())

    @property
    def axle_names(self) -> tuple[str, ...]:
        """The axles that are diagnosed."""
        return tuple(self._axles)

    def axle_beliefs(self, name: str) -> tuple[list[Suspect], Floats, Floats]:
        """The suspects of an axle's corners, which of them each axle state has, and the chance of each state.

        Shapes (axle states, suspects), (axle states,); each corner's last suspect is that it has no fault.
        """
        return self._axle_names(self._axles[name]), self.space.axle_members(name), self._axle_states(name)

    # -- what each finding says -------------------------------------------------------------------------------

    def story(self) -> list[Step]:
        """What each finding did, taken in the order of the work.

        A suspect's weights add up exactly: from its log-odds with everything found elsewhere on the vehicle to
        its posterior log-odds. The weight of one finding is then the step it made. What the axle's sides share (normal
        wear, driveline) is taken as what it turned out to be: grid points that in the end carry a thousandth of the
        chance together are left out, and the last step ends at the exact posterior.
        """
        return self._system_story() + [step for name in self._axles for step in self._axle_story(name)]

    def _system_story(self) -> list[Step]:
        """What the findings of the whole vehicle did, with everything found at its corners known.

        Hypotheses that what was found at the corners has ruled out are left aside.
        """
        if not self._of_system:
            return []
        chance = self.space.prior
        for name, states in self._states.items():
            chance = chance * states[self._index[name]]
        live = np.flatnonzero(chance > 1e-12 * chance.sum())
        told = [chance[live] / chance[live].sum()]
        together: dict[str, list[tuple[Graded, Floats]]] = {}
        for item, telling in zip(self._of_system, self._tellings, strict=True):
            together.setdefault(item.finding, []).append((item, telling))
        for parts in together.values():
            after = told[-1] * np.prod([telling[live] for _, telling in parts], axis=0)
            told.append(after / after.sum())
        groups = [tuple(item for item, _ in parts) for parts in together.values()]
        system_only = {("", fault.id): column for column, fault in enumerate(self.space.system_faults)}
        return [
            step if self._reaches_corners(step) else step.of(system_only)
            for step in _steps(groups, self._names, self._suspects(told, live))
        ]

    def _reaches_corners(self, step: Step) -> bool:
        """Whether a finding of the whole vehicle can speak of faults at corners."""
        graded = (item for item in step.evidence if isinstance(item, Graded))
        return any(fault in self._corner_faults for item in graded for fault in item.likelihood.rows)

    @cached_property
    def _corner_faults(self) -> frozenset[str]:
        return frozenset(fault.id for fault in self.knowledge.faults if fault.scope == "corner")

    def _axle_story(self, name: str) -> list[Step]:
        axle, index = self._fresh(name), self._index[name]
        elsewhere = self.space.prior * self._told
        for other, states in self._states.items():
            if other != name:
                elsewhere = elsewhere * states[self._index[other]]
        size = len(axle.space.left)
        message = np.asarray(np.bincount(index, elsewhere, minlength=size), dtype=float)
        axle.keep_points(self._axles[name].points_that_matter(message))
        groups = _side_by_side(axle.evidence, self.knowledge)
        states = axle.states_along(groups)
        of_system = [np.bincount(index[held], elsewhere[held], minlength=size) for held in self.space.with_system_fault]
        by_system = states @ np.column_stack([message, *of_system])
        states *= message
        of_corners = states @ self.space.axle_members(name)
        chances = np.hstack([of_corners, by_system[:, 1:]]) / by_system[:, :1]
        names = [*self._axle_names(axle), *(("", fault.id) for fault in self.space.system_faults)]
        exact = self.suspects()
        chances[-1] = [exact[name] for name in names]  # what the few points left out would have added
        return _steps(groups, names, chances)


def likely(chances: Floats, emission: Floats) -> Floats:
    """How likely a finding is in every case: chances of its values, last axis, weighed by what makes them likely.

    Of a word only one value counts.

    >>> likely(np.array([[0.7, 0.3], [0.2, 0.8]]), np.array([0.0, 1.0])).tolist()
    [0.3, 0.8]
    """
    told = np.flatnonzero(emission)
    if len(told) == 1:
        alone: Floats = chances[..., told[0]]
        return alone if emission[told[0]] == 1 else alone * emission[told[0]]
    out: Floats = chances @ emission
    return out


def _fit_of_grade(space: CornerSpace | Space, believed: Floats, item: Graded) -> float:
    """How well a graded finding fits what is believed of the cases of a space, where any of them explains it well."""
    chances = space.chances(item.likelihood)
    if np.count_nonzero(item.emission) <= 1:
        value = int(item.emission.argmax())  # a word: what each case gives it stands in one column
        best = float(space.best_chances(item.likelihood)[value])
        return float(believed @ chances[:, value]) / best if best >= 0.4 else 1.0
    by_case = chances @ item.emission
    best = float(by_case.max())
    return float(believed @ by_case) / best if best >= 0.4 * item.emission.max() else 1.0


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


@dataclass(frozen=True, eq=False)
class Step:
    """The same finding at one or both corners of an axle, with the chances of the suspects after it.

    `decibans` and `chances` have a column for each suspect, at its place in `columns`.
    """

    evidence: tuple[Evidence, ...]
    columns: Mapping[Suspect, int]
    decibans: Floats
    chances: Floats

    @cached_property
    def after(self) -> dict[Suspect, float]:
        """Chance of every suspect after this step."""
        chances = self.chances.tolist()
        return {suspect: chances[column] for suspect, column in self.columns.items()}

    def of(self, columns: Mapping[Suspect, int]) -> Step:
        """The same step, of some of its suspects only."""
        return replace(self, columns=columns)

    @cached_property
    def weights(self) -> list[float]:
        """As `decibans`, in plain figures: much faster to look up one by one."""
        plain: list[float] = self.decibans.tolist()
        return plain

    def weight(self, suspect: Suspect) -> float:
        """Decibans for (or, below zero, against) a suspect."""
        column = self.columns.get(suspect)
        return 0.0 if column is None else self.weights[column]

    def said_at(self, corner: str) -> tuple[Evidence, ...]:
        """The evidence to quote for a suspect at `corner`: its own, or its partner's where they are compared.

        For the whole system, any. Nothing where this step does not bear on that corner.
        """
        own = tuple(item for item in self.evidence if item.corner in (corner, ""))
        compared = tuple(item for item in self.evidence if isinstance(item, Worn | Dragging | Warm))
        return own or compared[:1] or (() if corner else self.evidence[:1])


def _steps(groups: Sequence[tuple[Evidence, ...]], names: Sequence[Suspect], chances: Floats) -> list[Step]:
    """A step for every group; chances: of the suspects before any and after each, shape (groups + 1, suspects)."""
    odds = np.clip(chances, LEAST_CHANCE, 1 - LEAST_CHANCE)
    weights = np.diff(10 * np.log10(odds / (1 - odds)), axis=0)
    columns = {suspect: column for column, suspect in enumerate(names)}
    return [
        Step(items, columns, weight, after) for items, weight, after in zip(groups, weights, chances[1:], strict=True)
    ]


def speaks_to(item: Evidence, fault: Fault) -> bool:
    """Whether a piece of evidence bears on a fault by itself, not only by what it says of its rivals."""
    if isinstance(item, Graded):
        drags = bool(item.likelihood.drag) and any(mechanism.drag for mechanism in fault.mechanism)
        return drags or any(item.likelihood.row(fault.id, mechanism.id) for mechanism in fault.mechanism)
    if isinstance(item, Tapered):
        column = "fore_aft_sd_mm" if item.direction == "fore_aft" else "radial_sd_mm"
        return any(getattr(mechanism, column) for mechanism in fault.mechanism)
    return any(mechanism.drag for mechanism in fault.mechanism)


#: Chances are never nearer to none or all than this when their odds are taken.
LEAST_CHANCE = 1e-12


def decibans(chance: float, chance_without: float) -> float:
    """Weight of evidence: how far a finding moved a suspect's odds, in decibans (tenths of a power of ten).

    Source: Good 1950 (from memory).

    >>> round(decibans(10 / 11, 1 / 2), 6)
    10.0
    """

    def log_odds(p: float) -> float:
        p = min(max(p, LEAST_CHANCE), 1 - LEAST_CHANCE)
        return 10 * math.log10(p / (1 - p))

    return log_odds(chance) - log_odds(chance_without)
