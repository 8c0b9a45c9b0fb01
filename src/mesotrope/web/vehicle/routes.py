"""Taking a vehicle in (found again, or new), and what is known of its brakes."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Literal, get_args

from fastapi import APIRouter, Form, Query, Request
from fastapi.responses import RedirectResponse, Response

from mesotrope.core.language.inspection import Inspection, RecentWork, Usage
from mesotrope.core.language.vin import read_vin
from mesotrope.errors import InvalidInput, Overtaken, Surprising
from mesotrope.services.day_changes import promised_moment
from mesotrope.services.jobs import (
    Described,
    describe,
    find_vehicles,
    open_job,
    similar_vehicles,
    take_in,
    vehicle_found,
)
from mesotrope.services.meanwhile import with_theirs
from mesotrope.services.owners import Contact
from mesotrope.services.signing_in import Who
from mesotrope.web.context import Changing, InShop, Shop, SignedIn, Typed, from_htmx, texts_of
from mesotrope.web.meanwhile import as_seen, named, read_seen
from mesotrope.web.rendering import Message, render
from mesotrope.web.vehicle.pages import USES, read_form, specification_form

router = APIRouter()

Line = Annotated[str, Form(max_length=500)]
Kind = Literal["car", "light_truck", "motorcycle"]


def _figure(text: str, unit: str, name: str, who: Who) -> float | None:
    return who.units.read(text, unit, name=name) if text.strip() else None


def _intake(
    request: Request,
    shop: Shop,
    who: Who,
    *,
    message: Message = "",
    asked: bool = False,
    status: int = 200,
    **form: object,
) -> Response:
    kind = str(form.get("kind", "car"))
    similar = similar_vehicles(shop.database, kind, by=who)
    chosen = form.get("vehicle_id")
    found = [vehicle_found(shop.database, chosen, by=who)] if isinstance(chosen, int) else []
    return render(
        "vehicle/take_in.html",
        request,
        status=status,
        who=who,
        message=message,
        form=form,
        similar=similar,
        asked=asked,
        vehicles=found,
        chosen=chosen,
        searched=False,
        work=[(value, shop.say(who)(value.replace("_", " "))) for value in get_args(RecentWork)],
        uses=USES,
    )


@router.get("/take-in")
def intake_page(
    request: Request, shop: InShop, who: SignedIn, kind: Kind = "car", vehicle: int | None = None
) -> Response:
    return _intake(request, shop, who, kind=kind, vehicle_id=vehicle)


@router.get("/vehicles")
def found(
    request: Request, shop: InShop, who: SignedIn, search: Annotated[str, Query(max_length=120)] = ""
) -> Response:
    """The vehicles that fit what is being typed: a part of the page, asked for by it."""
    vehicles = find_vehicles(shop.database, search, by=who)
    return render("vehicle/_found.html", request, vehicles=vehicles, chosen=None, searched=len(search.strip()) > 1)


@router.get("/vin")
def vin_check(
    request: Request, shop: InShop, who: SignedIn, vin: Annotated[str, Query(max_length=60)] = ""
) -> Response:
    """What a VIN says of itself, while it is typed."""
    reading, message = None, ""
    try:
        reading = read_vin(vin) if vin.strip() else None
    except InvalidInput as error:
        message = shop.say(who).requirement(error)
    known = find_vehicles(shop.database, reading.number, by=who) if reading else []
    return render("vehicle/_vin.html", request, reading=reading, message=message, known=known)


@router.post("/jobs")
def take_vehicle_in(
    request: Request,
    shop: InShop,
    who: Changing,
    label: Line = "",
    kind: Annotated[Kind, Form()] = "car",
    registration: Line = "",
    vin: Line = "",
    odometer: Line = "",
    ambient: Line = "",
    usage: Annotated[Usage | Literal[""], Form()] = "",
    complaint: Annotated[str, Form(max_length=4000)] = "",
    recent_work: Annotated[list[RecentWork] | None, Form()] = None,
    vehicle_id: Annotated[int | Literal[""] | None, Form()] = None,
    copy_from: Annotated[int | Literal[""] | None, Form()] = None,
    confirmed: Annotated[bool, Form()] = False,
    owner: Line = "",
    telephone: Line = "",
    promised_day: Line = "",
    promised_hour: Line = "",
) -> Response:
    vehicle_id = vehicle_id or None
    try:
        job_id = take_in(
            shop.database, shop.knowledge, label=label, kind=kind, registration=registration, vin=vin,
            odometer_km=_figure(odometer, "km", "distance", who), ambient_c=_figure(ambient, "C", "ambient", who),
            usage=usage, complaint=complaint, recent_work=tuple(recent_work or ()), vehicle_id=vehicle_id,
            copy_from=copy_from or None, confirmed=confirmed, owner=Contact(owner, telephone),
            promised=promised_moment(promised_day, promised_hour, by=who, now=shop.now()), by=who, now=shop.now(),
        )  # fmt: skip
    except InvalidInput as error:
        return _intake(
            request, shop, who, message=error, asked=isinstance(error, Surprising), status=422,
            label=label, kind=kind, registration=registration,
            vin=vin, odometer=odometer, ambient=ambient, usage=usage, complaint=complaint,
            recent_work=recent_work or [], vehicle_id=vehicle_id, owner=owner, telephone=telephone,
            promised_day=promised_day, promised_hour=promised_hour,
        )  # fmt: skip
    to = f"/jobs/{job_id}/take-in"
    if from_htmx(request):
        return Response(headers={"HX-Redirect": to})
    return RedirectResponse(to, status_code=303)


def _vehicle_page(
    request: Request, job_id: int, shop: Shop, who: Who, *, typed: Mapping[str, str] | None = None, seen: str = "",
    message: Message = "", overtaken: Overtaken | None = None,
) -> Response:  # fmt: skip
    """The form of vehicle and visit, with what was typed where something was refused; seen : what it showed before."""
    job = open_job(shop.database, job_id, by=who, knowledge=shop.knowledge)
    stands = specification_form(job.inspection, shop.knowledge, shop.say(who))
    form = specification_form(job.inspection, shop.knowledge, shop.say(who), typed) if typed else stands
    return render(
        "vehicle/specification.html", request, status=409 if overtaken else 422 if message else 200, who=who, job=job,
        form=form, seen=seen or as_seen(stands.lines),
        message=named(overtaken, stands.labels) if overtaken else message,
    )  # fmt: skip


@router.get("/jobs/{job_id}/vehicle")
def vehicle_page(request: Request, job_id: int, shop: InShop, who: SignedIn) -> Response:
    return _vehicle_page(request, job_id, shop, who)


@router.post("/jobs/{job_id}/vehicle")
def keep_vehicle(request: Request, job_id: int, shop: InShop, who: Changing, form: Typed) -> Response:
    typed, say = texts_of(form), shop.say(who)
    seen = typed.get("seen", "")

    def written(stands: Inspection) -> Described:
        """What is kept: what was changed here, and what anybody else changed since the page was made."""
        now = specification_form(stands, shop.knowledge, say).lines
        kept = with_theirs({name: typed.get(name, "") for name in now}, read_seen(seen), now)
        return read_form(kept, stands, shop.knowledge, say)

    try:
        describe(shop.database, shop.knowledge, job_id, written, by=who)
    except InvalidInput as error:
        return _vehicle_page(request, job_id, shop, who, typed=typed, seen=seen, message=error)
    except Overtaken as error:
        return _vehicle_page(request, job_id, shop, who, typed=error.stands, overtaken=error)
    return RedirectResponse(f"/jobs/{job_id}/take-in", status_code=303)
