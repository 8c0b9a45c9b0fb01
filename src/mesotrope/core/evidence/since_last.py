"""What the earlier visits of a vehicle tell of this one: what its pads lost since tells more of a fault than what they
lost in all their life, and what was new when it left has an age."""

from __future__ import annotations

import datetime
import math
from collections.abc import Mapping, Sequence

from mesotrope.core.evidence.measures import PADS, CornerMeasures, SinceLast
from mesotrope.core.evidence.readings import VisitReadings
from mesotrope.core.evidence.specification import Specification, complete_specification
from mesotrope.core.language.corner import CORNERS, Axle, Corner
from mesotrope.core.language.inspection import Axle as AxleDescription
from mesotrope.core.language.inspection import Axles, EarlierPads, InnerOuterMm, Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.quantity import Measure
from mesotrope.core.language.reliance import relies_on
from mesotrope.core.language.units import MONTH_DAYS

RELIES_ON = relies_on("diagnosis", "depth_gauge_mm", "other_pads_mm", "least_wear_mm")


def since_last_visit(
    inspection: Inspection,
    specification: Specification,
    measures: Mapping[Corner, CornerMeasures],
    knowledge: Knowledge,
) -> dict[Axle, SinceLast]:
    """For each axle that can be judged so, the wear of its pads since the last visit.

    Only where every pad that is measured now was measured then, the vehicle has gone some way, the pads are the same
    ones, and at least one has worn by a millimeter: else the wear of a whole life is the better evidence.
    """
    visit = inspection.visit
    before, now_km = visit.earlier_pads, visit.odometer_km
    if before is None or now_km is None or now_km <= before.odometer_km:
        return {}
    gauge_mm = knowledge.gauge["depth_gauge_mm"]
    out = {}
    for name in specification.axles:
        corners = [c for c in specification.corners_on(name) if measures[c].inner or measures[c].outer]
        worn = {corner: _worn(measures[corner], getattr(before, corner), gauge_mm) for corner in corners}
        known = {corner: pair for corner, pair in worn.items() if pair}
        if known and len(known) == len(worn) and _tells([pad for pair in known.values() for pad in pair], knowledge):
            out[name] = SinceLast(now_km - before.odometer_km, known)
    return out


def _tells(worn: Sequence[Measure], knowledge: Knowledge) -> bool:
    limit = knowledge.limit
    return min(w.value for w in worn) > -limit["other_pads_mm"] and max(w.value for w in worn) >= limit["least_wear_mm"]


def _worn(now: CornerMeasures, before: InnerOuterMm | None, gauge_mm: float) -> tuple[Measure, Measure] | None:
    if before is None or before.inner is None or before.outer is None or not (now.inner and now.outer):
        return None
    pads = ((before.inner, now.inner), (before.outer, now.outer))
    inner, outer = (Measure(was - pad.mean.value, math.hypot(pad.mean.sd, gauge_mm / 2)) for was, pad in pads)
    return inner, outer


def with_earlier_visits(
    inspection: Inspection, day: datetime.date, earlier: Sequence[VisitReadings], knowledge: Knowledge
) -> Inspection:
    """The inspection of a visit of some day with what its vehicle's earlier visits tell: what the pads measured as it
    left the last of them, how far it had gone when they were new, and how old the fluid is that it left with. What the
    document itself says of an earlier visit and of the fluid stands, and of new pads what is later."""
    inspection = _with_new_fluid(inspection, day, earlier)
    now_km = inspection.visit.odometer_km
    if now_km is None:
        return inspection
    dated = [(km, visit) for visit in earlier if (km := visit.odometer_km) is not None and km < now_km]
    latest_first = sorted(dated, key=lambda one: -one[0])
    known = _with_earlier_pads(inspection, latest_first, knowledge)
    return _with_new_pads(known, latest_first, knowledge) if any(visit.made_new for _, visit in dated) else known


def _with_new_fluid(inspection: Inspection, day: datetime.date, earlier: Sequence[VisitReadings]) -> Inspection:
    changed = new_fluid_of(earlier)
    if changed is None or inspection.system.fluid_age_months is not None:
        return inspection
    months = round((day - changed).days / MONTH_DAYS)
    system = inspection.system.model_copy(update={"fluid_age_months": months})
    return inspection.model_copy(update={"findings": inspection.findings.model_copy(update={"system": system})})


def new_fluid_of(visits: Sequence[VisitReadings]) -> datetime.date | None:
    """The last day on which the vehicle left one of its visits with new fluid; None where it left none of them so."""
    return max((visit.day for visit in visits if visit.day and visit.has_new_fluid), default=None)


#: Earlier visits at less distance than now, the latest first, each with how far the vehicle had gone.
_Dated = Sequence[tuple[float, VisitReadings]]


def _with_new_pads(inspection: Inspection, earlier: _Dated, knowledge: Knowledge) -> Inspection:
    specification = complete_specification(inspection, knowledge)
    axles = inspection.vehicle.axles or Axles()
    fitted: dict[str, AxleDescription] = {}
    for name in specification.axles:
        corners = specification.corners_on(name)
        new_at_km = next((km for km, visit in earlier if all(map(visit.has_new_pads, corners))), 0.0)
        given: AxleDescription = getattr(axles, name) or AxleDescription()
        if new_at_km > (given.pads_fitted_odometer_km or 0):
            fitted[name] = given.model_copy(update={"pads_fitted_odometer_km": new_at_km})
    if not fitted:
        return inspection
    vehicle = inspection.vehicle.model_copy(update={"axles": axles.model_copy(update=fitted)})
    return inspection.model_copy(update={"vehicle": vehicle})


def _with_earlier_pads(inspection: Inspection, earlier: _Dated, knowledge: Knowledge) -> Inspection:
    if inspection.visit.earlier_pads is not None:
        return inspection
    renewed_since: set[Corner] = set()
    for km, visit in earlier:
        corners: dict[str, InnerOuterMm] = {}
        for corner in (corner for corner in CORNERS if corner not in renewed_since):
            pads = [visit.pad_it_left_with(corner, side, knowledge) for side in PADS]
            if any(pads):
                inner, outer = (None if pad is None else round(pad.mean.value, 2) for pad in pads)
                corners[corner] = InnerOuterMm(inner=inner, outer=outer)
        renewed_since.update(filter(visit.has_new_pads, CORNERS))
        if corners:
            then = EarlierPads(odometer_km=km, **corners)
            known = inspection.visit.model_copy(update={"earlier_pads": then})
            return inspection.model_copy(update={"visit": known})
    return inspection
