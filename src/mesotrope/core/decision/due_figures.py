"""The figures that what is due is judged by: a corner against its partner, a pad against the other, the fluid."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from mesotrope.core.evidence.fluid_ledger import level_beside_wear
from mesotrope.core.evidence.lately import pistons_were_wound_home
from mesotrope.core.evidence.measures import PADS, CornerMeasures, widest_gap_mm
from mesotrope.core.evidence.specification import Specification
from mesotrope.core.evidence.standing import scaled_sides, stood_chance
from mesotrope.core.language.corner import VEHICLE, Corner, Place
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.reliance import relies_on
from mesotrope.core.language.saying import Sayable, fine_mm, marked, mm, nm, plain, said

RELIES_ON = relies_on(
    marked("verdict"),
    "drag_fault_nm",
    "drag_unsafe_nm",
    "hub_unsafe_c",
    "level_at_switch",
    "micrometer_mm",
    "sensor_warns_mm",
)


@dataclass(frozen=True)
class Judged:
    """A figure with its uncertainty, and how it is said. A difference within gauge error is none."""

    value: float
    shown: Sayable
    sd: float = 0.0

    def beyond(self, limit: float, over: bool = True) -> bool:
        """Whether it is at a limit or beyond it, and is itself beyond gauge error (twice its uncertainty)."""
        if over:
            return self.value >= limit and self.value >= 2 * self.sd
        return self.value < limit


Figures = Mapping[str, Judged]


def figures_at(
    corner: Corner,
    inspection: Inspection,
    specification: Specification,
    measures: Mapping[Corner, CornerMeasures],
    knowledge: Knowledge,
) -> Figures:
    """The figures of one corner; those that were not measured are left out."""
    found, here = inspection.corner(corner), measures[corner]
    partner = corner.partner if corner.partner in specification.corners else None
    theirs = measures[partner] if partner else None
    out: dict[str, Judged] = {}
    if found.rotor_lip_mm is not None:
        out["rotor_lip_mm"] = Judged(found.rotor_lip_mm, fine_mm(found.rotor_lip_mm))
    if found.rotor_runout_mm is not None:
        out["rotor_runout_mm"] = Judged(found.rotor_runout_mm, fine_mm(found.rotor_runout_mm))
    if scaled := scaled_sides(found):
        works = [getattr(found.pedal_response, side, None) == "moves_and_returns" for side in scaled]
        out["pads_work"] = Judged(float(all(works)), "")
        out["stood"] = Judged(stood_chance(specification.corners, inspection, knowledge), "")
    places = found.rotor_places_mm
    if len(places) > 1:
        varies = max(places) - min(places)
        out["rotor_variation_mm"] = Judged(varies, fine_mm(varies, 3), knowledge.gauge["micrometer_mm"])
    if (gap_mm := widest_gap_mm(found)) is not None:
        out["pad_gap_mm"] = Judged(gap_mm, fine_mm(gap_mm))
    axle = specification.axle_of(corner)
    if found.bleeder_opened and found.has_firm_piston:
        out["firm_until_opened" if found.bleeder_opened == "frees" else "stiff_by_itself"] = Judged(1.0, "")
    out["wound_home"] = Judged(float(pistons_were_wound_home(corner.axle, inspection, specification)), "")
    if places:
        left_mm = min(places) - axle.rotor_discard_mm
        out["rotor_over_discard_mm"] = Judged(left_mm, fine_mm(left_mm))
    if here.thinnest_mm is not None:
        left_mm = here.thinnest_mm - axle.pad_limit_mm
        out["lining_over_limit_mm"] = Judged(left_mm, mm(left_mm))
        out["sensor_told"] = Judged(float(left_mm <= knowledge.limit["sensor_warns_mm"]), "")
    pads = [pad for side in PADS if (pad := getattr(here, side))]
    for name, direction in (("fore_aft_mm", "fore_aft"), ("radial_mm", "radial")):
        tapers = [taper for pad in pads if (taper := getattr(pad, direction)) is not None]
        if tapers:
            most = max(tapers, key=lambda taper: abs(taper.value))
            out[name] = Judged(abs(most.value), mm(abs(most.value)), most.sd)
    if split := here.inner_minus_outer:
        out["inner_outer_mm"] = Judged(abs(split.value), mm(abs(split.value)), split.sd)
    if theirs and (apart := here.minus(theirs)) and apart.value < 0:
        out["left_right_mm"] = Judged(-apart.value, mm(-apart.value), apart.sd)
    out |= _drag(here, theirs, specification.shares_wheel(corner), knowledge.limit["drag_unsafe_nm"])
    hub = found.hub_temperature_c
    if hub is not None:
        out["hub_c"] = Judged(hub, plain(hub, "C", 0))
        beside = inspection.corner(partner).hub_temperature_c if partner else None
        if beside is not None:
            out["hub_over_partner_k"] = Judged(hub - beside, plain(hub - beside, "K", 0))
        elif hub < knowledge.limit["hub_unsafe_c"]:
            out["hub_alone_c"] = out["hub_c"]
    if partner:
        codes = [inspection.corner(name).pad_material for name in (corner, partner)]
        if codes[0] and codes[1]:
            differs = float(codes[0].strip().upper() != codes[1].strip().upper())
            out["lining_differs"] = Judged(differs, "")
        forces = inspection.system.brake_force_n
        mine, other = (getattr(forces, name) if forces else None for name in (corner, partner))
        if mine is not None and other:
            weaker = 100 * (other - mine) / other
            out["weaker_percent"] = Judged(weaker, plain(weaker, "%", 0))
    return out


def _drag(here: CornerMeasures, theirs: CornerMeasures | None, shared: bool, unsafe_nm: float) -> dict[str, Judged]:
    """A wheel's drag, and how much more it is than its partner's; what would be unsafe is judged as it was read,
    however far off that may be."""
    drag = here.drag
    if drag is None:
        return {}
    read = nm(drag.torque_nm, 0)
    message = "at least {drag}, over {limit}" if drag.held_fast else "{drag}, over {limit}"
    over = said(message, drag=read, limit=nm(unsafe_nm, 0))
    out = {"drag_nm": Judged(drag.torque_nm, read, drag.sd_nm), "drag_as_read_nm": Judged(drag.torque_nm, over)}
    if theirs and theirs.drag and not shared:
        more = drag.torque_nm - theirs.drag.torque_nm
        sd = (drag.sd_nm**2 + theirs.drag.sd_nm**2) ** 0.5
        out["drag_over_partner_nm"] = Judged(more, nm(more), sd)
    return out


def figures_of(
    inspection: Inspection,
    specification: Specification,
    measures: Mapping[Corner, CornerMeasures],
    knowledge: Knowledge,
) -> dict[Place, Figures]:
    """The figures of every corner, and of the whole vehicle."""
    out: dict[Place, Figures] = {
        corner: figures_at(corner, inspection, specification, measures, knowledge) for corner in specification.corners
    }
    return {**out, VEHICLE: figures_of_vehicle(inspection, specification, measures, knowledge)}


def figures_of_vehicle(
    inspection: Inspection,
    specification: Specification,
    measures: Mapping[Corner, CornerMeasures],
    knowledge: Knowledge,
) -> Figures:
    """The figures of the whole vehicle; those that were not measured are left out."""
    system = inspection.system
    out = _all_hubs(inspection, specification, measures, knowledge)
    if system.pedal_travel is not None:
        out["pedal_travel"] = Judged(system.pedal_travel, plain(100 * system.pedal_travel, "%", 0))
    if system.fluid_level is not None:
        out["fluid_level"] = Judged(system.fluid_level, plain(system.fluid_level))
        over, _, ledger = level_beside_wear(system.fluid_level, inspection, specification, measures, knowledge)
        sd = math.hypot(over.sd, knowledge.ledger.as_expected_sd)  # nobody fills it to the mark exactly
        out["level_by_wear"] = Judged(float(not ledger.unmeasured and over.value >= -2 * sd), "")
        out["level_at_switch"] = Judged(float(system.fluid_level <= knowledge.limit["level_at_switch"]), "")
    if system.fluid_water_percent is not None:
        out["fluid_water_percent"] = Judged(system.fluid_water_percent, plain(system.fluid_water_percent, "%"))
    if system.fluid_copper_ppm is not None:
        out["fluid_copper_ppm"] = Judged(system.fluid_copper_ppm, plain(system.fluid_copper_ppm, "ppm", 0))
    if system.fluid_age_months is not None:
        out["fluid_age_months"] = Judged(system.fluid_age_months - 1e-6, plain(system.fluid_age_months, "", 0))
    grade = knowledge.fluid_grade.get(inspection.vehicle.fluid_grade or "DOT 4")
    if system.fluid_boiling_c is not None and grade:
        out["fluid_boiling_under_wet_k"] = Judged(grade.wet_c - system.fluid_boiling_c, "")
    return out


def _all_hubs(
    inspection: Inspection,
    specification: Specification,
    measures: Mapping[Corner, CornerMeasures],
    knowledge: Knowledge,
) -> dict[str, Judged]:
    """How far the coolest wheel is over the air, where every wheel was measured, and what makes nothing of it: wheels
    that all turn free under a pedal that comes back whole, or a drive that heats brakes."""
    discs = specification.discs
    hubs = [inspection.corner(corner).hub_temperature_c for corner in discs]
    measured = [hub for hub in hubs if hub is not None]
    if len(measured) < len(hubs) or {corner.axle for corner in discs} != set(specification.axles):
        return {}
    over_k = min(measured) - specification.ambient_c
    drags = [measures[corner].drag for corner in discs if specification.speaks_for_wheel(corner)]
    free = all(drag and drag.torque_nm < knowledge.limit["drag_fault_nm"] for drag in drags)
    return {
        "coolest_hub_over_air_k": Judged(over_k, plain(over_k, "K", 0)),
        "wheels_let_go": Judged(float(free and inspection.system.pedal_release == "full"), ""),
        "worked_hard": Judged(float(inspection.visit.usage in ("mountains", "towing")), ""),
    }
