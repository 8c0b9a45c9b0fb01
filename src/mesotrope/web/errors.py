"""How each error is answered: one table, one page, one part for htmx."""

from __future__ import annotations

import shutil

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import RedirectResponse, Response
from sqlalchemy.exc import DBAPIError, IntegrityError, SQLAlchemyError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from starlette.exceptions import HTTPException

from mesotrope.core.language.saying import Said, said
from mesotrope.errors import (
    Busy,
    Clash,
    Forged,
    InvalidInput,
    JobArchived,
    JobClosed,
    LinkGone,
    MesotropeError,
    NotAllowed,
    NotFound,
    NotNow,
    NotSignedIn,
    OutsideWorkshop,
    Overtaken,
    PlanChanged,
    SignInRefused,
    Surprising,
    TooManyAttempts,
    Unchangeable,
)
from mesotrope.metrics import DATABASE_ERRORS
from mesotrope.settings import Settings
from mesotrope.store.backup import BackupFailed
from mesotrope.store.instance import DatabaseFailed
from mesotrope.web.context import from_htmx
from mesotrope.web.rendering import render

STATUS: dict[type[MesotropeError], int] = {
    Surprising: 422,
    InvalidInput: 422,
    NotSignedIn: 401,
    SignInRefused: 401,
    TooManyAttempts: 429,
    NotAllowed: 403,
    Forged: 403,
    Clash: 409,
    Overtaken: 409,
    PlanChanged: 409,
    NotFound: 404,
    LinkGone: 404,
    JobArchived: 410,
    JobClosed: 423,
    NotNow: 422,
    Busy: 503,
    Unchangeable: 500,
    OutsideWorkshop: 500,
    DatabaseFailed: 503,
    BackupFailed: 500,
}


#: Parts of a page that a form brings back whole, and what is sent in their place where it is refused: the message.
WHOLE = ("work", "proof")
MESSAGE_ONLY = {"HX-Retarget": "#message", "HX-Reswap": "innerHTML", "HX-Reselect": ".entry-problem"}


#: Numbers of the server's errors: it is away, restarts, has no room for one more or (1047) is a node of a cluster
#: without its fellows; a statement or a lock took too long; the disk is full.
AWAY = frozenset(
    {1040, 1041, 1047, 1053, 1152, 1158, 1159, 1160, 1161, 1203, 1226, 1927, 2002, 2003, 2006, 2013, 2014, 2055}
)
TOO_LONG = frozenset({1205, 1213, 1317, 1969, 3024})
FULL = frozenset({3, 28, 1021, 1030, 1114, 1878})

#: With less than this left on its disk, the private database cannot work.
NO_ROOM_BYTES = 4_000_000


def status_of(error: MesotropeError) -> int:
    """The status of an error: its own, or that of the nearest kind above it."""
    return next(STATUS[kind] for kind in type(error).__mro__ if kind in STATUS)


def _refuse(request: Request, error: MesotropeError) -> Response:
    status = status_of(error)
    if isinstance(error, NotSignedIn):
        if from_htmx(request):
            return Response(status_code=401, headers={"HX-Redirect": "/sign-in"})
        return RedirectResponse("/sign-in", status_code=303)
    if from_htmx(request):
        surprising, again = isinstance(error, Surprising), isinstance(error, PlanChanged | Overtaken)
        answer = render("_message.html", request, status=status, message=error, surprising=surprising, again=again)
        if request.headers.get("hx-target") in WHOLE:
            answer.headers.update(MESSAGE_ONLY)
    else:
        file = f"/jobs/{error.job_id}/archive.zip" if isinstance(error, JobArchived) else ""
        answer = render("problem.html", request, status=status, status_code=status, message=error, file=file)
    if isinstance(error, Busy):
        answer.headers["retry-after"] = "2"
    return answer


def _busy(error: SQLAlchemyError, chosen: Settings) -> Busy | None:
    """What a database's error means for who asked, where it is none of the program's."""
    if isinstance(error, PoolTimeout):
        DATABASE_ERRORS.labels("no connection free").inc()
        return Busy("Too much is going on at once")
    if not isinstance(error, DBAPIError):
        return None
    arguments = error.orig.args if error.orig is not None else ()
    code = arguments[0] if arguments else None
    DATABASE_ERRORS.labels(code).inc()
    away = code in AWAY or error.connection_invalidated or code == 0
    if code in FULL or ((away or code in TOO_LONG) and _disk_is_full(chosen)):
        return Busy("The database's disk is full; the operator has to make room")
    if code in TOO_LONG:
        return Busy("The database took too long")
    return Busy() if away else None


def _disk_is_full(chosen: Settings) -> bool:
    """Whether the private database has no room left: on a full disk its server waits, or ends, before it says so."""
    if chosen.database_url:
        return False
    try:
        return shutil.disk_usage(chosen.run_folder).free < NO_ROOM_BYTES
    except OSError:
        return False


def in_words(request: Request, status: int, words: Said) -> Response:
    """An answer of a few words: a page, or a part of one."""
    if from_htmx(request):
        return render("_message.html", request, status=status, message=words, surprising=False, again=False)
    return render("problem.html", request, status=status, status_code=status, message=words, file="")


def answer_to(request: Request, error: Exception) -> Response | None:
    """The answer to an error that has one; None for a fault of the program."""
    if isinstance(error, MesotropeError):
        return _refuse(request, error)
    if isinstance(error, HTTPException):
        return _not_a_page(request, error)
    if isinstance(error, IntegrityError):
        return in_words(
            request, 409, said("Somebody changed the same at the same moment. Load the page again and repeat it.")
        )
    chosen = request.app.state.shop.settings
    busy = _busy(error, chosen) if isinstance(error, SQLAlchemyError) else None
    return None if busy is None else _refuse(request, busy)


def _not_a_page(request: Request, error: Exception) -> Response:
    status = error.status_code if isinstance(error, HTTPException) else 422
    if isinstance(error, RequestValidationError):
        first = error.errors()[0]
        field = ".".join(str(step) for step in first["loc"][1:])
        if first["loc"][0] == "path":
            return _refuse(request, NotFound("page"))
        return _refuse(request, InvalidInput(field, first.get("input"), first["msg"][0].lower() + first["msg"][1:]))
    words = {
        404: said("There is no such page."),
        405: said("This address does not take that kind of request."),
        408: said("The request did not arrive in time. Send it again."),
    }
    return in_words(request, status, words.get(status, said("The request was not understood.")))


def answer_errors(app: FastAPI) -> None:
    app.add_exception_handler(MesotropeError, _refuse)  # type: ignore[arg-type]
    app.add_exception_handler(RequestValidationError, _not_a_page)
    app.add_exception_handler(HTTPException, _not_a_page)
