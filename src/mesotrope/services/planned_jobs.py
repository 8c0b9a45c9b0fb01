"""One job with what is planned for it: what work card, hand-back and owner's sheet all start from."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from mesotrope.core.answer.answer import Answer
from mesotrope.core.evidence.job_numbers import JobNumbers, job_numbers
from mesotrope.core.evidence.measures import measure_all
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import Sayable
from mesotrope.core.plan.hand_back import Check, MeasuredInspection, hand_back_checks, possible_releases
from mesotrope.core.plan.work_card import WorkCard, work_card
from mesotrope.services.job_rows import OpenJob
from mesotrope.services.jobs import open_job
from mesotrope.services.plans import Plan, plan_for
from mesotrope.services.proving import inspection_after
from mesotrope.services.rules import schools_of
from mesotrope.services.signing_in import Who
from mesotrope.store.session import Database

#: Diagnoses an inspection, or remembers its answer.
Answered = Callable[[Inspection], Answer]


@dataclass(frozen=True)
class Planned:
    job: OpenJob
    answer: Answer
    plan: Plan
    numbers: JobNumbers
    schools: dict[str, str]
    card: WorkCard

    @property
    def kind(self) -> str:
        """The kind of vehicle."""
        return self.answer.specification.kind


def planned_job(database: Database, knowledge: Knowledge, answered: Answered, job_id: int, *, by: Who) -> Planned:
    """Open a job with its plan and its work card. Raises `NotFound`, also for another workshop's.

    knowledge : with the workshop's own figures; answered : diagnoses an inspection, or remembers its answer.
    """
    job = open_job(database, job_id, by=by, knowledge=knowledge)
    answer = answered(job.inspection)
    plan = plan_for(database, knowledge, job, answer, by=by)
    numbers = job_numbers(job.inspection, answer.specification, answer.measures, knowledge)
    schools = schools_of(knowledge, plan.rules)
    card = work_card(plan.actions, job.inspection, answer.specification, numbers, schools, knowledge)
    return Planned(job, answer, plan, numbers, schools, card)


@dataclass(frozen=True)
class Proved:
    """What was measured again, what that proves, and how the vehicle may leave."""

    checks: tuple[Check, ...]
    refused: dict[str, Sayable]
    stop_gap: str


def proved_job(here: Planned, knowledge: Knowledge) -> Proved:
    """Hold what was measured after the work against what was found before."""
    inspection = inspection_after(here.job.inspection, here.plan.records)
    worked_on = {step.corner for step in here.plan.actions if step.action != "no_action"}
    measures = measure_all(inspection, here.answer.specification, knowledge)
    checks = hand_back_checks(
        MeasuredInspection(here.job.inspection, here.answer.measures),
        MeasuredInspection(inspection, measures),
        worked_on,
        here.plan.ticked,
        here.answer.specification,
        knowledge,
    )
    stop_gap = here.plan.records.get(("stop_gap", ""))
    words = stop_gap.value if stop_gap else ""
    actions = {step.action for step in here.plan.actions if step.action != "no_action"}
    refused = possible_releases(
        checks,
        found_unsafe=bool(here.answer.decision.unsafe),
        put_right=actions <= here.plan.ticked,
        stop_gap=words,
        approved=here.plan.sign_off.state == "stands",
    )
    return Proved(checks, refused, words)
