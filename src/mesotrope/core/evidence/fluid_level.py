"""The fluid level against what the wear of all corners took out of the reservoir."""

from __future__ import annotations

import math
from collections.abc import Mapping
from statistics import NormalDist

import numpy as np

from mesotrope.core.evidence.measures import CornerMeasures
from mesotrope.core.evidence.pieces import Evidence, Graded
from mesotrope.core.evidence.specification import Specification
from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.faults import Likelihood
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.quantity import Measure
from mesotrope.core.language.reliance import relies_on
from mesotrope.core.physics.hydraulics import piston_area_mm2

RELIES_ON = relies_on("diagnosis", "fluid_level")

#: How densely levels over MAX lie, for one marks' distance; common practice: up to a fifth or a half over.
OVER_MAX_DENSITY = 3.0


def level_evidence(
    inspection: Inspection,
    specification: Specification,
    measures: Mapping[Corner, CornerMeasures],
    likelihood: Likelihood,
    knowledge: Knowledge,
) -> Evidence:
    """The fluid level against what the measured wear explains; a wide guess stands in for wear not measured."""
    level = inspection.system.fluid_level
    assert level is not None
    taken = fluid_taken_up(inspection, specification, measures, knowledge)
    marks = inspection.vehicle.reservoir and inspection.vehicle.reservoir.min_to_max_ml
    marks = marks or knowledge.specification[specification.kind]["reservoir"]["min_to_max_ml"]
    expected = Measure(1 - taken.value / marks, taken.sd / marks)
    sd = math.hypot(expected.sd, knowledge.gauge["fluid_level"])
    excess = level - expected.value

    def bell(value: float, mean: float, spread: float) -> float:
        return math.exp(-0.5 * ((value - mean) / spread) ** 2) / spread

    over = NormalDist(0.0, 0.6 * knowledge.gauge["fluid_level"]).cdf(level - 1.0 - 0.6 * knowledge.gauge["fluid_level"])
    under = 1 - over
    emission = 1e-3 + np.array([
        under * bell(excess, 0.0, math.hypot(sd, 0.08)), under * bell(excess, 0.30, math.hypot(sd, 0.20)),
        over * OVER_MAX_DENSITY, under * bell(excess, -0.50, math.hypot(sd, 0.28)),
    ])  # fmt: skip
    words = "alike within what is known of the wear"
    if abs(excess) > 2 * sd:
        words = f"{abs(excess) * marks:.0f} mL {'more' if excess > 0 else 'less'} than the wear explains"
    sentence = f"fluid level {level:g} (0 MIN, 1 MAX): {words}"
    uses = () if inspection.vehicle.reservoir else ("reservoir.min_to_max_ml",)
    return Graded(VEHICLE, likelihood.name, sentence, likelihood, emission, uses)


def fluid_taken_up(
    inspection: Inspection,
    specification: Specification,
    measures: Mapping[Corner, CornerMeasures],
    knowledge: Knowledge,
) -> Measure:
    """Fluid that all pistons hold for wear, mL; for a pad that was not measured a wide guess of half its wear."""
    total, variance = 0.0, 0.0
    for corner in specification.corners:
        axle = specification.axle_of(corner)
        if not axle.has("disc"):
            continue
        area = piston_area_mm2(axle.piston_diameter_mm) / 1000
        here = measures[corner]
        for pad, other in ((here.inner, here.outer), (here.outer, here.inner)):
            if pad:
                worn = Measure(axle.pad_new_mm - pad.mean.value, math.hypot(pad.mean.sd, 0.3))
            elif other:
                worn = Measure(axle.pad_new_mm - other.mean.value, 0.8)
            else:
                worn = Measure(
                    0.42 * (axle.pad_new_mm - axle.pad_limit_mm), 0.25 * (axle.pad_new_mm - axle.pad_limit_mm)
                )
            total += area * max(0.0, worn.value)
            variance += (area * worn.sd) ** 2
    return Measure(total, math.sqrt(variance) + 0.02 * total + 1e-6)
