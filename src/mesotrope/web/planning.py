"""One job with what is planned for it: what work card, hand-back and owner's sheet all start from."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from mesotrope.core.answer.answer import Answer
from mesotrope.core.evidence.job_numbers import JobNumbers, job_numbers
from mesotrope.core.evidence.measures import measure_all
from mesotrope.core.language.corner import VEHICLE, Axle, Place
from mesotrope.core.language.saying import Sayable
from mesotrope.core.plan.hand_back import Check, MeasuredInspection, hand_back_checks, possible_releases
from mesotrope.core.plan.work_card import WorkCard, work_card
from mesotrope.services.job_rows import OpenJob
from mesotrope.services.jobs import open_job
from mesotrope.services.plans import Plan, plan_for
from mesotrope.services.proving import inspection_after
from mesotrope.services.rules import schools_of
from mesotrope.services.signing_in import Who
from mesotrope.web.context import Shop


@dataclass(frozen=True)
class Planned:
    job: OpenJob
    answer: Answer
    plan: Plan
    numbers: JobNumbers
    schools: dict[str, str]
    card: WorkCard


def planned_job(shop: Shop, who: Who, job_id: int) -> Planned:
    """Open a job with its plan and its work card. Raises `NotFound`, also for another workshop's."""
    job = open_job(shop.database, job_id, by=who, knowledge=shop.knowledge)
    answer = shop.answer(job.inspection)
    plan = plan_for(shop.database, shop.knowledge, job, answer, by=who)
    numbers = job_numbers(job.inspection, answer.specification, answer.measures, shop.knowledge)
    schools = schools_of(shop.knowledge, plan.rules)
    card = work_card(plan.actions, job.inspection, answer.specification, numbers, schools, shop.knowledge)
    return Planned(job, answer, plan, numbers, schools, card)


@dataclass(frozen=True)
class Proved:
    """What was measured again, what that proves, and how the vehicle may leave."""

    checks: tuple[Check, ...]
    refused: dict[str, Sayable]
    stop_gap: str


def proved_job(shop: Shop, here: Planned) -> Proved:
    """Hold what was measured after the work against what was found before."""
    inspection = inspection_after(here.job.inspection, here.plan.records)
    worked_on = {step.corner for step in here.plan.actions if step.action != "no_action"}
    measures = measure_all(inspection, here.answer.specification, shop.knowledge)
    checks = hand_back_checks(
        MeasuredInspection(here.job.inspection, here.answer.measures),
        MeasuredInspection(inspection, measures),
        worked_on,
        here.plan.ticked,
        here.answer.specification,
        shop.knowledge,
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


def places_in_words(places: Iterable[Place | Axle]) -> str:
    return ", ".join(place.words for place in places if place is not VEHICLE)
