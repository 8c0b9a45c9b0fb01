"""Figures of wear and drag that closed cases teach: asymmetry, its spread, taper, the torques of the drag's levels.

Each is taught by how the likelihood of what was measured, with what was found there, changes with the figure: its
first and second derivative at the expert's add up over cases, and with a normal prior about the expert's they give a
normal posterior. So the order of the cases does not matter, and none leaves the expert's figure.

Source: the quadratic approximation of a likelihood, [laplace].
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, partial, reduce
from typing import Any

import numpy as np

from mesotrope.core.evidence.pieces import Dragging, Tapered, Worn
from mesotrope.core.inference.corner_space import part_key
from mesotrope.core.inference.corner_table import FoundAtCorner
from mesotrope.core.inference.densities import (
    WearModel,
    drag_density,
    over_ages,
    taper_density,
    wear_density,
    wear_model,
)
from mesotrope.core.inference.posterior import Posterior
from mesotrope.core.inference.wear_patterns import WearPatterns, wear_patterns
from mesotrope.core.language.arrays import Floats
from mesotrope.core.language.corner import Corner
from mesotrope.core.language.faults import Mechanism
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.worn import Wear

#: What may be learnt of a mechanism or of healthy pads: the difference of the logs of inner and outer wear; and by how
#: much (as a log) the spread between the pads, and that of each taper, is wider.
TILT, SPLIT, FORE_AFT, RADIAL = "tilt", "split", "fore_aft", "radial"

#: The healthy pads, and the drag's torques, among the parts that figures belong to.
USUAL, TORQUE, DRIVELINE = "usual", "torque", "driveline"

#: How far the figures are believed to lie from the expert's, as a standard deviation; and the step of the derivative.
PRIOR_SD, STEP = {TILT: 0.15, SPLIT: 0.3, FORE_AFT: 0.3, RADIAL: 0.3, TORQUE: 0.25, DRIVELINE: 0.25}, 0.1


#: How likely what was found is, with a figure moved by so much.
Likely = Callable[[float], float]


@dataclass(frozen=True)
class Truth:
    """The rows of a corner that hold exactly what was found there, with their chances."""

    corner: Corner
    weights: Mapping[int, float]


def figure_key(part: str, what: str) -> str:
    return f"{part}:{what}"


def moved(way: Mechanism, what: str, by: float) -> Mechanism:
    """A mechanism with one of its figures moved."""
    if what == TILT:
        return way.model_copy(update={"inner": way.inner + by / 2, "outer": way.outer - by / 2})
    name = "split_sd" if what == SPLIT else what
    return way.model_copy(update={name: getattr(way, name) * math.exp(by)})


def moved_usual(wear: Wear, what: str, by: float) -> Wear:
    """Healthy pads with one of their figures moved."""
    if what == TILT:
        return wear.model_copy(update={"inner": wear.inner + by / 2, "outer": wear.outer - by / 2})
    name = "split_log_sd" if what == SPLIT else what
    return wear.model_copy(update={name: getattr(wear, name) * math.exp(by)})


def learnt_figure(told: tuple[float, float, float], what: str, worth: float = 1.0) -> tuple[float, float]:
    """What was learnt of a figure: by how much it lies off the expert's, and how surely, one standard deviation.

    worth : by how much more than usual the expert's figure is trusted.

    >>> learnt_figure((0, 0, 0), TILT)
    (0.0, 0.15)
    >>> [round(x, 3) for x in learnt_figure((50, 40.0, 400.0), TILT)]
    [0.09, 0.047]
    """
    _, slope, bend = told
    sd = PRIOR_SD[what]
    precision = max(bend, 0.0) + worth / sd**2
    return max(-2 * sd, min(2 * sd, slope / precision)), precision**-0.5


def figures_told(posterior: Posterior, truth: Truth) -> dict[str, tuple[float, float, float]]:
    """What one corner tells of each figure, by its key."""
    return dict(_Told(posterior, truth).all())


@dataclass(frozen=True)
class _Pads:
    """What some figures of wear make of a corner's pads, row by row."""

    knowledge: Knowledge
    patterns: WearPatterns
    model: WearModel

    def worn(self, items: Sequence[Worn], new_mm: float) -> Floats:
        """How likely the measured wear is, by level, onset and row."""
        cells = [wear_density(self.model, *item.weighs, new_mm) for item in items]
        return self._by_row(reduce(np.multiply, cells, np.ones(self.model.inner_mm.shape)))

    def tapered(self, item: Tapered) -> Floats:
        """The same of tapers in one direction."""
        return self._by_row(taper_density(self.knowledge, self.patterns, self.model, item))

    def _by_row(self, density: Floats) -> Floats:
        return density.take(self.patterns.of_row, axis=2)


class _Told:
    """One corner with what was found there and was there: how likely that is under figures that are moved."""

    def __init__(self, posterior: Posterior, truth: Truth) -> None:
        self.knowledge: Knowledge = posterior.knowledge
        self.space = posterior.space.corners[truth.corner]
        self.axle = posterior.axles[truth.corner.axle]
        self.table = self.axle.tables[truth.corner]
        self.found: FoundAtCorner = self.axle.found(truth.corner)
        self.specification = posterior.specification
        here = [item for item in posterior.evidence if item.corner == truth.corner]
        self.worn = [item for item in here if isinstance(item, Worn)]
        self.tapered = [item for item in here if isinstance(item, Tapered)]
        self.dragging = [item for item in here if isinstance(item, Dragging) and not item.shared_wheel]
        self.rows = list(truth.weights)
        self.parts = [(*self.space.parts[row], *self.space.visitors(row)) for row in self.rows]
        self.distinct = {part_key(part): part[1] for parts in self.parts for part in parts}
        self.membership = np.array(
            [[float(key in {part_key(part) for part in parts}) for key in self.distinct] for parts in self.parts]
        ).reshape(len(self.rows), len(self.distinct))
        points = self.axle.points
        of_rust = self.space.at_prior(self.found.by_row)  # (levels of rust, rows)
        said = posterior.said_of(truth.corner)[self.space.kind_of_row[self.rows]]
        self.row_point = said * of_rust[points.rust][:, self.rows].T  # (rows, points)
        self.by_level = self.found.by_level[:, self.rows]  # (levels, rows)

    def all(self) -> Iterator[tuple[str, tuple[float, float, float]]]:
        aged = self._aged(self._usual) if self.found.pads else None
        here = self._likely(self._levels(self.found.drag), aged)
        for key, likely in (*self._of_wear(), *self._of_drag(aged)):
            if told := _derivatives(likely, here):
                yield key, told

    def _of_wear(self) -> Iterator[tuple[str, Likely]]:
        """The figures that wear and taper may teach here: of the one part that wears pads in every row, or of healthy
        pads where none does."""
        level = self._levels(self.found.drag)
        acting = [[part_key(part) for part in parts if _wears(part[1])] for parts in self.parts]
        what = [TILT, SPLIT] if any(item.inner and item.outer for item in self.worn) else []
        what += [item.direction for item in self.tapered]
        if not any(acting):
            for one in what:
                yield figure_key(USUAL, one), partial(self._with_usual, level, one)
        elif all(len(parts) == 1 for parts in acting):
            for key in {parts[0] for parts in acting}:
                for one in what:
                    if one in (TILT, SPLIT) or getattr(self.distinct[key], one):
                        yield figure_key(key, one), partial(self._with_part, level, key, one)

    def _with_usual(self, level: Floats, what: str, by: float) -> float:
        wear = moved_usual(self.knowledge.wear, what, by)
        if what in (TILT, SPLIT):
            return self._likely(level, self._aged(self._pads(wear, self.distinct)))
        knowledge = self.knowledge.model_copy(update={"wear": wear})  # a taper's spread is no part of the wear itself
        return self._likely(level, self._aged(replace(self._usual, knowledge=knowledge), what))

    def _with_part(self, level: Floats, key: str, what: str, by: float) -> float:
        ways = self.distinct | {key: moved(self.distinct[key], what, by)}
        pads = self._pads(self.knowledge.wear, ways)
        return self._likely(level, self._aged(pads) if what in (TILT, SPLIT) else self._aged(pads, what))

    def _of_drag(self, aged: Floats | None) -> Iterator[tuple[str, Likely]]:
        """The figures that the spun wheel may teach: the torque of each level that is more than the driveline's, which
        is taught where nothing drags."""
        if not self.dragging:
            return
        drag = self.knowledge.drag
        for number, level in enumerate(drag.levels):
            if number >= drag.first_felt and self.by_level[number].max() > 0.02:
                here = (np.arange(len(drag.levels)) == number).astype(float)
                yield figure_key(TORQUE, level), partial(self._with_drag, aged, here, 0.0)
        if not any(part[1].drag for parts in self.parts for part in parts):
            driven = "driven" if self.specification.axles[self.axle.name].driven else "undriven"
            yield figure_key(DRIVELINE, driven), partial(self._with_drag, aged, np.zeros(len(drag.levels)), 1.0)

    def _with_drag(self, aged: Floats | None, levels: Floats, driveline: float, by: float) -> float:
        torque_nm = self.axle.torque_nm * np.exp(by * levels)
        base_nm = self.axle.grid.driveline_nm * math.exp(by * driveline)
        nothing = np.zeros(1)
        drag = drag_density(self.knowledge, torque_nm, self.dragging[0], base_nm, nothing, nothing)
        return self._likely(self._levels(drag), aged)

    def _levels(self, drag: Floats) -> Floats:
        """Weight of each row by level and wear, the pads aside: shape (rows, levels, wears)."""
        points = self.axle.points
        by_point = (drag * self.found.held[:, None])[:, points.drags]  # (levels, points)
        wears = np.eye(int(points.wears.max()) + 1)[points.wears]
        return np.asarray(np.einsum("rp,lp,pw,lr->rlw", self.row_point, by_point, wears, self.by_level, optimize=True))

    def _pads(self, wear: Wear, mechanisms: Mapping[str, Mechanism]) -> _Pads:
        knowledge = self.knowledge if wear is self.knowledge.wear else self.knowledge.model_copy(update={"wear": wear})
        patterns = wear_patterns(self.membership, list(mechanisms.values()))
        return _Pads(knowledge, patterns, wear_model(knowledge, patterns, self.table.driven))

    @cached_property
    def _usual(self) -> _Pads:
        """The pads by the expert's figures."""
        return self._pads(self.knowledge.wear, self.distinct)

    @cached_property
    def _worn_as_usual(self) -> Floats:
        return self._usual.worn(self.worn, self.table.driven.new_mm)

    @cached_property
    def _tapered_as_usual(self) -> dict[str, Floats]:
        return {item.direction: self._usual.tapered(item) for item in self.tapered}

    def _aged(self, pads: _Pads, direction: str = "") -> Floats:
        """How likely the measured pads are, by level, wear and row. direction : of the tapers, where only theirs was
        moved; else the wear was, which the tapers do not follow."""
        if direction:
            worn = self._worn_as_usual
            moved_tapers = {item.direction: pads.tapered(item) for item in self.tapered if item.direction == direction}
            tapers = self._tapered_as_usual | moved_tapers
        else:
            worn = self._worn_as_usual if pads is self._usual else pads.worn(self.worn, self.table.driven.new_mm)
            tapers = self._tapered_as_usual
        return over_ages(self._usual.model, reduce(np.multiply, tapers.values(), worn))

    def _likely(self, level: Floats, aged: Floats | None) -> float:
        if aged is None or level.shape[2] == 1:
            return float(level.sum())
        return float(np.einsum("rlw,lwr->", level, aged))


def _wears(way: Mechanism) -> bool:
    """Whether a mechanism does anything to the pads' wear."""
    return bool(way.drag or way.inner or way.outer or way.fore_aft or way.radial or way.split_sd)


def _derivatives(likely: Likely, here: float) -> tuple[float, float, float] | None:
    """One corner, slope and bend of the log likelihood; None where it cannot be told. here : at the expert's figure."""
    values = [likely(-STEP), here, likely(STEP)]
    if not all(math.isfinite(value) and value > 0 for value in values):
        return None
    low, middle, high = map(math.log, values)
    return 1.0, (high - low) / (2 * STEP), -(high - 2 * middle + low) / STEP**2


def with_figures(knowledge: Knowledge, figures: Mapping[str, tuple[float, float, float]], worth: float) -> Knowledge:
    """The knowledge with figures moved by what was learnt."""
    by = {key: learnt_figure(told, kind_of_figure(key), worth)[0] for key, told in figures.items()}
    wear, drag, driveline = knowledge.wear, knowledge.drag, knowledge.driveline
    for what in (TILT, SPLIT, FORE_AFT, RADIAL):
        if shift := by.get(figure_key(USUAL, what)):
            wear = moved_usual(wear, what, shift)
    factors = [math.exp(by.get(figure_key(TORQUE, level), 0.0)) for level in drag.levels]
    torques = tuple(nm * factor for nm, factor in zip(drag.torque_nm, factors, strict=True))
    for driven in ("driven", "undriven"):
        if shift := by.get(figure_key(DRIVELINE, driven)):
            spread = getattr(driveline, f"{driven}_nm")
            wider = spread.model_copy(update={"median": spread.median * math.exp(shift)})
            driveline = driveline.model_copy(update={f"{driven}_nm": wider})

    def ways(fault: Any) -> Any:
        out = []
        for way in fault.mechanism:
            for what in (TILT, SPLIT, FORE_AFT, RADIAL):
                if shift := by.get(figure_key(part_key((fault, way)), what)):
                    way = moved(way, what, shift)
            out.append(way)
        return fault.model_copy(update={"mechanism": tuple(out)})

    return knowledge.model_copy(
        update={
            "faults": tuple(ways(fault) for fault in knowledge.faults),
            "wear": wear,
            "drag": drag.model_copy(update={"torque_nm": torques}),
            "driveline": driveline,
        }
    )


def kind_of_figure(key: str) -> str:
    """Which kind of figure a key names: its prior is of the kind."""
    part, _, what = key.rpartition(":")
    return part if part in (TORQUE, DRIVELINE) else what


def is_figure(key: str, knowledge: Knowledge) -> bool:
    """Whether a key names a figure of the knowledge."""
    part, _, what = key.rpartition(":")
    if part == TORQUE:
        return what in knowledge.drag.levels[knowledge.drag.first_felt :]
    if part == DRIVELINE:
        return what in ("driven", "undriven")
    known = part == USUAL or part.partition("/")[0] in knowledge.fault
    return known and what in (TILT, SPLIT, FORE_AFT, RADIAL)
