"""Taking a vehicle in (found again, or new), and what is known of its brakes."""

from __future__ import annotations

from typing import Annotated, Literal, get_args

from fastapi import APIRouter, Form, Query, Request
from fastapi.responses import RedirectResponse, Response

from mesotrope.core.language.inspection import RecentWork, Usage
from mesotrope.core.language.vin import read_vin
from mesotrope.errors import InvalidInput, Surprising
from mesotrope.services.day_changes import promised_moment
from mesotrope.services.jobs import (
    describe,
    find_vehicles,
    open_job,
    similar_vehicles,
    take_in,
    vehicle_found,
)
from mesotrope.services.owners import Contact
from mesotrope.services.signing_in import Who
from mesotrope.web.context import Changing, InShop, Shop, SignedIn, Typed, from_htmx, texts_of
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


@router.get("/jobs/{job_id}/vehicle")
def vehicle_page(request: Request, job_id: int, shop: InShop, who: SignedIn) -> Response:
    job = open_job(shop.database, job_id, by=who, knowledge=shop.knowledge)
    form = specification_form(job.inspection, shop.knowledge, shop.say(who))
    return render("vehicle/specification.html", request, who=who, job=job, form=form, message="")


@router.post("/jobs/{job_id}/vehicle")
def keep_vehicle(request: Request, job_id: int, shop: InShop, who: Changing, form: Typed) -> Response:
    typed = {name: text for name, text in texts_of(form).items() if name not in ("change_token", "idempotency_key")}
    job = open_job(shop.database, job_id, by=who, knowledge=shop.knowledge)
    try:
        specification, visit = read_form(typed, job.inspection, shop.knowledge, shop.say(who))
        describe(shop.database, shop.knowledge, job_id, specification=specification, visit=visit, by=who)
    except InvalidInput as error:
        again = specification_form(job.inspection, shop.knowledge, shop.say(who), typed)
        return render("vehicle/specification.html", request, status=422, who=who, job=job, form=again, message=error)
    return RedirectResponse(f"/jobs/{job_id}/take-in", status_code=303)
