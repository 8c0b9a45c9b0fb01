"""Templates: strict, escaped, and given frozen views that already hold words and rounding."""

from __future__ import annotations

import datetime
import secrets
from pathlib import Path
from typing import Any

from fastapi import Request
from fastapi.responses import HTMLResponse, Response
from jinja2 import Environment, FileSystemLoader, StrictUndefined, pass_context
from jinja2.runtime import Context
from markupsafe import Markup

from mesotrope.core.language.saying import Figure, Joined, Said
from mesotrope.services.signing_in import Who
from mesotrope.words import PLAINLY, Speaker


def _spoken(value: Any) -> Any:
    """What goes onto a page. Raises `TypeError` for what the core states and nobody put into words."""
    if isinstance(value, Said | Joined | Figure):
        raise TypeError(f"a page shows what was not put into words: {value!r}")
    return value


_environment = Environment(
    loader=FileSystemLoader(Path(__file__).parent / "templates"),
    autoescape=True,
    undefined=StrictUndefined,
    trim_blocks=True,
    lstrip_blocks=True,
    auto_reload=False,  # a checkout that is upgraded does not change the application that still runs
    finalize=_spoken,
)


def _change_fields(who: Who, once: bool = True) -> Markup:
    """What every form that changes something carries: the session's token, and a key under which it is done once.

    once : not for a form that stays on the page when it was sent, to be sent again with another value.
    """
    fields = Markup('<input type="hidden" name="{}" value="{}">')
    named = {"change_token": who.change_token} | ({"idempotency_key": secrets.token_urlsafe(18)} if once else {})
    return Markup("").join(fields.format(name, value) for name, value in named.items())


_environment.globals["change_fields"] = _change_fields


@pass_context
def _moment(page: Context, when: datetime.datetime, seconds: bool = False) -> str:
    """A moment by the workshop's clock, in its style."""
    written: str = page["say"].dates.moment(when, seconds)
    return written


@pass_context
def _day(page: Context, when: datetime.date) -> str:
    """A day in the workshop's style."""
    written: str = page["say"].dates.day(when)
    return written


_environment.filters |= {"moment": _moment, "day": _day}


def render(template: str, request: Request, *, status: int = 200, speaks_of: str = "car", **views: Any) -> HTMLResponse:
    """Render a template; every page knows whether it is a demo, and speaks as the one who is signed in reads.

    say : of whoever the page is for, where nobody is signed in. speaks_of : the kind of vehicle that the page is about.
    """
    shop = request.app.state.shop
    who = views.get("who")
    say = views.pop("say", None) or (shop.say(who, speaks_of) if who else Speaker(language=shop.language))
    return HTMLResponse(as_html(template, say, demo=shop.settings.demo, **views), status_code=status)


def as_html(template: str, say: Speaker = PLAINLY, **views: Any) -> str:
    """Render a template to text: a page on paper, say."""
    return _environment.get_template(template).render(
        say=say, gettext=say.gettext, ngettext=say.ngettext, _=say.gettext, **views
    )


def as_file(data: str | bytes, media_type: str, name: str) -> Response:
    """Something to be kept as a file of this name."""
    return Response(data, media_type=media_type, headers={"content-disposition": f'attachment; filename="{name}"'})
