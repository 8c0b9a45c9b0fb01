"""What planned work brings along: the other side, bleeding, rotors for new pads; and what it makes needless."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from types import MappingProxyType
from typing import NamedTuple

from mesotrope.core.decision.answered import Open, Planned
from mesotrope.core.evidence.specification import Specification
from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.inspection import CornerFindings, Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.paths import leaves
from mesotrope.core.language.saying import marked, said
from mesotrope.core.language.work import Done

#: How it is said that something is done for other work's sake.
ON_THE_OTHER_SIDE = marked("as on the other side: {why}")
OPENED = marked("hydraulics opened; {why}")
NEW_FLUID = marked("new fluid with a new caliper; {why}")
BROUGHT = marked("with {work}: {why}")
FOR_OTHER_WORK = (ON_THE_OTHER_SIDE, OPENED, NEW_FLUID, BROUGHT)


def complete(
    planned: Planned,
    left_open: Sequence[Open],
    inspection: Inspection,
    specification: Specification,
    knowledge: Knowledge,
) -> None:
    """Complete a plan in place: with what its work brings along, without what it makes needless."""
    companions = companions_at(specification.corners, inspection, knowledge)
    _causes_found(planned, left_open)
    _brought(planned, knowledge)
    _both_sides(planned, companions, specification, knowledge)
    _new_pads_ride_on_no_lip(planned, companions)
    _not_twice(planned, knowledge)
    _bled_where_opened(planned, knowledge)
    _new_fluid(planned, knowledge)


def _causes_found(planned: Planned, left_open: Sequence[Open]) -> None:
    """The cause need not be looked for where nothing is open: what was found there is explained."""
    still_open = {one.place for one in left_open}
    for action, place in list(planned):
        if action == "find_the_cause" and place not in still_open:
            del planned[action, place]


def _brought(planned: Planned, knowledge: Knowledge) -> None:
    """What goes with some work at the same corner: clips with pads, pads with a rotor, grease with a pin."""
    left = list(planned)
    for action, place in left:
        for name in knowledge.action[action].brings:
            if knowledge.cost[name].per == "corner" and (name, place) not in planned:
                why = knowledge.action[name].both_sides or planned[action, place]
                planned[name, place] = said(BROUGHT, work=knowledge.action[action].words, why=why)
                left.append((name, place))  # which may bring more


class Companions(NamedTuple):
    """What was found that changes what work brings along.

    spared : what need not be done because the other side gets it, for the part there was looked at and is sound;
    resurfaced : corners whose rotor is resurfaced where new pads go on it, and why.
    """

    spared: frozenset[Done] = frozenset()
    resurfaced: Mapping[Corner, str] = MappingProxyType({})


def companions_at(corners: Iterable[Corner], inspection: Inspection, knowledge: Knowledge) -> Companions:
    """What was found at some corners that changes what their work brings along."""
    found = {corner: dict(leaves(inspection.corner(corner))) for corner in corners}
    spared = frozenset(
        (corner, action.id)
        for action in knowledge.actions
        for name, value in action.spared.items()
        for corner in found
        if found[corner].get(name) == value
    )
    resurfaced = {corner: why for corner in found if (why := _resurfaced(inspection.corner(corner), knowledge))}
    return Companions(spared, resurfaced)


def _resurfaced(found: CornerFindings, knowledge: Knowledge) -> str:
    """Why a rotor is resurfaced where new pads go on it; nothing where it is not."""
    lip = found.rotor_lip_mm
    if lip is not None and lip >= knowledge.limit["rotor_lip_mm"]:
        return marked("new pads would ride up on the lip at the rotor's edge")
    if found.rotor_face and "scored" in (found.rotor_face.inner, found.rotor_face.outer):
        return marked("new pads would bed in on a scored face")
    return ""


def _new_pads_ride_on_no_lip(planned: Planned, companions: Companions) -> None:
    """With new pads a lipped or scored rotor is resurfaced, unless it is replaced."""
    for corner, because in companions.resurfaced.items():
        if ("replace_pads", corner) in planned:
            planned.setdefault(("resurface_rotor", corner), because)


def _both_sides(planned: Planned, companions: Companions, specification: Specification, knowledge: Knowledge) -> None:
    for (action, corner), _ in list(planned.items()):
        known = knowledge.action[action]
        partner = corner.partner if isinstance(corner, Corner) else None
        if known.both_sides and partner in specification.corners and (partner, action) not in companions.spared:
            planned.setdefault((action, partner), said(ON_THE_OTHER_SIDE, why=known.both_sides))


def _not_twice(planned: Planned, knowledge: Knowledge) -> None:
    """A replaced caliper is not rebuilt, a replaced bracket not cleaned, a replaced hose not refitted."""
    for action, corner in list(planned):
        better = planned.keys() & {(name, corner) for name in knowledge.in_place_of.get(action, ())}
        if isinstance(corner, Corner) and better:
            del planned[action, corner]


def _bled_where_opened(planned: Planned, knowledge: Knowledge) -> None:
    """Hydraulics that were opened are bled, once for the whole vehicle."""
    for (action, place), because in list(planned.items()):
        if action == "bleed_system" and place is not VEHICLE:
            del planned[action, place]
        if place is not VEHICLE and (action == "bleed_system" or "bleed_system" in knowledge.action[action].brings):
            planned.setdefault(("bleed_system", VEHICLE), said(OPENED, why=because))
        elif "bleed_system" in knowledge.action[action].brings:
            planned.setdefault(("bleed_system", VEHICLE), because)


def _new_fluid(planned: Planned, knowledge: Knowledge) -> None:
    """The fluid is changed when new calipers go in."""
    for (action, _), because in list(planned.items()):
        if "flush_fluid" in knowledge.action[action].brings:
            planned.setdefault(("flush_fluid", VEHICLE), said(NEW_FLUID, why=because))
