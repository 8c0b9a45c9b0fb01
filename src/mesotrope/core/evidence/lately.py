"""What was done to a vehicle lately, where it changes what a finding means. Basis: common practice."""

from __future__ import annotations

from mesotrope.core.evidence.measures import widest_gap_mm
from mesotrope.core.evidence.specification import Specification
from mesotrope.core.language.corner import Axle, Corner
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge


def pads_were_renewed(axle: Axle, inspection: Inspection) -> bool:
    """Whether an axle got new pads, or calipers, lately.

    >>> from mesotrope.core.language.inspection import parse_inspection
    >>> lately = parse_inspection('{"visit": {"recent_work": ["pads_rear"]}}')
    >>> pads_were_renewed(Axle.REAR, lately), pads_were_renewed(Axle.FRONT, lately)
    (True, False)
    """
    return bool(set(inspection.visit.recent_work or ()) & {"pads", f"pads_{axle}", "calipers"})


def pistons_were_wound_home(axle: Axle, inspection: Inspection, specification: Specification) -> bool:
    """Whether an axle with the parking brake in its calipers got new pads lately: its screw mechanisms may stand back
    from their pistons, until the lever has been cycled."""
    return specification.axles[axle].has("parking_brake_in_caliper") and pads_were_renewed(axle, inspection)


def stands_back_chance(
    corner: Corner, inspection: Inspection, specification: Specification, knowledge: Knowledge
) -> float:
    """Chance that a gap at a corner's pads is a piston that works and stands back: pads were renewed lately, or the
    other wheel of the axle has one too, at either pad.

    >>> from mesotrope.core.evidence.specification import complete_specification
    >>> from mesotrope.core.language.inspection import parse_inspection
    >>> from mesotrope.knowledge import knowledge
    >>> lately = parse_inspection('{"visit": {"recent_work": ["pads_front"]}}')
    >>> car = complete_specification(lately, knowledge())
    >>> round(stands_back_chance(Corner.FRONT_LEFT, lately, car, knowledge()), 3)
    0.3
    """
    often = knowledge.stands_back
    in_caliper = specification.axles[corner.axle].has("parking_brake_in_caliper")
    nothing = 1.0
    if pads_were_renewed(corner.axle, inspection):
        nothing *= 1 - (often.wound_home if in_caliper else often.pushed_home)
    partner = corner.partner
    theirs_mm = widest_gap_mm(inspection.corner(partner)) if partner and partner in specification.corners else None
    if theirs_mm is not None and theirs_mm >= often.from_mm:
        nothing *= 1 - (often.both_screws if in_caliper else often.both_sides)
    return 1 - nothing
