"""The composition root: the one place that knows every room."""

from __future__ import annotations

import datetime
import gc
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager
from pathlib import Path

from anyio import CapacityLimiter
from fastapi import FastAPI
from fastapi.responses import RedirectResponse, Response
from fastapi.staticfiles import StaticFiles
from starlette.middleware.gzip import GZipMiddleware
from threadpoolctl import threadpool_limits

from mesotrope.core.language.inspection import Inspection
from mesotrope.knowledge import knowledge
from mesotrope.services.answers import Remembered
from mesotrope.services.signing_in import Passwords
from mesotrope.settings import Settings, settings
from mesotrope.store.session import AT_ONCE, Database
from mesotrope.web.bays.routes import router as bays
from mesotrope.web.bench.routes import router as bench
from mesotrope.web.board.routes import router as board
from mesotrope.web.card.routes import router as card
from mesotrope.web.context import Shop
from mesotrope.web.errors import answer_errors
from mesotrope.web.exchange.routes import router as exchange
from mesotrope.web.hand_back.routes import router as hand_back
from mesotrope.web.history.routes import router as history
from mesotrope.web.job.routes import router as job
from mesotrope.web.logs import RequestLog
from mesotrope.web.me.routes import router as me
from mesotrope.web.outcome.routes import router as outcome
from mesotrope.web.owner.routes import router as owner
from mesotrope.web.photographs.routes import router as photographs
from mesotrope.web.rules.routes import router as rules
from mesotrope.web.security import Security
from mesotrope.web.signing_in.routes import router as signing_in
from mesotrope.web.sources.routes import router as sources
from mesotrope.web.style.routes import router as style
from mesotrope.web.vehicle.routes import router as vehicle
from mesotrope.web.verdict.routes import router as verdict
from mesotrope.web.wear.routes import router as wear
from mesotrope.web.workings.routes import router as workings


def utc_now() -> datetime.datetime:
    """The clock: UTC without a zone, as the database keeps it."""
    return datetime.datetime.now(datetime.UTC).replace(tzinfo=None)


@asynccontextmanager
async def _ready(app: FastAPI) -> AsyncIterator[None]:
    """Diagnose an empty inspection, so that the first technician waits for no table, and keep what stays for good
    out of garbage collection: going through it at every full collection is felt as a pause at the page.

    Each request does its arithmetic on one thread: the arrays are small, and requests that wait for each other's
    threads take longer than they would alone.
    """
    threadpool_limits(1)
    app.state.shop.answer(Inspection())
    gc.collect()
    gc.freeze()
    yield


def create_app(
    chosen: Settings, database: Database | None = None, now: Callable[[], datetime.datetime] = utc_now
) -> FastAPI:
    """Put the application together. It holds no state of its own: all of that is in the database."""
    app = FastAPI(title="Mesotrope", docs_url=None, redoc_url=None, openapi_url=None, lifespan=_ready)
    app.state.lane = CapacityLimiter(AT_ONCE)
    app.state.shop = Shop(
        database=database or Database(chosen.database_url),
        knowledge=knowledge(),
        settings=chosen,
        passwords=Passwords.with_cost(chosen.password_memory_kib, chosen.password_rounds),
        now=now,
        remember=Remembered(knowledge()),
    )
    for router in (
        signing_in,
        me,
        bays,
        vehicle,
        exchange,
        photographs,
        bench,
        workings,
        sources,
        rules,
        wear,
        board,
        card,
        hand_back,
        owner,
        outcome,
        verdict,
        history,
        job,
        style,
    ):
        app.include_router(router)
    static = Path(__file__).parent / "web" / "static"
    app.mount("/static", StaticFiles(directory=static), name="static")

    @app.get("/favicon.ico", include_in_schema=False)
    def favicon() -> Response:
        return RedirectResponse("/static/favicon.svg", status_code=308)

    @app.get("/health", include_in_schema=False)
    def health() -> dict[str, str]:
        return {"status": "ok"}

    answer_errors(app)
    app.add_middleware(GZipMiddleware, minimum_size=1024, compresslevel=5)
    app.add_middleware(Security)
    app.add_middleware(RequestLog)
    return app


def application() -> FastAPI:
    """For a server that starts the application by name: settings from the environment."""
    return create_app(settings())
