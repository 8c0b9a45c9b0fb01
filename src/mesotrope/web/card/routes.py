"""The work card of a job: on screen, and printed by the browser."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import APIRouter, Request
from fastapi.responses import Response

from mesotrope.core.evidence import in_words
from mesotrope.core.heat import BeddingPlan
from mesotrope.core.job_numbers import job_numbers
from mesotrope.core.model import Knowledge
from mesotrope.core.packages import compare_all, plan_of
from mesotrope.core.units import Units
from mesotrope.core.work_card import Step, work_card
from mesotrope.services.jobs import open_job
from mesotrope.services.rules import priced, rules_of, schools_of
from mesotrope.web.context import InShop, SignedIn
from mesotrope.web.rendering import render

router = APIRouter(prefix="/jobs/{job_id}")


@dataclass(frozen=True)
class Phase:
    words: str
    steps: tuple[tuple[str, str, str], ...]


def _phases(steps: tuple[Step, ...], knowledge: Knowledge, units: Units) -> list[Phase]:
    """The steps under the headings of their phases: what, where, and what to mind."""
    out = []
    for phase, words in knowledge.phases.items():
        here = [step for step in steps if step.phase == phase]
        if here:
            rows = tuple((units.said(step.words), _where(step.where), units.said(step.note)) for step in here)
            out.append(Phase(words, rows))
    return out


def _where(corners: tuple[str, ...]) -> str:
    return ", ".join(in_words(corner) for corner in corners if corner)


@router.get("/card")
def card_page(request: Request, job_id: int, shop: InShop, who: SignedIn) -> Response:
    job = open_job(shop.database, job_id, by=who, knowledge=shop.knowledge)
    rules = rules_of(shop.database, by=who)
    answer = shop.answer(job.inspection)
    plan = plan_of(answer.decision.actions, compare_all(job.inspection, shop.knowledge, priced(shop.knowledge, rules)))
    numbers = job_numbers(job.inspection, answer.specification, answer.measures, shop.knowledge)
    schools = schools_of(shop.knowledge, rules)
    card = work_card(plan, job.inspection, answer.specification, numbers, schools, shop.knowledge)
    return render(
        "card/page.html", request, who=who, job=job, card=card, phases=_phases(card.steps, shop.knowledge, who.units),
        unsafe=answer.decision.unsafe, cautions=answer.decision.cautions, unsettled=bool(answer.next_tests),
        bedding=card.bedding and _bedding(card.bedding, who.units),
        warnings=card.bedding.warnings if card.bedding else (),
    )  # fmt: skip


def _bedding(plan: BeddingPlan, units: Units) -> str:
    far, hot = units.with_unit(plan.distance_km, "km", 0), units.with_unit(plan.peak_c, "°C", 0)
    return f"some {far} and {plan.minutes:.0f} min; the rotor's mean reaches about {hot}, its faces and linings more"
