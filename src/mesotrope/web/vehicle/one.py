"""The page of a vehicle: whose it is, what is due, every visit, pictures, torques, what was promised."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import Response

from mesotrope.core.language.corner import place_words
from mesotrope.knowledge.reader import knowledge_key
from mesotrope.services.due import due_in, refresh_due
from mesotrope.services.owners import WAYS, owners_of
from mesotrope.services.vehicles import Torque, whole_vehicle
from mesotrope.web.context import InShop, SignedIn
from mesotrope.web.due.views import due_row, horizon
from mesotrope.web.outcome.views import outcome_words
from mesotrope.web.rendering import render
from mesotrope.words import Speaker

router = APIRouter()

#: How far ahead a vehicle's page looks, weeks; as many pictures stand on it.
AHEAD_WEEKS, PICTURES = 104, 24


@router.get("/vehicles/{vehicle_id}")
def vehicle_page(
    request: Request, vehicle_id: int, shop: InShop, who: SignedIn,
    begins: Annotated[str, Query(max_length=80)] = "",
) -> Response:  # fmt: skip
    """One vehicle; `begins`: owners whose name begins so are offered."""
    whole = whole_vehicle(shop.database, vehicle_id, by=who)
    refresh_due(shop.database, shop.knowledge, by=who, knowledge_key=knowledge_key())
    say = shop.say(who)
    items = due_in(shop.database, None, horizon(shop, who, AHEAD_WEEKS), by=who, vehicle_id=vehicle_id)
    return render(
        "vehicle/page.html",
        request,
        who=who,
        vehicle=whole.history,
        whole=whole,
        due=[due_row(item, shop.knowledge, say) for item in items],
        outcomes={
            visit.job_id: outcome_words(visit.outcome, shop.knowledge, shop.say(who)) for visit in whole.history.visits
        },
        torques=[torque_words(torque, say) for torque in whole.torques],
        pictures=whole.pictures[:PICTURES],
        promised={one.job_id: one for one in whole.promised},
        begins=begins,
        ways=WAYS,
        owners=owners_of(shop.database, by=who, begins=begins)[:20] if begins.strip() else [],
    )


def torque_words(torque: Torque, say: Speaker) -> tuple[str, str, str, str, int]:
    """A torque in words: what, how much was asked for, what was read, where it stood, in which visit."""
    place, _, what = torque.fastener.partition("/")
    name = f"{place_words(place)}: {what}" if what else place
    asked, read = (
        say.units.with_unit(value, "N.m", 0) if value is not None else "" for value in (torque.asked_nm, torque.read_nm)
    )
    return name.replace("_", " ").capitalize(), asked, read, torque.source, torque.job_id
