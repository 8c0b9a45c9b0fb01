"""The exact posterior over everything that may be wrong at once, however much it is.

At each corner the faults act on the findings as graded noisy-OR causes. Seven hidden things tie findings together, so
that one fact is not counted twice: the corner's drag level ties spin, pull, wear and what heat marks; how long its
faults have been there ties wear and tapers; the axle's normal wear ties its pads; the driveline's drag its wheels; what
its two sides share (a cable) a fault of both; the vehicle's rust its corners; and a fault of the system reaches several
corners. All are summed out exactly (the figures on a fixed grid): corner by corner, axle by axle, over the vehicle
(`elimination`).

Sources: noisy-OR diagnosis networks, [pearl], [shwe].
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import cached_property
from typing import NamedTuple

import numpy as np

from mesotrope.core.evidence.pieces import Dragging, Evidence, Graded, Warm
from mesotrope.core.evidence.specification import Specification
from mesotrope.core.inference.alike import likely
from mesotrope.core.inference.axle_found import AxleFound
from mesotrope.core.inference.corner_table import Told, fewest_that_carry
from mesotrope.core.inference.densities import warmth_density
from mesotrope.core.inference.elimination import AxleSum, Side, Vehicle
from mesotrope.core.inference.state_weights import StateWeights
from mesotrope.core.inference.vehicle_found import VehicleFound
from mesotrope.core.inference.vehicle_space import Space
from mesotrope.core.inference.whole_findings import Terms, values_of
from mesotrope.core.language.arrays import Floats, Ints, Truths
from mesotrope.core.language.corner import VEHICLE, Axle, Corner, Place
from mesotrope.core.language.faults import Likelihood
from mesotrope.core.language.knowledge import Knowledge

#: A suspect: where, and the fault's id.
Suspect = tuple[Place, str]

#: How much of the chances may go missing with the cells of an axle, a level of rust with a normal wear each, at which
#: next to nothing can be.
NEXT_TO_NOTHING = 1e-10

#: How much of the chances may go missing with the points of an axle that are left out where figures are only told.
LEFT_OUT = 1e-2

#: No point is left out where there are no more than so many.
FEW_POINTS = 24


class Foreseen(NamedTuple):
    """What a finding of the whole vehicle not made yet would show, with what is the case.

    by_set : chance of every set of faults of the system together with each value, shape (sets, values); by_kind : the
    same for the kinds of each corner.
    """

    by_set: Floats
    by_kind: Mapping[Corner, Floats]


class Posterior:
    """Chances of every fault of one vehicle, given what was found. Exact for the model, hidden figures on the grid, but
    for `NEXT_TO_NOTHING`.

    age_years : of the vehicle, where it is known: rust comes with it.
    """

    def __init__(
        self,
        knowledge: Knowledge,
        specification: Specification,
        space: Space,
        evidence: Sequence[Evidence],
        km_since_fitted: Mapping[Axle, float | None],
        usage: str | None = None,
        age_years: float | None = None,
    ) -> None:
        self.knowledge = knowledge
        self.specification = specification
        self.space = space
        self.evidence = list(evidence)
        self.age_years = age_years
        self.rust_chance = np.array(knowledge.rust.at_age(age_years))
        of_vehicle = [item for item in self.evidence if isinstance(item, Graded) and item.corner is VEHICLE]
        self.found = VehicleFound(space, of_vehicle)
        self.axles = {
            name: AxleFound(knowledge, specification, space, name, evidence, km_since_fitted, usage)
            for name in space.axles
        }
        self._weighed = {corner: found.weighed for axle in self.axles.values() for corner, found in axle.at.items()}
        sums = {name: self._axle_sum(axle) for name, axle in self.axles.items()}
        self.vehicle = self._whole(self.found.items, self.found.terms, sums)
        self._total = float(self.vehicle.sets.sum())

    # -- the parts of the sum ---------------------------------------------------------------------------------

    def _axle_sum(self, axle: AxleFound) -> AxleSum:
        """An axle's sum under all that was found of the vehicle, over all its points."""
        sides = [axle.at[corner].side(corner, self.found.factors[corner]) for corner in axle.corners]
        return AxleSum(self.space, axle.name, axle.points, len(self.rust_chance), sides)

    def _whole(self, items: Sequence[Graded], terms: Terms, sums: Mapping[Axle, AxleSum]) -> Vehicle:
        """The whole vehicle under some findings of it and the sums of its axles."""
        return Vehicle(self.space, self.rust_chance, terms, self.found.system_weight(items), sums)

    # -- chances of faults ------------------------------------------------------------------------------------

    def suspects(self) -> dict[Suspect, float]:
        """Marginal chance of every fault at every corner and of the system, and of no fault at each corner.

        No fault at a corner means that nothing is wrong there and no fault of the system reaches it.
        """
        return self._exactly

    @cached_property
    def _exactly(self) -> dict[Suspect, float]:
        chances = [self.set_chances @ self.space.system_members]
        chances += [self.state_chances(corner) @ space.state_members for corner, space in self.space.corners.items()]
        return dict(zip(self.names, np.clip(np.concatenate(chances), 0.0, 1.0).tolist(), strict=True))

    @cached_property
    def names(self) -> list[Suspect]:
        """Every suspect: the faults of the system, then those of the corners."""
        out: list[Suspect] = [(VEHICLE, fault.id) for fault in self.space.system_faults]
        return out + [suspect for corner in self.space.corners for suspect in self.names_at(corner)]

    def names_at(self, corner: Corner) -> list[Suspect]:
        """The suspects of a corner, and last that it has none."""
        faults = self.space.corners[corner].faults
        return [(corner, name) for name in (*(fault.id for fault in faults), self.knowledge.none.id)]

    @cached_property
    def set_chances(self) -> Floats:
        """Chance of every set of faults of the system."""
        out: Floats = self.vehicle.sets.sum(axis=1) / self._total
        return out

    @cached_property
    def _mass(self) -> dict[Axle, Floats]:
        """What every point of every axle carries."""
        return {name: one.mass(self.vehicle.around[name]) for name, one in self.vehicle.axles.items()}

    @cached_property
    def _can_be(self) -> dict[Axle, Truths]:
        """Where anything can be of every axle, shape (wears, levels of rust)."""
        out = {}
        for name, one in self.vehicle.axles.items():
            rusts, wears = len(self.rust_chance), self.axles[name].wears
            by_cell: Floats = np.bincount(one.points.wears * rusts + one.points.rust, self._mass[name]).astype(float)
            out[name] = np.zeros((wears, rusts), dtype=bool)
            out[name].flat[fewest_that_carry(1 - NEXT_TO_NOTHING, by_cell)] = True
        return out

    def said_of(self, corner: Corner) -> Floats:
        """What all the rest says of every kind of a corner, shape (kinds, points)."""
        return self.vehicle.said[corner].by_kind()

    def said_of_rows(self, corner: Corner) -> Told:
        """The same as it is weighed with the rows, where anything can be."""
        if corner not in self._said_of_rows:
            self._said_of_rows[corner] = self.vehicle.said[corner].with_rows(self._can_be[corner.axle])
        return self._said_of_rows[corner]

    def mostly_said_of_rows(self, corner: Corner) -> Told:
        """The same at every wear that matters."""
        return self.said_of_rows(corner).only(self.mattering_wears(corner.axle))

    def weights_of(self, corner: Corner, rows: Ints) -> Floats:
        """Weight of some rows of a corner at every point, shape (points, rows)."""
        return self._weighed[corner].at(self.axles[corner.axle].points, rows)

    def row_chances(self, corner: Corner) -> Floats:
        """Chance of every row of a corner."""
        if corner not in self._row_chances:
            chances = self._weighed[corner].row_weights(self.said_of_rows(corner))
            self._row_chances[corner] = np.clip(chances, 0.0, None) / chances.sum()
        return self._row_chances[corner]

    def state_chances(self, corner: Corner) -> Floats:
        """Chance of every state of a corner."""
        if corner not in self._state_chances:
            self._state_chances[corner] = self.vehicle.said[corner].chances()
        return self._state_chances[corner]

    @cached_property
    def _state_chances(self) -> dict[Corner, Floats]:
        return {}

    @cached_property
    def _row_chances(self) -> dict[Corner, Floats]:
        return {}

    @cached_property
    def _said_of_rows(self) -> dict[Corner, Told]:
        return {}

    def mechanism(self, corner: Corner, fault: str) -> str:
        """The words of the mechanism that the findings fit best; nothing where they do not tell."""
        rows = self.space.corners[corner].rows_by_mechanism.get(fault, {})
        if not rows:  # of most faults: how likely every row is need not be known
            return ""
        chances = self.row_chances(corner)
        by_words = {words: float(chances[having].sum()) for words, having in rows.items()}
        best = max(by_words, key=lambda words: by_words[words])
        return best if by_words[best] >= self.knowledge.threshold["mechanism_share"] * sum(by_words.values()) else ""

    def any_of(self, place: Place, faults: Sequence[str]) -> float:
        """Chance that any of some faults is there: at a corner, with those of the system that reach it or speak for the
        whole vehicle; or anywhere, the places then taken as independent. At a drum no fault is known."""
        none = 1 - float(self.set_chances @ self.space.sets_with(tuple(faults)))
        for corner in self.space.corners if place is VEHICLE else {place} & self.space.corners.keys():
            here = self.space.corners[corner].states_with(tuple(faults))
            none *= 1 - float(self.state_chances(corner) @ here)
        return 1 - none

    def share_of_partner(self, corner: Corner, fault: str) -> float:
        """How many times likelier what was found at its partner makes a fault of a corner, by what the two sides of the
        axle share: 1 where they share nothing that brings it."""
        shared = self.space.shared[corner.axle]
        names = [one.id for one in shared]
        if fault not in names:
            return 1.0
        space, number = self.space.corners[corner], names.index(fault)
        holds = space.kind_faults[:, space.spoken.index(fault)] > 0
        by_way = self.vehicle.said[corner].weight_of_kinds()[holds].sum(axis=(0, 2)).reshape([2] * len(names))
        by_itself, by_both = (max(float(by_way.take(way, axis=number).sum()), 0.0) for way in (0, 1))
        if not by_itself:  # it cannot be there at all
            return 1.0
        there = space.prior_of(fault)
        alone = self.rust_chance * there
        expected = float(alone @ (self.space.both(shared[number]) * there) / alone.sum())
        return (1 + by_both / by_itself) / (1 + expected)

    def not_worn_by_a_fault(self, corner: Corner) -> float:
        """Chance that nothing at a corner wears its pads."""
        return float(self.state_chances(corner) @ (1 - self.space.corners[corner].wears_pads))

    # -- the points that matter -------------------------------------------------------------------------------

    @cached_property
    def mattering(self) -> dict[Axle, Ints]:
        """The fewest points of every axle that carry all but `LEFT_OUT` of the chances, where there are many."""
        return {
            name: np.arange(len(one.points.chance))
            if len(one.points.chance) <= FEW_POINTS
            else fewest_that_carry(1 - LEFT_OUT, self._mass[name])
            for name, one in self.vehicle.axles.items()
        }

    def mattering_wears(self, name: Axle) -> Ints:
        """Those points of an axle's normal wear at which any of its points matters."""
        return np.unique(self.axles[name].points.wears[self.mattering[name]])

    @cached_property
    def _mattering_weights(self) -> dict[Corner, StateWeights]:
        return {corner: weighed.states.at(self.mattering[corner.axle]) for corner, weighed in self._weighed.items()}

    @cached_property
    def as_it_matters(self) -> Vehicle:
        """The whole vehicle, given all that was found, over the points that matter."""
        return self._mattering(self.found.items, self.found.terms, self.found.factors)

    def as_it_would_matter(self, items: Sequence[Graded], terms: Terms) -> Vehicle:
        """The same under some findings of the vehicle and other terms."""
        return self._mattering(items, terms, self.space.factors(terms))

    def _mattering(self, items: Sequence[Graded], terms: Terms, factors: Mapping[Corner, Floats]) -> Vehicle:
        sums = {}
        for name, axle in self.axles.items():
            sides = [Side(corner, self._mattering_weights[corner], factors[corner]) for corner in axle.corners]
            sums[name] = AxleSum(self.space, name, axle.points.only(self.mattering[name]), len(self.rust_chance), sides)
        return self._whole(items, terms, sums)

    def faults_by_variant(self, corner: Corner) -> Floats:
        """Chances of the system's faults, given who visits a corner, shape (variants, faults of the system)."""
        variant = self.space.variant_of(corner)[self.space.visit_of_set]
        members = (np.arange(len(self.space.corners[corner].variants))[:, None] == variant) * self.set_chances
        out, totals = members @ self.space.system_members, members.sum(axis=1)
        return np.asarray(out / np.where(totals > 0, totals, 1.0)[:, None])

    # -- findings not made yet, and how well those made fit ---------------------------------------------------

    def foresee(self, likelihoods: Sequence[Likelihood]) -> Foreseen:
        """What a finding of the whole vehicle not made yet would show; all its likelihoods' values together."""
        if not any(self.space.speaks_of_corners(row) for row in likelihoods):
            table = np.ones((len(self.space.system_sets), 1))
            for row in likelihoods:
                here = self.space.chances_by_set(row)
                table = (table[:, :, None] * here[:, None, :]).reshape(len(table), -1)
            return Foreseen(self.set_chances[:, None] * table, {})
        terms, counts = values_of([self.space.elementary(row) for row in likelihoods], self.found.terms)
        vehicle = self.as_it_would_matter(self.found.items, terms)
        own = len(self.found.terms.coefficient)

        def valued(weight: Floats) -> Floats:
            out = np.clip(weight.reshape(len(weight), own, -1).sum(axis=1) @ counts, 0.0, None)
            return np.asarray(out / out.sum())

        by_kind = {corner: valued(said.weight_of_kinds().sum(axis=1)) for corner, said in vehicle.said.items()}
        return Foreseen(valued(vehicle.sets), by_kind)

    def fit(self, item: Evidence) -> float:
        """How well a finding fits what is now believed of its corner: 1 as well as it could, 0 not at all.

        A finding that no fault would explain well (a small thing that just happens) fits by definition.
        """
        if isinstance(item, Graded) and item.corner is VEHICLE:
            return self._fit_of_whole(item)
        assert isinstance(item.corner, Corner)
        corner = self.space.corners[item.corner]
        believed = self.row_chances(item.corner)
        if isinstance(item, Graded):
            return corner.fit(believed, item.likelihood, item.emission)
        if isinstance(item, Dragging) and not item.shared_wheel:
            by_row = corner.drag_chances @ self.axles[item.corner.axle].found(item.corner).drag.mean(axis=1)
        elif isinstance(item, Warm):
            by_row = corner.drag_chances @ warmth_density(self.knowledge, item)
        else:
            return 1.0
        return float(believed @ by_row / by_row.max())

    def _fit_of_whole(self, item: Graded) -> float:
        """The finding seen once more, given all: its chance beside the best that any single cause gives it."""
        element = self.space.elementary(item.likelihood)
        best = float((element.alone @ element.counts @ item.emission).max())
        if best < self.knowledge.threshold["explains_share"] * item.emission.max():
            return 1.0
        if not self.found.speaks_of_corners(item):
            return float(self.set_chances @ likely(self.space.chances_by_set(item.likelihood), item.emission)) / best
        terms = self.found.terms.times(element.seen(item.emission))
        again = self.as_it_would_matter(self.found.items, terms).sets.sum()
        return float(again / self.as_it_matters.sets.sum() / best)
