"""What the driver complains of, by the words of it that are known, and what would explain it. Common practice."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from mesotrope.core.language.corner import VEHICLE, Corner, Place
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.work import Complaint


def complaints_in(inspection: Inspection, knowledge: Knowledge) -> list[Complaint]:
    """What the driver complains of, by the words of it that are known."""
    return [row for row in knowledge.complaints if _says(inspection, row.words)]


def is_routine(inspection: Inspection, knowledge: Knowledge) -> bool:
    """Whether what is written as the complaint is none: a service, a look, parts to be fitted."""
    return _says(inspection, knowledge.routine_words)


def _says(inspection: Inspection, words: Iterable[str]) -> bool:
    text = (inspection.visit.complaint or "").lower()
    return any(word in text for word in words)


def explaining(rows: list[Complaint], knowledge: Knowledge) -> tuple[str, ...]:
    """The faults that would explain some complaints."""
    return knowledge.faults_in(tuple(name for row in rows for name in row.explained_by))


def pointed_at(inspection: Inspection, corners: Sequence[Corner], knowledge: Knowledge) -> frozenset[Place]:
    """Where the complaint points: at the corners that it names, else at all, where it is of wheels.

    It is of the whole vehicle where that would explain more of it (a low pedal).
    """
    rows = complaints_in(inspection, knowledge)
    faults = explaining(rows, knowledge)
    of_corners = [fault for fault in faults if fault in knowledge.fault and knowledge.fault[fault].scope == "corner"]
    if 2 * len(of_corners) <= len(faults):
        return frozenset({VEHICLE})
    if not all(row.names_place for row in rows):
        return frozenset(corners)
    return _named_in(inspection.visit.complaint or "", corners)


def _named_in(complaint: str, corners: Sequence[Corner]) -> frozenset[Place]:
    words = {word.strip(".,;:!?") for word in complaint.lower().split()}
    axles = words & {"front", "rear"} or {"front", "rear"}
    sides = words & {"left", "right"} or {"left", "right", ""}
    here = [one for one in corners if one.axle in axles and one.side in sides | {""}]
    return frozenset(here or corners)
