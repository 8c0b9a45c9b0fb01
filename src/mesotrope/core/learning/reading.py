"""Reads a closed case with the expert's tables: what it adds to the counts.

Among the rows of a corner that hold exactly what was found there, their chances say by which mechanism and at which
level of drag. A finding to which several causes speak is shared among them as they may have given it.

Sources: Dirichlet counts, [spiegelhalter]; expected counts, [dempster].
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from mesotrope.core.answer.answer import Overview, overview
from mesotrope.core.evidence.pieces import Dragging, Graded
from mesotrope.core.inference.corner_space import CornerSpace, part_key
from mesotrope.core.inference.posterior import Posterior
from mesotrope.core.inference.vehicle_space import Space
from mesotrope.core.language.arrays import Floats
from mesotrope.core.language.corner import VEHICLE, Corner, Place
from mesotrope.core.language.faults import Likelihood
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.learning.closed import ClosedCase
from mesotrope.core.learning.counts import DRAG, NOTHING, RUST, Counts
from mesotrope.core.learning.figures import Truth, figures_told
from mesotrope.core.learning.sharing import beside_each, seen_of_one


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
        return Counts(1, gathered.there, gathered.rows, gathered.figures)

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
        self.figures: dict[str, tuple[float, float, float]] = {}

    def faults(self, case: ClosedCase, expected: Mapping[tuple[Place, str], float]) -> None:
        for (place, fault), chance in expected.items():
            if place in case.known and fault != self.knowledge.none.id:
                seen, before = self.there.get(fault, (0.0, 0.0))
                self.there[fault] = (seen + float(fault in case.at(place)), before + chance)

    def corner(self, case: ClosedCase, posterior: Posterior, corner: Corner, space: CornerSpace) -> None:
        """The findings of one corner, by what was there."""
        truth = _truth(case, posterior, corner, space)
        if truth is None:
            return
        for item in posterior.evidence:
            if item.corner != corner:
                continue
            if isinstance(item, Graded) and not item.likelihood.drag:
                self._graded(item, truth, space, posterior)
            elif isinstance(item, Dragging) and not item.shared_wheel:
                self._dragging(posterior, corner, truth, space)
        for figure, told in figures_told(posterior, truth).items():
            before = self.figures.get(figure, (0.0, 0.0, 0.0))
            self.figures[figure] = tuple(a + b for a, b in zip(before, told, strict=True))  # type: ignore[assignment]

    def _graded(self, item: Graded, truth: Truth, space: CornerSpace, posterior: Posterior) -> None:
        likelihood = item.likelihood
        for row, weight in truth.weights.items():
            parts = (*space.parts[row], *space.visitors(row))
            speaking = [name for fault, way in parts if (name := likelihood.row_name(fault.id, way.id))]
            if speaking:
                self._shared(likelihood, speaking, weight, item.emission)
                continue
            self._add(likelihood.key, NOTHING, weight, np.array(likelihood.healthy) * item.emission)
            if likelihood.rust:
                for level, chance in zip(self.knowledge.rust.levels, _rust(posterior, truth), strict=True):
                    if level.seen in likelihood.rust:
                        likely = np.array(likelihood.rust[level.seen]) * item.emission
                        self._add(likelihood.key, RUST + level.seen, weight * float(chance), likely)

    def _shared(self, likelihood: Likelihood, speaking: Sequence[str], weight: float, emission: Floats) -> None:
        """A finding to which one or several causes speak: to each, what it may have given of it."""
        rows = [likelihood.rows[name] for name in speaking]
        for name, row, others in zip(
            speaking, rows, beside_each(rows, likelihood.leak or likelihood.healthy), strict=True
        ):
            self._add(likelihood.key, name, weight, seen_of_one(row, others, emission))

    def _dragging(self, posterior: Posterior, corner: Corner, truth: Truth, space: CornerSpace) -> None:
        told = posterior.axles[corner.axle].found(corner).drag.mean(axis=1)
        healthy = self.knowledge.drag.healthy
        for row, weight in truth.weights.items():
            acting = [part for part in (*space.parts[row], *space.visitors(row)) if part[1].drag]
            if not acting:
                self._add(DRAG, NOTHING, weight, np.array(healthy) * told)
                continue
            rows = [part[1].drag or healthy for part in acting]
            for part, own, others in zip(acting, rows, beside_each(rows, healthy), strict=True):
                self._add(DRAG, part_key(part), weight, seen_of_one(own, others, told))

    def whole(self, case: ClosedCase, posterior: Posterior) -> None:
        """The findings of the whole vehicle, where everything of it is known."""
        if not {VEHICLE, *posterior.space.corners} <= case.known:
            return
        for item in posterior.found.items:
            likelihood = item.likelihood
            speaking = [
                (place, name)
                for place, fault in sorted(case.found, key=str)
                if (name := likelihood.name_at(fault, place.axle if isinstance(place, Corner) else ""))
            ]
            if not speaking:
                self._add(likelihood.key, NOTHING, 1.0, np.array(likelihood.healthy) * item.emission)
            elif not likelihood.sided:
                self._shared(likelihood, [name for _, name in speaking], 1.0, item.emission)
            elif len(speaking) == 1:
                self._sided(item, *speaking[0])

    def _sided(self, item: Graded, place: Place, fault: str) -> None:
        """A pull by one faulty corner of the front: to none, away from it, or toward it. The rear tells little."""
        if isinstance(place, Corner) and place.axle == "front" and place.side:
            none, left, right = item.emission
            away, toward = (right, left) if place.side == "left" else (left, right)
            pulls = item.likelihood.rows[fault]
            likely = np.array([1 - sum(pulls), *pulls]) * (none, away, toward)
            self._add(item.likelihood.key, fault, 1.0, likely)

    def _add(self, table: str, row: str, weight: float, likely: Floats) -> None:
        sum_ = float(likely.sum())
        if sum_ <= 0 or weight <= 0:
            return
        of = self.rows.setdefault(table, {})
        before = of.get(row, (0.0,) * len(likely))
        of[row] = tuple(a + weight * float(b) / sum_ for a, b in zip(before, likely, strict=True))


def _truth(case: ClosedCase, posterior: Posterior, corner: Corner, space: CornerSpace) -> Truth | None:
    """The rows of a corner that hold exactly what was found, with their chances; None where none does."""
    names = [fault.id for fault in space.faults]
    truth = np.array([float(name in case.at(corner)) for name in names])
    if case.at(corner) - set(names):
        return None
    of_system = case.at(VEHICLE)
    can_visit = {fault.id for visitors in space.variants for fault, _ in visitors}
    reaching = {
        number
        for number, visitors in enumerate(space.variants)
        if {fault.id for fault, _ in visitors} == of_system & can_visit
    }
    states = np.flatnonzero((space.state_faults == truth).all(axis=1))
    rows = [row for row in np.flatnonzero(np.isin(space.state_of_row, states)) if space.row_variant[row] in reaching]
    if not rows:
        return None
    chances = posterior.row_chances(corner)[rows]
    if not chances.sum() > 1e-200:
        chances = space.share[rows]
    chances = chances / chances.sum()
    return Truth(corner, {int(row): float(p) for row, p in zip(rows, chances, strict=True) if p > 1e-6})


def _rust(posterior: Posterior, truth: Truth) -> Floats:
    """Chances of the levels of rust, given all that was found and what was there at this corner."""
    space = posterior.space.corners[truth.corner]
    axle = posterior.axles[truth.corner.axle]
    rows = np.array(list(truth.weights))
    said = posterior.said_of(truth.corner)[space.kind_of_row[rows]].T * posterior.weights_of(truth.corner, rows)
    by_level = np.bincount(axle.points.rust, np.clip(said.sum(axis=1), 0.0, None), len(posterior.rust_chance))
    return np.asarray(by_level / by_level.sum()) if by_level.sum() > 0 else posterior.rust_chance
