"""Owners: their contact, their vehicles, what falls due for them, letters; their data taken out or away."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated

from fastapi import APIRouter, Form, Query, Request
from fastapi.responses import RedirectResponse, Response

from mesotrope.core.day.due import due_words
from mesotrope.core.language.saying import Sayable, marked, said, verbatim
from mesotrope.errors import InvalidInput, Overtaken
from mesotrope.knowledge.reader import knowledge_key
from mesotrope.services.audit import note_export
from mesotrope.services.due import due_in, refresh_due
from mesotrope.services.messages import StandIn, letter, send
from mesotrope.services.owners import (
    WAYS,
    Contact,
    as_document,
    contact_in,
    erase_owner,
    everything_of,
    give_vehicle,
    keep_owner,
    lines_of,
    owner_page,
    owners_of,
)
from mesotrope.services.signing_in import Who
from mesotrope.services.workshop import about
from mesotrope.web.context import AtTheDoor, Changing, InShop, Shop, SignedIn
from mesotrope.web.due.views import horizon
from mesotrope.web.meanwhile import Seen, as_seen, named, read_seen
from mesotrope.web.rendering import Message, as_file, render

router = APIRouter()

Line = Annotated[str, Form(max_length=300)]
Lines = Annotated[list[str], Form(max_length=10)]

#: What the lines of a contact are called.
LINES: Mapping[str, Sayable] = {
    "name": marked("name"), "telephone": marked("telephone"), "email": marked("e-mail"),
    **{f"allowed.{way}": said("may be reminded {how}", how=words) for way, words in WAYS.items()},
}  # fmt: skip

#: What stands in the field that confirms an erasure.
WORD = "erase"


@router.get("/owners")
def owners_page(
    request: Request, shop: AtTheDoor, who: SignedIn, begins: Annotated[str, Query(max_length=80)] = "",
    after: Annotated[str, Query(max_length=120)] = "",
) -> Response:  # fmt: skip
    rows = owners_of(shop.database, by=who, begins=begins, after=after)
    return render("owners/list.html", request, who=who, rows=rows, begins=begins, ways=WAYS, typed=None, message="")


@router.post("/owners")
def add_owner(
    request: Request, shop: AtTheDoor, who: Changing, name: Line = "", telephone: Line = "", email: Line = "",
    allowed: Lines = [], vehicle: Annotated[int | None, Form()] = None,  # noqa: B006
) -> Response:  # fmt: skip
    typed = Contact(name, telephone, email, tuple(allowed))
    try:
        number = keep_owner(shop.database, typed, by=who, now=shop.now(), vehicle_id=vehicle)
    except InvalidInput as error:
        rows = owners_of(shop.database, by=who)
        return render(
            "owners/list.html", request, status=422, who=who, rows=rows, begins="", ways=WAYS, typed=typed,
            message=error,
        )  # fmt: skip
    return RedirectResponse(f"/vehicles/{vehicle}" if vehicle else f"/owners/{number}", status_code=303)


def _page(
    request: Request, shop: Shop, who: Who, owner_id: int, *, typed: Contact | None = None, message: Message = "",
    seen: str = "",
) -> Response:  # fmt: skip
    owner = owner_page(shop.database, owner_id, by=who)
    refresh_due(shop.database, shop.knowledge, by=who, knowledge_key=knowledge_key())
    items = due_in(shop.database, None, horizon(shop, who), by=who, owner_id=owner_id)
    say = shop.say(who)
    words = letter(owner.contact, items, about(shop.database, by=who), shop.knowledge, say) if items else ""
    told = [(item, say(due_words(item.kind, dict(item.told), shop.knowledge))) for item in items]
    return render(
        "owners/page.html", request, status=422 if message else 200, who=who, owner=owner,
        contact=typed or owner.contact, ways=WAYS, due=told, letter=words, message=message,
        simulated=StandIn.simulated, word=WORD, seen=seen or as_seen(lines_of(owner.contact)),
    )  # fmt: skip


@router.get("/owners/{owner_id}")
def one_owner(request: Request, owner_id: int, shop: InShop, who: SignedIn) -> Response:
    return _page(request, shop, who, owner_id)


@router.post("/owners/{owner_id}")
def change_owner(
    request: Request, owner_id: int, shop: InShop, who: Changing, name: Line = "", telephone: Line = "",
    email: Line = "", allowed: Lines = [], seen: Seen = "",  # noqa: B006
) -> Response:  # fmt: skip
    typed = Contact(name, telephone, email, tuple(allowed))
    try:
        keep_owner(shop.database, typed, by=who, now=shop.now(), owner_id=owner_id, seen=read_seen(seen))
    except InvalidInput as error:
        return _page(request, shop, who, owner_id, typed=typed, message=error, seen=seen)
    except Overtaken as error:
        return _page(request, shop, who, owner_id, typed=contact_in(error.stands), message=named(error, LINES))
    return RedirectResponse(f"/owners/{owner_id}", status_code=303)


@router.get("/owners/{owner_id}/letter")
def letter_page(request: Request, owner_id: int, shop: InShop, who: SignedIn) -> Response:
    """The letter as it is printed."""
    owner = owner_page(shop.database, owner_id, by=who)
    items = due_in(shop.database, None, horizon(shop, who), by=who, owner_id=owner_id)
    here = about(shop.database, by=who)
    words = letter(owner.contact, items, here, shop.knowledge, shop.say(who))
    return render("owners/letter.html", request, who=who, owner=owner, words=words, here=here, day=shop.now())


@router.get("/owners/{owner_id}/letter.txt")
def letter_file(owner_id: int, shop: InShop, who: SignedIn) -> Response:
    """The letter as text, for whatever sends it."""
    owner = owner_page(shop.database, owner_id, by=who)
    items = due_in(shop.database, None, horizon(shop, who), by=who, owner_id=owner_id)
    words = letter(owner.contact, items, about(shop.database, by=who), shop.knowledge, shop.say(who))
    note_export(shop.database, f"letter to owner {owner_id}", by=who, now=shop.now())
    return as_file(words, "text/plain; charset=utf-8", f"letter-{owner_id}.txt")


@router.post("/owners/{owner_id}/send")
def send_to_owner(
    owner_id: int, shop: AtTheDoor, who: Changing, way: Line = "", words: Annotated[str, Form(max_length=5000)] = ""
) -> Response:
    send(shop.database, StandIn(), owner_id, way, words, by=who, now=shop.now())
    return RedirectResponse(f"/owners/{owner_id}#sent", status_code=303)


@router.get("/owners/{owner_id}/everything.json")
def everything(owner_id: int, shop: AtTheDoor, who: SignedIn) -> Response:
    found = everything_of(shop.database, owner_id, by=who, now=shop.now())
    return as_file(as_document(found), "application/json", f"owner-{owner_id}.json")


@router.post("/owners/{owner_id}/erase")
def erase(owner_id: int, shop: AtTheDoor, who: Changing, word: Line = "") -> Response:
    if word.strip().lower() != WORD:
        raise InvalidInput(
            "confirm", word, said("write {word} into the field: it cannot be taken back", word=verbatim(WORD))
        )
    erase_owner(shop.database, shop.archives, owner_id, by=who, now=shop.now())
    return RedirectResponse("/owners", status_code=303)


@router.post("/vehicles/{vehicle_id}/owner")
def whose(vehicle_id: int, shop: AtTheDoor, who: Changing, owner: Annotated[int | None, Form()] = None) -> Response:
    give_vehicle(shop.database, vehicle_id, owner, by=who, now=shop.now())
    return RedirectResponse(f"/vehicles/{vehicle_id}", status_code=303)
