"""One job with what is planned for it: what work card, hand-back and owner's sheet all start from."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

from mesotrope.core.answer.answer import Answer
from mesotrope.core.evidence.job_numbers import JobNumbers, job_numbers
from mesotrope.core.evidence.measures import measure_all
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import Sayable
from mesotrope.core.language.work import Done
from mesotrope.core.plan.hand_back import Check, MeasuredInspection, hand_back_checks
from mesotrope.core.plan.release import possible_releases
from mesotrope.core.plan.work_card import WorkCard, work_card
from mesotrope.services.job_rows import OpenJob
from mesotrope.services.jobs import open_job
from mesotrope.services.own_card import own_of
from mesotrope.services.plans import Plan, plan_for
from mesotrope.services.progress import Progress, progress_of
from mesotrope.services.proving import inspection_after, stop_gap_of
from mesotrope.services.rules import chosen_of, schools_of
from mesotrope.services.signing_in import Who
from mesotrope.store.session import Database

#: Diagnoses an inspection, or remembers its answer.
Answered = Callable[[Inspection], Answer]

#: The same of a job, with the tables that it was signed with.
AnsweredJob = Callable[[OpenJob], Answer]


@dataclass(frozen=True)
class Planned:
    job: OpenJob
    answer: Answer
    plan: Plan
    numbers: JobNumbers
    schools: dict[str, str]
    card: WorkCard

    @cached_property
    def work(self) -> tuple[Done, ...]:
        """What is planned to be done, each with its place."""
        return tuple((step.corner, step.action) for step in self.plan.actions if step.action != "no_action")

    @cached_property
    def progress(self) -> Progress:
        """How far the work has come."""
        return progress_of(self.card.steps, self.work, self.plan.records, self.job.standing.last_entry)

    @property
    def kind(self) -> str:
        """The kind of vehicle."""
        return self.answer.specification.kind


def planned_job(database: Database, knowledge: Knowledge, answered: AnsweredJob, job_id: int, *, by: Who) -> Planned:
    """Open a job with its plan and its work card. Raises `NotFound`, also for another workshop's.

    knowledge : with the workshop's own figures; answered : diagnoses a job, or remembers its answer.
    """
    job = open_job(database, job_id, by=by, knowledge=knowledge)
    answer = answered(job)
    plan = plan_for(database, knowledge, job, answer, by=by)
    numbers = job_numbers(job.inspection, answer.specification, answer.measures, knowledge)
    schools = schools_of(knowledge, plan.rules)
    own = own_of(plan.records, plan.rules)
    card = work_card(plan.actions, job.inspection, answer.specification, numbers, schools, knowledge, own)
    return Planned(job, answer, plan, numbers, schools, card)


@dataclass(frozen=True)
class Proved:
    """What was measured again, what that proves, and how the vehicle may leave."""

    checks: tuple[Check, ...]
    refused: dict[str, Sayable]
    after: MeasuredInspection


def proved_job(here: Planned, knowledge: Knowledge) -> Proved:
    """Hold what was measured after the work against what was found before."""
    inspection = inspection_after(here.job.inspection, here.plan.records, here.work)
    after = MeasuredInspection(inspection, measure_all(inspection, here.answer.specification, knowledge))
    checks = hand_back_checks(
        MeasuredInspection(here.job.inspection, here.answer.measures),
        after,
        here.work,
        here.progress.ticked,
        here.answer.specification,
        knowledge,
    )
    refused = possible_releases(
        checks,
        found_unsafe=bool(here.answer.decision.unsafe),
        put_right=set(here.work) == set(here.progress.done),
        stop_gap=stop_gap_of(here.plan.records).what,
        approved=here.plan.sign_off.state == "stands",
        demanded=chosen_of("proof", here.plan.rules) if here.work else {},
    )
    return Proved(checks, refused, after)
