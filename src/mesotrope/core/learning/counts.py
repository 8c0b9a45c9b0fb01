"""What closed cases add to the expert's tables: counts that only ever add up, whatever the order of the cases.

Each case is read with the expert's tables: among the rows of a corner that hold exactly what was found there, their
chances say by which mechanism and at which level of drag. A finding counts for a row only where nothing else that was
there speaks to it, so that no cause has to share it with another.

Sources: Dirichlet counts for tables of chances, gamma counts for rates, [spiegelhalter].
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from mesotrope.core.answer.answer import Overview, overview
from mesotrope.core.evidence.pieces import Dragging, Graded
from mesotrope.core.inference.corner_space import CornerSpace, part_key
from mesotrope.core.inference.posterior import Posterior
from mesotrope.core.inference.vehicle_space import Space
from mesotrope.core.language.arrays import Floats
from mesotrope.core.language.corner import VEHICLE, Corner, Place
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.learning.closed import ClosedCase

#: What stands for "nothing that speaks to it" among the rows of a finding.
NOTHING = "healthy"

#: The table of the drag's levels, among those of the findings.
DRAG = "drag level"


@dataclass(frozen=True)
class Counts:
    """Counts of closed cases.

    there : how often each fault was there, and how often the expert's odds expect it at the places looked at; rows :
    by table and row, how often each value was seen.
    """

    cases: int = 0
    there: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    rows: Mapping[str, Mapping[str, tuple[float, ...]]] = field(default_factory=dict)

    def __add__(self, other: Counts) -> Counts:
        there = dict(self.there)
        for fault, (seen, expected) in other.there.items():
            before = there.get(fault, (0.0, 0.0))
            there[fault] = (before[0] + seen, before[1] + expected)
        rows = {table: dict(of) for table, of in self.rows.items()}
        for table, of in other.rows.items():
            here = rows.setdefault(table, {})
            for row, values in of.items():
                before_ = here.get(row, (0.0,) * len(values))
                here[row] = tuple(a + b for a, b in zip(before_, values, strict=True))
        return Counts(self.cases + other.cases, there, rows)

    def document(self) -> dict[str, Any]:
        return {
            "cases": self.cases,
            "there": {fault: list(pair) for fault, pair in sorted(self.there.items())},
            "rows": {
                table: {row: list(values) for row, values in sorted(of.items())}
                for table, of in sorted(self.rows.items())
            },
        }


def total(counts: Iterable[Counts]) -> Counts:
    """Counts added up.

    >>> total([Counts(1, {"a": (1, 0.5)}), Counts(1, {"a": (0, 0.25)})])
    Counts(cases=2, there={'a': (1.0, 0.75)}, rows={})
    """
    out = Counts()
    for one in counts:
        out = out + one
    return out


class Counting:
    """Reads closed cases with the expert's tables."""

    def __init__(self, knowledge: Knowledge) -> None:
        self.knowledge = knowledge
        self._before: dict[tuple[int, bytes], tuple[Space, dict[tuple[Place, str], float]]] = {}

    def counts_of(self, case: ClosedCase, short: Overview | None = None) -> Counts:
        """What one closed case adds; nothing where it was only guessed. `short` : the expert's answer, where it is
        there already."""
        short = short or overview(case.inspection, self.knowledge)
        posterior = short.posterior
        if not case.teaches or posterior is None:
            return Counts()
        gathered = _Gathered(self.knowledge)
        gathered.faults(case, self._expected(short, posterior, case.inspection.age_years))
        for corner, space in posterior.space.corners.items():
            if corner in case.known and VEHICLE in case.known:
                gathered.corner(case, posterior, corner, space)
        gathered.whole(case, posterior)
        return Counts(1, gathered.there, gathered.rows)

    def _expected(
        self, short: Overview, posterior: Posterior, age_years: float | None
    ) -> dict[tuple[Place, str], float]:
        """How likely each fault is before anything was found, at a vehicle like this that comes in."""
        space = posterior.space
        key = (id(space), posterior.rust_chance.tobytes())
        if key not in self._before:
            since = dict.fromkeys(space.axles)
            bare = Posterior(self.knowledge, short.specification, space, [], since, None, age_years)
            self._before[key] = (space, bare.suspects())  # the space is kept, so that its number stays its own
        return self._before[key][1]


class _Gathered:
    """Counts while one case is read."""

    def __init__(self, knowledge: Knowledge) -> None:
        self.knowledge = knowledge
        self.there: dict[str, tuple[float, float]] = {}
        self.rows: dict[str, dict[str, tuple[float, ...]]] = {}

    def faults(self, case: ClosedCase, expected: Mapping[tuple[Place, str], float]) -> None:
        for (place, fault), chance in expected.items():
            if place in case.known and fault != self.knowledge.none.id:
                seen, before = self.there.get(fault, (0.0, 0.0))
                self.there[fault] = (seen + float(fault in case.at(place)), before + chance)

    def corner(self, case: ClosedCase, posterior: Posterior, corner: Corner, space: CornerSpace) -> None:
        """The findings of one corner, by what was there."""
        weights = _rows_of_the_truth(case, posterior, corner, space)
        if weights is None:
            return
        for item in posterior.evidence:
            if item.corner != corner:
                continue
            if isinstance(item, Graded) and not item.likelihood.drag:
                self._graded(item, weights, space)
            elif isinstance(item, Dragging) and not item.shared_wheel:
                self._dragging(posterior, corner, weights, space)

    def _graded(self, item: Graded, weights: Mapping[int, float], space: CornerSpace) -> None:
        likelihood = item.likelihood
        for row, weight in weights.items():
            parts = (*space.parts[row], *space.visitors(row))
            speaking = [name for fault, way in parts if (name := likelihood.row_name(fault.id, way.id))]
            if len(speaking) > 1 or (not speaking and likelihood.rust):
                continue
            chances = np.array(likelihood.rows[speaking[0]] if speaking else likelihood.healthy)
            self._add(likelihood.key, speaking[0] if speaking else NOTHING, weight, chances * item.emission)

    def _dragging(self, posterior: Posterior, corner: Corner, weights: Mapping[int, float], space: CornerSpace) -> None:
        told = next(axle for axle in posterior.axles.values() if corner in axle.corners).found(corner).drag.mean(axis=1)
        for row, weight in weights.items():
            acting = [part for part in (*space.parts[row], *space.visitors(row)) if part[1].drag]
            if len(acting) > 1:
                continue
            chances = np.array(acting[0][1].drag if acting else self.knowledge.drag.healthy)
            self._add(DRAG, part_key(acting[0]) if acting else NOTHING, weight, chances * told)

    def whole(self, case: ClosedCase, posterior: Posterior) -> None:
        """The findings of the whole vehicle, where everything of it is known."""
        if not {VEHICLE, *posterior.space.corners} <= case.known:
            return
        there = {fault for _, fault in case.found}
        for item in posterior.of_system:
            likelihood = item.likelihood
            speaking = {name for name in likelihood.rows if name.partition("/")[0] in there}
            if likelihood.sided or len(speaking) > 1:
                continue
            row = next(iter(speaking), NOTHING)
            chances = np.array(likelihood.rows[row] if speaking else likelihood.healthy)
            self._add(likelihood.key, row, 1.0, chances * item.emission)

    def _add(self, table: str, row: str, weight: float, likely: Floats) -> None:
        sum_ = float(likely.sum())
        if sum_ <= 0 or weight <= 0:
            return
        of = self.rows.setdefault(table, {})
        before = of.get(row, (0.0,) * len(likely))
        of[row] = tuple(a + weight * float(b) / sum_ for a, b in zip(before, likely, strict=True))


def _rows_of_the_truth(
    case: ClosedCase, posterior: Posterior, corner: Corner, space: CornerSpace
) -> dict[int, float] | None:
    """The rows of a corner that hold exactly what was found, with their chances; None where none does."""
    names = [fault.id for fault in space.faults]
    truth = np.array([float(name in case.at(corner)) for name in names])
    if case.at(corner) - set(names):
        return None
    of_system = case.at(VEHICLE)
    reaching = {
        number
        for number, visitors in enumerate(space.variants)
        if {fault.id for fault, _ in visitors} == of_system & _who_can_visit(space)
    }
    states = np.flatnonzero((space.state_faults == truth).all(axis=1))
    rows = [row for row in np.flatnonzero(np.isin(space.state_of_row, states)) if space.row_variant[row] in reaching]
    if not rows:
        return None
    chances = posterior.row_chances(corner)[rows]
    if not chances.sum() > 1e-200:
        chances = space.share[rows]
    chances = chances / chances.sum()
    return {int(row): float(chance) for row, chance in zip(rows, chances, strict=True) if chance > 1e-6}


def _who_can_visit(space: CornerSpace) -> set[str]:
    return {fault.id for visitors in space.variants for fault, _ in visitors}
