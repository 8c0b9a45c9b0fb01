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
from dataclasses import dataclass
from functools import lru_cache
from statistics import NormalDist

import numpy as np

from mesotrope.core.evidence import Dragging, Evidence, Graded, Tapered, Worn, shares_wheel
from mesotrope.core.findings import STAGES
from mesotrope.core.model import Fault, Knowledge
from mesotrope.core.space import (
    ANY_FAULT,
    DRAG_WEARS,
    FORE_AFT_VARIANCE,
    INNER,
    OUTER,
    RADIAL_VARIANCE,
    SPLIT_VARIANCE,
    CornerSpace,
    Floats,
    Ints,
    Space,
)
from mesotrope.core.specification import AxleSpecification, Specification

#: A suspect: (corner, or "" for the whole system; fault id).
Suspect = tuple[str, str]


@dataclass(frozen=True)
class AxleGrid:
    """The hidden figures that both corners of an axle share, as grids with their prior chances."""

    wear_mm: Floats
    wear_chance: Floats
    driveline_nm: Floats
    driveline_chance: Floats


def wear_grid_mm(knowledge: Knowledge, new_mm: float) -> Floats:
    """The grid of an axle's normal wear: the middles of equal steps from none to a whole lining, mm."""
    points = knowledge.wear.points
    return (np.arange(points) + 0.5) / points * new_mm


def axle_grid(
    knowledge: Knowledge, axle: AxleSpecification, km_since_fitted: float | None, usage: str | None
) -> AxleGrid:
    """Grid of an axle's normal wear (mm) and of its driveline's drag (N·m).

    The wear is anything from none to a whole lining, unless the distance since the pads were fitted is known:
    then it is log-normal about the usual rate for that use.
    """
    wear_mm = wear_grid_mm(knowledge, axle.pad_new_mm)
    wear_chance = np.full(len(wear_mm), 1 / len(wear_mm))
    if km_since_fitted and km_since_fitted > 0:
        rates = knowledge.wear_rate_mm_per_1000_km
        expected_mm = rates[usage or "mixed"] * km_since_fitted / 1000
        density = np.exp(-0.5 * (np.log(wear_mm / expected_mm) / rates["log_sd"]) ** 2) / wear_mm
        wear_chance = (density + 1e-6 * density.max()) / (density + 1e-6 * density.max()).sum()
    spread = knowledge.driveline.driven_nm if axle.driven else knowledge.driveline.undriven_nm
    count = knowledge.driveline.points
    quantiles = [NormalDist().inv_cdf((place + 0.5) / count) for place in range(count)]
    driveline_nm = spread.median * np.exp(spread.log_sd * np.array(quantiles))
    return AxleGrid(wear_mm, wear_chance, driveline_nm, np.full(count, 1 / count))


def drag_density(
    knowledge: Knowledge, evidence: Dragging, base_nm: Floats, other_nm: Floats, other_var: Floats
) -> Floats:
    """Density of the measured drag for each level, beside a base and another corner's drag on the same wheel.

    Shape (levels, broadcast of base, other). Log-normal about the sum of the medians, variances added to first
    order; a wheel held fast counts with the chance of at least that torque.
    """
    drag, measure = knowledge.drag, evidence.measure
    level_nm = np.array(drag.torque_nm).reshape(-1, *([1] * np.ndim(base_nm + other_nm)))
    level_var = (np.array(drag.torque_nm) * np.array(drag.torque_log_sd)).reshape(level_nm.shape) ** 2
    total = level_nm + base_nm + other_nm
    sd = np.sqrt((level_var + other_var) / total**2 + measure.log_sd**2)
    z = (math.log(measure.torque_nm) - np.log(total)) / sd
    if measure.held_fast:
        return 0.5 * np.vectorize(math.erfc)(z / math.sqrt(2)) + 1e-6
    return np.exp(-0.5 * z**2) / (sd * math.sqrt(2 * math.pi)) + 1e-4


@dataclass(frozen=True, eq=False)
class WearModel:
    """What wear each pattern, drag level and normal wear of the axle leads to, shape (patterns, levels, wear).

    The first pattern is that of a healthy corner. `row_pattern` tells which pattern each row has.
    """

    inner_mm: Floats
    outer_mm: Floats
    inner_var: Floats
    outer_var: Floats
    covariance: Floats
    fresh: Floats
    row_pattern: Ints
    misread: float


@lru_cache(maxsize=32)
def wear_model(space: CornerSpace, new_mm: float) -> WearModel:
    """Wear of inner and outer pad, mm, with variances: they share what the whole corner does, and differ by
    the split. Drag of the pads wears both faster; a lining cannot wear by more than its thickness."""
    wear, drag = space.knowledge.wear, space.knowledge.drag
    table, which = space.wear_patterns
    columns = [INNER, OUTER, SPLIT_VARIANCE, DRAG_WEARS, ANY_FAULT]
    patterns, again = np.unique(table[:, columns], axis=0, return_inverse=True)
    healthy = np.zeros((1, len(columns)))
    inner, outer, split_var, drag_wears, any_fault = np.concatenate([healthy, patterns]).T[:, :, None]
    level = drag_wears * np.array(drag.wear_log)
    common = wear.corner_log_sd**2 + drag_wears * np.array(drag.wear_log_sd) ** 2
    split = (wear.split_log_sd**2 + split_var) / 4
    wear_mm = wear_grid_mm(space.knowledge, new_mm)
    inner_mm = np.minimum(np.exp(wear.inner + inner + level)[:, :, None] * wear_mm, new_mm)
    outer_mm = np.minimum(np.exp(wear.outer + outer + level)[:, :, None] * wear_mm, new_mm)
    spread, between = (common + split)[:, :, None], (common - split)[:, :, None]
    return WearModel(
        inner_mm,
        outer_mm,
        inner_mm**2 * spread + wear.floor_mm**2,
        outer_mm**2 * spread + wear.floor_mm**2,
        inner_mm * outer_mm * between,
        (wear.fresh_onset * any_fault[1:])[:, :, None],
        again.reshape(-1)[which],
        wear.misread,
    )


@lru_cache(maxsize=64)
def _both_pads(model: WearModel, inner_sd: float, outer_sd: float) -> tuple[Floats, Floats, Floats, Floats]:
    """For gauge errors of both pads: the density's terms in x², xy and y², and its height."""
    inner_var, outer_var = model.inner_var + inner_sd**2, model.outer_var + outer_sd**2
    determinant = inner_var * outer_var - model.covariance**2
    return (
        -0.5 * outer_var / determinant,
        model.covariance / determinant,
        -0.5 * inner_var / determinant,
        1 / np.sqrt(4 * math.pi**2 * determinant),
    )


def wear_density(model: WearModel, worn: Worn, new_mm: float) -> Floats:
    """Density of the measured wear for each pattern, wear of the axle and drag level.

    Shape (patterns, wear, levels). A small share of readings is taken as misread, and a fault may be too fresh
    to show on the pads.
    """
    if worn.inner and worn.outer:
        xx, xy, yy, height = _both_pads(model, worn.inner.sd, worn.outer.sd)
        x, y = worn.inner.value - model.inner_mm, worn.outer.value - model.outer_mm
        density = height * np.exp((xx * x + xy * y) * x + yy * y * y)
        span = new_mm**2
    else:
        one = worn.inner or worn.outer
        assert one is not None
        mean, var = (model.inner_mm, model.inner_var) if worn.inner else (model.outer_mm, model.outer_var)
        var = var + one.sd**2
        density = np.exp(-0.5 * (one.value - mean) ** 2 / var) / np.sqrt(2 * math.pi * var)
        span = new_mm
    mixed = (1 - model.misread) * (1 - model.fresh) * density[1:]
    mixed += (1 - model.misread) * model.fresh * density[:1, :1] + model.misread / span
    return np.ascontiguousarray(mixed.transpose(0, 2, 1))


@lru_cache(maxsize=16)
def worn_by_row(space: CornerSpace, worn: Worn, new_mm: float) -> Floats:
    """Density of the measured wear by row, wear of the axle and drag level, times the level's chance."""
    model = wear_model(space, new_mm)
    density = wear_density(model, worn, new_mm)
    return density[model.row_pattern] * space.drag_chances[:, None, :]


def taper_density(knowledge: Knowledge, patterns: Floats, evidence: Tapered) -> Floats:
    """Density of the measured tapers for each pattern, shape (patterns,)."""
    wear = knowledge.wear
    along = evidence.direction == "fore_aft"
    mean = wear.lead_taper_mm if along else 0.0
    healthy_var = (wear.fore_aft_sd_mm if along else wear.radial_sd_mm) ** 2
    added = patterns[:, FORE_AFT_VARIANCE if along else RADIAL_VARIANCE]

    def density(variance: Floats) -> Floats:
        out = np.ones(len(patterns))
        for taper in evidence.tapers:
            total = variance + taper.sd**2
            out = out * np.exp(-0.5 * (taper.value - mean) ** 2 / total) / np.sqrt(2 * math.pi * total)
        return out

    fresh = wear.fresh_onset * patterns[:, ANY_FAULT]
    base = np.full(len(patterns), healthy_var)
    shown = (1 - fresh) * density(base + added) + fresh * density(base)
    return (1 - wear.misread) * shown + wear.misread / 10 ** len(evidence.tapers)


class CornerTable:
    """How likely what was found at one corner is, for each of its states and each point of the axle's grid.

    Evidence is taken in piece by piece with `take`; the drag and wear tie to the axle's grid.
    """

    def __init__(self, knowledge: Knowledge, space: CornerSpace, grid: AxleGrid, new_mm: float) -> None:
        self.knowledge = knowledge
        self.space = space
        self.grid = grid
        self.new_mm = new_mm
        self.product = np.ones(space.rows)
        self.worn: Floats | None = None
        self._drag: Floats = np.ones((len(knowledge.drag.levels), 1))
        self._joined: Floats | None = None

    @property
    def drag(self) -> Floats:
        """Density of the measured drag by drag level and drag point."""
        return self._drag

    @drag.setter
    def drag(self, density: Floats) -> None:
        self._drag, self._joined = density, None

    def take(self, item: Evidence) -> None:
        """Take in one piece of evidence of this corner; drag is set on `drag` by the axle."""
        patterns, row_pattern = self.space.wear_patterns
        if isinstance(item, Worn):
            self.worn = worn_by_row(self.space, item, self.new_mm)
            self._joined = None
        elif isinstance(item, Graded):
            self._multiply(self.space.chances(item.likelihood) @ item.emission)
        elif isinstance(item, Tapered):
            self._multiply(taper_density(self.knowledge, patterns, item)[row_pattern])

    def _multiply(self, factor: Floats) -> None:
        self.product = self.product * factor
        self.product = self.product / self.product.max()

    def rows(self, wear_points: int) -> Floats:
        """Likelihood by row and grid point times the mechanisms' shares, (rows, wear points × drag points), scaled."""
        if self._joined is None:
            if self.worn is None:
                joined = np.repeat((self.space.drag_chances @ self.drag)[:, None, :], wear_points, axis=1)
            else:
                joined = self.worn.reshape(-1, len(self.drag)) @ self.drag
            self._joined = self.space.share[:, None] * joined.reshape(self.space.rows, -1)
        return self.product[:, None] * self._joined

    def states(self, wear_points: int) -> Floats:
        """As `rows`, added up into states."""
        return self.space.add_up(self.rows(wear_points))


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
    ) -> None:
        self.knowledge = knowledge
        self.name = name
        self.corners = [corner for corner in space.axles[name] if corner]
        self.space = space.axle_spaces[name]
        axle = specification.axles[name]
        self.grid = axle_grid(knowledge, axle, km_since_fitted, usage)
        self.tables = {
            corner: CornerTable(knowledge, space.corners[corner], self.grid, axle.pad_new_mm) for corner in self.corners
        }
        self.evidence = [item for item in evidence if item.corner in self.corners]
        self.shared_wheel = len(self.corners) > 1 and shares_wheel(specification, self.corners[0])
        any_worn = any(isinstance(item, Worn) for item in self.evidence)
        any_drag = any(isinstance(item, Dragging) for item in self.evidence)
        self.wear_points = len(self.grid.wear_mm) if any_worn else 1
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
        self.grid_chance = (wear_chance[:, None] * drag_chance[None, :]).reshape(-1)

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

    def corner_states(self, corner: str) -> Floats:
        return self.tables[corner].states(self.wear_points)

    def states(self, by_corner: Mapping[str, Floats]) -> Floats:
        """Likelihood of every axle state from its corners' states, scaled to a greatest of 1."""
        left = by_corner[self.corners[0]] * self.grid_chance
        right = by_corner[self.corners[1]] if len(self.corners) > 1 else np.ones((1, left.shape[1]))
        out = self.space.pair(left, right)
        return out / out.max()


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
        self._axles = {
            name: AxleTable(knowledge, specification, space, name, evidence, km_since_fitted.get(name), usage)
            for name in space.axles
        }
        self._fresh = lambda name: AxleTable(
            knowledge, specification, space, name, evidence, km_since_fitted.get(name), usage
        )
        self._states = {}
        for name, axle in self._axles.items():
            for item in axle.evidence:
                axle.take(item)
            self._states[name] = axle.states({corner: axle.corner_states(corner) for corner in axle.corners})
        self._index = {"front": space.front, "rear": space.rear}
        weight = space.prior
        for name, states in self._states.items():
            weight = weight * states[self._index[name]]
        self.chance = weight / weight.sum()

    # -- chances of faults ------------------------------------------------------------------------------------

    def suspects(self) -> dict[Suspect, float]:
        """Marginal chance of every fault at every corner and of the system, and of no fault at each corner.

        No fault at a corner means that nothing is wrong there and no fault of the system reaches it.
        """
        out: dict[Suspect, float] = {}
        for name, axle in self._axles.items():
            out |= self._axle_suspects(axle, self._axle_states(name))
        by_set = np.bincount(self.space.system, self.chance, minlength=len(self.space.system_sets))
        return out | self._system_suspects(by_set @ self.space.system_members)

    def _axle_states(self, name: str) -> Floats:
        out: Floats = np.asarray(np.bincount(self._index[name], self.chance, len(self._states[name])), dtype=float)
        return out

    def _axle_suspects(self, axle: AxleTable, state_chance: Floats) -> dict[Suspect, float]:
        out: dict[Suspect, float] = {}
        for corner, index in zip(axle.corners, (axle.space.left, axle.space.right), strict=False):
            space = self.space.corners[corner]
            by_state = np.bincount(index, state_chance, minlength=space.states)
            chances = by_state @ space.state_faults
            out |= {(corner, fault.id): float(p) for fault, p in zip(space.faults, chances, strict=True)}
            nothing = (space.state_size == 0) & (space.state_variant == 0)
            out[corner, self.knowledge.none.id] = float(by_state[nothing].sum())
        return out

    def _system_suspects(self, chances: Floats) -> dict[Suspect, float]:
        return {("", f.id): float(p) for f, p in zip(self.space.system_faults, chances, strict=True)}

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
        rows = axle.tables[corner].rows(axle.wear_points) @ axle.grid_chance
        totals = space.add_up(rows[:, None])[:, 0]
        return rows * (by_state / np.where(totals > 0, totals, 1.0))[space.state_of_row]

    def mechanism(self, corner: str, fault: str) -> str:
        """The words of the mechanism that the findings fit best; nothing where they do not tell."""
        by_words: dict[str, float] = {}
        for parts, p in zip(self.space.corners[corner].parts, self.row_chances(corner), strict=True):
            for part, mechanism in parts:
                if part.id == fault and mechanism.words:
                    by_words[mechanism.words] = by_words.get(mechanism.words, 0.0) + float(p)
        if not by_words:
            return ""
        best = max(by_words, key=lambda words: by_words[words])
        return best if by_words[best] >= 0.6 * sum(by_words.values()) else ""

    def fit(self, item: Evidence) -> float:
        """How well a finding fits what is now believed of its corner: 1 as well as it could, 0 not at all.

        A finding that no fault would explain well (a small thing that just happens) fits by definition.
        """
        space = self.space.corners[item.corner]
        if isinstance(item, Graded):
            by_row = space.chances(item.likelihood) @ item.emission
        elif isinstance(item, Dragging) and not item.shared_wheel:
            axle = next(axle for axle in self._axles.values() if item.corner in axle.corners)
            by_row = space.drag_chances @ axle.tables[item.corner].drag.mean(axis=1)
        else:
            return 1.0
        best = by_row.max() / item.emission.max() if isinstance(item, Graded) else 1.0
        return float(self.row_chances(item.corner) @ by_row / by_row.max()) if best >= 0.4 else 1.0

    # -- what each finding says -------------------------------------------------------------------------------

    def story(self) -> list[Step]:
        """What each finding did, taken in the order of the work.

        A suspect's weights add up exactly: from its log-odds with everything found elsewhere on the vehicle to
        its posterior log-odds. The weight of one finding is then the step it made.
        """
        return [step for name in self._axles for step in self._axle_story(name)]

    def _axle_story(self, name: str) -> list[Step]:
        axle, index = self._fresh(name), self._index[name]
        elsewhere = self.space.prior
        for other, states in self._states.items():
            if other != name:
                elsewhere = elsewhere * states[self._index[other]]
        size = len(axle.space.left)
        message = np.bincount(index, elsewhere, minlength=size)
        system = [np.bincount(index[held], elsewhere[held], minlength=size) for held in self.space.with_system_fault]
        by_corner = {corner: axle.corner_states(corner) for corner in axle.corners}

        def now() -> dict[Suspect, float]:
            states = axle.states(by_corner)
            total = float(states @ message)
            chances = np.array([states @ column for column in system]) / total
            return self._axle_suspects(axle, states * message / total) | self._system_suspects(chances)

        steps, before = [], now()
        for items in _side_by_side(axle.evidence, self.knowledge):
            touched: set[str] = set()
            for item in items:
                axle.take(item)
                shared = axle.shared_wheel and isinstance(item, Dragging)
                touched |= set(axle.corners) if shared else {item.corner}
            for corner in touched:
                by_corner[corner] = axle.corner_states(corner)
            after = now()
            steps.append(Step(items, before, after))
            before = after
        return steps


def _side_by_side(evidence: Sequence[Evidence], knowledge: Knowledge) -> list[tuple[Evidence, ...]]:
    """The same finding of both sides together, in the order of the work: sides are compared, not queued."""
    groups: dict[tuple[object, ...], list[Evidence]] = {}
    for item in evidence:
        key = item.likelihood.key if isinstance(item, Graded) else getattr(item, "direction", "")
        groups.setdefault((type(item), key), []).append(item)

    rows = {likelihood.key: number for number, likelihood in enumerate(knowledge.likelihoods)}

    def order(items: list[Evidence]) -> tuple[int, int, str]:
        first = items[0]
        field = next(f for f in knowledge.corner_fields if f.key.split(".")[0] == first.finding)
        row = rows[first.likelihood.key] if isinstance(first, Graded) else -1
        return STAGES.index(field.stage), row, type(first).__name__

    return [tuple(items) for items in sorted(groups.values(), key=order)]


@dataclass(frozen=True, eq=False)
class Step:
    """The same finding at one or both corners of an axle, with the chances of the suspects before and after."""

    evidence: tuple[Evidence, ...]
    before: Mapping[Suspect, float]
    after: Mapping[Suspect, float]

    def weight(self, suspect: Suspect) -> float:
        """Decibans for (or, below zero, against) a suspect."""
        return decibans(self.after[suspect], self.before[suspect]) if suspect in self.after else 0.0

    def said_at(self, corner: str) -> Evidence | None:
        """The evidence to quote for a suspect at `corner`: its own, or its partner's where they are compared.

        For the whole system, any. None where this step does not bear on that corner.
        """
        own = [item for item in self.evidence if item.corner == corner]
        compared = [item for item in self.evidence if isinstance(item, Worn | Dragging)]
        found = own or compared or ([] if corner else list(self.evidence))
        return found[0] if found else None


def speaks_to(item: Evidence, fault: Fault) -> bool:
    """Whether a piece of evidence bears on a fault by itself, not only by what it says of its rivals."""
    if isinstance(item, Graded):
        return any(item.likelihood.row(fault.id, mechanism.id) for mechanism in fault.mechanism)
    if isinstance(item, Tapered):
        column = "fore_aft_sd_mm" if item.direction == "fore_aft" else "radial_sd_mm"
        return any(getattr(mechanism, column) for mechanism in fault.mechanism)
    return any(mechanism.drag for mechanism in fault.mechanism)


def decibans(chance: float, chance_without: float) -> float:
    """Weight of evidence: how far a finding moved a suspect's odds, in decibans (tenths of a power of ten).

    Source: Good 1950 (from memory).

    >>> round(decibans(10 / 11, 1 / 2), 6)
    10.0
    """

    def log_odds(p: float) -> float:
        p = min(max(p, 1e-12), 1 - 1e-12)
        return 10 * math.log10(p / (1 - p))

    return log_odds(chance) - log_odds(chance_without)
