"""The work card of a job: on screen with tick-off, and on paper."""

from __future__ import annotations

from collections.abc import Collection
from typing import Annotated, Any, Literal

import segno
from fastapi import APIRouter, Form, Query, Request
from fastapi.responses import RedirectResponse, Response

from mesotrope.core.language.saying import marked
from mesotrope.core.plan.work_card import WorkCard
from mesotrope.interchange.paper import to_pdf
from mesotrope.services.own_card import add_part, add_step, note_on_step, number_part, strike_step, take_away
from mesotrope.services.photographs import list_photographs
from mesotrope.services.proving import keep_torque, tick_step, torques_before
from mesotrope.services.rules import chosen_of
from mesotrope.services.signing_in import Who
from mesotrope.web.card.views import card_view, judged_with, overlooked_step
from mesotrope.web.context import Changing, InShop, Shop, SignedIn
from mesotrope.web.lanes import HEAVY
from mesotrope.web.meanwhile import Seen, as_seen, naming, read_seen
from mesotrope.web.rendering import as_html, render

router = APIRouter(prefix="/jobs/{job_id}")

Short = Annotated[str, Form(max_length=200)]
Line = Annotated[str, Form(max_length=600)]

#: What the lines of a torque are called where two people wrote them.
OF_A_TORQUE = {
    "asked": marked("the maker's torque"),
    "source": marked("where the maker's torque came from"),
    "read": marked("torque read"),
}


def _shown(shop: Shop, who: Who, job_id: int) -> dict[str, Any]:
    """What the card shows, on the screen and on paper."""
    here = shop.planned(who, job_id)
    before = torques_before(shop.database, job_id, by=who)
    say = shop.say(who, here.kind)
    return {
        "who": who,
        "here": here,
        "card": here.card,
        "view": card_view(here, before, list_photographs(shop.database, job_id, by=who), shop.knowledge, say),
        "phases": {
            phase: words
            for phase, words in shop.knowledge.phases.items()
            if phase != "parking_brake" or here.answer.specification.has("any_parking_brake")
        },
        "printed_details": chosen_of("paper", here.plan.rules)["details"] == "yes",
        "unsafe": tuple(map(say, here.answer.decision.unsafe)),
        "cautions": tuple(map(say, here.answer.decision.cautions)),
        "speaks_of": here.kind,
        "unsettled": not here.answer.enough_is_known,
        "judged": judged_with(here.answer.knowledge),
        "as_seen": as_seen,
    }


@router.get("/card")
def card_page(request: Request, job_id: int, shop: InShop, who: SignedIn) -> Response:
    return render("card/page.html", request, **_shown(shop, who, job_id), current="card")


@router.get("/card.pdf", dependencies=[HEAVY])
def card_on_paper(
    request: Request,
    job_id: int,
    shop: InShop,
    who: SignedIn,
    paper: Annotated[Literal["a4", "letter"], Query()] = "a4",
) -> Response:
    code = segno.make(str(request.url_for("card_page", job_id=job_id)), error="m").svg_data_uri(scale=3, border=1)
    views = _shown(shop, who, job_id)
    say = shop.say(who, views.pop("speaks_of"))
    html = as_html("card/paper.html", say, **views, qr=code, printed=shop.now())
    return as_pdf(to_pdf(html, paper), f"work-card-{job_id}")


def as_pdf(data: bytes, name: str) -> Response:
    headers = {"content-disposition": f'inline; filename="{name}.pdf"'}
    return Response(data, media_type="application/pdf", headers=headers)


def _steps_of(card: WorkCard) -> dict[str, Collection[str]]:
    """By step, what it is done for."""
    return {step.id: step.done_for for step in card.steps}


def _back(job_id: int, anchor: str) -> Response:
    return RedirectResponse(f"/jobs/{job_id}/card#{anchor}", status_code=303)


@router.post("/card/tick")
def tick(
    job_id: int, shop: InShop, who: Changing, step: Short, done: Annotated[Literal["yes", "no"], Form()] = "yes",
    seen: Seen = "",
) -> Response:  # fmt: skip
    card = shop.planned(who, job_id).card
    steps = {**_steps_of(card), **{overlooked_step(one.id): () for one in card.overlooked}}
    tick_step(shop.database, job_id, step, steps, done == "yes", seen.split() or None, by=who, now=shop.now())
    return _back(job_id, f"step-{step}")


@router.post("/card/torque")
def torque(
    job_id: int, shop: InShop, who: Changing, fastener: Short, asked: Short = "", source: Short = "", read: Short = "",
    simulated: Annotated[Literal["", "yes"], Form()] = "", seen: Seen = "",
) -> Response:  # fmt: skip
    fasteners = [one.id for one in shop.planned(who, job_id).card.fasteners]
    with naming(OF_A_TORQUE):
        keep_torque(
            shop.database, job_id, fastener, fasteners, asked, source, read, simulated == "yes", read_seen(seen),
            by=who, now=shop.now(),
        )  # fmt: skip
    return _back(job_id, "torque")


@router.post("/card/strike")
def strike(
    job_id: int, shop: InShop, who: Changing, step: Short, reason: Line = "",
    struck: Annotated[Literal["yes", "no"], Form()] = "yes", seen: Seen = "",
) -> Response:  # fmt: skip
    steps = _steps_of(shop.planned(who, job_id).card)
    strike_step(
        shop.database, job_id, steps, step, struck == "yes", reason, seen.split() or None, by=who, now=shop.now()
    )
    return _back(job_id, f"step-{step}")


@router.post("/card/note")
def note(job_id: int, shop: InShop, who: Changing, step: Short, words: Line = "", seen: Seen = "") -> Response:
    steps = [one.id for one in shop.planned(who, job_id).card.steps]
    with naming({"words": "note"}):
        note_on_step(shop.database, job_id, steps, step, words, read_seen(seen), by=who, now=shop.now())
    return _back(job_id, f"step-{step}")


@router.post("/card/own-step")
def own_step(job_id: int, shop: InShop, who: Changing, phase: Short, words: Line = "") -> Response:
    add_step(shop.database, shop.knowledge, job_id, phase, words, by=who, now=shop.now())
    return _back(job_id, f"phase-{phase}")


@router.post("/card/own-part")
def own_part(
    job_id: int, shop: InShop, who: Changing, words: Line = "", number: Line = "", count: Short = "1"
) -> Response:
    add_part(shop.database, job_id, words, number, count, by=who, now=shop.now())
    return _back(job_id, "parts")


@router.post("/card/part-number")
def part_number(job_id: int, shop: InShop, who: Changing, part: Short, number: Line = "", seen: Seen = "") -> Response:
    parts = [one.words for one in shop.planned(who, job_id).card.parts]
    with naming({"number": marked("part number")}):
        number_part(shop.database, job_id, parts, part, number, read_seen(seen), by=who, now=shop.now())
    return _back(job_id, "parts")


@router.post("/card/take-away")
def take_off(job_id: int, shop: InShop, who: Changing, kind: Short, number: Short) -> Response:
    take_away(shop.database, job_id, kind, number, by=who, now=shop.now())
    return _back(job_id, "parts")
