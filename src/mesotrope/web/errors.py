"""How each error is answered: one table, one page, one part for htmx."""

from __future__ import annotations

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import RedirectResponse, Response
from starlette.exceptions import HTTPException

from mesotrope.errors import (
    Clash,
    Forged,
    InvalidInput,
    MesotropeError,
    NotAllowed,
    NotFound,
    NotSignedIn,
    OutsideWorkshop,
    SignInRefused,
    Surprising,
    TooManyAttempts,
)
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
    NotFound: 404,
    OutsideWorkshop: 500,
    DatabaseFailed: 503,
}


#: Parts of a page that a form brings back whole, and what is sent in their place where it is refused: the message.
WHOLE = ("work", "proof")
MESSAGE_ONLY = {"HX-Retarget": "#message", "HX-Reswap": "innerHTML", "HX-Reselect": ".entry-problem"}


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
        surprising = isinstance(error, Surprising)
        answer = render("_message.html", request, status=status, message=str(error), surprising=surprising)
        if request.headers.get("hx-target") in WHOLE:
            answer.headers.update(MESSAGE_ONLY)
        return answer
    return render("problem.html", request, status=status, status_code=status, message=str(error))


def _not_a_page(request: Request, error: Exception) -> Response:
    status = error.status_code if isinstance(error, HTTPException) else 422
    if isinstance(error, RequestValidationError):
        first = error.errors()[0]
        field = ".".join(str(step) for step in first["loc"][1:])
        if first["loc"][0] == "path":
            return _refuse(request, NotFound("page"))
        return _refuse(request, InvalidInput(field, first.get("input"), first["msg"][0].lower() + first["msg"][1:]))
    words = {404: "There is no such page.", 405: "This address does not take that kind of request."}
    message = words.get(status, "The request was not understood.")
    return render("problem.html", request, status=status, status_code=status, message=message)


def answer_errors(app: FastAPI) -> None:
    app.add_exception_handler(MesotropeError, _refuse)  # type: ignore[arg-type]
    app.add_exception_handler(RequestValidationError, _not_a_page)
    app.add_exception_handler(HTTPException, _not_a_page)
