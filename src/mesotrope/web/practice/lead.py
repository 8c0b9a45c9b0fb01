"""What a lead does with practice: sees each person's progress, sets vehicles, and makes them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from fastapi import APIRouter, Form, Query, Request
from fastapi.responses import RedirectResponse, Response

from mesotrope.core.language.corner import PLACES_ON_VEHICLE, Place, place_named
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import said, verbatim
from mesotrope.core.practice.numbers import MOST_PLANTED, Made, Planted, number_of_made, read_number, written
from mesotrope.core.practice.vehicle import mystery_of
from mesotrope.errors import InvalidInput
from mesotrope.services.practice import LEADS, runs_of
from mesotrope.services.practice_progress import learners, progress_of, set_for, set_vehicle, vehicles_found
from mesotrope.services.signing_in import require_lead
from mesotrope.web.context import Changing, InShop, SignedIn, Typed, texts_of
from mesotrope.web.practice.home import faults_of, run_row, skills_of
from mesotrope.web.rendering import render

router = APIRouter(prefix="/practice")

Short = Annotated[str, Form(max_length=60)]


@router.get("/people")
def people_page(request: Request, shop: InShop, who: SignedIn) -> Response:
    return render("practice/people.html", request, who=who, learners=learners(shop.database, by=who))


@router.get("/people/{person_id}")
def person_page(request: Request, person_id: int, shop: InShop, who: SignedIn) -> Response:
    require_lead(who, LEADS)
    known, now, say = shop.knowledge, shop.now(), shop.say(who)
    progress = progress_of(shop.database, known, person_id, by=who, now=now)
    runs = [run_row(run, known) for run in runs_of(shop.database, person_id, by=who) if run.result]
    given = [(one, written(one.number)) for one in set_for(shop.database, person_id, by=who)]
    return render(
        "practice/person.html", request, who=who, person_id=person_id, progress=progress, runs=runs, given=given,
        skills=skills_of(progress.standing, known, now, say), faults=faults_of(progress.standing, known, now, say),
        next=written(progress.next_number),
    )  # fmt: skip


@router.post("/people/{person_id}/set")
def set_one(
    person_id: int, shop: InShop, who: Changing, number: Short = "", note: Annotated[str, Form(max_length=400)] = ""
) -> Response:
    wanted = read_number(number, shop.knowledge.practice)
    set_vehicle(shop.database, shop.knowledge, person_id, wanted, note, by=who, now=shop.now())
    return RedirectResponse(f"/practice/people/{person_id}", status_code=303)


# -- making a vehicle --------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Row:
    """A row of the form: a fault with its place, severity and age."""

    number: int
    fault: str = ""
    at: str = ""
    severity: str = "clear"
    age: str = "some"


@router.get("/make")
def make_page(
    request: Request, shop: InShop, who: SignedIn,
    kind: Annotated[str, Query(max_length=20)] = "car", found: Annotated[list[str], Query(max_length=80)] = [],  # noqa: B006
) -> Response:  # fmt: skip
    require_lead(who, LEADS)
    rows = [_row(number, text) for number, text in enumerate(found[:MOST_PLANTED], start=1)]
    rows += [Row(number) for number in range(len(rows) + 1, MOST_PLANTED + 1)]
    return _make(request, shop, who, kind, rows, "", "")


def _row(number: int, text: str) -> Row:
    place, _, fault = text.partition(":")
    return Row(number, fault, place)


@router.post("/make")
def make(request: Request, shop: InShop, who: Changing, typed: Typed) -> Response:
    require_lead(who, LEADS)
    form = texts_of(typed)
    kind, known = form.get("kind", ""), shop.knowledge
    rows = [
        Row(n, form.get(f"fault_{n}", ""), form.get(f"at_{n}", ""), form.get(f"severity_{n}", "clear"),
            form.get(f"age_{n}", "some"))
        for n in range(1, MOST_PLANTED + 1)
    ]  # fmt: skip
    number = number_of_made(made_of(kind, rows, form.get("draw", "0"), known), known.practice)
    complaint = mystery_of(number, known).complaint
    return _make(request, shop, who, kind, rows, written(number), complaint)


def made_of(kind: str, rows: list[Row], draw: str, knowledge: Knowledge) -> Made:
    """What a form makes. Raises `InvalidInput` naming the row."""
    figures, planted = knowledge.practice, []
    if kind not in figures.kinds:
        raise InvalidInput(
            "kind", kind, said("allowed: {choices}", choices=verbatim(", ".join(figures.kinds).replace("_", " ")))
        )
    for row in rows:
        if not row.fault:
            continue
        place: Place | None = place_named(row.at)
        if place is None:
            raise InvalidInput(
                said("fault {number}", number=verbatim(row.number)),
                row.at,
                "choose where: a corner or the whole system",
            )
        ids = (figures.faults, [s.id for s in figures.severity], [a.id for a in figures.age])
        for value, allowed in zip((row.fault, row.severity, row.age), ids, strict=True):
            if value not in allowed:
                raise InvalidInput(said("fault {number}", number=verbatim(row.number)), value, "choose one of the list")
        planted.append(Planted(place, row.fault, row.severity, row.age))
    if not draw.isascii() or not draw.isdigit() or int(draw) > 99:
        raise InvalidInput("draw", draw, "0 to 99 is allowed: another one is another vehicle with the same faults")
    return Made(kind, tuple(planted), int(draw))


def _make(
    request: Request, shop: InShop, who: SignedIn, kind: str, rows: list[Row], number: str, complaint: str
) -> Response:
    known, say = shop.knowledge, shop.say(who)
    return render(
        "practice/make.html", request, who=who, kind=kind, rows=rows, number=number, complaint=complaint,
        figures=known.practice, places=[(str(place), say(place)) for place in PLACES_ON_VEHICLE],
        faults=sorted(((f, say(known.words(f))) for f in known.practice.faults), key=lambda one: one[1]),
        jobs=vehicles_found(shop.database, known, by=who),
    )  # fmt: skip
