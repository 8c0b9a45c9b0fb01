"""How likely measured figures are: drag, warmth, wear and taper, by what the faults of a corner do to them.

Gauge uncertainty is inside every density. The figures that both corners of an axle share (its normal wear, its
driveline's drag) stand on a fixed grid; so does, at each corner, how long its faults have been there.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from statistics import NormalDist

import numpy as np

from mesotrope.core.evidence.pieces import Dragging, Tapered, Warm
from mesotrope.core.evidence.specification import Specification
from mesotrope.core.inference.wear_patterns import WearPatterns
from mesotrope.core.language.arrays import Floats, Ints
from mesotrope.core.language.corner import Axle
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.quantity import Measure
from mesotrope.core.language.worn import FaultAge, Wear
from mesotrope.core.physics.wear import worn_by_drag_mm

#: What is left of the likeliest wear where the distance is wrong: any wear may be there then.
WRONG_DISTANCE = 1e-8


@dataclass(frozen=True)
class AxleGrid:
    """The hidden figures that both corners of an axle share, as grids with their prior chances."""

    wear_mm: Floats
    wear_chance: Floats
    driveline_nm: Floats
    driveline_chance: Floats


@dataclass(frozen=True)
class Driven:
    """How far and how an axle's pads have come: km where known, mm per 1 000 km, and what the drag works on.

    `torque_nm` is that of each level of drag on the road.
    """

    km: float | None
    rate_mm_per_1000_km: float
    new_mm: float
    pad_area_mm2: float
    wheel_radius_mm: float
    torque_nm: tuple[float, ...]

    @classmethod
    def of(
        cls,
        knowledge: Knowledge,
        specification: Specification,
        axle: Axle,
        km: Mapping[Axle, float | None],
        usage: str | None,
    ) -> Driven:
        build, gone_km = specification.axles[axle], km.get(axle)
        return cls(
            gone_km if gone_km and gone_km > 0 else None,
            knowledge.wear_rate_mm_per_1000_km[usage or "mixed"],
            build.pad_new_mm,
            build.pad_length_mm * build.pad_height_mm * knowledge.wear.pad_filled,
            specification.wheel_radius_mm,
            tuple(drag_scale(knowledge, specification) * nm for nm in knowledge.drag.on_the_road_nm),
        )


def level_torques_nm(knowledge: Knowledge, specification: Specification) -> Floats:
    """What each level of drag is on this vehicle, N·m: a hand-spun wheel tells torque over inertia, so levels that a
    hand tells apart scale with the wheel. Source: [physics]."""
    return np.array(knowledge.drag.torque_nm) * drag_scale(knowledge, specification)


def drag_scale(knowledge: Knowledge, specification: Specification) -> float:
    """This wheel's inertia over that of the wheel that the levels are given for."""
    return specification.wheel_inertia_kg_m2 / knowledge.drag.of_inertia_kg_m2


def wear_grid_mm(knowledge: Knowledge, new_mm: float) -> Floats:
    """The grid of an axle's normal wear: the middles of equal steps from none to a whole lining, mm."""
    points = knowledge.wear.points
    return (np.arange(points) + 0.5) / points * new_mm


def axle_grid(knowledge: Knowledge, specification: Specification, axle: Axle, driven: Driven) -> AxleGrid:
    """Grid of an axle's normal wear (mm) and of its driveline's drag (N·m).

    The wear is anything from none to a whole lining, unless the distance since the pads were fitted is known:
    then it is log-normal about the usual rate for that use.
    """
    wear_mm = wear_grid_mm(knowledge, driven.new_mm)
    wear_chance = np.full(len(wear_mm), 1 / len(wear_mm))
    if driven.km:
        expected_mm = driven.rate_mm_per_1000_km * driven.km / 1000
        spread_log = knowledge.wear_rate_mm_per_1000_km["log_sd"]
        density = np.exp(-0.5 * (np.log(wear_mm / expected_mm) / spread_log) ** 2) / wear_mm
        density += WRONG_DISTANCE * density.max()
        wear_chance = density / density.sum()
    known = knowledge.driveline
    spread = known.driven_nm if specification.axles[axle].driven else known.undriven_nm
    quantiles = [NormalDist().inv_cdf((place + 0.5) / known.points) for place in range(known.points)]
    driveline_nm = drag_scale(knowledge, specification) * spread.median * np.exp(spread.log_sd * np.array(quantiles))
    return AxleGrid(wear_mm, wear_chance, driveline_nm, np.full(known.points, 1 / known.points))


def drag_density(
    knowledge: Knowledge, torque_nm: Floats, evidence: Dragging, base_nm: Floats, other_nm: Floats, other_log_sd: Floats
) -> Floats:
    """Density of the measured drag for each level, beside a base and another corner's drag on the same wheel.

    torque_nm : of the levels. Shape (levels, broadcast of base, other). Log-normal about the sum of the medians,
    variances added to first order; a wheel held fast counts with the chance of at least that torque. What the inertia
    adds to a reading is the same at every wheel: it blurs what a level is, not how wheels differ.
    """
    drag, measure = knowledge.drag, evidence.measure
    level_nm = torque_nm.reshape(-1, *([1] * np.ndim(base_nm + other_nm)))
    level_log_sd = np.array(drag.torque_log_sd).reshape(level_nm.shape)
    level_var, other_var = (
        (nm * np.hypot(log_sd, measure.shared_log_sd)) ** 2
        for nm, log_sd in ((level_nm, level_log_sd), (other_nm, other_log_sd))
    )
    total = level_nm + base_nm + other_nm
    sd = np.sqrt((level_var + other_var) / total**2 + measure.own_log_sd**2)
    z = (math.log(measure.torque_nm) - np.log(total)) / sd
    if measure.held_fast:
        at_least: Floats = 0.5 * np.vectorize(math.erfc)(z / math.sqrt(2)) + 1e-6
        return at_least
    density: Floats = np.exp(-0.5 * z**2) / (sd * math.sqrt(2 * math.pi)) + 1e-4
    return density


def warmth_density(knowledge: Knowledge, evidence: Warm) -> Floats:
    """Density of a hub's temperature rise for each drag level, shape (levels,)."""
    known = knowledge.warmth

    def at(beyond_k: float, sd_k: float) -> Floats:
        sd = np.hypot(np.array(known.rise_sd_k), sd_k)
        z = (beyond_k - np.array(known.rise_k)) / sd
        return np.asarray(np.exp(-0.5 * z**2) / (sd * math.sqrt(2 * math.pi)))

    usual = at(evidence.rise_k - evidence.usual_k, evidence.sd_k) + 2e-5
    hard = evidence.driven_hard
    return usual if not hard else (1 - hard) * usual + hard * at(evidence.beyond_k, known.driven_hard_sd_k)


@dataclass(frozen=True, eq=False)
class WearModel:
    """What both pads wear to, by drag level, onset and pattern. An *onset* is a normal wear of the axle and how long
    the fault has been there: all ages at which it has been there as long as the pads are one.

    Every figure of shape (levels, onsets, patterns), mm and mm². `meanwhile_mm` is what a pad has lost since the fault
    began, once for all patterns that are alike to tapers. wear : which of the axle's grid, of every onset; chance : of
    the onsets of every wear, shape (levels, wears, onsets).
    """

    inner_mm: Floats
    outer_mm: Floats
    inner_var: Floats
    outer_var: Floats
    covariance: Floats
    meanwhile_mm: Floats
    wear: Ints
    chance: Floats


#: As many models are remembered, each of some 5 MB: of the axles that were worked at last.
MOST_MODELS = 4


@lru_cache(maxsize=MOST_MODELS)
def _model(patterns: WearPatterns, wear_key: _WearKey, driven: Driven) -> WearModel:
    knowledge = wear_key.knowledge
    drag, base_mm = knowledge.drag, wear_grid_mm(knowledge, driven.new_mm)
    usual_km = 1000 * base_mm / driven.rate_mm_per_1000_km
    gone_km = np.full_like(base_mm, driven.km) if driven.km else usual_km  # of the pads, by the axle's normal wear
    wear, since_km, chance = _onsets(knowledge.age, gone_km)
    gone_km, base_mm = gone_km[wear, None], base_mm[wear, None]
    since = np.where(patterns.from_new > 0, 1.0, since_km[:, None] / gone_km)  # (onsets, patterns)
    km = since * gone_km
    figures = np.empty((5, len(drag.levels), *since.shape))
    lost_mm = np.empty((len(drag.levels), len(wear), len(patterns.taper_first)))
    for level, here in enumerate(figures.swapaxes(0, 1)):  # one after the other: each is small enough to stay near
        torque_nm = driven.torque_nm[level] * drag.heat[level] if drag.wears[level] else 0.0
        by_drag = worn_by_drag_mm(
            np.array(torque_nm), km, driven.wheel_radius_mm, driven.pad_area_mm2, knowledge.wear.mm3_per_mj
        )
        by_drag *= patterns.drags
        before, since_then = base_mm * (1 - since), base_mm * since * drag.brakes[level]
        here[:] = _worn_at(knowledge.wear, patterns, before, since_then, by_drag, driven.new_mm)
        lost_mm[level] = (since_then + by_drag)[:, patterns.taper_first]
    meanwhile_mm = np.minimum(lost_mm, driven.new_mm) * patterns.acts[patterns.taper_first]
    inner, outer, inner_var, outer_var, covariance = figures
    return WearModel(inner, outer, inner_var, outer_var, covariance, meanwhile_mm, wear, chance)


def _onsets(age: FaultAge, gone_km: Floats) -> tuple[Ints, Floats, Floats]:
    """The onsets of a `WearModel`: at which wear each is, how long the fault has been there, km, and their chances.

    gone_km : how far the pads have come, at every wear.
    """
    age_km = np.minimum(np.array(age.km), gone_km[:, None])  # (wears, ages), rising
    first = np.diff(age_km, axis=1, prepend=0.0) > 0
    onset = (first.cumsum() - 1).reshape(first.shape)
    chance = np.zeros((len(age.chances), len(gone_km), int(first.sum())))
    for chances, onset_of_wear in zip(np.array(age.chances).T, onset.T, strict=True):
        chance[:, np.arange(len(gone_km)), onset_of_wear] += chances[:, None]
    return first.nonzero()[0], age_km[first], chance


def _worn_at(
    wear: Wear, patterns: WearPatterns, before: Floats, meanwhile: Floats, by_drag: Floats, new_mm: float
) -> tuple[Floats, ...]:
    """The figures of a `WearModel` at one level of drag, of shape (onsets, patterns): from what braking wore until
    the fault began, and has since, and what the drag wore, mm."""

    def pad(usual: float, of_fault: Floats, share: Floats) -> tuple[Floats, Floats]:
        dragged = 2 * share * by_drag
        return np.exp(usual) * (before + meanwhile * np.exp(of_fault)) + dragged, dragged

    inner, inner_dragged = pad(wear.inner, patterns.inner, patterns.inner_share)
    outer, outer_dragged = pad(wear.outer, patterns.outer, 1 - patterns.inner_share)
    lost = meanwhile + by_drag
    split = ((wear.split_log_sd * (before + meanwhile)) ** 2 + (patterns.split_sd * lost) ** 2) / 4
    drag_sd = wear.by_drag_relative_sd
    inner, outer = np.minimum(inner, new_mm), np.minimum(outer, new_mm)
    common = wear.corner_log_sd**2
    floor = wear.floor_mm**2
    return (
        inner,
        outer,
        common * inner**2 + (drag_sd * inner_dragged) ** 2 + split + floor,
        common * outer**2 + (drag_sd * outer_dragged) ** 2 + split + floor,
        common * inner * outer + drag_sd**2 * inner_dragged * outer_dragged - split,
    )


class _WearKey:
    """Lets a cache tell what is known of wear apart by identity."""

    def __init__(self, knowledge: Knowledge) -> None:
        self.knowledge = knowledge

    def _parts(self) -> tuple[object, ...]:
        known = self.knowledge
        return known.wear, known.drag, known.age

    def __hash__(self) -> int:
        return hash(tuple(map(id, self._parts())))

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _WearKey) and all(a is b for a, b in zip(self._parts(), other._parts(), strict=True))


def wear_model(knowledge: Knowledge, patterns: WearPatterns, driven: Driven) -> WearModel:
    """Wear of inner and outer pad, with variances: they share what the whole corner does, and differ by the split.

    Braking wears both as the axle wears; what drags wears them beside that, by its work (Archard), since the fault
    began; a lining cannot wear by more than its thickness. Source: [archard].
    """
    return _model(patterns, _WearKey(knowledge), driven)


#: A logarithm of a density that is nothing beside the share of readings that are misread: of much less, numpy's
#: exponential takes nine times as long.
NOTHING = -600.0


def wear_density(
    model: WearModel, inner: Measure | None, outer: Measure | None, misread: float, new_mm: float
) -> Floats:
    """Density of the measured wear of one pad or both for each cell of the model, with the small share of readings that
    are misread."""
    pads = 2 if inner and outer else 1
    out = np.empty(model.inner_mm.shape)
    for level, density in enumerate(out):  # one after the other: each is small enough to stay near
        off, var = _off(model, level, inner, outer)
        off *= -0.5
        if off.min() < NOTHING:
            np.maximum(off, NOTHING, out=off)
        np.exp(off, out=density)
        var *= (2 * math.pi) ** pads / (1 - misread) ** 2
        density /= np.sqrt(var, out=var)
        density += misread / new_mm**pads
    return out


def _off(model: WearModel, level: int, inner: Measure | None, outer: Measure | None) -> tuple[Floats, Floats]:
    """At one level of drag, how far off what was measured is: its squares over their variance, and the variance; of
    both pads the determinant of theirs."""
    if inner and outer:
        inner_var, outer_var = model.inner_var[level] + inner.sd**2, model.outer_var[level] + outer.sd**2
        x, y = model.inner_mm[level] - inner.value, model.outer_mm[level] - outer.value
        var, off = inner_var * outer_var, outer_var * x
        var -= model.covariance[level] ** 2
        off -= 2 * model.covariance[level] * y
        off *= x
        y *= y
        y *= inner_var
        off += y
    elif inner:
        var, off = model.inner_var[level] + inner.sd**2, (model.inner_mm[level] - inner.value) ** 2
    else:
        assert outer is not None
        var, off = model.outer_var[level] + outer.sd**2, (model.outer_mm[level] - outer.value) ** 2
    off /= var
    return off, var


def taper_density(knowledge: Knowledge, patterns: WearPatterns, model: WearModel, evidence: Tapered) -> Floats:
    """Density of the measured tapers for each cell of the model."""
    return taper_densities(knowledge, patterns, model, evidence).take(patterns.taper_case, axis=2)


def taper_densities(knowledge: Knowledge, patterns: WearPatterns, model: WearModel, evidence: Tapered) -> Floats:
    """The same once for all patterns that are alike to tapers. Each pad is misread by itself, if it is.

    A taper is a difference of wear: a new pad has none, and what is usual and what a fault adds grow with what the pad
    has worn, and has worn since the fault began.
    """
    wear = knowledge.wear
    along = evidence.direction == "fore_aft"
    usual_sd = wear.fore_aft if along else wear.radial
    added = (patterns.fore_aft if along else patterns.radial)[patterns.taper_first] * model.meanwhile_mm
    out = np.ones(added.shape)
    for taper, worn_mm, misread in zip(evidence.tapers, evidence.worn_mm, evidence.misread, strict=True):
        worn = max(worn_mm, 0.0)
        mean = wear.lead_taper * worn if along else 0.0
        total = wear.taper_floor_mm**2 + (usual_sd * worn) ** 2 + added**2 + taper.sd**2
        read = np.exp(-0.5 * (taper.value - mean) ** 2 / total) / np.sqrt(2 * math.pi * total)
        out = out * ((1 - misread) * read + misread / wear.misread_tapers_mm)
    return out


def over_ages(model: WearModel, density: Floats) -> Floats:
    """A density of the cells, summed over how long the fault has been there: shape (levels, wears, patterns)."""
    return np.asarray(model.chance @ density)
