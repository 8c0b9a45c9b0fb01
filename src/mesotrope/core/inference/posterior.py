"""The exact posterior over every set of up to three simultaneous faults, and the weight of each finding.

At each corner the faults act on the findings as graded noisy-OR causes. Four hidden things tie findings
together, so that one fact is not counted twice: the corner's drag level ties spin, pull and early wear; the
axle's normal wear ties both pads of both corners; the driveline's drag ties both wheels of an axle; and a fault
of the whole system reaches several corners. All are summed out exactly (the two continuous ones on a fixed
grid), corner by corner, then axle by axle, then over the vehicle.

Sources: noisy-OR diagnosis networks, [pearl], [shwe]; weight of evidence in decibans, [good].
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import NamedTuple

import numpy as np

from mesotrope.core.evidence.pieces import Dragging, Evidence, Graded, Tapered, Warm, Worn
from mesotrope.core.evidence.specification import Specification
from mesotrope.core.inference.axle_table import AxleTable, likely
from mesotrope.core.inference.corner_space import CornerSpace
from mesotrope.core.inference.densities import warmth_density
from mesotrope.core.inference.vehicle_space import Space
from mesotrope.core.language.arrays import UNCHECKED, Floats, Ints
from mesotrope.core.language.corner import VEHICLE, Axle, Corner, Place
from mesotrope.core.language.faults import Fault
from mesotrope.core.language.knowledge import Knowledge

#: A suspect: where, and the fault's id.
Suspect = tuple[Place, str]


class AxleBeliefs(NamedTuple):
    """What is believed of an axle: the suspects of its corners, which of them each axle state has, and its chance.

    Shapes (axle states, suspects), (axle states,); each corner's last suspect is that it has no fault.
    """

    suspects: Sequence[Suspect]
    members: Floats
    chances: Floats


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
        km_since_fitted: Mapping[Axle, float | None],
        usage: str | None = None,
    ) -> None:
        self.knowledge = knowledge
        self.space = space
        self.evidence = list(evidence)
        self._rows: dict[Corner, Floats] = {}
        self._by_kind: dict[bool, Floats] = {}
        self._axles = {
            name: AxleTable(knowledge, specification, space, name, evidence, km_since_fitted.get(name), usage)
            for name in space.axles
        }
        self._states = {name: axle.states for name, axle in self._axles.items()}
        self._index = {Axle.FRONT: space.front, Axle.REAR: space.rear}
        self._of_system = [item for item in self.evidence if isinstance(item, Graded) and item.corner is VEHICLE]
        self._told = space.told((item.likelihood, self._tells(item)) for item in self._of_system)
        weight = self._told * self._prior(self._states)
        self.chance = weight / weight.sum()

    def _prior(self, axles: Iterable[Axle]) -> Floats:
        """The prior of every hypothesis times how likely what was found at the corners of some axles is."""
        out = self.space.prior
        for name in axles:
            out = out * self._states[name].take(self._index[name], mode=UNCHECKED)
        return out

    # -- chances of faults ------------------------------------------------------------------------------------

    @cached_property
    def _exactly(self) -> dict[Suspect, float]:
        by_set = np.bincount(self.space.system, self.chance, len(self.space.system_sets)) @ self.space.system_members
        corners = [chances @ self.space.axle_members(name) for name, chances in self._axle_chances.items()]
        return dict(zip(self._names, np.concatenate([by_set, *corners]).tolist(), strict=True))

    def suspects(self) -> dict[Suspect, float]:
        """Marginal chance of every fault at every corner and of the system, and of no fault at each corner.

        No fault at a corner means that nothing is wrong there and no fault of the system reaches it.
        """
        return self._exactly

    @property
    def _names(self) -> list[Suspect]:
        """Every suspect: the faults of the system, then those of the corners."""
        system: list[Suspect] = [(VEHICLE, fault.id) for fault in self.space.system_faults]
        return system + [suspect for axle in self._axles.values() for suspect in self._axle_names(axle)]

    def _members(self, live: Ints) -> Floats:
        """1 where a hypothesis of `live` holds a suspect of `_names`, shape (live, suspects)."""
        system = self.space.system_members[self.space.system[live]]
        return np.hstack([system, *(self.space.axle_members(name)[self._index[name][live]] for name in self._states)])

    @cached_property
    def _axle_chances(self) -> dict[Axle, Floats]:
        """Chance of every state of each axle."""
        return {
            name: np.asarray(np.bincount(self._index[name], self.chance, len(states)), dtype=float)
            for name, states in self._states.items()
        }

    def _axle_of(self, corner: Corner) -> AxleTable:
        return next(axle for axle in self._axles.values() if corner in axle.corners)

    def _axle_names(self, axle: AxleTable) -> list[Suspect]:
        """The suspects of an axle's corners, each corner's faults and last that it has none."""
        none = self.knowledge.none.id
        return [
            (corner, name)
            for corner in axle.corners
            for name in (*(fault.id for fault in self.space.corners[corner].faults), none)
        ]

    def row_chances(self, corner: Corner) -> Floats:
        """Chance of every row of a corner: its states, each split among mechanisms as the findings tell them."""
        if corner not in self._rows:
            self._rows[corner] = self._row_chances(corner)
        return self._rows[corner]

    def _row_chances(self, corner: Corner) -> Floats:
        space = self.space.corners[corner]
        axle = self._axle_of(corner)
        index = axle.space.left if corner == axle.corners[0] else axle.space.right
        by_state = np.bincount(index, self._axle_chances[axle.name], minlength=space.states)
        rows = axle.rows(corner)
        totals = space.add_up(rows)
        return rows * (by_state / np.where(totals > 0, totals, 1.0))[space.state_of_row]

    def _kind_chances(self, sided: bool) -> Floats:
        """Chance of every kind of hypothesis."""
        if sided not in self._by_kind:
            self._by_kind[sided] = np.asarray(np.bincount(self.space.kinds(sided), self.chance), dtype=float)
        return self._by_kind[sided]

    def mechanism(self, corner: Corner, fault: str) -> str:
        """The words of the mechanism that the findings fit best; nothing where they do not tell."""
        chances = self.row_chances(corner)
        rows = self.space.corners[corner].rows_by_mechanism.get(fault, {})
        by_words = {words: float(chances[having].sum()) for words, having in rows.items()}
        if not by_words:
            return ""
        best = max(by_words, key=lambda words: by_words[words])
        return best if by_words[best] >= self.knowledge.threshold["mechanism_share"] * sum(by_words.values()) else ""

    def fit(self, item: Evidence) -> float:
        """How well a finding fits what is now believed of its corner: 1 as well as it could, 0 not at all.

        A finding that no fault would explain well (a small thing that just happens) fits by definition.
        """
        space: CornerSpace | Space = self.space if item.corner is VEHICLE else self.space.corners[item.corner]
        if isinstance(item, Graded):
            believed = (
                self._kind_chances(item.likelihood.sided) if item.corner is VEHICLE else self.row_chances(item.corner)
            )
            return _fit_of_grade(space, believed, item)
        believed = self.row_chances(item.corner)
        corner = self.space.corners[item.corner]
        if isinstance(item, Dragging) and not item.shared_wheel:
            by_row = corner.drag_chances @ self._axle_of(item.corner).found(item.corner).drag.mean(axis=1)
        elif isinstance(item, Warm):
            by_row = corner.drag_chances @ warmth_density(self.knowledge, item)
        else:
            return 1.0
        return float(believed @ by_row / by_row.max())

    def beliefs(self) -> dict[Axle, AxleBeliefs]:
        """What is believed of every axle that is diagnosed."""
        return {
            name: AxleBeliefs(self._axle_names(axle), self.space.axle_members(name), self._axle_chances[name])
            for name, axle in self._axles.items()
        }

    # -- what each finding says -------------------------------------------------------------------------------

    def story(self) -> list[StoryStep]:
        """What each finding did, taken in the order of the work.

        A suspect's weights add up exactly: from its log-odds with everything found elsewhere on the vehicle to
        its posterior log-odds. The weight of one finding is then the step it made. What the axle's sides share (normal
        wear, driveline) is taken as what it turned out to be: drags and wears that in the end hardly carry any
        chance (`axle_table.LEFT_OUT`) are left out, and the last step ends at the exact posterior.
        """
        return self._system_story() + [step for name in self._axles for step in self._axle_story(name)]

    def _tells(self, item: Graded) -> Floats:
        """How likely a finding of the whole vehicle is by kind of hypothesis."""
        return likely(self.space.chances(item.likelihood), item.emission)

    def _system_story(self) -> list[StoryStep]:
        """What the findings of the whole vehicle did, with everything found at its corners known.

        Hypotheses that what was found at the corners has ruled out are left aside.
        """
        if not self._of_system:
            return []
        chance = self._prior(self._states)
        live = np.flatnonzero(chance > 1e-12 * chance.sum())
        told = [chance[live] / chance[live].sum()]
        together: dict[str, list[Graded]] = {}
        for item in self._of_system:
            together.setdefault(item.finding, []).append(item)
        for items in together.values():
            after = told[-1] * self.space.told(((item.likelihood, self._tells(item)) for item in items), live)
            told.append(after / after.sum())
        groups = [tuple(items) for items in together.values()]
        system_only: dict[Suspect, int] = {
            (VEHICLE, fault.id): column for column, fault in enumerate(self.space.system_faults)
        }
        return [
            step if self._reaches_corners(step) else step.of(system_only)
            for step in _steps(groups, self._names, np.array(told) @ self._members(live))
        ]

    def _reaches_corners(self, step: StoryStep) -> bool:
        """Whether a finding of the whole vehicle can speak of faults at corners."""
        graded = (item for item in step.evidence if isinstance(item, Graded))
        return any(fault in self._corner_faults for item in graded for fault in item.likelihood.rows)

    @cached_property
    def _corner_faults(self) -> frozenset[str]:
        return frozenset(fault.id for fault in self.knowledge.faults if fault.scope == "corner")

    def _axle_story(self, name: Axle) -> list[StoryStep]:
        axle, index, size = self._axles[name], self._index[name], len(self._states[name])
        elsewhere = self._told * self._prior(other for other in self._states if other != name)
        message = np.asarray(np.bincount(index, elsewhere, minlength=size), dtype=float)
        of_corners = message[:, None] * self.space.axle_members(name)
        of_system = [np.bincount(index[held], elsewhere[held], minlength=size) for held in self.space.with_system_fault]
        states = axle.states_along(axle.points_that_matter(message))
        weights = states @ np.column_stack([message, of_corners, *of_system])
        chances = weights[:, 1:] / weights[:, :1]
        names = [*self._axle_names(axle), *((VEHICLE, fault.id) for fault in self.space.system_faults)]
        exact = self.suspects()
        chances[-1] = [exact[name] for name in names]  # what the few points left out would have added
        return _steps(axle.groups, names, chances)


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


@dataclass(frozen=True, eq=False)
class StoryStep:
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

    def of(self, columns: Mapping[Suspect, int]) -> StoryStep:
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

    def said_at(self, corner: Place) -> tuple[Evidence, ...]:
        """The evidence to quote for a suspect at `corner`: its own, or its partner's where they are compared.

        For the whole system, any. Nothing where this step does not bear on that corner.
        """
        own = tuple(item for item in self.evidence if item.corner in (corner, VEHICLE))
        compared = tuple(item for item in self.evidence if isinstance(item, Worn | Dragging | Warm))
        return own or compared[:1] or (self.evidence[:1] if corner is VEHICLE else ())


def _steps(groups: Sequence[tuple[Evidence, ...]], names: Sequence[Suspect], chances: Floats) -> list[StoryStep]:
    """A step for every group; chances: of the suspects before any and after each, shape (groups + 1, suspects)."""
    odds = np.clip(chances, LEAST_CHANCE, 1 - LEAST_CHANCE)
    weights = np.diff(10 * np.log10(odds / (1 - odds)), axis=0)
    columns = {suspect: column for column, suspect in enumerate(names)}
    return [
        StoryStep(items, columns, weight, after)
        for items, weight, after in zip(groups, weights, chances[1:], strict=True)
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

    Source: [good].

    >>> round(decibans(10 / 11, 1 / 2), 6)
    10.0
    """

    def log_odds(p: float) -> float:
        p = min(max(p, LEAST_CHANCE), 1 - LEAST_CHANCE)
        return 10 * math.log10(p / (1 - p))

    return log_odds(chance) - log_odds(chance_without)
