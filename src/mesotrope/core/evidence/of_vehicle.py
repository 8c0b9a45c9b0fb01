"""What was found of the whole vehicle, as evidence."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from mesotrope.core.evidence.fluid_ledger import level_evidence
from mesotrope.core.evidence.graded import graded
from mesotrope.core.evidence.measures import CornerMeasures, widest_gap_mm
from mesotrope.core.evidence.pieces import Evidence
from mesotrope.core.evidence.specification import Specification
from mesotrope.core.language.corner import VEHICLE, Axle, Corner
from mesotrope.core.language.inspection import CornerFindings, Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.paths import leaves


def system_evidence(
    inspection: Inspection,
    specification: Specification,
    measures: Mapping[Corner, CornerMeasures],
    knowledge: Knowledge,
) -> list[Evidence]:
    """Evidence of the whole vehicle."""
    system = inspection.system
    given: dict[str, Any] = {path: value for path, value in leaves(system) if value != "unknown"}
    if system.pedal_feel is not None:
        given["pedal_hard"] = "hard" if system.pedal_feel == "hard" else "not_hard"
        if system.pedal_feel == "hard":
            del given["pedal_feel"]
    if inspection.visit.recent_work is not None:
        opened = knowledge.opens_hydraulics & set(inspection.visit.recent_work)
        given["recent_hydraulic_work"] = "yes" if opened else "no"
        pushed_home = knowledge.pushes_home & set(inspection.visit.recent_work)
        given["recent_pad_work"] = "yes" if pushed_home else "no"
    given |= _leaks_at_wheels([inspection.corner(corner) for corner in specification.corners])
    given |= _gaps_alike(inspection, specification, knowledge.stands_back.from_mm)
    out: list[Evidence] = []
    for likelihood in knowledge.system_likelihoods:
        if likelihood.key == "fluid_balance":
            if system.fluid_level is not None:
                out.append(level_evidence(inspection, specification, measures, likelihood, knowledge))
        elif (value := given.get(likelihood.key)) is not None and likelihood.unless not in given:
            out.append(graded(VEHICLE, likelihood, value, knowledge))
    return out


def _leaks_at_wheels(corners: Iterable[CornerFindings]) -> dict[str, str]:
    """The worst leak at any wheel that was looked at: at a hose's union or a line it can be nothing else, elsewhere it
    may be a piston's seal that weeps, or what was spilt at a bleeder."""
    grades = ["none", "seep", "drip"]
    seen = [(grades.index(found.leak), found.leak_at in ("hose_union", "line")) for found in corners if found.leak]
    if not seen:
        return {}
    worst, in_line = max(seen)
    return {"line_leak" if in_line and worst else "corner_leak": grades[worst]}


def _gaps_alike(inspection: Inspection, specification: Specification, from_mm: float) -> dict[str, str]:
    """Whether both wheels of an axle show such a gap at a pad; that none does is said where all were looked at."""
    widest: dict[Axle, list[float | None]] = {}
    for corner in specification.discs:
        widest.setdefault(corner.axle, []).append(widest_gap_mm(inspection.corner(corner)))
    if any(len(sides) > 1 and all(gap is not None and gap >= from_mm for gap in sides) for sides in widest.values()):
        return {"gaps_alike": "yes"}
    return {} if any(None in sides for sides in widest.values()) else {"gaps_alike": "no"}
