"""What the driver complains of, by the words of it that are known, and what would explain it. Common practice."""

from __future__ import annotations

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
