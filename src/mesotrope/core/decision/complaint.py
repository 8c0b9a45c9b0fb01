"""What the driver's complaint points at: the corners at which the tests that speak to it are made. Common practice."""

from __future__ import annotations

from collections.abc import Mapping

from mesotrope.core.evidence.specification import Specification
from mesotrope.core.language.corner import Corner, Place
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.work import Complaint


def complaints_in(inspection: Inspection, knowledge: Knowledge) -> list[Complaint]:
    """What the driver complains of, by the words of it that are known."""
    text = (inspection.visit.complaint or "").lower()
    return [row for row in knowledge.complaints if any(word in text for word in row.words)]


def explaining(rows: list[Complaint], knowledge: Knowledge) -> tuple[str, ...]:
    """The faults that would explain some complaints."""
    return knowledge.faults_in(tuple(name for row in rows for name in row.explained_by))


def pointed_at(
    inspection: Inspection,
    specification: Specification,
    chances: Mapping[tuple[Place, str], float],
    knowledge: Knowledge,
) -> frozenset[Corner]:
    """The corners that an unexplained complaint points at: those it names, else all, where it is of wheels.

    None of them where nothing is complained of, where the complaint is more of the whole vehicle (a low pedal), or
    where a suspect explains it already.
    """
    rows = complaints_in(inspection, knowledge)
    faults = explaining(rows, knowledge)
    of_corners = [fault for fault in faults if fault in knowledge.fault and knowledge.fault[fault].scope == "corner"]
    if 2 * len(of_corners) <= len(faults):
        return frozenset()
    named = knowledge.threshold["named_chance"]
    if any(p >= named for (_, fault), p in chances.items() if fault in faults):
        return frozenset()
    if not all(row.names_place for row in rows):
        return frozenset(specification.corners)
    words = {word.strip(".,;:!?") for word in (inspection.visit.complaint or "").lower().split()}
    axles = words & {"front", "rear"} or {"front", "rear"}
    sides = words & {"left", "right"} or {"left", "right", ""}
    here = [one for one in specification.corners if one.axle in axles and one.side in sides | {""}]
    return frozenset(here or specification.corners)
