"""What every request needs: the shop (database, knowledge, settings, clock) and who is signed in."""

from __future__ import annotations

import datetime
import hmac
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Annotated
from urllib.parse import urlsplit

from fastapi import Depends, Request

from mesotrope.core.answer.answer import Answer, diagnose
from mesotrope.core.language.inspection import Inspection, parse_inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.errors import Forged
from mesotrope.services.rules import Figures, figures_of, own_knowledge
from mesotrope.services.signing_in import Passwords, Who, who_is
from mesotrope.settings import Settings
from mesotrope.store.session import Database

COOKIE = "mesotrope_session"


@dataclass(frozen=True)
class Shop:
    """The composition of one application; `knowledge` and `answer` with the figures of whose request it is."""

    database: Database
    knowledge: Knowledge
    settings: Settings
    passwords: Passwords
    now: Callable[[], datetime.datetime]
    remember: Remembered
    figures: Figures = ()

    def answer(self, inspection: Inspection) -> Answer:
        """Diagnose an inspection, or remember its answer."""
        return self.remember.answer(inspection, self.figures)


class Remembered:
    """`diagnose`, remembering its latest answers: the same document has the same answer, whoever asks."""

    def __init__(self, knowledge: Knowledge, most: int = 256) -> None:
        @lru_cache(maxsize=64)
        def known(figures: Figures) -> Knowledge:
            return own_knowledge(knowledge, figures) if figures else knowledge

        @lru_cache(maxsize=most)
        def answer(document: str, figures: Figures) -> Answer:
            return diagnose(parse_inspection(document), known(figures))

        self.known = known
        self._answer = answer

    def answer(self, inspection: Inspection, figures: Figures) -> Answer:
        return self._answer(inspection.model_dump_json(exclude_none=True), figures)


def _door(request: Request) -> Shop:
    shop: Shop = request.app.state.shop
    return shop


#: The shop before it is known who asks: with the product's own figures.
AtTheDoor = Annotated[Shop, Depends(_door)]


def _signed_in(request: Request, shop: AtTheDoor) -> Who:
    return who_is(shop.database, request.cookies.get(COOKIE), now=shop.now())


SignedIn = Annotated[Who, Depends(_signed_in)]


def own_shop(shop: Shop, who: Who) -> Shop:
    """The shop with the limits, prices and minutes of a person's workshop."""
    figures = figures_of(shop.database, by=who)
    return replace(shop, knowledge=shop.remember.known(figures), figures=figures) if figures else shop


def _in_shop(shop: AtTheDoor, who: SignedIn) -> Shop:
    return own_shop(shop, who)


InShop = Annotated[Shop, Depends(_in_shop)]


def same_origin(request: Request) -> None:
    """Refuse a change that another site's page sends. Raises `Forged`."""
    origin = request.headers.get("origin")
    elsewhere = origin is not None and urlsplit(origin).netloc != request.headers.get("host")
    if elsewhere or request.headers.get("sec-fetch-site", "same-origin") not in ("same-origin", "none"):
        raise Forged


async def _changing(request: Request, who: SignedIn) -> Who:
    """Who is making a change, proved by the session's change token. Raises `Forged`."""
    same_origin(request)
    token = request.headers.get("x-change-token") or str((await request.form()).get("change_token", ""))
    if not hmac.compare_digest(token.encode(), who.change_token.encode()):
        raise Forged
    return who


Changing = Annotated[Who, Depends(_changing)]


def from_htmx(request: Request) -> bool:
    return request.headers.get("hx-request") == "true"
