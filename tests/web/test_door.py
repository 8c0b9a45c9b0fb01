"""The door over HTTP: who is believed, which host, which address; people, passwords and the trail on their pages."""

from __future__ import annotations

import html
import re
from http.cookies import SimpleCookie

import pytest
from starlette.testclient import TestClient

import mesotrope.web.job.routes as job_routes
from mesotrope.app import create_app
from mesotrope.services.audit import trail_of
from mesotrope.services.door import FREE_BY_ADDRESS
from mesotrope.services.jobs import take_in
from mesotrope.services.people import switch
from mesotrope.services.signing_in import open_session
from mesotrope.settings import Settings
from mesotrope.store.tables import Person
from mesotrope.web.cookies import DEVICE, SESSION
from tests.conftest import CHEAP, PASSWORD
from tests.web.by_hand import answers

NEW = "another long password"


def _client(app, address="10.20.0.1", **more):
    return TestClient(app, base_url="http://testserver", follow_redirects=False, client=(address, 5000), **more)


def _name(database, who):
    with database.at_the_door() as session:
        return session.get(Person, who.person_id).sign_in_name


def _sign_in(client, name, password=PASSWORD, **headers):
    return client.post("/sign-in", data={"name": name, "password": password}, headers=headers)


def _app(database, clock, **settings):
    return create_app(Settings(**CHEAP | settings), database, clock)


# -- addresses, hosts, TLS ------------------------------------------------------------------------------------------


def _guessed(app, address, forwarded):
    """How many guesses at many names from one connection are looked at, each said to be forwarded for another."""
    client = _client(app, address)
    answers = [
        _sign_in(client, f"nobody-{n}", **{"X-Forwarded-For": forwarded.format(n)}).status_code for n in range(40)
    ]
    return answers.count(401)


def test_a_forwarded_address_is_believed_from_no_one_who_is_not_named(app):
    assert _guessed(app, "10.21.0.1", "10.99.0.{}") == FREE_BY_ADDRESS


def test_a_named_proxy_is_believed_one_that_is_not_is_not(database, clock):
    app = _app(database, clock, proxies="10.22.0.1,10.23.0.0/24")
    assert _guessed(app, "10.22.0.1", "10.98.1.{}") == 40
    assert _guessed(app, "10.23.0.77", "10.98.2.{}") == 40
    assert _guessed(app, "10.24.0.1", "10.98.3.{}") == FREE_BY_ADDRESS
    assert _guessed(app, "10.22.0.1", "10.98.4.{}, 10.97.0.1") == FREE_BY_ADDRESS  # what the browser itself claims


def test_the_trail_has_the_address_that_a_named_proxy_says(database, clock, someone):
    lead = someone(role="lead")
    app = _app(database, clock, proxies="10.22.1.1")
    _sign_in(_client(app, "10.22.1.1"), _name(database, lead), **{"X-Forwarded-For": "10.96.0.7"})
    assert trail_of(database, by=lead)[0].address == "10.96.0.7"


@pytest.mark.parametrize(
    ("host", "status"),
    [("brakes.example", 303), ("brakes.example:8420", 303), ("BRAKES.example", 303), ("evil.example", 400), ("", 400)],
)
def test_only_the_hosts_that_are_set_are_answered(database, clock, host, status):
    app = _app(database, clock, hosts="brakes.example, other.example")
    answer = _client(app).get("/", headers={"Host": host})
    assert answer.status_code == status
    assert "content-security-policy" in answer.headers


@pytest.mark.parametrize(
    ("settings", "trusted"),
    [
        ({}, ("127.0.0.1", "localhost", "[::1]", "::1")),
        ({"host": "0.0.0.0"}, ()),
        ({"host": "0.0.0.0", "hosts": "Brakes.example,"}, ("brakes.example",)),
    ],
)
def test_which_hosts_are_trusted(settings, trusted):
    assert Settings(**settings).trusted_hosts == trusted


def test_behind_tls_browsers_are_told_to_come_over_tls_only(database, clock, app):
    header = "strict-transport-security"
    assert header not in _client(app).get("/sign-in").headers
    assert header in _client(_app(database, clock, secure_cookies=True)).get("/sign-in").headers
    proxied = _client(_app(database, clock, proxies="10.25.0.1"), "10.25.0.1")
    assert header in proxied.get("/sign-in", headers={"X-Forwarded-Proto": "https"}).headers


@pytest.mark.parametrize("origin", ["http://[", "null", "http://evil.example", "//testserver", "testserver"])
def test_a_malformed_or_foreign_origin_is_refused_in_words(app, origin):
    answer = _client(app).post("/sign-in", data={"name": "x", "password": "y"}, headers={"Origin": origin})
    assert answer.status_code == 403
    assert "did not come from a page" in answer.text


# -- signing in -----------------------------------------------------------------------------------------------------


def test_a_device_is_known_from_its_first_signing_in_on(database, app, someone):
    name, client = _name(database, someone()), _client(app, "10.26.0.1")
    assert _sign_in(client, name).status_code == 303
    device = client.cookies[DEVICE]
    client.post("/sign-out", headers={"X-Change-Token": _token(client)})
    assert client.cookies.get(DEVICE) == device
    stranger = _client(app, "10.26.0.1")
    answers = [_sign_in(stranger, name, "guess") for _ in range(8)]
    assert answers[-1].status_code == 429
    assert int(answers[-1].headers["retry-after"]) > 0
    assert _sign_in(stranger, name).status_code == 429
    assert _sign_in(client, name).status_code == 303


def test_a_browser_keeps_its_session_for_a_shift_and_who_it_is_for_over_a_year(database, app, someone):
    """Twelve hours are a long shift (common practice); a tablet that is signed in at once a year is still known."""
    answer = _sign_in(_client(app, "10.26.0.9"), _name(database, someone()))
    cookies = [SimpleCookie(line) for line in answer.headers.get_list("set-cookie")]
    lasts = {name: int(morsel["max-age"]) for cookie in cookies for name, morsel in cookie.items()}
    assert lasts[SESSION] == app.state.shop.settings.session_hours * 60 * 60
    assert 365 * 86_400 < lasts[DEVICE] < 500 * 86_400


def _token(client):
    return re.search(r'name="change_token" value="([^"]+)"', client.get("/me").text)[1]


def test_a_refused_sign_in_is_on_the_trail_of_whose_name_it_was(database, app, someone):
    lead = someone(role="lead")
    assert _sign_in(_client(app, "10.26.1.1"), _name(database, lead), "guess").status_code == 401
    assert [(line.act, line.address) for line in trail_of(database, by=lead)] == [("refused", "10.26.1.1")]


def test_a_stream_ends_with_its_session(database, app, someone, clock, monkeypatch):
    lead = someone(role="lead")
    who = someone(workshop=lead.workshop)
    job = take_in(
        database, app.state.shop.knowledge, label="Red van", kind="car", registration="", odometer_km=None, usage="",
        complaint="", by=who, now=clock(),
    )  # fmt: skip
    token = open_session(database, who.person_id, now=clock(), hours=1)
    monkeypatch.setattr(job_routes, "LOOK_S", 0.01)
    looks = []

    async def pause(seconds):
        looks.append(seconds)
        if len(looks) == 3:
            switch(database, who.person_id, False, by=lead, now=clock())

    monkeypatch.setattr(job_routes.asyncio, "sleep", pause)
    client = _client(app)
    client.cookies.set(SESSION, token)
    told = client.get(f"/jobs/{job}/events").text
    assert told.endswith("event: signed-out\ndata: {}\n\n")
    assert len(looks) == 3


# -- one's own password, people, the trail ---------------------------------------------------------------------------


def test_one_changes_ones_password_and_stays_signed_in_here_only(database, app, someone, client_of):
    who = someone()
    here, elsewhere = client_of(who), client_of(who)
    wrong = here.post("/me/password", data={"current": "guess", "password": NEW, "repeated": NEW})
    assert wrong.status_code == 422
    assert "the current password is another one" in html.unescape(wrong.text)
    done = here.post("/me/password", data={"current": PASSWORD, "password": NEW, "repeated": NEW})
    assert (done.status_code, done.headers["location"]) == (303, "/me?kept=password")
    assert "Changed. You are signed in here only." in here.get("/me?kept=password").text
    assert elsewhere.get("/me").headers["location"] == "/sign-in"
    assert _sign_in(_client(app, "10.27.0.1"), _name(database, who), NEW).status_code == 303


def test_one_signs_out_everywhere(someone, client_of):
    who = someone()
    here, elsewhere = client_of(who), client_of(who)
    assert here.post("/me/sign-out-everywhere").headers["location"] == "/sign-in"
    assert elsewhere.get("/").headers["location"] == "/sign-in"


def test_a_lead_adds_a_person_who_comes_in_by_the_link(database, app, someone, client_of):
    lead = client_of(someone(role="lead"))
    page = lead.post("/people", data={"name": "Nia Moor", "sign_in_name": "nia-moor", "role": "technician"}).text
    link = re.search(r"http://testserver(/password/[\w-]{40,})", page)[1]
    assert link not in lead.get("/people").text
    newcomer = _client(app, "10.28.0.1")
    assert "nia-moor" in newcomer.get(link).text
    short = newcomer.post(link, data={"password": "short", "repeated": "short"})
    assert short.status_code == 422
    assert "12 to 1000 characters are needed" in short.text
    assert "The new password is kept" in newcomer.post(link, data={"password": NEW, "repeated": NEW}).text
    assert newcomer.post(link, data={"password": NEW, "repeated": NEW}).status_code == 404
    assert _sign_in(newcomer, "nia-moor", NEW).status_code == 303


def test_a_name_that_is_taken_is_said_at_the_form_and_what_was_typed_stays(database, someone, client_of):
    who = someone(role="lead")
    answer = client_of(who).post("/people", data={"name": "Nia", "sign_in_name": _name(database, who), "role": "lead"})
    assert answer.status_code == 422
    assert "it is taken; choose another" in answer.text
    assert 'value="Nia"' in answer.text


def test_a_lead_switches_off_and_gives_roles_on_the_page(someone, client_of):
    who = someone(role="lead")
    other = someone(workshop=who.workshop)
    lead, theirs = client_of(who), client_of(other)
    assert lead.post(f"/people/{other.person_id}/role", data={"role": "apprentice"}).status_code == 303
    assert lead.post(f"/people/{other.person_id}/switch", data={"to": "off"}).status_code == 303
    assert theirs.get("/").headers["location"] == "/sign-in"
    assert "Switched off" in lead.get("/people").text
    said = lead.get("/trail").text
    assert f"{other.name}: technician to apprentice" in said
    assert "switched off" in said
    assert "Nothing of this kind yet" in lead.get("/trail?act=released").text


@pytest.mark.parametrize("page", ["/people", "/trail", "/system"])
def test_neither_page_is_for_anybody_but_a_lead(someone, client_of, page):
    for role in ("apprentice", "technician"):
        assert client_of(someone(role=role)).get(page).status_code == 403


# -- once -------------------------------------------------------------------------------------------------------------


def test_every_form_that_changes_something_carries_a_key_of_its_own(someone, client_of):
    client = client_of(someone(role="lead"))
    keys = []
    for page in ("/take-in", "/import", "/rules", "/me", "/people"):
        forms = re.findall(r'<form method="post".*?</form>', client.get(page).text, re.S)
        assert forms, page
        keys += [re.search(r'name="idempotency_key" value="([\w-]{16,64})"', form)[1] for form in forms]
    assert len(set(keys)) == len(keys)


def test_a_double_tap_on_take_in_opens_one_job(someone, client_of):
    client = client_of(someone())
    form = {"label": "Blue van", "kind": "car", "idempotency_key": "double-tap-on-take-in"}
    first, second = (client.post("/jobs", data=form).headers["location"] for _ in range(2))
    assert first == second
    assert client.post("/jobs", data=form | {"label": "Green van"}).status_code == 422


# -- what is not read before it is known who sends it ----------------------------------------------------------------


def test_nothing_of_a_file_is_read_before_it_is_known_who_sends_it(app):
    """The body of a large request from nobody is never asked for."""
    read = []

    async def receive():
        read.append(1)
        return {"type": "http.request", "body": b"x" * 65536, "more_body": True}

    headers = [(b"content-length", b"50000000"), (b"content-type", b"multipart/form-data; boundary=x")]
    answered = answers(app, headers, receive, "/import")
    assert answered[0]["status"] == 303
    assert not read
