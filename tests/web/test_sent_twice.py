"""Every change that a page offers, sent twice under one key: its answer was lost, and the device sends it again. The
second is answered as the first, whatever the first has changed meanwhile."""

from __future__ import annotations

import re
from collections.abc import Iterator
from gettext import NullTranslations

import pytest

from tests.web.every_page import AFTER, reader
from tests.web.forms import Forms
from tests.web.test_pages import HTMX

PAGES = (
    "/", "/orders", "/due", "/rules", "/learnt", "/workshop", "/people", "/me", "/vehicles/8", "/owners/1", "/practice",
    *(f"/jobs/1/{page}" for page in AFTER),
)  # fmt: skip

#: What is not sent by the queue (who signs in or out), or ends what the others need.
LEFT_OUT = re.compile(r"/sign-|/erase|/session|/switch|password")

#: What stands in a field that must not be empty.
SAID = {"reason", "note", "words", "what"}


def acts_of(page: str) -> Iterator[tuple[str, list[tuple[str, str]]]]:
    """Where each act of a page goes, and what it says: one for each button of its form."""
    reads = Forms()
    reads.feed(page)
    for form in reads.forms:
        if form["to"] and not LEFT_OUT.search(form["to"]):
            fields = [(name, value or ("because" if name in SAID else "")) for name, value in form["fields"]]
            for name, value in form["buttons"] or [("", "")]:
                yield form["to"], [*fields, *([(name, value)] if name else [])]


@pytest.fixture(scope="module")
def lead(instance):
    with reader(instance, "mesotrope_sent_twice", NullTranslations(), closed=0, practised=False) as client:
        client.follow_redirects = False
        yield client


def test_every_change_sent_again_is_answered_as_at_first(lead):
    """Two of each kind of act, for some hang on what was there before."""
    done: dict[tuple[str, str], int] = {}
    told_otherwise = []
    for address in PAGES:
        for to, fields in acts_of(lead.get(address, follow_redirects=True).text):
            kind = re.sub(r"\d+", "N", to), fields[-1][0] if fields else ""
            if done.get(kind, 0) == 2:
                continue
            data: dict[str, list[str]] = {}
            for name, value in fields:
                data.setdefault(name, []).append(value)
            key = {"Idempotency-Key": f"sent-twice-{sum(done.values()):06d}"}
            data.pop("idempotency_key", None)
            first, again = (lead.post(to, data=data, headers={**HTMX, **key}) for _ in range(2))
            if first.status_code >= 400:
                continue  # as it stands it is refused
            done[kind] = done.get(kind, 0) + 1
            leads = [
                (one.status_code, one.headers.get("location"), one.headers.get("hx-redirect")) for one in (first, again)
            ]
            if leads[0] != leads[1]:
                told_otherwise.append((to, *leads, re.sub(r"<[^>]+>|\s+", " ", again.text)[:200]))
    assert told_otherwise == []
    assert {"/jobs/N/verdict/sign", "/jobs/N/card/own-part", "/practice/take", "/rules"} <= {to for to, _ in done}
    assert len(done) > 25
