"""What was found at a corner, as evidence: drag, wear, taper, warmth, and every word and figure with grades."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import Any

from mesotrope.core.evidence.graded import graded
from mesotrope.core.evidence.measures import PADS, CornerMeasures, SinceLast
from mesotrope.core.evidence.pieces import Dragging, Evidence, Isolated, Tapered, Uses, Warm, Worn
from mesotrope.core.evidence.sentences import difference_in_words
from mesotrope.core.evidence.specification import AxleSpecification, Specification
from mesotrope.core.evidence.standing import SCALED
from mesotrope.core.language.corner import Axle, Corner
from mesotrope.core.language.faults import Likelihood
from mesotrope.core.language.inspection import CornerFindings, Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.paths import by_finding, leaves
from mesotrope.core.language.quantity import Measure
from mesotrope.core.language.reliance import relies_on
from mesotrope.core.language.saying import Figure, Sayable, joined, marked, mm, nm, plain, said
from mesotrope.core.physics.pads import PadMeasure

RELIES_ON = relies_on("diagnosis", "drag_fault_nm", "drag_free_nm", "infrared_c", "variation_mm")


def _dragging(
    corner: Corner, measures: Mapping[Corner, CornerMeasures], found: CornerFindings, specification: Specification
) -> list[Evidence]:
    drag, weighed = measures[corner].drag, measures[corner].drag_weighed
    if drag is None or weighed is None:
        return []
    partner = corner.partner
    shared = specification.shares_wheel(corner)
    if shared and corner.side == "right" and partner and measures[partner].drag:
        return []  # the same wheel, said at its left corner
    spin = found.spin
    torque = Figure(drag.torque_nm, "N.m", 1, drag.sd_nm)
    if drag.held_fast:
        sentence = said("cannot be turned by hand: at least {torque}", torque=nm(drag.torque_nm, 0))
    elif spin and spin.turns is not None and spin.seconds is not None:
        message = "stopped after {turns} turn in {seconds}: {torque}"
        if spin.turns != 1:
            message = "stopped after {turns} turns in {seconds}: {torque}"
        sentence = said(message, turns=plain(spin.turns), seconds=plain(spin.seconds, "s"), torque=torque)
    else:
        sentence = said("needs {torque} to turn", torque=torque)
    if partner and not shared and partner in measures and measures[partner].drag:
        other = measures[partner].drag
        assert other is not None
        sentence = said("{this}; its partner {torque}", this=sentence, torque=nm(other.torque_nm))
    finding = "spin" if spin and spin.turns is not None else "pull_n"
    uses = ("wheel_inertia_kg_m2", "driven") if finding == "spin" else ("driven",)
    return [Dragging(corner, finding, sentence, weighed, shared, uses)]


def _wear(
    corner: Corner,
    measures: Mapping[Corner, CornerMeasures],
    found: CornerFindings,
    axle: AxleSpecification,
    knowledge: Knowledge,
) -> list[Evidence]:
    here = measures[corner]
    pads = {side: getattr(here, side) for side in PADS if getattr(here, side)}
    if not pads:
        return []
    sentence: Sayable = joined(
        (said("{pad} {left}", pad=side, left=mm(pad.mean.value)) for side, pad in pads.items()), ", "
    )
    split = here.inner_minus_outer
    if split and split.beyond_gauge_error:
        sentence = said("{this}: inner {split}", this=sentence, split=difference_in_words(split))
    elif split:
        sentence = said("{this}: inner and outer {split}", this=sentence, split=difference_in_words(split))
    partner = corner.partner
    against = here.minus(measures[partner]) if partner and partner in measures else None
    if against:
        sentence = said(
            "{this}; this corner against its partner: {difference}",
            this=sentence,
            difference=difference_in_words(against),
        )
    new_mm = axle.pad_new_mm
    least = new_mm / knowledge.wear.points / 2  # as new as is told apart; so is what is thicker than the figure
    worn = {side: Measure(max(least, new_mm - pad.mean.value), pad.mean.sd) for side, pad in pads.items()}
    uses = (f"{corner.axle}.pad_new_mm",)
    finding = "pad_mm" if leaves(found.pad_mm) else "window_pad_mm"
    misread = _misread(pads.values(), knowledge)
    return [Worn(corner, finding, sentence, worn.get("inner"), worn.get("outer"), uses, misread=misread)]


def _misread(pads: Iterable[PadMeasure], knowledge: Knowledge) -> float:
    """Chance that a slip of the gauge carries any of these pads' means away."""
    known = knowledge.wear.slips
    return min(0.5, math.fsum(pad.mean_slip_chance(known) for pad in pads))


def _wear_since(
    corner: Corner, since: SinceLast, here: CornerMeasures, found: CornerFindings, knowledge: Knowledge
) -> list[Evidence]:
    if corner not in since.worn:
        return []
    inner, outer = since.worn[corner]
    sentence = said(
        "since the last visit, {distance} ago: inner worn by {inner}, outer by {outer}",
        distance=plain(since.km, "km", 0), inner=mm(inner.value), outer=mm(outer.value),
    )  # fmt: skip
    partner = since.worn.get(corner.partner) if corner.partner else None
    if partner:
        theirs = {"inner": plain(partner[0].value, "", 1), "outer": mm(partner[1].value)}
        sentence = said("{this}; its partner {inner} and {outer}", this=sentence, **theirs)
    finding = "pad_mm" if leaves(found.pad_mm) else "window_pad_mm"
    misread = _misread((pad for side in PADS if (pad := getattr(here, side))), knowledge)
    uses = (f"{corner.axle}.pad_new_mm",)
    return [Worn(corner, finding, sentence, inner, outer, uses, lately=True, misread=misread)]


def _tapers(corner: Corner, here: CornerMeasures, axle: AxleSpecification, knowledge: Knowledge) -> list[Evidence]:
    out: list[Evidence] = []
    for direction in ("fore_aft", "radial"):
        tapers = {
            side: taper
            for side in PADS
            if (pad := getattr(here, side)) and (taper := getattr(pad, direction)) is not None
        }
        if tapers:
            sentence = joined((_taper_in_words(side, taper, direction) for side, taper in tapers.items()), ", ")
            pads: list[PadMeasure] = [getattr(here, side) for side in tapers]
            worn = tuple(axle.pad_new_mm - pad.mean.value for pad in pads)
            misread = tuple(pad.slip_chance(knowledge.wear.slips) for pad in pads)
            uses = (f"{corner.axle}.pad_new_mm",)
            out.append(Tapered(corner, "pad_mm", sentence, direction, tuple(tapers.values()), worn, misread, uses))
    return out


#: How a taper is said: none, thinner at its lower end, thinner at its higher end.
_TAPERS = {
    "fore_aft": (
        marked("{pad} pad has no end-to-end taper"), marked("{pad} pad {by} thinner at its leading end"),
        marked("{pad} pad {by} thinner at its trailing end"),
    ),
    "radial": (
        marked("{pad} pad has no rim-to-hub taper"), marked("{pad} pad {by} thinner at its rim edge"),
        marked("{pad} pad {by} thinner at its hub edge"),
    ),
}  # fmt: skip


def _taper_in_words(side: str, taper: Measure, direction: str) -> Sayable:
    none, low, high = _TAPERS[direction]
    if not taper.beyond_gauge_error:
        return said(none, pad=side)
    return said(low if taper.value < 0 else high, pad=side, by=mm(abs(taper.value)))


def _rise_k(corner: Corner, inspection: Inspection, specification: Specification) -> float | None:
    """Hub temperature over ambient."""
    hub = inspection.corner(corner).hub_temperature_c
    return None if hub is None else hub - specification.ambient_c


def _warm(corner: Corner, inspection: Inspection, specification: Specification, knowledge: Knowledge) -> list[Evidence]:
    """A warm hub against its partner: what the cooler of the two shows is what braking itself did, within reason; the
    rear brakes do less of it than the front ones."""
    rises = {at: k for at in specification.corners if (k := _rise_k(at, inspection, specification)) is not None}
    if corner not in rises:
        return []
    rise, known = rises[corner], knowledge.warmth
    other = rises.get(corner.partner) if corner.partner else None
    usual, sd, driven_hard = known.usual_k, known.usual_sd_k, 0.0
    sentence = said("hub {rise} over the outside after the drive", rise=plain(rise, "K", 0))
    if other is not None:
        cooler, most = min(rise, other), known.usual_k + known.usual_sd_k
        if fronts := [k for at in specification.corners_on(Axle.FRONT) if (k := rises.get(at)) is not None]:
            most = min(most, max(known.usual_k, *fronts)) if corner.axle == Axle.REAR else most
        usual = min(max(cooler, known.usual_k - known.usual_sd_k), most)
        sd = known.beside_partner_share * known.usual_sd_k
        if min(rises.values()) > known.usual_k + known.usual_sd_k:
            hard = known.driven_hard.get(inspection.visit.usage or "", known.driven_hard["usual"])
            driven_hard = hard ** (1 / len(rises))
        sentence = said("{this}; its partner {rise}", this=sentence, rise=plain(other, "K", 0))
    beyond, sd = 0.0 if other is None else max(0.0, rise - other), math.hypot(sd, knowledge.gauge["infrared_c"])
    return [Warm(corner, "hub_temperature_c", sentence, rise, usual, sd, beyond, driven_hard, ("ambient_c",))]


def _isolated(corner: Corner, found: CornerFindings, knowledge: Knowledge) -> list[Evidence]:
    """A corner at which a test was made that is made while a wheel drags, to find out what holds it; the bleeder is
    opened also for a piston that went home only firmly."""
    for finding in by_finding(found):
        field = knowledge.corner_finding[finding]
        if field.while_dragging and not (field.after_firm_piston and found.has_firm_piston):
            return [Isolated(corner, finding, said("it dragged, or nobody would have isolated it"))]
    return []


def _compared(corner: Corner, inspection: Inspection, specification: Specification) -> dict[str, Any]:
    """Findings of a corner that only a comparison makes: against its partner, and with what was done lately."""
    out: dict[str, Any] = {}
    partner = corner.partner
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
        axle = corner.axle
        out["recent_pads"] = "yes" if {"pads", f"pads_{axle}"} & set(lately) else "no"
        if axle == "rear":
            out["recent_parking_brake"] = "yes" if "parking_brake" in lately else "no"
    return out


def _graded(
    corner: Corner,
    found: CornerFindings,
    axle: AxleSpecification,
    knowledge: Knowledge,
    compared: Mapping[str, Any],
    by_standing: float,
    standing_back: float,
) -> list[Evidence]:
    given: dict[str, Any] = {**dict(leaves(found)), **compared}
    uses: dict[str, Uses] = {}
    if found.leak_at not in (None, "piston"):
        given.pop("leak", None)  # a bleeder, union or line that weeps tells nothing of the piston's seal
    pistons = [knowledge.likelihood["piston_pushback.worst"].order.index(v) for v in found.piston_pushback or [] if v]
    if pistons:
        order = knowledge.likelihood["piston_pushback.worst"].order
        given["piston_pushback.worst"] = order[max(pistons)]
        if len(pistons) > 1 and max(pistons):  # where the worst goes home easily, so do all
            given["piston_pushback.best"] = order[min(pistons)]
    places = found.rotor_places_mm
    if places:
        given["rotor_margin_mm"] = min(places) - axle.rotor_discard_mm
        uses["rotor_margin_mm"] = (f"{corner.axle}.rotor_discard_mm",)
        varies_mm = max(places) - min(places)
        if len(places) > 2 or varies_mm >= knowledge.limit["variation_mm"]:  # two places that agree tell little
            given["rotor_variation_mm"] = varies_mm
    out: list[Evidence] = []
    for likelihood in knowledge.likelihoods:
        value = given.get(likelihood.key)
        if value is not None and not _out_of_place(likelihood, axle):
            item = graded(corner, likelihood, value, knowledge, uses.get(likelihood.key, ()))
            if by_standing and likelihood.name == "rotor_face" and value == SCALED:
                emission = (1 - by_standing) * item.emission + by_standing * knowledge.standing.scales
                item = replace(item, emission=emission)
            if standing_back and likelihood.name == "pad_gap_mm":
                item = replace(item, emission=knowledge.stands_back.beside(item.emission, value, standing_back))
            out.append(item)
    return out


def _out_of_place(likelihood: Likelihood, axle: AxleSpecification) -> bool:
    """Whether this finding cannot be made on this axle (a slide pin on a fixed caliper)."""
    return likelihood.name.startswith("pin") and not axle.has("floating")
