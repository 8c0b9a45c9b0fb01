"""Templates: strict, escaped, and given frozen views that already hold words and rounding."""

from __future__ import annotations

import datetime
import secrets
from collections.abc import Hashable
from contextvars import ContextVar
from pathlib import Path
from typing import Any, TypeAlias

from fastapi import Request
from fastapi.responses import HTMLResponse, Response
from jinja2 import Environment, FileSystemLoader, StrictUndefined, pass_context
from jinja2.runtime import Context
from markupsafe import Markup, escape

from mesotrope.core.language.remembering import Latest
from mesotrope.core.language.saying import AsWritten, Figure, Joined, Said
from mesotrope.errors import MesotropeError
from mesotrope.metrics import spending
from mesotrope.services.signing_in import Who
from mesotrope.web.assets import asset
from mesotrope.web.script_words import script_words
from mesotrope.words import PLAINLY, Speaker

#: Who speaks while a page is rendered. A macro that another template brings in sees no view, but it says words too.
_speaking: ContextVar[Speaker] = ContextVar("speaking", default=PLAINLY)


#: What a page says at once to whoever sent something: words, or the error itself.
Message: TypeAlias = str | MesotropeError


def _spoken(value: Any) -> Any:
    """What goes onto a page: what the core stated, and an error, are put into words here at the latest."""
    if isinstance(value, str):
        return value  # nearly always
    if isinstance(value, Said | Joined | Figure | AsWritten):
        return _speaking.get()(value)
    return _speaking.get().refusal(value) if isinstance(value, MesotropeError) else value


_environment = Environment(
    loader=FileSystemLoader(Path(__file__).parent / "templates"),
    autoescape=True,
    undefined=StrictUndefined,
    trim_blocks=True,
    lstrip_blocks=True,
    auto_reload=False,  # a checkout that is upgraded does not change the application that still runs
    finalize=_spoken,
    extensions=["jinja2.ext.i18n"],
)
_environment.policies["ext.i18n.trimmed"] = True


def _gettext(message: str) -> str:
    return _speaking.get().gettext(message)


def _ngettext(one: str, several: str, count: int) -> str:
    return _speaking.get().ngettext(one, several, count)


_environment.globals["say"] = lambda what: _speaking.get()(what)
_environment.install_gettext_callables(_gettext, _ngettext)  # type: ignore[attr-defined]  # the extension's own


def _change_fields(who: Who, once: bool = True) -> Markup:
    """What every form that changes something carries: the session's token, and a key under which it is done once.

    once : not for a form that stays on the page when it was sent, to be sent again with another value.
    """
    token = f'<input type="hidden" name="change_token" value="{escape(who.change_token)}">'
    key = f'<input type="hidden" name="idempotency_key" value="{secrets.token_urlsafe(18)}">' if once else ""
    return Markup(token + key)  # the token is escaped, the key has letters that need none


_environment.globals["change_fields"] = _change_fields


def _seen_field(seen: str) -> Markup:
    """What a form showed, sent along with it (see `meanwhile`)."""
    return Markup('<input type="hidden" name="seen" value="{}">').format(seen)


_environment.globals["seen_field"] = _seen_field
_environment.globals["asset"] = asset
_environment.globals["script_words"] = lambda: script_words(_speaking.get())


#: So many parts of pages are kept, some 8 kB each with what they are made of.
PARTS_KEPT = 500

_parts: Latest[Markup] = Latest(PARTS_KEPT)


def _drawn(template: str, **views: Hashable) -> Markup:
    """A part of a page that is made of nothing but these views: made once, as long as they and who speaks are the same.

    Most fields of a stage are empty, at every job; those that are not hold what they held a moment ago.
    """
    say = _speaking.get()

    def made() -> Markup:
        return Markup(_environment.get_template(template).render(say=say, **views))

    return _parts.of((template, say.voice, *views.values()), made)


_environment.globals["drawn"] = _drawn


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


_environment.filters |= {"moment": _moment, "day": _day, "say": lambda what: _speaking.get()(what)}


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
    before = _speaking.set(say)
    try:
        with spending("page"):
            return _environment.get_template(template).render(say=say, **views)
    finally:
        _speaking.reset(before)


def as_file(data: str | bytes, media_type: str, name: str) -> Response:
    """Something to be kept as a file of this name."""
    return Response(data, media_type=media_type, headers={"content-disposition": f'attachment; filename="{name}"'})
