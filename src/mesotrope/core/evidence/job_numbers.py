"""The numbers of one job, worked out from what was found, without being asked. Each says what it stands on."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping
from dataclasses import dataclass

from mesotrope.core.evidence.fluid_ledger import FluidLedger, fluid_ledger
from mesotrope.core.evidence.measures import PADS, CornerMeasures
from mesotrope.core.evidence.specification import Known, Specification
from mesotrope.core.language.corner import Axle, Corner
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.quantity import Measure
from mesotrope.core.language.reliance import relies_on
from mesotrope.core.language.saying import marked
from mesotrope.core.physics.fluid import FluidVerdict, judge_fluid
from mesotrope.core.physics.heat import drag_fuel_l_per_100_km, drag_heat_w, drag_lining_mm_per_1000_km
from mesotrope.core.physics.hydraulics import (
    BleedVolume,
    FluidBalance,
    Homecoming,
    bleed_volume,
    brake_imbalance_percent,
    fluid_balance,
    homecoming,
    pedal_strokes,
    pedal_travel_mm,
    piston_area_mm2,
    refill_strokes,
)
from mesotrope.core.physics.rotors import RotorMeasure, rotor_measure

RELIES_ON = relies_on(
    "numbers of the job",
    "told_at_kmh",
    "normal_travel_share",
    "reservoir_margin_level",
    "bleed_times",
    "change_times",
    "line_bore_mm",
    "line_length_near_mm",
    "line_length_far_mm",
    "useful_stroke_share",
    "caliper_content_share",
    "micrometer_mm",
    "fluid_level",
    "pedal_travel",
)


@dataclass(frozen=True)
class Hydraulics:
    """What the vehicle's hydraulics are taken to be; `defaulted` names what is a default."""

    bore_mm: float
    stroke_mm: float
    pedal_ratio: float
    min_to_max_ml: float
    max_to_brim_ml: float
    grade: str
    wheel_radius_mm: float
    defaulted: frozenset[str]


@dataclass(frozen=True)
class PadUse:
    """One lining: how much of what may be worn is gone, and its taper as an angle."""

    used_percent: float
    left_mm: Measure
    angle_deg: float | None


@dataclass(frozen=True)
class CornerNumbers:
    pads: Mapping[str, PadUse]
    rotor: RotorMeasure | None
    heat_w: float | None
    fuel_l_per_100_km: float | None
    lining_mm_per_1000_km: float | None
    hub_above_ambient_k: float | None
    returning_ml: Measure | None
    bleed: BleedVolume


@dataclass(frozen=True)
class AxleNumbers:
    """Both corners of an axle together. `returning_ml` is None where no pad of it was measured."""

    returning_ml: Measure | None
    home: Homecoming | None
    strokes: Measure | None
    temperature_difference_k: float | None
    imbalance_percent: float | None
    drag_ratio: Measure | None


@dataclass(frozen=True)
class Returning:
    """Fluid that comes back as pistons go home, and what the reservoir makes of it."""

    fluid_ml: Measure
    home: Homecoming


@dataclass(frozen=True)
class Reservoir:
    """A reservoir and what its pistons hold of its fluid. level : as it was read, None where nobody looked."""

    hydraulics: Hydraulics
    ledger: FluidLedger
    level: float | None
    margin_level: float

    def returning(self, corners: Collection[Corner]) -> Returning | None:
        """What comes back as the pistons of some corners go home, reckoned from MAX where nobody looked at the level;
        None where no pad of theirs was measured."""
        if not set(corners) - self.ledger.unmeasured:
            return None
        fluid, of = self.ledger.at(corners), self.hydraulics
        stands = self.level if self.level is not None else 1.0
        home = homecoming(stands, fluid.value, of.min_to_max_ml, of.max_to_brim_ml, self.margin_level)
        return Returning(fluid, home)


@dataclass(frozen=True)
class JobNumbers:
    reservoir: Reservoir
    corners: Mapping[Corner, CornerNumbers]
    axles: Mapping[Axle, AxleNumbers]
    taken_up_ml: Measure | None
    unmeasured: tuple[Corner, ...]
    balance: FluidBalance | None
    fluid: FluidVerdict
    lost_travel_mm: float | None
    lost_travel_share: float | None
    travel_explained: bool | None
    refill_strokes: float

    @property
    def hydraulics(self) -> Hydraulics:
        return self.reservoir.hydraulics


def hydraulics_of(inspection: Inspection, specification: Specification, knowledge: Knowledge) -> Hydraulics:
    """The vehicle's master cylinder, reservoir and grade, defaults of its kind where they are not known."""
    vehicle, table = inspection.vehicle, knowledge.specification[specification.kind]
    known = Known()
    master, reservoir = vehicle.master_cylinder, vehicle.reservoir
    figures = {
        "bore_mm": known("master_cylinder.bore_mm", master and master.bore_mm, table["master_cylinder"]["bore_mm"]),
        "stroke_mm": known(
            "master_cylinder.stroke_mm", master and master.stroke_mm, table["master_cylinder"]["stroke_mm"]
        ),
        "pedal_ratio": known(
            "master_cylinder.pedal_ratio", master and master.pedal_ratio, table["master_cylinder"]["pedal_ratio"]
        ),
        "min_to_max_ml": known(
            "reservoir.min_to_max_ml", reservoir and reservoir.min_to_max_ml, table["reservoir"]["min_to_max_ml"]
        ),
        "max_to_brim_ml": known(
            "reservoir.max_to_brim_ml", reservoir and reservoir.max_to_brim_ml, table["reservoir"]["max_to_brim_ml"]
        ),
        "wheel_radius_mm": known("wheel_radius_mm", vehicle.wheel_radius_mm, table["wheel_radius_mm"]),
    }
    grade = str(known("fluid_grade", vehicle.fluid_grade, table["fluid_grade"]))
    return Hydraulics(grade=grade, defaulted=frozenset(known.defaulted), **figures)


def job_numbers(
    inspection: Inspection,
    specification: Specification,
    measures: Mapping[Corner, CornerMeasures],
    knowledge: Knowledge,
) -> JobNumbers:
    """Work out every number that what was found allows.

    >>> from mesotrope.core.answer.answer import overview
    >>> from mesotrope.core.language.inspection import parse_inspection
    >>> from mesotrope.knowledge import knowledge
    >>> seen = parse_inspection('{"findings": {"system": {"fluid_water_percent": 3.4}}}')
    >>> short = overview(seen, knowledge())
    >>> job_numbers(seen, short.specification, short.measures, knowledge()).fluid.verdict
    'change'
    """
    hydraulics = hydraulics_of(inspection, specification, knowledge)
    ledger = fluid_ledger(inspection, specification, measures, knowledge)
    corners = {
        name: _corner(name, inspection, specification, measures[name], hydraulics, ledger, knowledge)
        for name in specification.corners
        if specification.axle_of(name).has("disc")
    }
    level = inspection.system.fluid_level
    reservoir = Reservoir(hydraulics, ledger, level, knowledge.limit["reservoir_margin_level"])
    axles = {
        name: _axle(name, inspection, measures, corners, reservoir, knowledge)
        for name, axle in specification.axles.items()
        if axle.has("disc")
    }
    taken = ledger.total if all(axle.returning_ml for axle in axles.values()) and axles else None
    unmeasured = tuple(corner for corner in corners if corner in ledger.unmeasured)
    balance = None
    if level is not None and taken is not None:
        balance = fluid_balance(Measure(level, knowledge.gauge["fluid_level"]), taken, hydraulics.min_to_max_ml)
    lost, share = _lost_travel(inspection, specification, hydraulics)
    felt = inspection.system.pedal_travel
    usable = max(0.0, (1.0 if level is None else level) * hydraulics.min_to_max_ml)
    stroke = hydraulics.stroke_mm * knowledge.limit["useful_stroke_share"]
    return JobNumbers(
        reservoir=reservoir,
        corners=corners,
        axles=axles,
        taken_up_ml=taken,
        unmeasured=unmeasured,
        balance=balance,
        fluid=judge_fluid(inspection.system, knowledge.fluid_grade[hydraulics.grade], knowledge.limit),
        lost_travel_mm=lost,
        lost_travel_share=share,
        travel_explained=_explains(share, felt, knowledge),
        refill_strokes=refill_strokes(usable, hydraulics.bore_mm, stroke),
    )


def _corner(
    name: Corner,
    inspection: Inspection,
    specification: Specification,
    here: CornerMeasures,
    hydraulics: Hydraulics,
    ledger: FluidLedger,
    knowledge: Knowledge,
) -> CornerNumbers:
    axle, found = specification.axle_of(name), inspection.corner(name)
    places = found.rotor_places_mm
    rotor = (
        rotor_measure(places, axle.rotor_new_mm, axle.rotor_discard_mm, knowledge.gauge["micrometer_mm"])
        if places
        else None
    )
    pads = {}
    for side in PADS:
        if pad := getattr(here, side):
            used = 100 * (axle.pad_new_mm - pad.mean.value) / (axle.pad_new_mm - axle.pad_limit_mm)
            left = Measure(pad.mean.value - axle.pad_limit_mm, pad.mean.sd)
            pads[side] = PadUse(used, left, pad.fore_aft_angle_deg(axle.pad_length_mm))
    torque = here.drag.torque_nm if here.drag else None
    hub, ambient = found.hub_temperature_c, inspection.visit.ambient_c
    limit = knowledge.limit
    line_mm = limit["line_length_near_mm" if name.axle == "front" else "line_length_far_mm"]
    content = limit["caliper_content_share"] * piston_area_mm2(axle.piston_diameter_mm) * axle.pad_new_mm / 1000
    return CornerNumbers(
        pads=pads,
        rotor=rotor,
        heat_w=drag_heat_w(torque, limit["told_at_kmh"], hydraulics.wheel_radius_mm) if torque is not None else None,
        fuel_l_per_100_km=drag_fuel_l_per_100_km(torque, hydraulics.wheel_radius_mm, knowledge.heat)
        if torque is not None
        else None,
        lining_mm_per_1000_km=drag_lining_mm_per_1000_km(
            torque, hydraulics.wheel_radius_mm, axle.pad_length_mm, axle.pad_height_mm, knowledge.heat
        )
        if torque is not None
        else None,
        hub_above_ambient_k=hub - ambient if hub is not None and ambient is not None else None,
        returning_ml=None if name in ledger.unmeasured else ledger.corners[name],
        bleed=bleed_volume(line_mm, limit["line_bore_mm"], content, limit["bleed_times"], limit["change_times"]),
    )


def beside(value: float, look: float | None, fault: float | None) -> str:
    """How the trade calls a difference of that size: usual, worth a look, a fault.

    look, fault : limits in the value's unit, None where the trade has none. Source: [practice].

    >>> beside(-1.4, 1.0, 2.0), beside(0.4, 1.0, 2.0), beside(1.6, None, 1.5)
    ('worth a look', 'usual', 'a fault')
    """
    if fault is not None and abs(value) > fault:
        return marked("a fault")
    return marked("worth a look") if look is not None and abs(value) > look else "usual"


def _axle(
    name: Axle,
    inspection: Inspection,
    measures: Mapping[Corner, CornerMeasures],
    corners: Mapping[Corner, CornerNumbers],
    reservoir: Reservoir,
    knowledge: Knowledge,
) -> AxleNumbers:
    names = [corner for corner in corners if corner.axle == name]
    hydraulics = reservoir.hydraulics
    returning = home = strokes = None
    if back := reservoir.returning(names):
        returning, home = back.fluid_ml, back.home
        stroke = hydraulics.stroke_mm * knowledge.limit["useful_stroke_share"]
        count = pedal_strokes(returning.value, hydraulics.bore_mm, stroke)
        strokes = Measure(count, max(0.5, count * returning.sd / max(returning.value, 0.1)))
    hub = {corner: inspection.corner(corner).hub_temperature_c for corner in names}
    forces = inspection.system.brake_force_n
    pulls = [getattr(forces, corner) for corner in names] if forces else []
    difference = imbalance = ratio = None
    if len(names) == 2:
        left, right = names
        if hub[left] is not None and hub[right] is not None:
            difference = float(hub[left]) - float(hub[right])  # type: ignore[arg-type]
        if len(pulls) == 2 and None not in pulls and max(pulls) > 0:
            imbalance = brake_imbalance_percent(*pulls)
        one, other = measures[left].drag, measures[right].drag
        if one and other and not (one.held_fast or other.held_fast):
            value = one.torque_nm / other.torque_nm  # the inertia is the same on both sides: its error falls out
            ratio = Measure(value, value * math.hypot(one.own_log_sd, other.own_log_sd) + 1e-9)
    return AxleNumbers(returning, home, strokes, difference, imbalance, ratio)


def _lost_travel(
    inspection: Inspection, specification: Specification, hydraulics: Hydraulics
) -> tuple[float | None, float | None]:
    """Pedal travel that the gaps seen swallow, mm and share of the travel; None where no gap was measured."""
    volume, seen = 0.0, False
    for name in specification.corners:
        gaps, axle = inspection.corner(name).pad_gap_mm, specification.axle_of(name)
        here = [gap for gap in (gaps.inner, gaps.outer) if gap is not None] if gaps else []
        if here and axle.has("disc"):
            seen = True
            volume += piston_area_mm2(axle.piston_diameter_mm) * sum(here) / 1000
    if not seen:
        return None, None
    travel = pedal_travel_mm(volume, hydraulics.bore_mm, hydraulics.pedal_ratio)
    return travel, travel / (hydraulics.stroke_mm * hydraulics.pedal_ratio)


def _explains(share: float | None, felt: float | None, knowledge: Knowledge) -> bool | None:
    """Whether the gaps explain the pedal that was felt; None where one of the two is not known or nothing is low."""
    if share is None or felt is None:
        return None
    missing = felt - knowledge.limit["normal_travel_share"]
    sd = 2 * knowledge.gauge["pedal_travel"]
    return None if missing <= sd else share >= missing - sd


def faster_side(left: Measure | None, right: Measure | None) -> str:
    """Which side of an axle wears faster beyond chance: ``left``, ``right`` or nothing.

    >>> faster_side(Measure(0.3, 0.02), Measure(0.1, 0.02))
    'left'
    """
    if left is None or right is None:
        return ""
    difference = left - right
    if not difference.beyond_gauge_error:
        return ""
    return "left" if difference.value > 0 else "right"
