"""The fluid ledger: what the pistons took out of the reservoir for wear, and whether the level is what that explains.

There is one such sum. The diagnosis weighs the level against it; the numbers of the job, the work card and the drawing
of the reservoir read it.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from statistics import NormalDist

import numpy as np

from mesotrope.core.evidence.measures import PADS, CornerMeasures
from mesotrope.core.evidence.pieces import Evidence, Graded
from mesotrope.core.evidence.specification import AxleSpecification, Specification
from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.faults import Likelihood
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.quantity import Measure
from mesotrope.core.language.reliance import relies_on
from mesotrope.core.language.saying import ml, plain, said
from mesotrope.core.language.worn import LedgerFigures
from mesotrope.core.physics.hydraulics import piston_area_mm2
from mesotrope.core.physics.rotors import rotor_measure

RELIES_ON = relies_on("diagnosis", "fluid_level", "micrometer_mm", "new_lining_mm")


@dataclass(frozen=True)
class FluidLedger:
    """Fluid that each corner's pistons hold for wear, mL; `unmeasured`: the corners where no pad was measured;
    `guessed`: those where nothing of the axle was: a guess is wrong the same way at all of them."""

    corners: Mapping[Corner, Measure]
    unmeasured: frozenset[Corner]
    area_relative_sd: float
    guessed: frozenset[Corner]

    def at(self, corners: Iterable[Corner]) -> Measure:
        """What the pistons of some corners hold together."""
        parts = {corner: self.corners[corner] for corner in corners}
        total = math.fsum(part.value for part in parts.values())
        guessed = math.fsum(part.sd for corner, part in parts.items() if corner in self.guessed)
        sd = math.hypot(guessed, *(part.sd for corner, part in parts.items() if corner not in self.guessed))
        return Measure(total, sd + self.area_relative_sd * total + 1e-6)

    @property
    def total(self) -> Measure:
        return self.at(self.corners)


def fluid_ledger(
    inspection: Inspection,
    specification: Specification,
    measures: Mapping[Corner, CornerMeasures],
    knowledge: Knowledge,
) -> FluidLedger:
    """Add up the wear of pads and rotors of every corner with discs.

    A pad that was not measured is taken as worn like the other of its corner, a corner like its partner, both less
    surely; where nothing of an axle was measured, a wide guess stands in. A rotor that was not measured is taken as
    not worn. The figures for that are the knowledge's (`LedgerFigures`). Source: [physics]; [practice].
    """
    known = knowledge.ledger
    discs = specification.discs
    worn = {corner: _pads_worn(measures[corner], specification.axle_of(corner), knowledge) for corner in discs}
    out: dict[Corner, Measure] = {}
    guessed: set[Corner] = set()
    for corner in discs:
        axle, partner = specification.axle_of(corner), corner.partner
        pads = worn[corner]
        if pads is None and partner in worn and (theirs := worn[partner]):
            pads = [Measure(w.value, math.hypot(w.sd, known.other_side_relative_sd * w.value)) for w in theirs]
        if pads is None:
            usable = axle.pad_new_mm - axle.pad_limit_mm
            pads = [Measure(known.guessed_share * usable, known.guessed_share_sd * usable)] * 2
            guessed.add(corner)
        thin = [*pads, _rotor_worn(inspection, corner, axle, knowledge)]
        area = piston_area_mm2(axle.piston_diameter_mm) / 1000
        sds = [part.sd for part in thin]
        sd = math.fsum(sds) if corner in guessed else math.hypot(*sds)
        out[corner] = Measure(area * math.fsum(max(0.0, part.value) for part in thin), area * sd)
    unmeasured = frozenset(corner for corner in discs if worn[corner] is None)
    return FluidLedger(out, unmeasured, known.piston_area_relative_sd, frozenset(guessed))


def _pads_worn(here: CornerMeasures, axle: AxleSpecification, knowledge: Knowledge) -> list[Measure] | None:
    """How far both linings of a corner have worn; None where neither was measured."""
    new_sd = knowledge.gauge["new_lining_mm"]
    pads = [pad for side in PADS if (pad := getattr(here, side))]
    worn = [Measure(axle.pad_new_mm - pad.mean.value, math.hypot(pad.mean.sd, new_sd)) for pad in pads]
    if len(worn) == 1:
        worn.append(Measure(worn[0].value, math.hypot(worn[0].sd, knowledge.ledger.other_pad_sd_mm)))
    return worn or None


def _rotor_worn(inspection: Inspection, corner: Corner, axle: AxleSpecification, knowledge: Knowledge) -> Measure:
    places = inspection.corner(corner).rotor_places_mm
    if not places:
        return Measure(0.0, knowledge.ledger.unmeasured_rotor_sd_mm)
    return rotor_measure(places, axle.rotor_new_mm, axle.rotor_discard_mm, knowledge.gauge["micrometer_mm"]).worn


def level_beside_wear(
    level: float,
    inspection: Inspection,
    specification: Specification,
    measures: Mapping[Corner, CornerMeasures],
    knowledge: Knowledge,
) -> tuple[Measure, float, FluidLedger]:
    """How far the level is over what the measured wear explains, in marks' distances; these, mL; and the ledger."""
    ledger = fluid_ledger(inspection, specification, measures, knowledge)
    marks = inspection.vehicle.reservoir and inspection.vehicle.reservoir.min_to_max_ml
    marks = marks or knowledge.specification[specification.kind]["reservoir"]["min_to_max_ml"]
    taken = ledger.total
    sd = math.hypot(taken.sd / marks, knowledge.gauge["fluid_level"])
    return Measure(level - (1 - taken.value / marks), sd), marks, ledger


def level_evidence(
    inspection: Inspection,
    specification: Specification,
    measures: Mapping[Corner, CornerMeasures],
    likelihood: Likelihood,
    knowledge: Knowledge,
) -> Evidence:
    """The fluid level against what the measured wear explains."""
    level = inspection.system.fluid_level
    assert level is not None
    beside, marks, _ = level_beside_wear(level, inspection, specification, measures, knowledge)
    gauge_sd, sd, excess = knowledge.gauge["fluid_level"], beside.sd, beside.value
    message = "fluid level {level} (0 MIN, 1 MAX): alike within what is known of the wear"
    if abs(excess) > 2 * sd:
        message = "fluid level {level} (0 MIN, 1 MAX): {apart} less than the wear explains"
        if excess > 0:
            message = "fluid level {level} (0 MIN, 1 MAX): {apart} more than the wear explains"
    sentence = said(message, level=plain(level), apart=ml(abs(excess) * marks))
    uses = () if inspection.vehicle.reservoir else ("reservoir.min_to_max_ml",)
    emission = _level_emission(level, excess, sd, gauge_sd, knowledge.ledger)
    return Graded(VEHICLE, likelihood.name, sentence, likelihood, emission, uses)


def _level_emission(level: float, excess: float, sd: float, gauge_sd: float, known: LedgerFigures) -> np.ndarray:
    """How likely a level is where it is as expected, topped up, over MAX, or low, in marks' distances."""

    def bell(mean: float, spread: float) -> float:
        spread = math.hypot(sd, spread)
        return math.exp(-0.5 * ((excess - mean) / spread) ** 2) / spread

    reading = known.over_max_reading * gauge_sd
    over = NormalDist(0.0, reading).cdf(level - 1.0 - reading)
    under = 1 - over
    return known.least_density + np.array([
        under * bell(0.0, known.as_expected_sd), under * bell(known.topped_up, known.topped_up_sd),
        over * known.over_max_density, under * bell(-known.low, known.low_sd),
    ])  # fmt: skip
