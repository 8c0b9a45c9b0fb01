"""The workshop's day over HTTP: Today, the plan, finding, what is due, owners, tables, figures, the first start."""

from __future__ import annotations

import csv
import html
import io
import json
import re

import pytest
from icalendar import Calendar
from starlette.testclient import TestClient

from mesotrope.app import create_app
from mesotrope.core.language.corner import Corner
from mesotrope.knowledge import knowledge
from mesotrope.services.findings import record_finding
from mesotrope.services.jobs import open_job, take_in
from mesotrope.services.owners import Contact, owners_of
from mesotrope.services.plans import sign_verdict
from mesotrope.services.records import keep_record
from mesotrope.services.set_up import set_up_token
from mesotrope.settings import Settings
from mesotrope.store.migrate import migrate
from mesotrope.store.session import Database
from mesotrope.web.due import routes as due_routes
from mesotrope.web.due import views as due_views
from tests.conftest import CHEAP, PASSWORD
from tests.documents import flat
from tests.services.test_day import find_fault, plan_of

ROW = re.compile(r'<li class="day-row.*?</li>', re.DOTALL)


def text(page):
    return re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", page.text))


def rows_of(page):
    """The vehicles that Today lists, in their order."""
    listed = page.text[page.text.index('class="mt-3 bay-list"') :]
    return re.findall(r'<span class="bay-vehicle"><b>([^<]+)</b>', listed)


@pytest.fixture
def shop(database, someone, clock):
    """A lead and an apprentice of one workshop, with three jobs."""
    lead = someone(role="lead")
    apprentice = someone(role="apprentice", workshop=lead.workshop)
    jobs = [
        take_in(
            database, knowledge(), label=name, kind="car", registration=f"0-day-{number}", odometer_km=1000.0, usage="",
            complaint=f"{name} drags", owner=Contact(f"Owner of {name}", "0-555-0190", "", ("letter",)), by=lead,
            now=clock(),
        )
        for number, name in enumerate(("Apple", "Berry", "Cherry"))
    ]  # fmt: skip
    return lead, apprentice, jobs


def test_filters_and_order_are_kept_in_the_address_and_mine_come_first(client_of, shop):
    lead, apprentice, (apple, berry, cherry) = shop
    client = client_of(lead)
    client.post(f"/jobs/{cherry}/day/who", data={"to": "me"})
    client.post(f"/jobs/{berry}/day/who", data={"to": str(apprentice.person_id), "note": "left side is done"})
    client.post(f"/jobs/{apple}/day/promised", data={"day": "2026-05-04", "hour": "23:00"})
    assert rows_of(client.get("/")) == ["Cherry", "Apple", "Berry"]
    assert rows_of(client.get("/?sort=promised")) == ["Apple", "Berry", "Cherry"]
    assert rows_of(client.get("/?whose=nobody")) == ["Apple"]
    assert rows_of(client.get(f"/?whose={apprentice.person_id}")) == ["Berry"]
    assert rows_of(client.get("/?waits=inspect&whose=nobody&sort=since")) == ["Apple"]
    page = client.get("/?whose=nobody&sort=since")
    assert 'value="/?whose=nobody&amp;sort=since"' in page.text
    assert "left side is done" in client.get("/").text
    for strange in ("/?sort=magic", "/?whose=%27", "/?waits=<b>"):
        assert client.get(strange).status_code == 200


def test_a_change_goes_back_to_the_list_as_it_was_and_nowhere_else(client_of, shop):
    lead, _, (apple, *_) = shop
    client = client_of(lead)
    there = client.post(f"/jobs/{apple}/day/who", data={"to": "me", "back": "/?whose=nobody"})
    assert (there.status_code, there.headers["location"]) == (303, "/?whose=nobody")
    for elsewhere in ("https://example.org", "//example.org", "/sign-out"):
        assert client.post(f"/jobs/{apple}/day/place", data={"back": elsewhere}).headers["location"] == "/"


def test_what_is_refused_is_said_where_it_was_asked(client_of, shop):
    lead, _, (apple, *_) = shop
    client = client_of(lead)
    htmx = {"HX-Request": "true", "HX-Target": "work"}
    for address, form, words in (
        ("promised", {"day": "2020-01-01"}, "it lies in the past"),
        ("who", {"to": "99999"}, "no such person"),
        ("who", {"to": "²"}, "no such person"),
        ("waits", {"what": "other"}, "what it waits for"),
        ("owner", {"what": "no"}, "what the owner declined"),
        ("place", {"place": "Roof"}, "a lead names them under Workshop"),
    ):
        answer = client.post(f"/jobs/{apple}/day/{address}", data=form, headers=htmx)
        assert answer.status_code in (404, 422)
        assert words in answer.text
        assert answer.headers["HX-Retarget"] == "#message"


def test_a_late_one_is_plain_to_see(client_of, shop, clock):
    lead, _, (apple, *_) = shop
    client = client_of(lead)
    client.post(f"/jobs/{apple}/day/promised", data={"day": "2026-05-04", "hour": "10:00"})
    clock.forward(50)
    page = client.get("/")
    assert "late by 20 min" in page.text
    assert rows_of(client.get("/?late=1"))[0] == "Apple"


def test_a_lead_approves_from_the_queue_what_was_shown_there(client_of, shop, database, clock):
    lead, apprentice, (apple, *_) = shop
    find_fault(database, clock, apple, apprentice)
    sign_verdict(database, plan_of(database, apple, apprentice), apple, by=apprentice, now=clock())
    client = client_of(lead)
    page = client.get("/")
    assert "Waits for your approval" in page.text
    assert "Waits for your approval" not in client_of(apprentice).get("/").text
    key = re.search(r'name="plan" value="([^"]+)"', page.text)[1]
    stale = client.post(f"/jobs/{apple}/day/approve", data={"plan": "another"})
    assert (stale.status_code, "look at its verdict first" in text(stale)) == (422, True)
    refused = client_of(apprentice).post(f"/jobs/{apple}/day/approve", data={"plan": key})
    assert refused.status_code == 403
    assert client.post(f"/jobs/{apple}/day/approve", data={"plan": key}).status_code == 303
    assert "Waits for your approval" not in client.get("/").text


def test_the_plan_says_who_works_on_what_and_what_will_be_late(client_of, shop):
    lead, _, (apple, *_) = shop
    client = client_of(lead)
    client.post("/workshop/opening", data={"hours": ["9:00-18:00"] * 7})
    client.post("/workshop/places", data={"places": "Lift 1"})
    client.post(f"/jobs/{apple}/day/promised", data={"day": "2026-05-04", "hour": "10:30"})
    page = client.get("/plan")
    assert page.status_code == 200
    assert "Apple : ready about 11:40, promised for 10:30" in text(page)  # 130 usual minutes from half past nine
    assert "Lift 1" in page.text
    assert 'aria-label="3 jobs planned for 2 people, 1 late"' in page.text


def test_a_job_that_goes_on_tomorrow_says_the_day_of_its_end(client_of, shop):
    """130 usual minutes from half past nine on a Monday, with 90 of them open: 40 are left for Tuesday."""
    client = client_of(shop[0])
    client.post("/workshop/opening", data={"hours": ["9:00-11:00"] * 7})
    client.post("/workshop/places", data={"places": "Lift 1"})
    page = client.get("/plan").text
    assert ">09:30–Tuesday 09:40</td>" in page


def test_everything_is_found_from_the_header_of_every_page(client_of, shop):
    lead, _, (apple, *_) = shop
    client = client_of(lead)
    for page in ("/", "/due", "/owners", "/workings", "/rules", f"/jobs/{apple}/card"):
        assert 'role="search"' in client.get(page).text, page
    found = client.get("/find?q=apple 0190")
    assert 'href="/vehicles/' in found.text
    assert "in the shop now" in found.text
    assert "Nothing here is called that" in client.get("/find?q=zebra").text
    assert "at least two letters" in client.get("/find?q=x").text
    assert "&lt;script&gt;" in client.get("/find?q=<script>").text


def test_a_vehicles_page_has_its_visits_torques_promises_and_owner(client_of, shop, database, clock):
    lead, _, (apple, *_) = shop
    client = client_of(lead)
    value = {"asked": 110.0, "source": "maker's manual, page 3", "read": 109.0}
    keep_record(database, apple, "torque", "front_left/bracket bolts", value, by=lead, now=clock())
    client.post(f"/jobs/{apple}/day/promised", data={"day": "2026-05-04", "hour": "16:00"})
    vehicle = open_job(database, apple, by=lead, knowledge=knowledge()).vehicle_id
    page = text(client.get(f"/vehicles/{vehicle}"))
    for words in ("Apple drags", "Front left: bracket bolts", "110 N·m", "maker&#39;s manual, page 3",
                  "2026-05-04 16:00", "Owner of Apple"):  # fmt: skip
        assert words in page, words
    assert client.post(f"/vehicles/{vehicle}/owner").status_code == 303
    assert "Nobody has said whose it is" in client.get(f"/vehicles/{vehicle}").text


RELEASED = {"as": "released", "open": [], "until": "", "done": [["front_left", "replace_pads"]]}


@pytest.fixture
def released(client_of, shop, database, clock):
    """The lead's client, with a vehicle that was let go after work at a wheel."""
    lead, _, (apple, *_) = shop
    keep_record(database, apple, "release", "", RELEASED, by=lead, now=clock())
    return client_of(lead), lead, apple


def test_what_is_due_as_a_list_a_calendar_a_table_and_a_feed(released, app):
    client, _, apple = released
    page = client.get("/due")
    assert "Wheel nuts tightened again" in page.text
    assert "Next week" in page.text
    assert "Wheel nuts" in client.get("/due?view=calendar&month=2026-05").text
    assert "Wheel nuts" not in client.get("/due?view=calendar&month=2026-07").text
    for no_month in ("x", "2026-13", "0001-01", "9999-12"):
        refused = client.get(f"/due?view=calendar&month={no_month}")
        assert refused.status_code == 422
        assert "write it as 2026-03" in text(refused)
    table = list(csv.DictReader(io.StringIO(client.get("/due/due.csv?weeks=60").text)))
    assert [(row["due"], row["vehicle"], row["owner"]) for row in table] == [
        ("2026-05-11", "Apple", "Owner of Apple"), ("2027-05-04", "Apple", "Owner of Apple")
    ]  # fmt: skip
    made = client.post("/due/feed").text
    address = re.search(r"http://testserver(/due/feed/\S+?\.ics)", made)[1]
    nobody = TestClient(app, base_url="http://testserver")
    calendar = Calendar.from_ical(nobody.get(address).content)
    [event, later] = calendar.walk("vevent")
    assert str(event["summary"]) == "Apple: Wheel nuts tightened again with a torque wrench"
    assert "Owner" not in nobody.get(address).text  # of people nothing
    assert later["dtstart"].dt.isoformat() == "2027-05-04"
    client.post("/due/feed/close")
    assert nobody.get(address).status_code == 404
    assert apple


def test_what_fell_due_is_answered_once_with_a_reason(released):
    client, _, apple = released
    page = flat(client.get("/due").text)
    in_its_forms = json.loads(html.unescape(re.search(r'data-fields="([^"]+)"', page)[1]))["/answer"]
    assert (in_its_forms["job"], in_its_forms["key"]) == (str(apple), "nuts")
    form = {**in_its_forms, "answer": "dismissed"}
    assert "reason for dismissing it" in client.post("/due/answer", data=form).text
    done = client.post("/due/answer", data={**form, "reason": "sold", "back": "https://example.org"})
    assert done.headers["location"] == "/due"
    assert "Wheel nuts" not in client.get("/due").text


def test_what_has_been_overdue_for_long_stands_apart_until_somebody_answers(released, client_of, clock):
    _, lead, _ = released
    clock.forward(80 * 24 * 60)
    client = client_of(lead)
    assert "Wheel nuts" not in client.get("/due?weeks=60").text
    long = client.get("/due?overdue=long").text
    assert "Wheel nuts" in long
    assert long.count("due-what") == 1  # nothing that falls due later
    in_its_forms = json.loads(html.unescape(re.search(r'data-fields="([^"]+)"', long)[1]))["/answer"]
    done = client.post("/due/answer", data={**in_its_forms, "answer": "done", "back": "/due?overdue=long"})
    assert done.headers["location"] == "/due?overdue=long"
    assert "Nothing has been overdue for so long" in client.get("/due?overdue=long").text


def test_what_falls_due_comes_a_page_at_a_time_and_none_is_left_out(released, monkeypatch):
    client, _, _ = released
    monkeypatch.setattr(due_routes, "MOST_LISTED", 1)
    first = client.get("/due?weeks=60").text
    assert first.count("due-what") == 1
    assert "Wheel nuts" in first
    onward = html.unescape(re.search(r'href="(/due\?weeks=60&(?:amp;)?after=[^"]+)"', first)[1])
    second = client.get(onward).text
    assert second.count("due-what") == 1
    assert "Wheel nuts" not in second
    assert "What falls due after these" not in second
    assert "From the first" in second


def test_a_day_of_the_calendar_shows_a_few_and_the_list_the_rest(released, shop, database, clock, monkeypatch):
    client, lead, _ = released
    for job in shop[2][1:]:
        keep_record(database, job, "release", "", RELEASED, by=lead, now=clock())
    monkeypatch.setattr(due_views, "MOST_A_DAY", 2)
    month = client.get("/due?view=calendar&month=2026-05").text
    shown = {name for name in ("Apple", "Berry", "Cherry") if name in month}
    assert len(shown) == 2
    onward = html.unescape(re.search(r'href="(/due\?[^"]+)">\s*and 1 more', month)[1])
    rest = client.get(onward).text
    first_week = rest[: rest.index("2027")]
    assert {name for name in ("Apple", "Berry", "Cherry") if name in first_week} == {"Apple", "Berry", "Cherry"} - shown


def test_the_rest_of_a_day_of_the_calendar_is_listed_however_long_ago_it_was(
    released, shop, database, clock, client_of, monkeypatch
):
    _, lead, _ = released
    keep_record(database, shop[2][1], "release", "", RELEASED, by=lead, now=clock())
    monkeypatch.setattr(due_views, "MOST_A_DAY", 1)
    clock.forward(80 * 24 * 60)
    client = client_of(lead)
    month = client.get("/due?view=calendar&month=2026-05").text
    onward = html.unescape(re.search(r'href="(/due\?[^"]+)">\s*and 1 more', month)[1])
    assert "Wheel nuts" in client.get(onward).text


def test_an_owner_is_told_and_their_data_goes_out_and_away(released, database, shop, client_of):
    client, lead, _ = released
    apprentice = shop[1]
    owner = next(row.id for row in owners_of(database, by=lead) if row.contact.name == "Owner of Apple")
    client.get("/due")
    page = client.get(f"/owners/{owner}")
    assert "Dear Owner of Apple," in page.text
    assert "Apple" in client.get(f"/owners/{owner}/letter").text
    sent = client.post(f"/owners/{owner}/send", data={"way": "letter", "words": "Dear you"})
    assert sent.status_code == 303
    assert "Dear you" in client.get(f"/owners/{owner}").text
    assert client.post(f"/owners/{owner}/send", data={"way": "email", "words": "x"}).status_code == 422
    wrong = client.post(f"/owners/{owner}", data={"name": "", "telephone": "0-1"})
    assert (wrong.status_code, "1 to 120 characters" in wrong.text, 'value="0-1"' in wrong.text) == (422, True, True)
    assert json.loads(client.get(f"/owners/{owner}/everything.json").text)["owner"]["name"] == "Owner of Apple"
    assert client_of(apprentice).get(f"/owners/{owner}/everything.json").status_code == 403
    assert client.post(f"/owners/{owner}/erase", data={"word": "yes"}).status_code == 422
    assert client.post(f"/owners/{owner}/erase", data={"word": "Erase"}).status_code == 303
    assert client.get(f"/owners/{owner}").status_code == 404


def test_a_table_is_looked_at_before_anything_is_written(client_of, shop):
    lead = shop[0]
    client = client_of(lead)
    table = b"plate;name;owner\n0-tab-1;Dahlia;Zoe Wren\n0-tab-2;;\n"
    seen = client.post("/bring-in/look", files={"file": ("t.csv", table)})
    assert "1 new, 0 changed, 0 the same, 1 refused" in text(seen)
    assert "Nothing here is called that" in client.get("/find?q=dahlia").text
    digest = re.search(r'name="digest" value="([^"]+)"', seen.text)[1]
    wrong = client.post("/bring-in", data={"table": table.decode(), "digest": "0" * 32})
    assert (wrong.status_code, "look at what would happen again" in wrong.text) == (422, True)
    done = client.post("/bring-in", data={"table": table.decode(), "digest": digest})
    assert "1 line is written" in text(done)
    assert "0-TAB-1,,Dahlia,car,Zoe Wren" in client.get("/bring-in/vehicles-and-owners.csv").text
    assert client.post("/bring-in/look", files={"file": ("t.csv", b"\xff")}).status_code == 422


def test_figures_of_no_jobs_and_of_few(client_of, shop, database, clock):
    lead, _, (apple, *_) = shop
    client = client_of(lead)
    assert "No closed jobs yet" in client.get("/figures").text
    record_finding(
        database, knowledge(), apple, Corner.FRONT_LEFT, "hose", "kinked", by=lead, now=clock(),
        idempotency_key="figures-web-1",
    )  # fmt: skip
    client.post(f"/jobs/{apple}/outcome/close")
    page = text(client.get("/figures"))
    assert "Closed jobs 1" in page
    assert "0 of 1 jobs; 0 to 73 %; few" in page  # the score interval of none of one


def test_hours_that_cannot_be_stay_typed_with_their_message(client_of, shop):
    lead, apprentice, _ = shop
    client = client_of(lead)
    hours = ["8-12", "12-8", *[""] * 5]
    for address, more in (("/workshop/opening", {}), (f"/people/{apprentice.person_id}/hours", {"away": ""})):
        answer = client.post(address, data={"hours": hours, **more})
        assert answer.status_code == 422
        assert "Tuesday" in text(answer)
    assert 'value="12-8"' in client.post("/workshop/opening", data={"hours": hours}).text
    assert client_of(apprentice).post("/workshop/places", data={"places": "Lift"}).status_code == 403


def test_a_job_taken_in_with_its_owner_and_promise(client_of, shop):
    client = client_of(shop[0])
    form = {"label": "Elder", "kind": "car", "owner": "Ona Fir", "telephone": "0-555-0191",
            "promised_day": "2026-05-05", "promised_hour": "12:00"}  # fmt: skip
    assert client.post("/jobs", data=form).status_code == 303
    assert "promised 2026-05-05 12:00" in text(client.get("/"))
    assert "Elder" in client.get("/find?q=ona").text
    wrong = client.post("/jobs", data={**form, "promised_hour": "noon"})
    assert (wrong.status_code, "a day and a time are needed" in wrong.text, 'value="Ona Fir"' in wrong.text) == (
        422, True, True
    )  # fmt: skip


def test_the_first_start_in_the_browser(instance, clock):
    instance.start(("mesotrope_first",))
    url = instance.url("mesotrope_first")
    migrate(url)
    database = Database(url)
    client = TestClient(create_app(Settings(**CHEAP), database, clock), follow_redirects=False)
    token = set_up_token(database, now=clock())
    assert "Nobody works here yet" in client.get("/sign-in").text
    assert client.get("/set-up/guessed").status_code == 404
    assert "Set the workshop up" in client.get(f"/set-up/{token}").text
    form = {"workshop": "First Brakes", "name": "Ada", "sign_in_name": "ada", "time_zone": "Europe/Paris",
            "password": PASSWORD, "repeated": "something else"}  # fmt: skip
    wrong = client.post(f"/set-up/{token}", data=form)
    assert (wrong.status_code, "the two are not the same" in wrong.text, 'value="First Brakes"' in wrong.text) == (
        422, True, True
    )  # fmt: skip
    assert PASSWORD not in wrong.text
    done = client.post(f"/set-up/{token}", data={**form, "repeated": PASSWORD})
    assert (done.status_code, done.headers["location"]) == (303, "/workshop")
    assert "First Brakes" in client.get("/workshop").text
    assert client.post(f"/set-up/{token}", data={**form, "repeated": PASSWORD}).status_code == 404
    assert "Nobody works here yet" not in client.get("/sign-in").text
    database.close()
