"""What waits for a lead: each verdict that was signed, with what it plans and what it costs."""

from __future__ import annotations

from dataclasses import dataclass

from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.plan.sign_off import waits_for_a_lead
from mesotrope.core.plan.worth import price_of
from mesotrope.services.day import ForALead
from mesotrope.web.day.views import DayRow
from mesotrope.web.places import work_in_words
from mesotrope.web.verdict.packages import money
from mesotrope.words import Speaker


@dataclass(frozen=True)
class Approval:
    """One verdict that waits: why a lead is asked, what is planned, and the key of what would be approved."""

    row: DayRow
    why: str
    work: tuple[str, ...]
    price: str
    key: str
    unexplained: bool


def approval_of(row: DayRow, asked: ForALead, known: Knowledge, say: Speaker) -> Approval:
    """known : with the workshop's own prices."""
    price = f"{money(price_of(asked.work, known))} {known.money.currency}" if asked.work else ""
    why = say(waits_for_a_lead(asked.signed_by, asked.why))
    return Approval(row, why, work_in_words(asked.work, known, say), price, asked.plan, asked.unexplained)
