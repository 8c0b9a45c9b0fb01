"""The composition root: the one place that knows every room."""

from __future__ import annotations

import asyncio
import datetime
import gc
import json
import logging
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager
from itertools import count

from fastapi import FastAPI
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import RedirectResponse, Response
from sqlalchemy.exc import SQLAlchemyError
from starlette.middleware.gzip import GZipMiddleware
from uvicorn.middleware.proxy_headers import ProxyHeadersMiddleware

from mesotrope.clock import utc_now
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.frugal import be_frugal, give_back
from mesotrope.interchange import paper
from mesotrope.knowledge import knowledge
from mesotrope.services.answers import Remembered
from mesotrope.services.archiving import archive_waits
from mesotrope.services.figures import figures_wait
from mesotrope.services.learner import LOOKS_EVERY_S, Learner
from mesotrope.services.learnt_versions import asked_workshops
from mesotrope.services.passwords import Passwords
from mesotrope.services.sweeping import EVERY_S, sweep
from mesotrope.services.system import EVERY_S as SAYS_EVERY_S
from mesotrope.services.system import ThisProcess, say_how_it_does
from mesotrope.settings import Settings, settings
from mesotrope.store.migrate import is_current
from mesotrope.store.replica import Replica
from mesotrope.store.session import Database
from mesotrope.web.assets import Assets, asset
from mesotrope.web.bench.routes import router as bench
from mesotrope.web.board.routes import router as board
from mesotrope.web.bring_in.routes import router as bring_in
from mesotrope.web.card.routes import router as card
from mesotrope.web.context import Shop
from mesotrope.web.day.routes import router as day
from mesotrope.web.device.routes import router as device
from mesotrope.web.due.routes import router as due
from mesotrope.web.errors import answer_errors
from mesotrope.web.exchange.routes import router as exchange
from mesotrope.web.figures.routes import router as figures
from mesotrope.web.find.routes import router as find
from mesotrope.web.hand_back.routes import router as hand_back
from mesotrope.web.history.routes import router as history
from mesotrope.web.job.routes import router as job
from mesotrope.web.lanes import Lanes
from mesotrope.web.learnt.routes import router as learnt
from mesotrope.web.logs import RequestLog
from mesotrope.web.me.routes import router as me
from mesotrope.web.orders.routes import router as orders
from mesotrope.web.outcome.routes import router as outcome
from mesotrope.web.owner.routes import router as owner
from mesotrope.web.owners.routes import router as owners
from mesotrope.web.people.routes import router as people
from mesotrope.web.photographs.routes import router as photographs
from mesotrope.web.practice.lead import router as practice_lead
from mesotrope.web.practice.routes import router as practice
from mesotrope.web.rules.routes import router as rules
from mesotrope.web.security import Security
from mesotrope.web.set_up.routes import router as set_up
from mesotrope.web.signing_in.routes import router as signing_in
from mesotrope.web.sources.routes import router as sources
from mesotrope.web.style.routes import router as style
from mesotrope.web.system.routes import router as system
from mesotrope.web.trail.routes import router as trail
from mesotrope.web.vehicle.one import router as one_vehicle
from mesotrope.web.vehicle.routes import router as vehicle
from mesotrope.web.verdict.routes import router as verdict
from mesotrope.web.wear.routes import router as wear
from mesotrope.web.workings.routes import router as workings
from mesotrope.web.workshop.routes import router as workshop
from mesotrope.words import language_of

LOG = logging.getLogger("mesotrope.application")


#: The kinds of vehicle whose tables are made once the first page was served; what is done beside begins after so long.
KINDS = ("car", "light_truck", "motorcycle")
BEGINS_AFTER_S = 0.5

#: How often memory that is free is given back, seconds.
GIVES_BACK_EVERY_S = 10.0

#: At every how-many-th look for learning it is looked whether figures, or old visits, wait.
FIGURES_EVERY = 200


@asynccontextmanager
async def _ready(app: FastAPI) -> AsyncIterator[None]:
    """Begin what is done beside the pages, once the first of them was served.

    Each request does its arithmetic on one thread: the arrays are small, and requests that wait for each other's
    threads take longer than they would alone.
    """
    be_frugal()
    learner = Learner()
    shop = app.state.shop

    async def works() -> None:
        await asyncio.sleep(BEGINS_AFTER_S)
        await asyncio.gather(
            _warm(shop),
            _learn(shop, learner),
            _now_and_then(EVERY_S, lambda: sweep(shop.database, now=shop.now()), "what has run out was not taken away"),
            _now_and_then(
                SAYS_EVERY_S, lambda: say_how_it_does(shop.database, app.state.process, now=shop.now()),
                "how this process does was not said",
            ),
            _now_and_then(GIVES_BACK_EVERY_S, give_back, "memory was not given back"),
        )  # fmt: skip

    beside = asyncio.create_task(works())
    yield
    beside.cancel()
    learner.stop()


#: So many more things that can hold one another were made than went away, when garbage is looked for.
GARBAGE_AFTER = 5_000


async def _warm(shop: Shop) -> None:
    """Make the tables of every kind of vehicle, and start what sets pages on paper, while nobody waits for them.

    Then what stays for good is kept out of garbage collection, which is felt as a pause at the page, and garbage is
    looked for once in some entries, not at each: there is next to none.
    """
    for kind in KINDS:
        await run_in_threadpool(shop.answer, parse_inspection(json.dumps({"vehicle": {"kind": kind}})))
    await run_in_threadpool(paper.get_ready)
    gc.collect()
    gc.freeze()
    gc.set_threshold(GARBAGE_AFTER, *gc.get_threshold()[1:])


async def _now_and_then(every_s: float, work: Callable[[], object], otherwise: str) -> None:
    """Do something by the clock; while the database is away that is said, and it is tried again the next time."""
    while True:
        try:
            await run_in_threadpool(work)
        except SQLAlchemyError:
            LOG.warning("%s: the database does not answer", otherwise)
        await asyncio.sleep(every_s)


def _something_waits(shop: Shop) -> bool:
    """Whether anything is to be worked out, or put into a file, that no page should do."""
    return bool(figures_wait(shop.database)) or archive_waits(shop.database, now=shop.now())


async def _learn(shop: Shop, learner: Learner) -> None:
    """Learn for the workshops that asked for it, and work out the figures of many closed jobs, in a process of its own,
    so that no page waits for it."""
    for number in count():
        try:
            if await run_in_threadpool(asked_workshops, shop.database) or (
                number % FIGURES_EVERY == 0 and await run_in_threadpool(_something_waits, shop)
            ):
                await run_in_threadpool(learner.learn_asked, shop.database)
        except SQLAlchemyError:
            LOG.warning("nothing was learnt: the database does not answer")
        await asyncio.sleep(LOOKS_EVERY_S)


def create_app(
    chosen: Settings, database: Database | None = None, now: Callable[[], datetime.datetime] = utc_now
) -> FastAPI:
    """Put the application together. It holds no state of its own: all of that is in the database."""
    app = FastAPI(title="Mesotrope", docs_url=None, redoc_url=None, openapi_url=None, lifespan=_ready)
    app.state.lanes = Lanes()
    app.state.somebody = False
    app.state.process = ThisProcess()
    app.state.shop = Shop(
        database=database or Database(chosen.database_url, cluster=chosen.database_cluster),
        knowledge=knowledge(),
        settings=chosen,
        passwords=Passwords.with_cost(chosen.password_memory_kib, chosen.password_rounds),
        now=now,
        remember=Remembered(knowledge()),
        language=language_of(chosen.language),
        replica=Replica(chosen.database_replica_url) if chosen.database_replica_url else None,
    )
    app.mount("/static", Assets(), name="static")
    # One list, what belongs to a job first, which is asked for most: the first route that fits is taken, every request
    # goes past all those before it, and it would go past each of an included router's several times as slowly, twice.
    of_a_job = (
        day, vehicle, exchange, photographs, orders, board, card, hand_back, owner, outcome, verdict, history, job,
    )  # fmt: skip
    others = (
        signing_in, device, me, people, trail, system, find, due, owners, figures, bring_in, set_up, one_vehicle, bench,
        workings, sources, rules, workshop, practice_lead, practice, learnt, wear, style,
    )  # fmt: skip
    for router in (*of_a_job, *others):
        app.router.routes.extend(router.routes)

    @app.get("/favicon.ico", include_in_schema=False)
    def favicon() -> Response:
        return RedirectResponse(asset("favicon.svg"), status_code=307)

    @app.get("/health", include_in_schema=False)
    def health() -> dict[str, str]:
        """Alive, whatever the database does."""
        return {"status": "ok"}

    @app.get("/ready", include_in_schema=False)
    def ready(answer: Response) -> dict[str, str]:
        """Whether it can work: the database answers, and has the tables of this version."""
        because = not_ready(app.state.shop.database)
        if because:
            answer.status_code = 503
            return {"status": "not ready", "because": because}
        return {"status": "ready"}

    answer_errors(app)
    app.add_middleware(GZipMiddleware, minimum_size=1024, compresslevel=3)
    app.add_middleware(Security, hosts=chosen.trusted_hosts, tls=chosen.secure_cookies)
    app.add_middleware(RequestLog)
    if chosen.proxies:
        app.add_middleware(ProxyHeadersMiddleware, trusted_hosts=chosen.proxies)
    return app


def not_ready(database: Database) -> str:
    """Why the application cannot work now; empty where it can."""
    try:
        with database.engine.connect() as connection:
            return "" if is_current(connection) else "the database has not the tables of this version"
    except SQLAlchemyError:
        return "the database does not answer"


def application() -> FastAPI:
    """For a server that starts the application by name: settings from the environment."""
    return create_app(settings())
