"""What was done to a vehicle lately, where it changes what a finding means. Basis: common practice."""

from __future__ import annotations

from mesotrope.core.evidence.specification import Specification
from mesotrope.core.language.corner import Axle
from mesotrope.core.language.inspection import Inspection


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
