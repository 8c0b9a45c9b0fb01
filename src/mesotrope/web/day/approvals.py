"""What waits for a lead: each verdict that was signed, with what it plans and what it costs."""

from __future__ import annotations

from dataclasses import dataclass

from mesotrope.core.language.corner import Place
from mesotrope.core.language.saying import said, verbatim
from mesotrope.core.plan.worth import price_of
from mesotrope.services.planned_jobs import Planned
from mesotrope.services.signing_in import Who
from mesotrope.web.context import Shop
from mesotrope.web.day.views import DayRow
from mesotrope.web.places import places_in_words


@dataclass(frozen=True)
class Approval:
    """One verdict that waits: why a lead is asked, what is planned, and the key of what would be approved."""

    row: DayRow
    why: str
    work: tuple[str, ...]
    price: str
    key: str
    unsafe: bool
    unexplained: bool


def approval_of(row: DayRow, here: Planned, shop: Shop, who: Who) -> Approval:
    say = shop.say(who, here.kind)
    by_action: dict[str, list[Place]] = {}
    for place, action in here.work:
        by_action.setdefault(action, []).append(place)
    known = shop.knowledge
    work = tuple(
        say(said("{action} ({places})", action=known.action[action].words, places=verbatim(where)))
        if (where := places_in_words(places, say))
        else say(known.action[action].words)
        for action, places in by_action.items()
    )
    price = f"{price_of(here.work, known):.0f} {known.money.currency}" if here.work else ""
    unsafe = bool(here.answer.decision.unsafe)
    return Approval(row, say(here.plan.sign_off.words), work, price, here.plan.key, unsafe, here.plan.unexplained)
