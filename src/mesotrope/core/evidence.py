"""From findings to evidence: what was found at each corner, as the diagnosis weighs it and a sentence says it.

A finding that was not made yields nothing here, so it can contribute nothing.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from statistics import NormalDist
from types import MappingProxyType
from typing import Any

import numpy as np

from mesotrope.core.arrays import Floats
from mesotrope.core.drag import DragMeasure, combined, drag_from_pull, drag_from_spin
from mesotrope.core.findings import CornerFindings, Inspection, PadPoints, leaves
from mesotrope.core.hydraulics import piston_area_mm2
from mesotrope.core.model import Knowledge, Likelihood
from mesotrope.core.pads import PLACES, PadMeasure, pad_measure
from mesotrope.core.quantity import Measure
from mesotrope.core.specification import AxleSpecification, Specification, axle_name

PADS = ("inner", "outer")

#: Keys of the specification that a piece of evidence stands on, said when they are defaults.
Uses = tuple[str, ...]


@dataclass(frozen=True, eq=False)
class Graded:
    """One value of one finding: how likely each grade makes it."""

    corner: str
    finding: str
    sentence: str
    likelihood: Likelihood
    emission: Floats
    uses: Uses = ()


@dataclass(frozen=True, eq=False)
class Dragging:
    """How hard the wheel is held back. On a shared wheel the drag is that of both its corners."""

    corner: str
    finding: str
    sentence: str
    measure: DragMeasure
    shared_wheel: bool
    uses: Uses = ()


@dataclass(frozen=True, eq=False)
class Worn:
    """How far each lining of a corner has worn, mm; None for a pad that was not measured. `lately`: since last time."""

    corner: str
    finding: str
    sentence: str
    inner: Measure | None
    outer: Measure | None
    uses: Uses = ()
    lately: bool = False


@dataclass(frozen=True, eq=False)
class Tapered:
    """Taper of a corner's pads along (`fore_aft`) or across (`radial`) the lining, mm."""

    corner: str
    finding: str
    sentence: str
    direction: str
    tapers: tuple[Measure, ...]
    uses: Uses = ()


@dataclass(frozen=True, eq=False)
class Warm:
    """How warm a hub was over ambient after a drive, K, beyond what braking warms its axle (`usual_k`)."""

    corner: str
    finding: str
    sentence: str
    rise_k: float
    usual_k: float
    sd_k: float
    uses: Uses = ()


Evidence = Graded | Dragging | Worn | Tapered | Warm


@dataclass(frozen=True)
class CornerMeasures:
    """What was measured at one corner, with its uncertainty. None: not measured."""

    inner: PadMeasure | None = None
    outer: PadMeasure | None = None
    drag: DragMeasure | None = None

    @property
    def inner_minus_outer(self) -> Measure | None:
        return self.inner.mean - self.outer.mean if self.inner and self.outer else None

    def minus(self, partner: CornerMeasures) -> Measure | None:
        """This corner's lining less its partner's, over the pads measured on both sides; None where none is."""
        pairs = [
            (mine.mean, theirs.mean)
            for mine, theirs in ((self.inner, partner.inner), (self.outer, partner.outer))
            if mine and theirs
        ]
        if not pairs:
            return None
        differences = [mine - theirs for mine, theirs in pairs]
        value = sum(difference.value for difference in differences) / len(differences)
        return Measure(value, math.hypot(*(difference.sd for difference in differences)) / len(differences))

    @property
    def thinnest_mm(self) -> float | None:
        places = [pad.thinnest_mm for pad in (self.inner, self.outer) if pad]
        return min(places) if places else None


@dataclass(frozen=True)
class SinceLast:
    """Wear of an axle's pads since the last visit: the distance, and for each corner inner and outer, mm."""

    km: float
    worn: Mapping[str, tuple[Measure, Measure]]


def partner_of(corner: str) -> str | None:
    """The corner on the other side of the axle; None for a wheel in the middle.

    >>> partner_of("rear_left"), partner_of("rear")
    ('rear_right', None)
    """
    axle, _, side = corner.partition("_")
    return {"left": f"{axle}_right", "right": f"{axle}_left"}.get(side)


def in_words(corner: str) -> str:
    return corner.replace("_", " ")


def shares_wheel(specification: Specification, corner: str) -> bool:
    """Whether both corners of this axle brake one and the same wheel (a motorcycle's front)."""
    return specification.kind == "motorcycle" and partner_of(corner) is not None


def measure_pad(found: CornerFindings, side: str, knowledge: Knowledge) -> PadMeasure | None:
    """Work out one pad: as measured on the bench, else as seen through the window; None where neither was done."""
    points: PadPoints | None = getattr(found.pad_mm, side) if found.pad_mm else None
    seen: float | None = getattr(found.window_pad_mm, side) if found.window_pad_mm else None
    if points and (measured := {place: mm for place in PLACES if (mm := getattr(points, place)) is not None}):
        return pad_measure(measured, knowledge.gauge["depth_gauge_mm"], knowledge.wear.fore_aft_sd_mm)
    return None if seen is None else PadMeasure(Measure(seen, knowledge.gauge["window_gauge_mm"]), seen, None, None)


def measure_corner(found: CornerFindings, specification: Specification, knowledge: Knowledge) -> CornerMeasures:
    """Work out pads and drag of one corner. Raises `InvalidInput` for figures that no wheel can give."""
    gauge = knowledge.gauge
    inner, outer = (measure_pad(found, side, knowledge) for side in PADS)
    readings = []
    spin = found.spin
    if spin and spin.turns is not None and (spin.seconds or spin.turns == 0):
        readings.append(
            drag_from_spin(
                spin.turns,
                spin.seconds or 0.0,
                specification.wheel_inertia_kg_m2,
                specification.inertia_relative_sd,
                gauge["spin_turns"],
                gauge["spin_seconds"],
                knowledge.drag.held_fast_nm,
            )
        )
    if found.pull_n is not None and found.pull_radius_mm is not None:
        readings.append(drag_from_pull(found.pull_n, found.pull_radius_mm, gauge["pull_relative"]))
    return CornerMeasures(inner, outer, combined(readings))


def measure_all(
    inspection: Inspection, specification: Specification, knowledge: Knowledge
) -> dict[str, CornerMeasures]:
    return {
        corner: measure_corner(inspection.corner(corner), specification, knowledge) for corner in specification.corners
    }


def collect(
    inspection: Inspection,
    specification: Specification,
    measures: Mapping[str, CornerMeasures],
    knowledge: Knowledge,
    lately: Mapping[str, SinceLast] = MappingProxyType({}),
) -> list[Evidence]:
    """Everything that was found at the corners that are diagnosed, in the order of the vocabulary.

    lately : the axles whose wear since the last visit is known; it then stands for the wear of their pads' whole life.
    """
    out: list[Evidence] = []
    for corner in specification.corners:
        axle = specification.axle_of(corner)
        if axle.has("disc"):
            found = inspection.corner(corner)
            out += _dragging(corner, measures, found, specification)
            if since := lately.get(axle_name(corner)):
                out += _wear_since(corner, since, found)
            else:
                out += _wear(corner, measures, found, axle)
            out += _tapers(corner, measures[corner])
            out += _warm(corner, inspection, specification, knowledge)
            out += _graded(corner, found, axle, knowledge, _compared(corner, inspection, specification))
    return out + _system(inspection, specification, measures, knowledge)


def _dragging(
    corner: str, measures: Mapping[str, CornerMeasures], found: CornerFindings, specification: Specification
) -> list[Evidence]:
    drag = measures[corner].drag
    if drag is None:
        return []
    partner = partner_of(corner)
    shared = shares_wheel(specification, corner)
    if shared and corner.endswith("right") and partner and measures[partner].drag:
        return []  # the same wheel, said at its left corner
    spin = found.spin
    if drag.held_fast:
        sentence = f"{in_words(corner)} cannot be turned by hand: at least {drag.torque_nm:.0f} N·m"
    elif spin and spin.turns is not None and spin.seconds is not None:
        turns = f"{spin.turns:g} turn{'s' if spin.turns != 1 else ''}"
        sentence = (
            f"{in_words(corner)} stopped after {turns} in {spin.seconds:g} s: "
            f"{drag.torque_nm:.1f} ± {drag.sd_nm:.1f} N·m"
        )
    else:
        sentence = f"{in_words(corner)} needs {drag.torque_nm:.1f} ± {drag.sd_nm:.1f} N·m to turn"
    if partner and not shared and partner in measures and measures[partner].drag:
        other = measures[partner].drag
        assert other is not None
        sentence += f"; its partner {other.torque_nm:.1f} N·m"
    finding = "spin" if spin and spin.turns is not None else "pull_n"
    uses = ("wheel_inertia_kg_m2", "driven") if finding == "spin" else ("driven",)
    return [Dragging(corner, finding, sentence, drag, shared, uses)]


def difference_in_words(difference: Measure) -> str:
    """Say a difference with its size against gauge error.

    >>> difference_in_words(Measure(-3.4, 0.2))
    '3.4 mm thinner (17 × gauge error)'
    >>> difference_in_words(Measure(0.1, 0.2))
    'alike within gauge error'
    """
    if not difference.beyond_gauge_error:
        return "alike within gauge error"
    word = "thinner" if difference.value < 0 else "thicker"
    return f"{abs(difference.value):.1f} mm {word} ({difference.sds_from_zero:.0f} × gauge error)"


def _wear(
    corner: str, measures: Mapping[str, CornerMeasures], found: CornerFindings, axle: AxleSpecification
) -> list[Evidence]:
    here = measures[corner]
    pads = {side: getattr(here, side) for side in PADS if getattr(here, side)}
    if not pads:
        return []
    sentence = f"{in_words(corner)} " + ", ".join(f"{side} {pad.mean.value:.1f} mm" for side, pad in pads.items())
    split = here.inner_minus_outer
    if split:
        alike = not split.beyond_gauge_error
        sentence += f": {'inner and outer' if alike else 'inner'} {difference_in_words(split)}"
    partner = partner_of(corner)
    against = here.minus(measures[partner]) if partner and partner in measures else None
    if against:
        sentence += f"; this corner against its partner: {difference_in_words(against)}"
    worn = {side: Measure(axle.pad_new_mm - pad.mean.value, pad.mean.sd) for side, pad in pads.items()}
    uses = (f"{corner.split('_')[0]}.pad_new_mm",)
    finding = "pad_mm" if found.pad_mm and dict(leaves(found.pad_mm)) else "window_pad_mm"
    return [Worn(corner, finding, sentence, worn.get("inner"), worn.get("outer"), uses)]


def _wear_since(corner: str, since: SinceLast, found: CornerFindings) -> list[Evidence]:
    if corner not in since.worn:
        return []
    inner, outer = since.worn[corner]
    sentence = (
        f"{in_words(corner)} since the last visit, {since.km:.0f} km ago: inner worn by {inner.value:.1f} mm, "
        f"outer by {outer.value:.1f} mm"
    )
    partner = since.worn.get(partner_of(corner) or "")
    if partner:
        sentence += f"; its partner {partner[0].value:.1f} and {partner[1].value:.1f} mm"
    finding = "pad_mm" if found.pad_mm and dict(leaves(found.pad_mm)) else "window_pad_mm"
    return [Worn(corner, finding, sentence, inner, outer, (f"{axle_name(corner)}.pad_new_mm",), lately=True)]


def _tapers(corner: str, here: CornerMeasures) -> list[Evidence]:
    out: list[Evidence] = []
    for direction, thin_low, thin_high in (
        ("fore_aft", "leading end", "trailing end"),
        ("radial", "rim edge", "hub edge"),
    ):
        tapers = {
            side: taper
            for side in PADS
            if (pad := getattr(here, side)) and (taper := getattr(pad, direction)) is not None
        }
        if tapers:
            parts = [
                f"{side} pad {abs(taper.value):.1f} mm thinner at its {thin_low if taper.value < 0 else thin_high}"
                if taper.beyond_gauge_error
                else f"{side} pad has no {'end-to-end' if direction == 'fore_aft' else 'rim-to-hub'} taper"
                for side, taper in tapers.items()
            ]
            sentence = f"{in_words(corner)} " + ", ".join(parts)
            out.append(Tapered(corner, "pad_mm", sentence, direction, tuple(tapers.values())))
    return out


def _rise_k(corner: str, inspection: Inspection) -> float | None:
    """Hub temperature over ambient; 15 °C is taken where the ambient is not known."""
    hub, ambient = inspection.corner(corner).hub_temperature_c, inspection.visit.ambient_c
    return None if hub is None else hub - (ambient if ambient is not None else 15.0)


def _warm(corner: str, inspection: Inspection, specification: Specification, knowledge: Knowledge) -> list[Evidence]:
    """A warm hub against its partner: what the cooler of the two shows is what braking itself did, within reason."""
    rise = _rise_k(corner, inspection)
    if rise is None:
        return []
    known, partner = knowledge.warmth, partner_of(corner)
    other = _rise_k(partner, inspection) if partner and partner in specification.corners else None
    usual, sd = known.usual_k, known.usual_sd_k
    sentence = f"{in_words(corner)} hub {rise:.0f} K over ambient after the drive"
    if other is not None:
        cooler = min(rise, other)
        usual = min(max(cooler, known.usual_k - known.usual_sd_k), known.usual_k + known.usual_sd_k)
        sd = 0.6 * known.usual_sd_k
        sentence += f"; its partner {other:.0f} K"
    gauge = knowledge.gauge["infrared_c"]
    return [Warm(corner, "hub_temperature_c", sentence, rise, usual, math.hypot(sd, gauge), ())]


def _compared(corner: str, inspection: Inspection, specification: Specification) -> dict[str, Any]:
    """Findings of a corner that only a comparison makes: against its partner, and with what was done lately."""
    out: dict[str, Any] = {}
    partner = partner_of(corner)
    forces = inspection.system.brake_force_n
    if partner and forces:
        mine, theirs = getattr(forces, corner), getattr(forces, partner)
        if mine is not None and theirs:
            out["brake_force_share"] = min(1.0, mine / theirs)
    if partner and partner in specification.corners:
        codes = [inspection.corner(name).pad_material for name in (corner, partner)]
        if all(codes):
            same = codes[0].strip().upper() == codes[1].strip().upper()  # type: ignore[union-attr]
            out["pad_material_differs"] = "alike" if same else "differs"
    lately = inspection.visit.recent_work
    if lately is not None:
        axle = axle_name(corner)
        out["recent_pads"] = "yes" if {"pads", f"pads_{axle}"} & set(lately) else "no"
        if axle == "rear":
            out["recent_parking_brake"] = "yes" if "parking_brake" in lately else "no"
    return out


#: Work that opens the hydraulics.
OPENS_HYDRAULICS = frozenset({"calipers", "hoses", "hydraulics", "fluid"})


def _system(
    inspection: Inspection,
    specification: Specification,
    measures: Mapping[str, CornerMeasures],
    knowledge: Knowledge,
) -> list[Evidence]:
    """Evidence of the whole vehicle. Its corner is empty."""
    system = inspection.system
    given: dict[str, Any] = {path: value for path, value in leaves(system) if value != "unknown"}
    if system.pedal_feel is not None:
        given["pedal_hard"] = "hard" if system.pedal_feel == "hard" else "not_hard"
        if system.pedal_feel == "hard":
            del given["pedal_feel"]
    if inspection.visit.recent_work is not None:
        opened = OPENS_HYDRAULICS & set(inspection.visit.recent_work)
        given["recent_hydraulic_work"] = "yes" if opened else "no"
    leaks = [leak for corner in specification.corners if (leak := inspection.corner(corner).leak)]
    if leaks:
        given["corner_leak"] = max(leaks, key=["none", "seep", "drip"].index)
    out: list[Evidence] = []
    for likelihood in knowledge.system_likelihoods:
        if likelihood.key == "fluid_balance":
            if system.fluid_level is not None:
                out.append(_level(inspection, specification, measures, likelihood, knowledge))
        elif (value := given.get(likelihood.key)) is not None:
            words = finding_in_words(likelihood, value, knowledge)
            out.append(Graded("", likelihood.name, words, likelihood, emission_of(likelihood, value)))
    return out


#: How densely levels over MAX lie, for one marks' distance; common practice: up to a fifth or a half over.
OVER_MAX_DENSITY = 3.0


def _level(
    inspection: Inspection,
    specification: Specification,
    measures: Mapping[str, CornerMeasures],
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
    return Graded("", likelihood.name, sentence, likelihood, emission, uses)


def fluid_taken_up(
    inspection: Inspection,
    specification: Specification,
    measures: Mapping[str, CornerMeasures],
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


def _graded(
    corner: str, found: CornerFindings, axle: AxleSpecification, knowledge: Knowledge, compared: Mapping[str, Any]
) -> list[Evidence]:
    given: dict[str, Any] = {**dict(leaves(found)), **compared}
    uses: dict[str, Uses] = {}
    pistons = [knowledge.likelihood["piston_pushback.worst"].order.index(v) for v in found.piston_pushback or [] if v]
    if pistons:
        order = knowledge.likelihood["piston_pushback.worst"].order
        given["piston_pushback.worst"] = order[max(pistons)]
        if len(pistons) > 1:
            given["piston_pushback.best"] = order[min(pistons)]
    places = [place for place in found.rotor_mm or [] if place is not None]
    if places:
        given["rotor_margin_mm"] = min(places) - axle.rotor_discard_mm
        uses["rotor_margin_mm"] = (f"{axle_name(corner)}.rotor_discard_mm",)
        if len(places) > 2:
            given["rotor_variation_mm"] = max(places) - min(places)
    out: list[Evidence] = []
    for likelihood in knowledge.likelihoods:
        value = given.get(likelihood.key)
        if value is not None and not _out_of_place(likelihood, axle):
            sentence = f"{in_words(corner)} {finding_in_words(likelihood, value, knowledge)}"
            emission = emission_of(likelihood, value)
            out.append(Graded(corner, likelihood.name, sentence, likelihood, emission, uses.get(likelihood.key, ())))
    return out


def _out_of_place(likelihood: Likelihood, axle: AxleSpecification) -> bool:
    """Whether this finding cannot be made on this axle (a slide pin on a fixed caliper)."""
    return likelihood.name.startswith("pin") and not axle.has("floating")


def emission_of(likelihood: Likelihood, value: Any) -> Floats:
    """How likely each grade makes the value: 1 and 0 for a word, a density per mm for a figure."""
    if likelihood.threshold is not None:
        above = NormalDist(0.0, likelihood.gauge_sd).cdf(value - likelihood.threshold)
        return np.array([above, 1 - above])
    if likelihood.mean is None or likelihood.sd is None:
        return _one_of(likelihood.order, value)
    sd = np.hypot(np.array(likelihood.sd), likelihood.gauge_sd)
    z = (value - np.array(likelihood.mean)) / sd
    return np.exp(-0.5 * z**2) / (sd * np.sqrt(2 * np.pi)) + 1e-4


@lru_cache(maxsize=1024)
def _one_of(order: tuple[str, ...], value: Any) -> Floats:
    """1 for one of several words, 0 for the others. The same each time, so that it cannot be written to."""
    out = (np.array(order) == value).astype(float)
    out.flags.writeable = False
    return out


#: How findings are said that only a comparison or the work before makes.
_SAID = {
    ("pad_material_differs", "alike"): "same lining code as its partner",
    ("pad_material_differs", "differs"): "another lining code than its partner",
    ("recent_pads", "yes"): "pads were changed lately",
    ("recent_pads", "no"): "pads were not changed lately",
    ("recent_parking_brake", "yes"): "the parking brake was worked on lately",
    ("recent_parking_brake", "no"): "the parking brake was not worked on lately",
    ("recent_hydraulic_work", "yes"): "the hydraulics were opened lately",
    ("recent_hydraulic_work", "no"): "the hydraulics were not opened lately",
    ("pedal_hard", "hard"): "pedal feel: hard",
    ("pedal_hard", "not_hard"): "pedal feel: not hard",
    ("corner_leak", "none"): "no leak at any wheel looked at",
    ("corner_leak", "seep"): "fluid seeps at a wheel",
    ("corner_leak", "drip"): "fluid drips at a wheel",
}


def finding_in_words(likelihood: Likelihood, value: Any, knowledge: Knowledge) -> str:
    """Say one finding: its name and its value, in the trade's words."""
    if likelihood.key == "rotor_margin_mm":
        side = "over" if value > 0 else "under"
        return f"rotor at its thinnest place {abs(value):.2f} mm {side} its discard thickness"
    if likelihood.key == "rotor_variation_mm":
        return f"rotor thickness varies by {value:.3f} mm"
    if likelihood.key == "brake_force_share":
        return f"brakes with {value:.0%} of its partner's force".replace("%", " %")
    if said := _SAID.get((likelihood.key, str(value))):
        return said
    fields = knowledge.corner_field if likelihood.name in knowledge.corner_names else knowledge.system_field
    field = fields.get(likelihood.key) or next(f for f in fields.values() if f.finding == likelihood.name)
    label = field.label
    if likelihood.key == "piston_pushback.best":
        label = "the best of its pistons back into the bore"
    elif likelihood.key == "piston_pushback.worst":
        label = "piston back into its bore"
    said = field.values.get(value, value) if isinstance(value, str) else f"{value:g} {field.unit}"
    return f"{label}: {said}"
