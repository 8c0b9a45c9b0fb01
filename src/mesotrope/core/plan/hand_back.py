"""Proving the work: what was measured after it beside what was found before.

What was not measured again blocks nothing, but is said. What is measured and is not right does.
Basis: common practice; the limits are those of the knowledge.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Literal

from mesotrope.core.evidence.measures import CornerMeasures
from mesotrope.core.evidence.specification import Specification
from mesotrope.core.language.corner import VEHICLE, Corner, Place
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.level import level_said
from mesotrope.core.language.reliance import relies_on
from mesotrope.core.language.saying import Sayable, fine_mm, marked, mm, nm, plain, said
from mesotrope.core.language.work import Done

RELIES_ON = relies_on(
    marked("hand-back"),
    "drag_free_nm",
    "drag_fault_nm",
    "drag_unsafe_nm",
    "drag_beside_partner_times",
    "temperature_look_k",
)

State = Literal["good", "bad", "open"]


@dataclass(frozen=True)
class Check:
    """One thing proved, or still open: what stood before, what stands now, and what that means.

    `unsafe`: the vehicle must not be driven as it is. `proof` is what of it a workshop can demand.
    """

    id: str
    where: Place
    words: str
    before: Sayable
    after: Sayable
    state: State
    because: Sayable = ""
    unsafe: bool = False
    proof: str = ""


@dataclass(frozen=True)
class MeasuredInspection:
    """An inspection with its measures: one of before the work, one of after it."""

    inspection: Inspection
    measures: Mapping[Corner, CornerMeasures]


def hand_back_checks(
    before: MeasuredInspection,
    after: MeasuredInspection,
    worked_on: Iterable[Done],
    ticked: Iterable[str],
    specification: Specification,
    knowledge: Knowledge,
) -> tuple[Check, ...]:
    """Everything that is to be proved after work.

    worked_on : the actions, each with its place. ticked : the steps of the work card that are ticked off. Both wheels
    of an axle that was worked on are asked for.
    """
    work = tuple(worked_on)
    axles = dict.fromkeys(corner.axle for corner, _ in work if isinstance(corner, Corner))
    corners = [corner for axle in axles for corner in specification.corners_on(axle)]
    wheels = [corner for corner in corners if specification.speaks_for_wheel(corner)]
    checks = [_drag(corner, before, after, knowledge) for corner in wheels]
    checks += [_warmth(corner, before, after, knowledge) for corner in corners]
    checks += [_leak(corner, before, after) for corner in corners]
    checks += _lining(work, after, specification, knowledge) + _rotors(work, before, after, specification, knowledge)
    if touches_parking_brake(work, specification, knowledge):
        checks.append(_parking_brake(before, after))
    nuts = [_nuts(ticked)] if axles else []
    return (*checks, *_pedal(before, after), _level(before, after), *nuts)


def _renewed(work: Iterable[Done], proof: str, knowledge: Knowledge) -> list[Corner]:
    """The corners at which something was done that is proved by measuring this."""
    done = (place for place, action in work if proof in knowledge.work[action].proves)
    return list(dict.fromkeys(place for place in done if isinstance(place, Corner)))


def _lining(
    work: Iterable[Done], after: MeasuredInspection, specification: Specification, knowledge: Knowledge
) -> list[Check]:
    """New linings as they were measured: the figure that the next visit's wear is counted from."""
    out = []
    for corner in _renewed(work, "lining", knowledge):
        limit, now = specification.axle_of(corner).pad_limit_mm, after.measures[corner].thinnest_mm
        state: State = "open" if now is None else "good" if now > limit else "bad"
        because: Sayable = {
            "open": marked("measure the new pads"),
            "good": marked("over its limit"),
            "bad": marked("not over its limit"),
        }[state]
        shown = mm(now) if now is not None else ""
        out.append(Check(f"{corner}/lining", corner, marked("new lining"), "", shown, state, because, proof="lining"))
    return out


def _rotors(
    work: Iterable[Done],
    before: MeasuredInspection,
    after: MeasuredInspection,
    specification: Specification,
    knowledge: Knowledge,
) -> list[Check]:
    """The rotor that new pads run on: measured now, or before where it stayed on the vehicle."""
    out = []
    new = {place for place, action in work if action in knowledge.actions_that["new_rotor"]}
    for corner in _renewed(work, "rotor", knowledge):
        discard = specification.axle_of(corner).rotor_discard_mm
        was, now = (visit.inspection.corner(corner).thinnest_rotor_mm for visit in (before, after))
        counts = now if corner in new or now is not None else was
        state: State = "open" if counts is None else "good" if counts > discard else "bad"
        words: Sayable = marked("measure it at its thinnest place")
        if counts is not None:
            words = said("over {discard}" if counts > discard else "not over {discard}", discard=fine_mm(discard))
        then, after_it = (fine_mm(value) if value is not None else "" for value in (was, now))
        out.append(Check(f"{corner}/rotor", corner, "rotor", then, after_it, state, words, proof="rotor"))
    return out


def touches_parking_brake(work: Iterable[Done], specification: Specification, knowledge: Knowledge) -> bool:
    """Whether any of the work touched the parking brake: itself, or pistons that carry it."""
    for place, action in work:
        if "parking_brake" in knowledge.work[action].proves:
            return True
        home = knowledge.action[action].pistons_home or knowledge.action[action].caliper
        if home and isinstance(place, Corner) and specification.axle_of(place).has("parking_brake_in_caliper"):
            return True
    return False


def _parking_brake(before: MeasuredInspection, after: MeasuredInspection) -> Check:
    was, now = (visit.inspection.system.parking_brake_holds for visit in (before, after))
    state: State = "open" if now is None else "good" if now == "yes" else "bad"
    because = {
        "open": marked("try it forward and back"),
        "good": marked("holds forward and back"),
        "bad": marked("does not hold"),
    }[state]
    return Check(
        "system/parking_brake",
        VEHICLE,
        marked("parking brake"),
        was or "",
        now or "",
        state,
        because,
        proof="parking_brake",
    )


def _drag(corner: Corner, before: MeasuredInspection, after: MeasuredInspection, knowledge: Knowledge) -> Check:
    was, now = (visit.measures[corner].drag for visit in (before, after))
    other = corner.partner and after.measures.get(corner.partner)
    partner = other.drag if other else None
    state: State = "open"
    because: Sayable = marked("spin it again")
    unsafe = False
    if now:
        state, because = "good", marked("turns free")
        if now.torque_nm > knowledge.limit["drag_fault_nm"]:
            unsafe = now.torque_nm > knowledge.limit["drag_unsafe_nm"]
            state, because = "bad", said("still drags: over {limit}", limit=nm(knowledge.limit["drag_fault_nm"], None))
        elif partner and now.torque_nm > max(
            knowledge.limit["drag_beside_partner_times"] * partner.torque_nm, knowledge.limit["drag_free_nm"]
        ):
            state, because = (
                "bad",
                said(
                    "drags {times} times as much as its partner", times=plain(now.torque_nm / partner.torque_nm, "", 0)
                ),
            )
    then, after_it = (nm(drag.torque_nm) if drag else "" for drag in (was, now))
    return Check(f"{corner}/drag", corner, marked("drag of the wheel"), then, after_it, state, because, unsafe, "drag")


def _warmth(corner: Corner, before: MeasuredInspection, after: MeasuredInspection, knowledge: Knowledge) -> Check:
    was, now = (visit.inspection.corner(corner).hub_temperature_c for visit in (before, after))
    partner = corner.partner
    other = after.inspection.corner(partner).hub_temperature_c if partner else None
    state: State = "open"
    because: Sayable = marked("measure it after the drive")
    if now is not None:
        state, because = "good", marked("no warmer than its partner")
        if other is not None and now - other > knowledge.limit["temperature_look_k"]:
            state, because = "bad", said("warmer than its partner by {apart}", apart=plain(now - other, "K", 0))
        elif partner and other is None:
            because = marked("its partner was not measured")
    then, after_it = (plain(value, "C", 0) if value is not None else "" for value in (was, now))
    return Check(
        f"{corner}/warmth", corner, marked("hub after the drive"), then, after_it, state, because, proof="warmth"
    )


def _leak(corner: Corner, before: MeasuredInspection, after: MeasuredInspection) -> Check:
    was, now = (visit.inspection.corner(corner).leak for visit in (before, after))
    state: State = "open" if now is None else "good" if now == "none" else "bad"
    because = {
        "open": marked("look with a firm foot on the pedal"),
        "good": "dry",
        "bad": marked("fluid still leaves here"),
    }[state]
    then, after_it = ("dry" if value == "none" else value or "" for value in (was, now))
    return Check(f"{corner}/leak", corner, "leak", then, after_it, state, because, state == "bad", "leak")


def _pedal(before: MeasuredInspection, after: MeasuredInspection) -> tuple[Check, ...]:
    was, now = before.inspection.system, after.inspection.system
    hold: State = "open" if now.pedal_hold is None else "good" if now.pedal_hold == "holds" else "bad"
    held = {"open": marked("hold it for 30 s"), "good": "holds", "bad": marked("the pedal sinks")}[hold]
    feel: State = "open" if now.pedal_feel is None else "good" if now.pedal_feel == "firm" else "bad"
    felt = {
        "open": marked("pump it first"),
        "good": "firm",
        "bad": marked("not firm: look for air before the vehicle moves"),
    }[feel]
    wet = now.visible_leak
    dry: State = "open" if wet is None else "good" if wet == "none" else "bad"
    seen = {"open": marked("look at every union and hose"), "good": "dry", "bad": marked("fluid leaks")}[dry]

    def both(was_word: str | None, now_word: str | None) -> tuple[str, str]:
        then, after_it = ((word or "").replace("_", " ") for word in (was_word, now_word))
        return then, after_it

    holding, feeling = both(was.pedal_hold, now.pedal_hold), both(was.pedal_feel, now.pedal_feel)
    leaking = both(was.visible_leak, wet)
    return (
        Check(
            "system/hold", VEHICLE, marked("pedal under a steady foot"), *holding, hold, held, hold == "bad", "pedal"
        ),
        Check("system/feel", VEHICLE, marked("pedal feel"), *feeling, feel, felt, now.pedal_feel == "spongy", "pedal"),
        Check("system/leak", VEHICLE, marked("leak seen"), *leaking, dry, seen, dry == "bad", "leak"),
    )


def _level(before: MeasuredInspection, after: MeasuredInspection) -> Check:
    was, now = before.inspection.system.fluid_level, after.inspection.system.fluid_level
    state: State = "open" if now is None else "good" if 0 <= now <= 1 else "bad"
    because = {
        "open": marked("look once more"),
        "good": marked("between MIN and MAX"),
        "bad": marked("not between MIN and MAX"),
    }[state]
    then, after_it = (level_said(value) if value is not None else "" for value in (was, now))
    low = now is not None and now < 0
    return Check("system/level", VEHICLE, marked("fluid level"), then, after_it, state, because, low, "level")


def _nuts(ticked: Iterable[str]) -> Check:
    done = "nuts" in set(ticked)
    because = marked("torqued on the ground") if done else marked("tick them off on the work card")
    state: State = "good" if done else "open"
    return Check("system/nuts", VEHICLE, marked("wheel nuts"), "", "done" if done else "", state, because, proof="nuts")
