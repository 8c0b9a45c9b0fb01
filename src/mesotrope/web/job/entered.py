"""What an entry is answered with at once: the suspects, the verdict so far and the drawing. Reasons, next tests and
figures follow with the page's refresh, which goes on from the same short answer."""

from __future__ import annotations

from dataclasses import dataclass

from mesotrope.core.answer.answer import Overview, suspects_of
from mesotrope.core.answer.reasons import in_doubt_of
from mesotrope.core.evidence.job_numbers import job_numbers
from mesotrope.core.language.corner import Axle
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.services.job_rows import OpenJob
from mesotrope.web.job.suspects import MOST_SUSPECTS, SuspectRow, doubt_row, suspect_row
from mesotrope.web.plate.drawing import axle_plate
from mesotrope.web.plate.pen import Plate
from mesotrope.web.plate.reservoir import pedal_plate
from mesotrope.web.verdict.pages import VerdictRow, verdict_row
from mesotrope.words import Speaker


@dataclass(frozen=True)
class EnteredPage:
    """The parts of the job screen that change with an entry at once."""

    job: OpenJob
    plate: Plate | None
    unsafe: tuple[str, ...]
    suspects: tuple[SuspectRow, ...]
    in_doubt: tuple[SuspectRow, ...]
    verdicts: tuple[VerdictRow, ...]


def entered_page(
    job: OpenJob, short: Overview, knowledge: Knowledge, stage: str, axle: Axle, exaggerated: bool, say: Speaker
) -> EnteredPage:
    """Put these parts together for one stage of the work and one axle, in one person's units."""
    suspects = suspects_of(short)
    return EnteredPage(
        job=job,
        plate=_drawn(job, short, knowledge, stage, axle, exaggerated, say),
        unsafe=tuple(map(say, short.decision.unsafe)),
        suspects=tuple(suspect_row(one, say) for one in suspects if one.fault != knowledge.none.id)[:MOST_SUSPECTS],
        in_doubt=tuple(doubt_row(suspect, say) for suspect in in_doubt_of(suspects, knowledge)),
        verdicts=tuple(verdict_row(corner, short, say) for corner in short.decision.corners),
    )


def _drawn(
    job: OpenJob, short: Overview, knowledge: Knowledge, stage: str, axle: Axle, exaggerated: bool, say: Speaker
) -> Plate | None:
    if stage == "pedal":
        balance = job_numbers(job.inspection, short.specification, short.measures, knowledge).balance
        return pedal_plate(job.inspection.system, balance.expected_level.value if balance else None, say)
    if not short.specification.axles[axle].has("disc"):
        return None
    return axle_plate(job.inspection, short, axle, knowledge.limit, exaggerated, say)
