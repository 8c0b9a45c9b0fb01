"""An axle as it stands and as it will be: the same plate twice."""

from __future__ import annotations

from mesotrope.core.answer.answer import Answer
from mesotrope.core.evidence.measures import measure_all
from mesotrope.core.language.corner import Corner
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.plan.after_work import after_work
from mesotrope.services.plans import Plan
from mesotrope.web.plate.drawing import Measures, axle_plate
from mesotrope.web.plate.pen import Plate
from mesotrope.words import Speaker


def before_and_after(
    inspection: Inspection, answer: Answer, plan: Plan, knowledge: Knowledge, say: Speaker
) -> list[tuple[str, Plate, Plate]]:
    """For every axle with discs that is worked on: its name, its plate now, and its plate after the work."""
    actions = [(step.corner, step.action) for step in plan.actions if step.action != "no_action"]
    worked = {corner.axle for corner, _ in actions if isinstance(corner, Corner)}
    if not worked:
        return []
    mended = after_work(inspection, actions, answer.specification, knowledge)
    later = Measures(answer.specification, measure_all(mended, answer.specification, knowledge))
    return [
        (
            name,
            axle_plate(inspection, answer, name, knowledge.limit, say=say),
            axle_plate(mended, later, name, knowledge.limit, say=say),
        )
        for name, axle in answer.specification.axles.items()
        if name in worked and axle.has("disc")
    ]
