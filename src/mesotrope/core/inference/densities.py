"""How likely measured figures are: drag, wear and taper, by what the faults of a corner do to them.

Gauge uncertainty is inside every density. The figures that both corners of an axle share (its normal wear, its
driveline's drag) stand on a fixed grid.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from statistics import NormalDist

import numpy as np

from mesotrope.core.evidence.pieces import Dragging, Tapered, Warm, Worn
from mesotrope.core.evidence.specification import AxleSpecification
from mesotrope.core.inference.corner_space import ANY_FAULT, DRAG_WEARS, INNER, OUTER, SPLIT_VARIANCE, CornerSpace
from mesotrope.core.language.arrays import UNCHECKED, Floats, Ints
from mesotrope.core.language.knowledge import Knowledge


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
        at_least: Floats = 0.5 * np.vectorize(math.erfc)(z / math.sqrt(2)) + 1e-6
        return at_least
    density: Floats = np.exp(-0.5 * z**2) / (sd * math.sqrt(2 * math.pi)) + 1e-4
    return density


def warmth_density(knowledge: Knowledge, evidence: Warm) -> Floats:
    """Density of a hub's temperature rise for each drag level, shape (levels,)."""
    known = knowledge.warmth
    sd = np.hypot(np.array(known.rise_sd_k), evidence.sd_k)
    z = (evidence.rise_k - evidence.usual_k - np.array(known.rise_k)) / sd
    density: Floats = np.exp(-0.5 * z**2) / (sd * math.sqrt(2 * math.pi)) + 2e-5
    return density


@dataclass(frozen=True, eq=False)
class WearModel:
    """What wear each drag level, normal wear of the axle and pattern leads to, shape (levels, wear, patterns).

    The first pattern is that of a healthy corner. `row_pattern` tells which of the others each row has; `fresh` is the
    chance of each of them, shape (patterns,), to be too fresh to show.
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
def wear_model(space: CornerSpace, new_mm: float, lately: bool = False) -> WearModel:
    """Wear of inner and outer pad, mm, with variances: they share what the whole corner does, and differ by
    the split. Drag of the pads wears both faster; a lining cannot wear by more than its thickness.

    lately : of the wear since the last visit, in which a fault had a greater part than in a pad's whole life.
    """
    wear, drag = space.knowledge.wear, space.knowledge.drag
    table, which = space.wear_patterns
    columns = [INNER, OUTER, SPLIT_VARIANCE, DRAG_WEARS, ANY_FAULT]
    patterns, again = np.unique(table[:, columns], axis=0, return_inverse=True)
    healthy = np.zeros((1, len(columns)))
    inner, outer, split_var, drag_wears, any_fault = np.concatenate([healthy, patterns]).T
    part = wear.lately if lately else 1.0
    inner, outer, split_var = part * inner, part * outer, part**2 * split_var
    level = part * np.array(drag.wear_log)[:, None] * drag_wears
    common = wear.corner_log_sd**2 + (part * np.array(drag.wear_log_sd)[:, None]) ** 2 * drag_wears
    split = (wear.split_log_sd**2 + split_var) / 4
    wear_mm = wear_grid_mm(space.knowledge, new_mm)[:, None]
    inner_mm = np.minimum(np.exp(wear.inner + inner + level)[:, None, :] * wear_mm, new_mm)
    outer_mm = np.minimum(np.exp(wear.outer + outer + level)[:, None, :] * wear_mm, new_mm)
    spread, between = (common + split)[:, None, :], (common - split)[:, None, :]
    return WearModel(
        inner_mm,
        outer_mm,
        inner_mm**2 * spread + wear.floor_mm**2,
        outer_mm**2 * spread + wear.floor_mm**2,
        inner_mm * outer_mm * between,
        wear.fresh_onset * any_fault[1:],
        again.reshape(-1)[which],
        wear.misread,
    )


@lru_cache(maxsize=32)
def _both_pads(model: WearModel, inner_sd: float, outer_sd: float) -> Floats:
    """For gauge errors of both pads: the logarithm of their density as a polynomial in the wear x of the inner and y of
    the outer, the factors of 1, x, y, x², xy and y², shape (6, levels × wear × patterns)."""
    inner_var, outer_var = model.inner_var + inner_sd**2, model.outer_var + outer_sd**2
    inner, outer = model.inner_mm, model.outer_mm
    determinant = inner_var * outer_var - model.covariance**2
    xx, xy, yy = -0.5 * outer_var / determinant, model.covariance / determinant, -0.5 * inner_var / determinant
    height = -0.5 * np.log(4 * math.pi**2 * determinant)
    alone = height + xx * inner**2 + xy * inner * outer + yy * outer**2
    terms = [alone, -2 * xx * inner - xy * outer, -2 * yy * outer - xy * inner, xx, xy, yy]
    return np.array(terms).reshape(len(terms), -1)


def wear_density(model: WearModel, worn: Worn, new_mm: float) -> Floats:
    """Density of the measured wear for each drag level, wear of the axle and pattern.

    Shape (levels, wear, patterns). A small share of readings is taken as misread, and a fault may be too fresh
    to show on the pads.
    """
    if worn.inner and worn.outer:
        x, y = worn.inner.value, worn.outer.value
        log_density = np.array([1.0, x, y, x * x, x * y, y * y]) @ _both_pads(model, worn.inner.sd, worn.outer.sd)
        density = np.exp(log_density, out=log_density).reshape(model.inner_mm.shape)
        span = new_mm**2
    else:
        one = worn.inner or worn.outer
        assert one is not None
        mean, var = (model.inner_mm, model.inner_var) if worn.inner else (model.outer_mm, model.outer_var)
        var = var + one.sd**2
        density = np.exp(-0.5 * (one.value - mean) ** 2 / var) / np.sqrt(2 * math.pi * var)
        span = new_mm
    read = 1 - model.misread
    as_fresh = np.outer(density[0, :, 0], read * model.fresh) + model.misread / span
    density[..., 1:] *= read * (1 - model.fresh)
    density[..., 1:] += as_fresh
    return density[..., 1:]


def worn_by_row(space: CornerSpace, worn: Worn, new_mm: float) -> Floats:
    """Density of the measured wear for every row, shape (levels, wear, rows)."""
    model = wear_model(space, new_mm, worn.lately)
    return wear_density(model, worn, new_mm).take(model.row_pattern, axis=-1, mode=UNCHECKED)


def taper_density(space: CornerSpace, evidence: Tapered) -> Floats:
    """Density of the measured tapers for every row, shape (rows,). Each pad is misread by itself, if it is."""
    wear = space.knowledge.wear
    along = evidence.direction == "fore_aft"
    mean = wear.lead_taper_mm if along else 0.0
    healthy_var = (wear.fore_aft_sd_mm if along else wear.radial_sd_mm) ** 2
    patterns, row_pattern = space.taper_patterns[evidence.direction]
    added, any_fault = patterns.T

    def density(variance: Floats) -> Floats:
        out = np.ones(len(patterns))
        for taper in evidence.tapers:
            total = variance + taper.sd**2
            read = np.exp(-0.5 * (taper.value - mean) ** 2 / total) / np.sqrt(2 * math.pi * total)
            out = out * ((1 - wear.misread) * read + wear.misread / wear.misread_tapers_mm)
        return out

    fresh = wear.fresh_onset * any_fault
    shown: Floats = (1 - fresh) * density(healthy_var + added) + fresh * density(np.full(len(patterns), healthy_var))
    by_row: Floats = shown[row_pattern]
    return by_row
