"""Proving the work: what was measured after it beside what was found before, and how the vehicle may leave.

What was not measured again blocks nothing, but is said. What is measured and is not right does.
Basis: common practice; the limits are those of the knowledge.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from mesotrope.core.evidence.measures import CornerMeasures
from mesotrope.core.evidence.specification import Specification
from mesotrope.core.language.corner import VEHICLE, Corner, Place
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.level import level_said
from mesotrope.core.language.reliance import relies_on
from mesotrope.core.language.saying import Sayable, nm, placed, plain, said

RELIES_ON = relies_on(
    "hand-back", "drag_free_nm", "drag_fault_nm", "drag_unsafe_nm", "drag_beside_partner_times", "temperature_look_k"
)

State = Literal["good", "bad", "open"]

#: How a vehicle leaves, and what that is called.
RELEASES = {
    "released": "released",
    "restricted": "released with restriction",
    "unsafe": "unsafe, not released",
}


@dataclass(frozen=True)
class Check:
    """One thing proved, or still open: what stood before, what stands now, and what that means.

    `unsafe`: the vehicle must not be driven as it is.
    """

    id: str
    where: Place
    words: str
    before: Sayable
    after: Sayable
    state: State
    because: Sayable = ""
    unsafe: bool = False


@dataclass(frozen=True)
class MeasuredInspection:
    """An inspection with its measures: one of before the work, one of after it."""

    inspection: Inspection
    measures: Mapping[Corner, CornerMeasures]


def hand_back_checks(
    before: MeasuredInspection,
    after: MeasuredInspection,
    worked_on: Iterable[Place],
    ticked: Iterable[str],
    specification: Specification,
    knowledge: Knowledge,
) -> tuple[Check, ...]:
    """Everything that is to be proved after work at these corners or at the whole vehicle.

    ticked : the steps of the work card that are ticked off. Both wheels of an axle that was worked on are asked for.
    """
    axles = dict.fromkeys(corner.axle for corner in worked_on if isinstance(corner, Corner))
    corners = [corner for axle in axles for corner in specification.corners_on(axle)]
    wheels = [corner for corner in corners if not (specification.shares_wheel(corner) and corner.side == "right")]
    checks = [_drag(corner, before, after, knowledge) for corner in wheels]
    checks += [_warmth(corner, before, after, knowledge) for corner in corners]
    checks += [_leak(corner, before, after) for corner in corners]
    return (*checks, *_pedal(before, after), _level(before, after), _nuts(ticked))


def _drag(corner: Corner, before: MeasuredInspection, after: MeasuredInspection, knowledge: Knowledge) -> Check:
    was, now = (visit.measures[corner].drag for visit in (before, after))
    other = corner.partner and after.measures.get(corner.partner)
    partner = other.drag if other else None
    state: State = "open"
    because: Sayable = "spin it again"
    unsafe = False
    if now:
        state, because = "good", "turns free"
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
    return Check(f"{corner}/drag", corner, "drag of the wheel", then, after_it, state, because, unsafe)


def _warmth(corner: Corner, before: MeasuredInspection, after: MeasuredInspection, knowledge: Knowledge) -> Check:
    was, now = (visit.inspection.corner(corner).hub_temperature_c for visit in (before, after))
    partner = corner.partner
    other = after.inspection.corner(partner).hub_temperature_c if partner else None
    state: State = "open"
    because: Sayable = "measure it after the drive"
    if now is not None:
        state, because = "good", "no warmer than its partner"
        if other is not None and now - other > knowledge.limit["temperature_look_k"]:
            state, because = "bad", said("warmer than its partner by {apart}", apart=plain(now - other, "K", 0))
        elif partner and other is None:
            because = "its partner was not measured"
    then, after_it = (plain(value, "C", 0) if value is not None else "" for value in (was, now))
    return Check(f"{corner}/warmth", corner, "hub after the drive", then, after_it, state, because)


def _leak(corner: Corner, before: MeasuredInspection, after: MeasuredInspection) -> Check:
    was, now = (visit.inspection.corner(corner).leak for visit in (before, after))
    state: State = "open" if now is None else "good" if now == "none" else "bad"
    because = {"open": "look with a firm foot on the pedal", "good": "dry", "bad": "fluid still leaves here"}[state]
    then, after_it = ("dry" if value == "none" else value or "" for value in (was, now))
    return Check(f"{corner}/leak", corner, "leak", then, after_it, state, because, unsafe=state == "bad")


def _pedal(before: MeasuredInspection, after: MeasuredInspection) -> tuple[Check, ...]:
    was, now = before.inspection.system, after.inspection.system
    hold: State = "open" if now.pedal_hold is None else "good" if now.pedal_hold == "holds" else "bad"
    held = {"open": "hold it for 30 s", "good": "holds", "bad": "the pedal sinks"}[hold]
    feel: State = "open" if now.pedal_feel is None else "good" if now.pedal_feel == "firm" else "bad"
    felt = {"open": "pump it first", "good": "firm", "bad": "not firm: look for air before the vehicle moves"}[feel]
    wet = now.visible_leak
    dry: State = "open" if wet is None else "good" if wet == "none" else "bad"
    seen = {"open": "look at every union and hose", "good": "dry", "bad": "fluid leaks"}[dry]

    def said(word: str | None) -> str:
        return (word or "").replace("_", " ")

    return (
        Check("system/hold", VEHICLE, "pedal under a steady foot", said(was.pedal_hold), said(now.pedal_hold), hold,
              held,
              unsafe=hold == "bad"),
        Check("system/feel", VEHICLE, "pedal feel", said(was.pedal_feel), said(now.pedal_feel), feel, felt,
              unsafe=now.pedal_feel == "spongy"),
        Check("system/leak", VEHICLE, "leak seen", said(was.visible_leak), said(wet), dry, seen, unsafe=dry == "bad"),
    )  # fmt: skip


def _level(before: MeasuredInspection, after: MeasuredInspection) -> Check:
    was, now = before.inspection.system.fluid_level, after.inspection.system.fluid_level
    state: State = "open" if now is None else "good" if 0 <= now <= 1 else "bad"
    because = {"open": "look once more", "good": "between MIN and MAX", "bad": "not between MIN and MAX"}[state]
    then, after_it = (level_said(value) if value is not None else "" for value in (was, now))
    low = now is not None and now < 0
    return Check("system/level", VEHICLE, "fluid level", then, after_it, state, because, low)


def _nuts(ticked: Iterable[str]) -> Check:
    done = "nuts" in set(ticked)
    because = "torqued on the ground" if done else "tick them off on the work card"
    return Check("system/nuts", VEHICLE, "wheel nuts", "", "done" if done else "", "good" if done else "open", because)


def possible_releases(
    checks: Sequence[Check],
    *,
    found_unsafe: bool,
    put_right: bool,
    stop_gap: str,
    approved: bool,
) -> dict[str, Sayable]:
    """Every way in which the vehicle may leave, with why it may not ("" where it may).

    found_unsafe : it came in unsafe. put_right : every planned action is ticked off. stop_gap : what was only tided
    over, "" for nothing. approved : the verdict stands, with a lead's approval where one is needed.

    >>> possible_releases([], found_unsafe=False, put_right=True, stop_gap="piston wound out", approved=True)
    {'released': Said(message='a stop-gap stands: {what}', gaps=(('what', 'piston wound out'),)), 'restricted': '', \
'unsafe': ''}
    """
    danger = [placed(check.where, check.because) for check in checks if check.unsafe]
    wrong = [placed(check.where, check.because) for check in checks if check.state == "bad"]
    never: Sayable = ""
    if danger:
        never = danger[0]
    elif not approved:
        never = "the verdict is not signed and approved yet"
    elif found_unsafe and not put_right:
        never = "it came in unsafe, and not every action that puts it right is ticked off"
    free = never or (said("a stop-gap stands: {what}", what=stop_gap) if stop_gap else wrong[0] if wrong else "")
    return {"released": free, "restricted": never, "unsafe": ""}
