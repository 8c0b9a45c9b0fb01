"""The owner's sheet: for the workshop, on paper, as a calendar file, and by a link that shows nothing else."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Query, Request
from fastapi.responses import Response

from mesotrope.errors import NotFound
from mesotrope.interchange.calendar import to_calendar
from mesotrope.interchange.paper import Paper, to_pdf
from mesotrope.services.owner_links import links_of, make_link, open_link, withdraw_links
from mesotrope.services.photographs import read_photograph
from mesotrope.services.signing_in import Who
from mesotrope.web.card.routes import as_pdf
from mesotrope.web.context import AtTheDoor, Changing, InShop, Shop, SignedIn, own_shop
from mesotrope.web.lanes import HEAVY
from mesotrope.web.owner.views import appointments, expires_in_words, owner_sheet, pictures
from mesotrope.web.rendering import as_html, render

router = APIRouter()

PaperQuery = Annotated[Literal["a4", "letter"], Query()]


def _page(request: Request, shop: Shop, who: Who, job_id: int, fresh_link: str = "") -> Response:
    here = shop.planned(who, job_id)
    sheet = owner_sheet(shop, who, here)
    links = [expires_in_words(moment) for moment in links_of(shop.database, job_id, by=who, now=shop.now())]
    return render(
        "owner/page.html", request, who=who, sheet=sheet, job=here.job, current="owner",
        base=f"/jobs/{job_id}/owner", links=links, fresh_link=fresh_link,
    )  # fmt: skip


@router.get("/jobs/{job_id}/owner")
def owner_page(request: Request, job_id: int, shop: InShop, who: SignedIn) -> Response:
    return _page(request, shop, who, job_id)


@router.post("/jobs/{job_id}/owner/link")
def new_link(request: Request, job_id: int, shop: InShop, who: Changing) -> Response:
    token = make_link(shop.database, job_id, by=who, now=shop.now())
    return _page(request, shop, who, job_id, str(request.url_for("shared_page", token=token)))


@router.post("/jobs/{job_id}/owner/withdraw")
def no_link(request: Request, job_id: int, shop: InShop, who: Changing) -> Response:
    withdraw_links(shop.database, job_id, by=who, now=shop.now())
    return _page(request, shop, who, job_id)


def _on_paper(shop: Shop, who: Who, job_id: int, paper: Paper) -> Response:
    sheet = owner_sheet(shop, who, shop.planned(who, job_id))
    html = as_html("owner/paper.html", sheet=sheet, pictures=pictures(shop, who, sheet), printed=shop.now())
    return as_pdf(to_pdf(html, paper), f"owner-sheet-{job_id}")


def _calendar(shop: Shop, who: Who, job_id: int) -> Response:
    data = to_calendar(appointments(shop.planned(who, job_id), shop), shop.now())
    headers = {"content-disposition": f'attachment; filename="come-back-{job_id}.ics"'}
    return Response(data, media_type="text/calendar", headers=headers)


def _picture(shop: Shop, who: Who, job_id: int, number: int) -> Response:
    data = read_photograph(shop.database, job_id, number, small=False, by=who)
    return Response(data, media_type="image/jpeg")


@router.get("/jobs/{job_id}/owner.pdf", dependencies=[HEAVY])
def owner_on_paper(job_id: int, shop: InShop, who: SignedIn, paper: PaperQuery = "a4") -> Response:
    return _on_paper(shop, who, job_id, paper)


@router.get("/jobs/{job_id}/owner/{part}")
def owner_part(job_id: int, part: str, shop: InShop, who: SignedIn) -> Response:
    return _part(shop, who, job_id, part)


@router.get("/sheet/{token}")
def shared_page(request: Request, token: str, shop: AtTheDoor) -> Response:
    shared = open_link(shop.database, token, now=shop.now())
    shop = own_shop(shop, shared.who)
    sheet = owner_sheet(shop, shared.who, shop.planned(shared.who, shared.job_id))
    expires = expires_in_words(shared.expires_at)
    return render("owner/shared.html", request, sheet=sheet, base=f"/sheet/{token}", expires=expires)


@router.get("/sheet/{token}/sheet.pdf", dependencies=[HEAVY])
def shared_on_paper(token: str, shop: AtTheDoor, paper: PaperQuery = "a4") -> Response:
    shared = open_link(shop.database, token, now=shop.now())
    return _on_paper(own_shop(shop, shared.who), shared.who, shared.job_id, paper)


@router.get("/sheet/{token}/{part}")
def shared_part(token: str, part: str, shop: AtTheDoor) -> Response:
    shared = open_link(shop.database, token, now=shop.now())
    shop = own_shop(shop, shared.who)
    return _part(shop, shared.who, shared.job_id, part)


def _part(shop: Shop, who: Who, job_id: int, part: str) -> Response:
    """A calendar file or a photograph of a job's sheet. Raises `NotFound` for anything else."""
    if part == "come-back.ics":
        return _calendar(shop, who, job_id)
    number = part.removesuffix(".jpg")
    if part.endswith(".jpg") and number.isascii() and number.isdigit() and len(number) < 19:
        return _picture(shop, who, job_id, int(number))
    raise NotFound("page")
