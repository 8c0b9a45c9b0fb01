"""Two people at one form: what each changed stands, what both changed is asked. Source: the interface's promises."""

from __future__ import annotations

import html
import json
import re

import pytest

from tests.documents import flat
from tests.web.forms import Forms
from tests.web.test_hand_over import job_of  # noqa: F401  (a fixture)

#: Every form that keeps many lines at once: its page, where it is sent, and two of its lines with what is written.
FORMS = {
    "vehicle": ("/jobs/{job}/vehicle", "/jobs/{job}/vehicle", ("front.pad_limit_mm", "2.5", "3.5"),
                ("visit.odometer_km", "91000")),
    "owner": ("/owners/{owner}", "/owners/{owner}", ("telephone", "0-555 01", "0-555 02"), ("email", "a@b.example")),
    "workshop": ("/workshop", "/workshop", ("town", "Oakford", "Elmford"), ("telephone", "0-555 03")),
}  # fmt: skip


@pytest.fixture
def two(client_of, someone, job_of):  # noqa: F811
    """Two leads of one workshop, and how a form's address is filled in."""
    lead = someone("lead")
    other = someone("lead", workshop=lead.workshop)
    mine, theirs, job = client_of(lead), client_of(other), job_of(lead)
    made = mine.post("/owners", data={"name": "A. Sample"})
    owner = re.search(r"/owners/(\d+)", made.headers["location"])[1]
    return mine, theirs, lambda address: address.format(job=job, owner=owner)


def lines_of(page, address):
    """The lines of the form that is sent to an address, as a browser sends them untouched."""
    reads = Forms()
    reads.feed(page)
    return next(dict(form["fields"]) for form in reads.forms if form["to"].partition("#")[0] == address)


def opened_before(two, form):
    """A form as I opened it, before somebody else kept another value of its first line."""
    mine, theirs, at = two
    page, to, (line, value, _), _ = FORMS[form]
    opened, lines = (lines_of(client.get(at(page)).text, at(to)) for client in (mine, theirs))
    assert theirs.post(at(to), data=lines | {line: value}).status_code == 303
    return opened


@pytest.mark.parametrize("form", FORMS)
def test_what_somebody_else_kept_is_not_undone_by_a_page_that_was_opened_before(two, form):
    mine, _, at = two
    page, to, (first, value, _), (second, other) = FORMS[form]
    assert mine.post(at(to), data=opened_before(two, form) | {second: other}).status_code == 303
    now = lines_of(mine.get(at(page)).text, at(to))
    assert (now[first], now[second]) == (value, other)


@pytest.mark.parametrize("form", FORMS)
def test_what_both_changed_is_asked_and_nothing_is_kept_until_then(two, form):
    mine, theirs, at = two
    page, to, (line, value, mine_of_it), (second, other) = FORMS[form]
    asked = mine.post(at(to), data=opened_before(two, form) | {line: mine_of_it, second: other})
    assert asked.status_code in (409, 422)
    assert "Somebody else changed this since you opened the page" in flat(asked.text)
    assert f"now “{value}”" in flat(asked.text)
    stands = lines_of(theirs.get(at(page)).text, at(to))
    assert (stands[line], stands[second] == other) == (value, False)
    again = lines_of(asked.text, at(to))
    assert (again[line], again[second]) == (mine_of_it, other)  # nothing that was typed is lost
    assert mine.post(at(to), data=again).status_code == 303
    now = lines_of(mine.get(at(page)).text, at(to))
    assert (now[line], now[second]) == (mine_of_it, other)


def test_opening_hours_are_told_day_by_day(two):
    mine, theirs, at = two
    page = mine.get("/workshop").text
    seen = lines_of(page, "/workshop/opening")["seen"]
    hours = list(json.loads(seen).values())
    monday, friday = ["6:00-12:00", *hours[1:]], [*hours[:4], "7:00-13:00", *hours[5:]]
    assert theirs.post("/workshop/opening", data={"hours": monday, "seen": seen}).status_code == 303
    assert mine.post("/workshop/opening", data={"hours": friday, "seen": seen}).status_code == 303
    told = json.loads(lines_of(mine.get("/workshop").text, "/workshop/opening")["seen"])
    assert (told["Monday"], told["Friday"]) == ("6:00-12:00", "7:00-13:00")
    late = mine.post("/workshop/opening", data={"hours": ["9:00-12:00", *hours[1:]], "seen": seen})
    assert "Monday, now “6:00-12:00”" in flat(late.text)


def test_the_places_are_one_line(two):
    mine, theirs, at = two
    seen = lines_of(mine.get("/workshop").text, "/workshop/places")["seen"]
    assert theirs.post("/workshop/places", data={"places": "Lift 1\n- Yard", "seen": seen}).status_code == 303
    late = mine.post("/workshop/places", data={"places": "Pit", "seen": seen})
    assert "lifts and bays, now “Lift 1\n- Yard”" in html.unescape(late.text)
    again = lines_of(late.text, "/workshop/places")
    assert mine.post("/workshop/places", data=again).status_code == 303
    assert lines_of(mine.get("/workshop").text, "/workshop/places")["places"] == "Pit"


def test_a_tick_that_was_made_stays_where_another_line_is_refused(two):
    mine, _, at = two
    to = at("/jobs/{job}/vehicle")
    lines = lines_of(mine.get(to).text, to) | {"visit.work.hoses": "yes", "mass_kg": "heavy"}
    refused = mine.post(to, data=lines)
    assert refused.status_code == 422
    assert lines_of(refused.text, to)["visit.work.hoses"] == "yes"


def test_what_a_page_showed_is_never_believed_to_be_more(two):
    """A hidden field that no page of ours made is as if there were none."""
    mine, _, at = two
    to = at("/owners/{owner}")
    for seen in ("", "[]", "{", "7", '{"name": {"a": 1}}'):
        assert mine.post(to, data={"name": "B. Sample", "seen": seen}).status_code in (303, 422)
    assert lines_of(mine.get(to).text, to)["name"] == "B. Sample"
