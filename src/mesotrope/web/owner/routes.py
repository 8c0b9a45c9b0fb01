"""The owner's sheet: for the workshop, on paper, as a calendar file, and by a link that shows nothing else."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

from fastapi import APIRouter, Query, Request
from fastapi.responses import RedirectResponse, Response

from mesotrope.errors import NotFound
from mesotrope.interchange.calendar import to_calendar
from mesotrope.interchange.paper import Paper, to_pdf
from mesotrope.services.frozen import Frozen, sheets_of
from mesotrope.services.owner_links import links_of, make_link, open_link, withdraw_links
from mesotrope.services.photographs import read_photograph
from mesotrope.services.planned_jobs import Planned
from mesotrope.services.signing_in import Who
from mesotrope.services.workshop import logo_of
from mesotrope.web.card.routes import as_pdf
from mesotrope.web.context import AtTheDoor, Changing, InShop, Shop, SignedIn, own_shop
from mesotrope.web.lanes import HEAVY
from mesotrope.web.owner.views import (
    OwnerSheet,
    appointments,
    as_data,
    as_given,
    changed_since,
    expires_in_words,
    freeze,
    owner_sheet,
    pictures,
)
from mesotrope.web.rendering import as_html, render

router = APIRouter()

PaperQuery = Annotated[Literal["a4", "letter"], Query()]


@dataclass(frozen=True)
class Given:
    """A sheet as it is shown: the version that was given, or as it stands while none was; and whether the job has
    changed since."""

    sheet: OwnerSheet
    version: Frozen | None
    earlier: tuple[Frozen, ...]
    changed: bool

    @property
    def replaces(self) -> int | None:
        """The number of the version that this one takes the place of."""
        return self.version.number - 1 or None if self.version else None


def _given(shop: Shop, who: Who, here: Planned, number: int | None = None) -> Given:
    """The sheet of a job: a version by its number, else the last one given, else as it stands. Raises `NotFound`."""
    versions = sheets_of(shop.database, here.job.id, by=who)
    if number is not None:
        version = next((one for one in versions if one.number == number), None)
        if version is None:
            raise NotFound("version of the sheet")
        return Given(as_given(version), version, tuple(versions), False)
    now = owner_sheet(shop, who, here)
    if not versions:
        return Given(now, None, (), False)
    last = as_given(versions[-1])
    return Given(last, versions[-1], tuple(versions[:-1]), changed_since(last, now))


def _page(
    request: Request, shop: Shop, who: Who, job_id: int, fresh_link: str = "", number: int | None = None
) -> Response:
    here = shop.planned(who, job_id)
    links = [expires_in_words(moment, who) for moment in links_of(shop.database, job_id, by=who, now=shop.now())]
    return render(
        "owner/page.html", request, who=who, given=_given(shop, who, here, number), job=here.job, current="owner",
        base=f"/jobs/{job_id}/owner", links=links, fresh_link=fresh_link,
    )  # fmt: skip


@router.get("/jobs/{job_id}/owner")
def owner_page(request: Request, job_id: int, shop: InShop, who: SignedIn, version: int | None = None) -> Response:
    return _page(request, shop, who, job_id, number=version)


@router.post("/jobs/{job_id}/owner/version")
def new_version(job_id: int, shop: InShop, who: Changing) -> Response:
    here = shop.planned(who, job_id)
    given = _given(shop, who, here)
    if given.version is None or given.changed:
        freeze(shop, who, here)
    return RedirectResponse(f"/jobs/{job_id}/owner", status_code=303)


@router.post("/jobs/{job_id}/owner/link")
def new_link(request: Request, job_id: int, shop: InShop, who: Changing) -> Response:
    token = make_link(shop.database, job_id, by=who, now=shop.now())
    return _page(request, shop, who, job_id, str(request.url_for("shared_page", token=token)))


@router.post("/jobs/{job_id}/owner/withdraw")
def no_link(request: Request, job_id: int, shop: InShop, who: Changing) -> Response:
    withdraw_links(shop.database, job_id, by=who, now=shop.now())
    return _page(request, shop, who, job_id)


def _on_paper(shop: Shop, who: Who, job_id: int, paper: Paper) -> Response:
    here = shop.planned(who, job_id)
    given = _given(shop, who, here)
    logo = as_data(logo_of(shop.database, by=who)) if given.sheet.head.has_logo else ""
    html = as_html(
        "owner/paper.html", shop.say(who, here.kind), given=given, pictures=pictures(shop, who, given.sheet), logo=logo,
    )  # fmt: skip
    return as_pdf(to_pdf(html, paper), f"owner-sheet-{job_id}")


def _calendar(shop: Shop, who: Who, job_id: int) -> Response:
    data = to_calendar(appointments(shop.planned(who, job_id), shop, who), shop.now())
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
    given = _given(shop, shared.who, shop.planned(shared.who, shared.job_id))
    expires = expires_in_words(shared.expires_at, shared.who)
    say = shop.say(shared.who)
    return render("owner/shared.html", request, given=given, base=f"/sheet/{token}", expires=expires, say=say)


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
    if part == "logo.jpg":
        return Response(logo_of(shop.database, by=who), media_type="image/jpeg")
    number = part.removesuffix(".jpg")
    if part.endswith(".jpg") and number.isascii() and number.isdigit() and len(number) < 19:
        return _picture(shop, who, job_id, int(number))
    raise NotFound("page")
