"""What every request needs: the shop (database, knowledge, settings, clock) and who is signed in."""

from __future__ import annotations

import datetime
import hmac
from collections.abc import AsyncIterator, Callable
from dataclasses import dataclass, field, replace
from gettext import NullTranslations
from typing import Annotated, NamedTuple
from urllib.parse import urlsplit

from fastapi import Depends, Request
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import RedirectResponse, Response
from starlette.datastructures import FormData

from mesotrope.core.answer.answer import Answer, Overview
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.errors import Forged
from mesotrope.services.answers import Remembered, with_version
from mesotrope.services.archiving import ArchiveFolder
from mesotrope.services.job_rows import OpenJob
from mesotrope.services.learnt_versions import InUse, version_of
from mesotrope.services.passwords import Passwords
from mesotrope.services.planned_jobs import Planned, planned_job
from mesotrope.services.rules import Figures
from mesotrope.services.signing_in import Who, who_is
from mesotrope.settings import Settings
from mesotrope.store.replica import Replica
from mesotrope.store.session import Database
from mesotrope.web.cookies import SESSION
from mesotrope.web.lanes import PAGE_WAITS_S, in_turn
from mesotrope.words import Speaker


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
    #: Somebody asked for the tables of a certain learnt version.
    as_asked: bool = False
    language: NullTranslations = field(default_factory=NullTranslations)
    replica: Replica | None = None

    @property
    def archives(self) -> ArchiveFolder:
        """Where the files of archived visits lie."""
        return ArchiveFolder(self.settings.archives)

    @property
    def reading(self) -> Database:
        """The database for what goes through much and changes nothing: a replica that has all that was written, where
        there is one."""
        return self.replica.in_step_with(self.database) if self.replica else self.database

    def say(self, who: Who, kind: str = "car") -> Speaker:
        """Says what the core states as this person reads it, in the words of a kind of vehicle."""
        dates, own = replace(who.dates, language=self.language), self.knowledge.own_words.get(kind, {})
        return Speaker(who.units, self.language, dates, own, between="\N{NO-BREAK SPACE}")

    def planned(self, who: Who, job_id: int) -> Planned:
        """One job with what is planned for it. Raises `NotFound`, also for another workshop's."""
        return planned_job(self.database, self.knowledge, lambda job: self.answer_of(who, job), job_id, by=who)

    def answer_of(self, who: Who, job: OpenJob) -> Answer:
        """Diagnose a job, or remember its answer: with the learnt tables that were asked for, else with those that its
        verdict was signed with, else with those in use."""
        return self.remember.answer(job.inspection, self._figures_for(who, job))

    def overview_of(self, who: Who, job: OpenJob) -> Overview:
        """The short answer to a job, with the same tables."""
        return self.remember.overview(job.inspection, self._figures_for(who, job))

    def _figures_for(self, who: Who, job: OpenJob) -> Figures:
        if self.as_asked:
            return self.figures
        return self.remember.as_signed(self.database, job.signed_with, self.figures, who)

    def answer(self, inspection: Inspection) -> Answer:
        """Diagnose an inspection, or remember its answer."""
        return self.remember.answer(inspection, self.figures)


async def _watched(request: Request) -> Shop:
    shop: Shop = request.app.state.shop
    return shop


#: The shop of who only looks, now and then and for long: it holds no connection between two looks.
Watched = Annotated[Shop, Depends(_watched)]


async def _door(request: Request, shop: Watched) -> AsyncIterator[Shop]:
    async with in_turn(request.app.state.lanes.pages, "pages", PAGE_WAITS_S):
        database = shop.database.on_one_connection()
        try:
            yield replace(shop, database=database)
        finally:
            if database.busy:
                await run_in_threadpool(database.give_back)
            else:
                database.give_back()


#: The shop before it is known who asks: with the product's own figures.
AtTheDoor = Annotated[Shop, Depends(_door, scope="function")]


class _AtWork(NamedTuple):
    """Who is signed in, and the shop as their workshop has it."""

    who: Who
    shop: Shop


def _at_work(request: Request, shop: AtTheDoor) -> _AtWork:
    """Both are asked for at once: each time that a request waits for a thread of its own is felt."""
    who = who_is(shop.database, request.cookies.get(SESSION), now=shop.now())
    return _AtWork(who, own_shop(shop, who))


AtWork = Annotated[_AtWork, Depends(_at_work)]


async def _signed_in(at_work: AtWork) -> Who:
    return at_work.who


SignedIn = Annotated[Who, Depends(_signed_in)]


def _watching(request: Request, shop: Watched) -> Who:
    return who_is(shop.database, request.cookies.get(SESSION), now=shop.now())


#: Who watches: signed in, for a stream that goes on.
Watching = Annotated[Who, Depends(_watching)]


def own_shop(shop: Shop, who: Who) -> Shop:
    """The shop with the limits, prices and minutes of a person's workshop."""
    figures = shop.remember.figures(shop.database, who)
    return replace(shop, knowledge=shop.remember.known(figures), figures=figures) if figures else shop


def as_learnt_then(shop: Shop, who: Who, number: int) -> Shop:
    """The shop as it answered with a learnt version; 0 is the expert's tables. Raises `NotFound`."""
    version = version_of(shop.database, number, by=who) if number else None
    used = InUse(who.workshop_id, version.number, version.counts) if version else None
    figures = with_version(shop.figures, used)
    return replace(shop, knowledge=shop.remember.known(figures), figures=figures, as_asked=True)


async def _in_shop(at_work: AtWork) -> Shop:
    return at_work.shop


InShop = Annotated[Shop, Depends(_in_shop)]


def same_origin(request: Request) -> None:
    """Refuse a change that another site's page sends. Raises `Forged`."""
    origin = request.headers.get("origin")
    try:
        parts = urlsplit(origin or "")
        ours = parts.scheme in ("http", "https") and parts.netloc == request.headers.get("host")
        elsewhere = origin is not None and not ours
    except ValueError:  # no address at all
        elsewhere = True
    if elsewhere or request.headers.get("sec-fetch-site", "same-origin") not in ("same-origin", "none"):
        raise Forged


async def _changing(request: Request, who: SignedIn) -> Who:
    """Who is making a change, proved by the session's change token, and its key. Raises `Forged`."""
    same_origin(request)
    form = await request.form()
    token = request.headers.get("x-change-token") or str(form.get("change_token", ""))
    if not hmac.compare_digest(token.encode(), who.change_token.encode()):
        raise Forged
    key = request.headers.get("idempotency-key") or str(form.get("idempotency_key", ""))
    return replace(who, key=key)


async def _typed(request: Request) -> FormData:
    """What was typed into a form whose fields are many, or not known beforehand."""
    return await request.form()


#: Read before the route: it waits for the database in a thread, and nobody else's page waits with it.
Typed = Annotated[FormData, Depends(_typed)]


def texts_of(form: FormData) -> dict[str, str]:
    """The fields of a form that hold text."""
    return {name: value for name, value in form.items() if isinstance(value, str)}


def address_of(request: Request) -> str:
    """Where a request comes from: the address of the connection, or what a proxy that is named in the settings says."""
    return request.client.host if request.client else ""


Changing = Annotated[Who, Depends(_changing)]


def from_htmx(request: Request) -> bool:
    return request.headers.get("hx-request") == "true"


def away(request: Request, to: str) -> Response:
    """Send the browser to another page, also where only a part of this one was asked for."""
    if from_htmx(request):
        return Response(headers={"HX-Redirect": to})
    return RedirectResponse(to, status_code=303)
