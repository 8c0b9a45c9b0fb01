"""What every request needs: the shop (database, knowledge, settings, clock) and who is signed in."""

from __future__ import annotations

import datetime
import hmac
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Annotated
from urllib.parse import urlsplit

from fastapi import Depends, Request

from mesotrope.core.answer import Answer, diagnose
from mesotrope.core.findings import Inspection, parse_inspection
from mesotrope.core.model import Knowledge
from mesotrope.errors import Forged
from mesotrope.services.signing_in import Passwords, Who, who_is
from mesotrope.settings import Settings
from mesotrope.store.session import Database

COOKIE = "mesotrope_session"


@dataclass(frozen=True)
class Shop:
    database: Database
    knowledge: Knowledge
    settings: Settings
    passwords: Passwords
    now: Callable[[], datetime.datetime]
    answer: Callable[[Inspection], Answer]


def remembered(knowledge: Knowledge, most: int = 256) -> Callable[[Inspection], Answer]:
    """`diagnose`, remembering its latest answers: the same document has the same answer, whoever asks."""

    @lru_cache(maxsize=most)
    def answer(document: str) -> Answer:
        return diagnose(parse_inspection(document), knowledge)

    return lambda inspection: answer(inspection.model_dump_json(exclude_none=True))


def _shop(request: Request) -> Shop:
    return request.app.state.shop


InShop = Annotated[Shop, Depends(_shop)]


def _signed_in(request: Request, shop: InShop) -> Who:
    return who_is(shop.database, request.cookies.get(COOKIE), now=shop.now())


SignedIn = Annotated[Who, Depends(_signed_in)]


def same_origin(request: Request) -> None:
    """Refuse a change that another site's page sends. Raises `Forged`."""
    origin = request.headers.get("origin")
    elsewhere = origin is not None and urlsplit(origin).netloc != request.headers.get("host")
    if elsewhere or request.headers.get("sec-fetch-site", "same-origin") not in ("same-origin", "none"):
        raise Forged


async def _changing(request: Request, shop: InShop, who: SignedIn) -> Who:
    """Who is making a change, proved by the session's change token. Raises `Forged`."""
    same_origin(request)
    token = request.headers.get("x-change-token") or str((await request.form()).get("change_token", ""))
    if not hmac.compare_digest(token.encode(), who.change_token.encode()):
        raise Forged
    return who


Changing = Annotated[Who, Depends(_changing)]


def from_htmx(request: Request) -> bool:
    return request.headers.get("hx-request") == "true"
