"""What is sent to owners: a letter to print, an e-mail or a text message, behind a port.

No outside service ships with the product: the stand-in keeps what would have been sent, and says that it did not send.
"""

from __future__ import annotations

import datetime
import logging
from collections.abc import Sequence
from typing import Protocol

from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import Figure, Sayable, marked, one_of, said, verbatim
from mesotrope.errors import InvalidInput
from mesotrope.services.due import Due
from mesotrope.services.once import do_once
from mesotrope.services.owners import WAYS, Contact, contact_of, owner_of
from mesotrope.services.signing_in import Who
from mesotrope.services.workshop import About
from mesotrope.store.day_tables import Message
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.words import Speaker

LOG = logging.getLogger("mesotrope.messages")

#: The longest text, letters.
LONGEST = 4000


class Sends(Protocol):
    """Takes a text to somebody. A real service stands behind the same port."""

    #: Whether nothing leaves the house.
    simulated: bool

    def send(self, way: str, to: str, words: str) -> None: ...


class StandIn:
    """Sends nothing: what would have been sent is kept with its owner, marked as simulated."""

    simulated = True

    def send(self, way: str, to: str, words: str) -> None:
        LOG.info("simulated: %d letters by %s", len(words), way)


def letter(contact: Contact, items: Sequence[Due], shop: About, knowledge: Knowledge, say: Speaker) -> str:
    """What an owner is told of what falls due, in words for an owner, vehicle by vehicle."""
    lines = [f"{say.gettext('Dear')} {contact.name},", ""]
    by_vehicle: dict[str, list[str]] = {}
    for item in items:
        name = item.label + (f" ({item.registration})" if item.registration else "")
        words = say.gettext(knowledge.falls_due[item.kind].owner)
        by_vehicle.setdefault(name, []).append(f"- {words} ({_when(item, say)}).")
    for name, told in by_vehicle.items():
        lines += [f"{say.gettext(marked('Your vehicle'))} {name}:", *told, ""]
    call = f": {shop.telephone}" if shop.telephone else ""
    lines += [f"{say.gettext(marked('Please call us to make a date'))}{call}.", "", shop.name]
    lines += [line for line in (shop.address, shop.town) if line]
    return "\n".join(lines)


def _when(item: Due, say: Speaker) -> str:
    """When it is due: on a day, or about a month where it was predicted; with the distance where one is known."""
    when = (
        f"{say.gettext('about')} {item.day:%Y-%m}" if item.first else f"{say.gettext('by')} {say.dates.day(item.day)}"
    )
    distance = item.told.get("at_km")
    at: Sayable = Figure(float(distance), "km", -1) if distance else ""
    return f"{when}, {say.gettext(marked('at about'))} {say(at)}" if at else when


def send(
    database: Database, port: Sends, owner_id: int, way: str, words: str, *, by: Who, now: datetime.datetime
) -> None:
    """Send an owner a text in a way that they allowed, and keep it. A letter is printed: it is only kept.

    Raises `NotAllowed` for a way that they did not allow, `InvalidInput`, `NotFound`.
    """
    words = words.strip()
    if way not in WAYS:
        raise InvalidInput("way", way, one_of(WAYS))
    if not 1 <= len(words) <= LONGEST:
        raise InvalidInput("text", words, said("1 to {longest} letters are needed", longest=verbatim(LONGEST)))

    def keep(session: WorkshopSession) -> None:
        contact = contact_of(owner_of(session, owner_id, for_writing=True))
        if way not in contact.allowed:
            raise InvalidInput("way", WAYS[way], "this owner did not allow it; ask, and keep their word with them")
        to = {"email": contact.email, "message": contact.telephone}.get(way, contact.name)
        if not to:
            raise InvalidInput(way, "", "nothing is kept to reach this owner by")
        session.add(Message(owner_id=owner_id, way=way, words=words, made_by=by.person_id, made_at=now))
        session.flush()
        if way != "letter":
            port.send(way, to, words)

    do_once(database, f"message to owner {owner_id}", keep, [way, words], by=by, now=now)
