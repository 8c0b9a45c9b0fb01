"""What an entry is answered with at once: the suspects, the verdict so far and the drawing. Reasons, next tests and
figures follow with the page's refresh, which goes on from the same short answer."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from itertools import count, takewhile

from mesotrope.core.answer.answer import Overview, moved_decibans, suspects_of
from mesotrope.core.answer.reasons import SuspectAnswer, in_doubt_of
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
    suspects, least = suspects_of(short), knowledge.threshold["least_decibans"]

    def moved(one: SuspectAnswer) -> float:
        return moved_decibans(short, (one.corner, one.fault))

    return EnteredPage(
        job=job,
        plate=_drawn(job, short, knowledge, stage, axle, exaggerated, say),
        unsafe=tuple(map(say, short.decision.unsafe)),
        suspects=_first_few(
            replace(suspect_row(one, knowledge, say), sure=moved(one) >= least)
            for one in suspects
            if one.fault != knowledge.none.id
        ),
        in_doubt=tuple(
            replace(doubt_row(one, knowledge, say), sure=moved(one) <= -least)
            for one in in_doubt_of(suspects, knowledge)
        ),
        verdicts=tuple(verdict_row(corner, short, say) for corner in short.decision.corners),
    )


def _first_few(rows: Iterable[SuspectRow]) -> tuple[SuspectRow, ...]:
    """As many as stand beside a job, and those among them that are not sure to."""
    sure = count(1)
    return tuple(takewhile(lambda row: not row.sure or next(sure) <= MOST_SUSPECTS, rows))


def _drawn(
    job: OpenJob, short: Overview, knowledge: Knowledge, stage: str, axle: Axle, exaggerated: bool, say: Speaker
) -> Plate | None:
    if stage == "pedal":
        balance = job_numbers(job.inspection, short.specification, short.measures, knowledge).balance
        return pedal_plate(job.inspection.system, balance.expected_level.value if balance else None, say)
    if not short.specification.axles[axle].has("disc"):
        return None
    return axle_plate(job.inspection, short, axle, knowledge.limit, exaggerated, say)
