"""Practice: taking a mystery vehicle, working it, committing to something, and the debrief."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Form, Query, Request
from fastapi.responses import RedirectResponse, Response

from mesotrope.core.language.corner import VEHICLE, Axle, Corner, Place, place_named
from mesotrope.core.language.entries import read_entry
from mesotrope.core.language.inspection import CornerFindings, SystemFindings
from mesotrope.core.language.saying import said, verbatim
from mesotrope.core.practice.acts import Act, Value
from mesotrope.core.practice.bay import Bay
from mesotrope.core.practice.hints import hint
from mesotrope.core.practice.judged import Commitment
from mesotrope.core.practice.numbers import read_number, written
from mesotrope.errors import InvalidInput, NotFound
from mesotrope.services.practice import Run, commit, debrief_of, do_act, named_place, run_of, runs_of, start_run
from mesotrope.services.practice_progress import fresh_number, number_of_the_week, progress_of, set_for
from mesotrope.services.signing_in import Who
from mesotrope.web.context import Changing, InShop, Shop, SignedIn, Typed, away, texts_of
from mesotrope.web.lanes import HEAVY
from mesotrope.web.practice.bay_page import STAGES, base_of, bay_page, places_of
from mesotrope.web.practice.debrief_page import debrief_page
from mesotrope.web.practice.home import home_page
from mesotrope.web.rendering import render

router = APIRouter(prefix="/practice")

Short = Annotated[str, Form(max_length=60)]
AxleField = Annotated[Axle, Form()]

#: As many faults and actions can be committed to.
MOST_FAULTS, MOST_WORK = 6, 10


@router.get("")
def home(request: Request, shop: InShop, who: SignedIn) -> Response:
    runs = runs_of(shop.database, who.person_id, by=who)
    week = number_of_the_week(who.dates.local(shop.now()).date(), shop.knowledge)
    progress = progress_of(shop.database, shop.knowledge, who.person_id, by=who, now=shop.now())
    page = home_page(
        runs, week, progress, set_for(shop.database, who.person_id, by=who), shop.knowledge, shop.now(), shop.say(who)
    )
    return render("practice/page.html", request, who=who, page=page, figures=shop.knowledge.practice)


@router.post("/take")
def take(
    request: Request, shop: InShop, who: Changing, number: Short = "", kind: Short = "", difficulty: Short = "",
    pictures: Annotated[Literal["", "yes"], Form()] = "",
) -> Response:  # fmt: skip
    known = shop.knowledge
    if number.strip():
        wanted, asked = read_number(number, known.practice), ""
    else:
        wanted = fresh_number(kind, difficulty, known, by=who, database=shop.database)
        asked = f"{kind}, {difficulty}"
    run_id = start_run(shop.database, known, wanted, pictures == "yes", asked=asked, by=who, now=shop.now())
    return away(request, f"{base_of(run_id)}/take-in")


# -- the bay -----------------------------------------------------------------------------------------------------


def _open_run(shop: Shop, who: Who, run_id: int) -> tuple[Run, Bay]:
    run = run_of(shop.database, run_id, by=who)
    return run, run.bay(shop.knowledge)


@router.get("/runs/{run_id}")
def start(run_id: int, who: SignedIn) -> Response:
    return RedirectResponse(f"{base_of(run_id)}/take-in", status_code=303)


@router.get("/runs/{run_id}/commit")
def commit_page(request: Request, run_id: int, shop: InShop, who: SignedIn) -> Response:
    run, bay = _open_run(shop, who, run_id)
    if run.committed_at is not None or run.person_id != who.person_id:
        return RedirectResponse(f"{base_of(run_id)}/debrief", status_code=303)
    known, kind = shop.knowledge, bay.specification.kind
    say = shop.say(who, kind)
    faults = [(fault, say(known.words(fault))) for fault in (*known.practice.faults, known.worn.id)]
    work = [(action.id, say(action.words)) for action in known.actions
            if action.id not in ("no_action", "find_the_cause") and kind not in action.not_of]  # fmt: skip
    return render(
        "practice/commit.html", request, speaks_of=kind, who=who, run=run, number=written(run.number), bay=bay,
        base=base_of(run_id), places=places_of(bay, say), faults=sorted(faults, key=lambda one: one[1]),
        work=sorted(work, key=lambda one: one[1]), fault_rows=range(1, MOST_FAULTS + 1),
        work_rows=range(1, MOST_WORK + 1),
    )  # fmt: skip


@router.post("/runs/{run_id}/commit", dependencies=[HEAVY])
def commit_to(request: Request, run_id: int, shop: InShop, who: Changing, typed: Typed) -> Response:
    commitment = commitment_of(texts_of(typed), shop)
    commit(shop.database, shop.knowledge, run_id, commitment, by=who, now=shop.now())
    return away(request, f"{base_of(run_id)}/debrief")


def commitment_of(form: dict[str, str], shop: Shop) -> Commitment:
    """What a form commits to. Raises `InvalidInput` naming the row."""
    known = shop.knowledge
    faults = _pairs(form, "fault", MOST_FAULTS, {*known.practice.faults, known.worn.id})
    work = _pairs(form, "work", MOST_WORK, set(known.cost))
    if form.get("safe") not in ("yes", "no"):
        raise InvalidInput("may it be driven", form.get("safe", ""), "say yes or no: it is part of the commitment")
    if not faults and form.get("nothing") != "yes":
        raise InvalidInput("faults", "", "name at least one, or say that nothing is wrong")
    if faults and form.get("nothing") == "yes":
        raise InvalidInput("faults", "nothing is wrong", "faults are named as well: take one of the two back")
    return Commitment(faults, work, form["safe"] == "yes")


def _pairs(form: dict[str, str], what: str, most: int, allowed: set[str]) -> frozenset[tuple[Place, str]]:
    out = set()
    for row in range(1, most + 1):
        name, at = form.get(f"{what}_{row}", ""), form.get(f"{what}_{row}_at", "")
        if not name:
            continue
        place = place_named(at)
        if name not in allowed:
            raise InvalidInput(
                said("{what} {row}", what=verbatim(what), row=verbatim(row)), name, "choose one of the list"
            )
        if place is None:
            raise InvalidInput(
                said("{what} {row}", what=verbatim(what), row=verbatim(row)),
                at,
                "choose where: a corner or the whole system",
            )
        out.add((place, name))
    return frozenset(out)


@router.get("/runs/{run_id}/debrief", dependencies=[HEAVY])
def debrief_shown(request: Request, run_id: int, shop: InShop, who: SignedIn) -> Response:
    run = run_of(shop.database, run_id, by=who)
    if run.commitment is None:
        return RedirectResponse(f"{base_of(run_id)}/take-in", status_code=303)
    told = debrief_of(run, run.commitment, shop.knowledge)
    kind = told.mystery.vehicle.build.kind
    page = debrief_page(run, told, shop.knowledge, shop.say(who, kind))
    return render("practice/debrief.html", request, speaks_of=kind, who=who, run=run, page=page)


@router.get("/runs/{run_id}/{stage}")
def stage_page(
    request: Request, run_id: int, stage: str, shop: InShop, who: SignedIn,
    axle: Annotated[Axle, Query()] = Axle.FRONT, wear: Annotated[Literal["1", "3"], Query()] = "1",
) -> Response:  # fmt: skip
    if stage not in {address for address, _, _ in STAGES}:
        raise NotFound("page")
    run, bay = _open_run(shop, who, run_id)
    if run.committed_at is not None or run.person_id != who.person_id:
        return RedirectResponse(f"{base_of(run_id)}/debrief", status_code=303)
    last = bay.steps[-1].act if bay.steps else None
    told = hint(bay, last.what, shop.knowledge) if last and last.kind == "hint" else None
    kind = bay.specification.kind
    page = bay_page(run, bay, shop.knowledge, stage, axle, wear == "3", shop.say(who, kind), told)
    return render("practice/bay.html", request, speaks_of=kind, who=who, page=page, plate=page.plate, earlier=(),
                  figures=shop.knowledge.practice)  # fmt: skip


def _back(run_id: int, stage: str, axle: Axle, wear: str) -> Response:
    address = stage if stage in {one for one, _, _ in STAGES} else "take-in"
    return RedirectResponse(
        f"{base_of(run_id)}/{address}?axle={axle}" + ("&wear=3" if wear == "3" else ""), status_code=303
    )


@router.post("/runs/{run_id}/act")
def act(
    run_id: int, shop: InShop, who: Changing, kind: Annotated[Literal["test", "press", "together", "hint"], Form()],
    what: Short = "", place: Short = str(VEHICLE), stage: Short = "", axle: AxleField = Axle.FRONT, wear: Short = "1",
) -> Response:  # fmt: skip
    done = Act(kind, what, named_place(place))
    do_act(shop.database, shop.knowledge, run_id, done, by=who, now=shop.now())
    return _back(run_id, stage, axle, wear)


@router.post("/runs/{run_id}/read")
def read(run_id: int, shop: InShop, who: Changing, typed: Typed) -> Response:
    """What was read off a picture is written down, part by part."""
    form = texts_of(typed)
    place, what = named_place(form.get("place", "")), form.get("what", "")
    unread = run_of(shop.database, run_id, by=who).bay(shop.knowledge).unread(place, what)
    model = CornerFindings if isinstance(place, Corner) else SystemFindings
    values: list[tuple[str, Value]] = []
    for path in unread.shown if unread else ():
        text = form.get(f"read {path}", "").strip()
        if not text:
            label = path.partition(".")[2].replace(".", " ").replace("_", " ") or path.replace("_", " ")
            raise InvalidInput(label, "", "write down what the picture shows")
        values.append((path, read_entry(model, path, text, shop.knowledge, confirmed=True)))
    done = Act("read", what, place, tuple(values))
    do_act(shop.database, shop.knowledge, run_id, done, by=who, now=shop.now())
    axle = Axle(form["axle"]) if form.get("axle") in tuple(Axle) else Axle.FRONT
    return _back(run_id, form.get("stage", ""), axle, form.get("wear", "1"))
