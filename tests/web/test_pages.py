"""The pages over HTTP: who may see them, what they refuse, and with which words."""

from __future__ import annotations

import re

import pytest
from starlette.testclient import TestClient

from mesotrope import errors
from mesotrope.app import create_app
from mesotrope.core.answer.answer import diagnose
from mesotrope.core.language.entries import read_entry
from mesotrope.core.language.inspection import CornerFindings
from mesotrope.interchange.pack import packing
from mesotrope.knowledge import knowledge
from mesotrope.services.archiving import archive_job
from mesotrope.services.jobs import open_job, take_in
from mesotrope.services.outcomes import close_job
from mesotrope.services.signing_in import open_session
from mesotrope.settings import Settings
from mesotrope.store.instance import DatabaseFailed
from mesotrope.web.cookies import SESSION
from mesotrope.web.errors import STATUS, status_of
from mesotrope.web.job.pages import job_page
from mesotrope.web.job.rail import RAIL
from mesotrope.web.plate.drawing import axle_plate
from tests.conftest import CHEAP
from tests.documents import answer, inspect, pads
from tests.web.by_hand import answers

HTMX = {"HX-Request": "true"}


@pytest.fixture
def signed_in(app, database, someone, clock):
    """A client of a signed-in person, who they are, and a job of theirs."""
    who = someone()
    client = TestClient(app, base_url="http://testserver", follow_redirects=False)
    client.cookies.set(SESSION, open_session(database, who.person_id, now=clock(), hours=1))
    token = re.search(r'name="change_token" value="([^"]+)"', client.get("/").text)[1]
    client.headers["X-Change-Token"] = token
    job = take_in(
        database, knowledge(), label="Red <van>", kind="car", registration="", odometer_km=None, usage="",
        complaint="<script>alert(1)</script>", by=who, now=clock(),
    )  # fmt: skip
    return client, who, job


def enter(client, job, path, value, key="key-00000001", corner="front_left", **form):
    return client.post(
        f"/jobs/{job}/findings",
        data={"corner": corner, "path": path, "value": value, **form},
        headers={**HTMX, "Idempotency-Key": key},
    )


def entered_whole(client, job, path, value, key="key-00000001", stage="lift", **form):
    """What stands on the screen after an entry: what it is answered with at once, and what follows."""
    at_once = enter(client, job, path, value, key, stage=stage, **form)
    assert at_once.status_code == 200
    return at_once.text + client.get(f"/jobs/{job}/{stage}/refresh").text


def test_every_page_forbids_what_it_does_not_serve_itself(signed_in):
    client, _, job = signed_in
    for address in ("/", "/sign-in", f"/jobs/{job}/lift", "/nowhere"):
        headers = client.get(address).headers
        policy = headers["content-security-policy"]
        assert "default-src 'none'" in policy
        assert "unsafe" not in policy
        assert headers["x-content-type-options"] == "nosniff"
        assert headers["cache-control"] == "no-store"


def test_no_page_has_inline_script_or_style(signed_in):
    client, _, job = signed_in
    for address in ("/", "/sign-in", *(f"/jobs/{job}/{stage}" for stage, _, _ in RAIL)):
        page = client.get(address).text
        assert not re.search(r"<script(?![^>]*src=)", page)
        assert " style=" not in page
        assert "onclick" not in page


def test_the_session_cookie_is_out_of_reach_of_scripts_and_other_sites(database, clock, someone):
    app = create_app(Settings(demo=True, **CHEAP), database, clock)
    client = TestClient(app, follow_redirects=False)
    cookie = client.post("/sign-in/demo", data={"person": someone().person_id}).headers["set-cookie"]
    assert "HttpOnly" in cookie
    assert "SameSite=strict" in cookie


def test_one_click_sign_in_exists_only_in_the_demo(app, someone):
    client = TestClient(app, follow_redirects=False)
    assert client.post("/sign-in/demo", data={"person": someone().person_id}).status_code == 404
    assert "made-up people" not in client.get("/sign-in").text


def test_the_style_page_exists_only_in_development(app, database, clock):
    assert TestClient(app).get("/style").status_code == 404
    developing = create_app(Settings(development=True, **CHEAP), database, clock)
    assert TestClient(developing).get("/style").status_code == 200


def test_who_is_not_signed_in_is_sent_to_sign_in(app):
    client = TestClient(app, follow_redirects=False)
    page = client.get("/")
    assert (page.status_code, page.headers["location"]) == (303, "/sign-in")
    part = client.post("/jobs/1/findings", headers=HTMX)
    assert (part.status_code, part.headers["hx-redirect"]) == (401, "/sign-in")


def test_a_refused_sign_in_says_so_and_keeps_the_name(app):
    page = TestClient(app).post("/sign-in", data={"name": "somebody", "password": "wrong"})
    assert page.status_code == 401
    assert "do not go together" in page.text
    assert 'value="somebody"' in page.text


@pytest.mark.parametrize("address", ["/jobs", "/sign-out", "/jobs/{job}/findings"])
def test_a_change_without_the_sessions_token_is_refused(signed_in, address):
    client, _, job = signed_in
    del client.headers["X-Change-Token"]
    answer_ = client.post(address.format(job=job), data={"label": "x", "corner": "front_left", "path": "pin.upper"},
                          headers={"Idempotency-Key": "key-00000001"})  # fmt: skip
    assert answer_.status_code == 403
    assert "did not come from a page of this session" in answer_.text


def test_a_change_from_another_site_is_refused(signed_in):
    client, _, _ = signed_in
    for headers in ({"Origin": "http://elsewhere.test"}, {"Sec-Fetch-Site": "cross-site"}):
        assert client.post("/sign-out", headers=headers).status_code == 403


def test_another_workshops_job_is_not_found_by_guessing(signed_in, app, database, someone, clock):
    _, _, job = signed_in
    stranger = TestClient(app, follow_redirects=False)
    stranger.cookies.set(SESSION, open_session(database, someone().person_id, now=clock(), hours=1))
    for address in ("lift", "verdict", "inspection.json", "answer.json", "history?corner=front_left&path=pin.upper"):
        page = stranger.get(f"/jobs/{job}/{address}")
        assert page.status_code == 404
        assert "Red" not in page.text


@pytest.mark.parametrize(
    "address", ["/jobs/abc/lift", "/jobs/1/nowhere", "/nowhere", "/jobs/99999999999999999999/lift"]
)
def test_an_address_that_is_none_is_not_found(signed_in, address):
    assert signed_in[0].get(address).status_code == 404


def test_an_entry_answers_with_suspects_plate_and_saved_but_not_the_field(signed_in):
    client, who, job = signed_in
    enter(client, job, "spin.turns", "1", "key-00000001")
    part = enter(client, job, "spin.seconds", "1.2", "key-00000002")
    assert part.status_code == 200
    for piece in ('id="suspect-list"', 'id="verdict-so-far"', 'id="plate-box"'):
        assert re.search(piece + r"[^>]*hx-swap-oob", part.text)
    assert "<input" not in part.text
    assert part.headers["x-entry"].isdigit()
    assert "drag" in part.text


def test_what_follows_an_entry_brings_reasons_and_the_same_chances(signed_in):
    client, _, job = signed_in
    enter(client, job, "spin.turns", "1", "key-00000001")
    at_once = enter(client, job, "spin.seconds", "1.2", "key-00000002").text
    follows = client.get(f"/jobs/{job}/lift/refresh").text
    for piece in ('id="suspects"', 'id="plate-box"', 'id="rail"', 'id="numbers"'):
        assert re.search(piece + r"[^>]*hx-swap-oob", follows)
    line = re.compile(r'data-suspect="([^"]+)">.*?percent">([^<]+)<', re.DOTALL)
    told = [line.findall(part) for part in (at_once, follows)]
    assert told[0] == told[1] != []
    assert "data-follows" in at_once
    assert "data-follows" not in follows
    assert "1 turn in 1.2\u00a0s" in follows


def test_an_entry_without_htmx_goes_back_to_the_page(signed_in):
    client, _, job = signed_in
    plain = client.post(f"/jobs/{job}/findings", data={"corner": "front_left", "path": "pin.upper", "value": "free"},
                        headers={"Idempotency-Key": "key-00000001"})  # fmt: skip
    assert (plain.status_code, plain.headers["location"]) == (303, f"/jobs/{job}/lift?axle=front")


FIELDS = ["spin.turns", "spin.seconds", "pad_gap_mm.inner", "pad_mm.inner.lead_rim", "rotor_mm.1", "rotor_runout_mm"]
WORDS = ["pin.upper", "pad_fit.inner", "piston_pushback.1", "piston_boot", "bleeder_opened", "hose", "rotor_face.inner"]
BAD = ["abc", "-1", "1e9", "nan", "inf", "9999999", "<img src=x onerror=alert(1)>", "7" * 490]


@pytest.mark.parametrize("path", [*FIELDS, *WORDS])
@pytest.mark.parametrize("bad", BAD)
def test_a_bad_value_gets_a_clear_message_and_changes_nothing(path, bad):
    with pytest.raises(errors.InvalidInput, match=r"allowed|a number is needed"):
        read_entry(CornerFindings, path, bad, knowledge())


def test_a_bad_value_is_refused_in_the_page_with_its_text_made_harmless(signed_in, database):
    client, who, job = signed_in
    part = enter(client, job, "pad_mm.inner.lead_rim", "<img src=x>")
    assert part.status_code == 422
    assert "a number is needed" in part.text
    assert "<img" not in part.text
    assert open_job(database, job, by=who, knowledge=knowledge()).findings == {}


def test_an_oversized_request_is_refused_unread(signed_in):
    client, _, job = signed_in
    assert enter(client, job, "pin.upper", "x" * 300_000).status_code == 413
    assert enter(client, job, "pin.upper", "x" * 2_000).status_code == 422


def test_a_surprising_value_is_asked_about_and_kept_when_confirmed(signed_in, database):
    client, who, job = signed_in
    part = enter(client, job, "pad_mm.inner.lead_rim", "22")
    assert part.status_code == 422
    assert "data-surprising" in part.text
    assert enter(client, job, "pad_mm.inner.lead_rim", "22", "key-00000002", confirmed="yes").status_code == 200
    assert open_job(database, job, by=who, knowledge=knowledge()).findings["front_left", "pad_mm.inner.lead_rim"] == 22


def test_what_people_wrote_is_shown_as_text(signed_in):
    client, _, job = signed_in
    page = client.get(f"/jobs/{job}/take-in").text
    assert "<script>alert" not in page
    assert "&lt;script&gt;alert" in page


@pytest.mark.parametrize(
    ("form", "message"),
    [
        ({"label": ""}, "a name of 1 to 120 characters is needed"),
        ({"label": "Van", "odometer": "far"}, "a number is needed"),
        ({"label": "Van", "odometer": "-4"}, "allowed: 0 to 5e"),
        ({"label": "Van", "registration": "x" * 30}, "at most 20 characters"),
    ],
)
def test_taking_in_what_cannot_be_keeps_the_form_and_says_why(signed_in, form, message):
    client, _, _ = signed_in
    page = client.post("/jobs", data=form)
    assert page.status_code == 422
    assert message in page.text


def test_a_kind_that_is_none_is_refused(signed_in):
    page = signed_in[0].post("/jobs", data={"label": "Van", "kind": "boat"})
    assert page.status_code == 422
    assert "kind" in page.text


def test_taking_a_vehicle_in_opens_its_job(signed_in):
    client, _, _ = signed_in
    done = client.post("/jobs", data={"label": "Green van", "odometer": "1200", "complaint": "squeals"})
    assert done.status_code == 303
    assert "Green van" in client.get(done.headers["location"]).text


def test_the_open_document_can_be_downloaded(signed_in):
    client, _, job = signed_in
    enter(client, job, "pin.upper", "seized")
    document = client.get(f"/jobs/{job}/inspection.json").json()
    assert document["format"] == "mesotrope-inspection"
    assert document["findings"]["corners"]["front_left"]["pin"] == {"upper": "seized"}


def test_the_history_of_a_figure_can_be_seen(signed_in):
    client, who, job = signed_in
    enter(client, job, "pin.upper", "stiff", "key-00000001")
    enter(client, job, "pin.upper", "", "key-00000002")
    page = client.get(f"/jobs/{job}/history", params={"corner": "front_left", "path": "pin.upper"}).text
    assert "stiff" in page
    assert "taken back" in page
    assert who.name in page


def test_every_error_has_a_status():
    def below(kind):
        return {kind}.union(*(below(child) for child in kind.__subclasses__()))

    answered_as_invalid_input = {errors.InvalidDocument, errors.NoWearMeasurable}
    assert below(errors.MesotropeError) - {errors.MesotropeError} - answered_as_invalid_input == set(STATUS)
    assert status_of(errors.InvalidDocument([errors.InvalidInput("a", 1, "b")])) == 422
    assert status_of(DatabaseFailed("x")) == 503


# -- the plate -------------------------------------------------------------------------------------------------


def _plate(corners, exaggerated=False, **vehicle):
    return axle_plate(inspect(corners, **vehicle), answer(corners, **vehicle), "front", knowledge().limit, exaggerated)


def _width(shape):
    xs = [float(point.split(",")[0]) for point in shape.points.split()]
    return max(xs) - min(xs)


def test_a_lining_is_drawn_as_thick_as_it_is():
    """One unit across is one millimetre."""
    plate = _plate({"front_left": {"pad_mm": {"inner": {"lead_rim": 4.0, "trail_rim": 4.0}}}})
    assert [_width(s) for s in plate.shapes if s.style == "plate-lining"] == [pytest.approx(4.0)]
    assert any(_width(s) == pytest.approx(11.0 - 4.0) for s in plate.shapes if s.style == "plate-ghost")


def test_an_unmeasured_pad_is_an_outline_and_not_a_healthy_pad():
    plate = _plate({})
    assert not [s for s in plate.shapes if s.style == "plate-lining"]
    assert len([s for s in plate.shapes if s.style == "plate-unmeasured"]) == 4


def test_the_two_corners_are_mirrored():
    plate = _plate({"front_left": {"pad_mm": pads(5, 6)}, "front_right": {"pad_mm": pads(5, 6)}})
    linings = [s for s in plate.shapes if s.style == "plate-lining"]
    first = [tuple(map(float, p.split(","))) for p in linings[0].points.split()]
    mirrored = [tuple(map(float, p.split(","))) for p in linings[2].points.split()]
    assert [(plate.width - x, y) for x, y in first] == [pytest.approx(p, abs=0.011) for p in mirrored]


def test_exaggeration_triples_differences_about_the_mean():
    found = {"front_left": {"pad_mm": {"inner": {"lead_rim": 5.0}, "outer": {"lead_rim": 6.0}}}}
    true = sorted(_width(s) for s in _plate(found).shapes if s.style == "plate-lining")
    tripled = sorted(_width(s) for s in _plate(found, True).shapes if s.style == "plate-lining")
    assert true == pytest.approx([5.0, 6.0])
    assert tripled == pytest.approx([4.0, 7.0])


def test_a_difference_beyond_gauge_error_is_drawn_heavier():
    alike = _plate({"front_left": {"pad_mm": pads(6.0, 6.05)}})
    apart = _plate({"front_left": {"pad_mm": pads(4.0, 6.0)}})
    assert any(s.text == "inner − outer alike" for s in alike.shapes)
    heavy = [s for s in apart.shapes if s.text == "inner − outer −2.0"]
    assert heavy
    assert "plate-heavy" in heavy[0].style


def test_a_taper_is_drawn_as_a_dimension_line_of_its_own_length():
    plate = _plate({"front_left": {"pad_mm": {"inner": {"lead_rim": 4.0, "trail_rim": 6.0}}}})
    assert any(s.text == "taper 2.0" for s in plate.shapes)
    flat = [s.numbers for s in plate.shapes if s.kind == "line" and s.style == "plate-dimension plate-heavy"]
    assert any(abs(x1 - x0) == pytest.approx(2.0) and y0 == y1 for x0, y0, x1, y1 in flat)


def test_the_drawing_says_itself_in_words():
    words = _plate({"front_left": {"pad_mm": pads(4.0, 6.0)}}).description
    assert "front left: inner pad 4.0 mm, outer pad 6.0 mm; front right: inner pad not measured" in words


def test_every_part_that_leads_to_an_entry_leads_to_one_that_exists(signed_in, database):
    """On its own page, or on the page of the stage that the rail names for it."""
    client, who, job = signed_in
    pages = [client.get(f"/jobs/{job}/{stage}?axle=rear").text for stage in ("strip", "look", "isolate")]
    ids = {found for page in pages for found in re.findall(r'\bdata-id="([^"]+)"', page)}
    assert set(re.findall(r'data-leads-to="([^"]+)"', pages[0])) <= ids
    for lead in re.findall(r'data-leads-to="rear-left-([^"]+)"', pages[0]):
        steps = re.findall(r'data-findings="([^"]+)"', pages[0])
        assert any(lead == name or lead.startswith(name + "-") for step in steps for name in step.split())


def test_the_job_page_offers_no_stage_without_fields(signed_in, database):
    _, who, job = signed_in
    opened = open_job(database, job, by=who, knowledge=knowledge())
    for stage in ("lift", "look", "isolate", "strip"):
        page = job_page(opened, diagnose(opened.inspection, knowledge()), knowledge(), stage, "front", False)
        assert page.corners[0].blocks


async def _one_letter():
    return {"type": "http.request", "body": b"x", "more_body": False}


@pytest.mark.parametrize(
    "headers",
    [
        [(b"transfer-encoding", b"chunked")],
        [(b"content-length", "²".encode())],
        [(b"content-length", b"1" * 5000)],
        [(b"content-length", b"200001")],
        [(b"content-length", b"many")],
        [(b"content-length", b"5"), (b"transfer-encoding", b"chunked")],
    ],
)
def test_a_request_says_how_much_it_carries_and_carries_no_more_than_it_may(app, headers):
    assert answers(app, headers, _one_letter)[0]["status"] == 413


def test_an_archived_visit_says_so_and_gives_its_file(client_of, database, someone, clock, app):
    lead = someone("lead")
    client = client_of(lead)
    job = take_in(
        database, knowledge(), label="Van", kind="car", registration="", odometer_km=None, usage="", complaint="drags",
        by=lead, now=clock(),
    )  # fmt: skip
    close_job(database, job, by=lead, now=clock())
    archives = app.state.shop.archives
    assert archive_job(database, archives, job, packing(database, lead), by=lead, now=clock())
    for page in ("strip", "verdict", "history", "outcome"):
        answer = client.get(f"/jobs/{job}/{page}")
        assert answer.status_code == 410
        assert "This visit is archived" in answer.text
        assert f'href="/jobs/{job}/archive.zip"' in answer.text
    file = client.get(f"/jobs/{job}/archive.zip")
    assert file.content == archives.file(lead.workshop_id, job).read_bytes()
    assert "archived" in client.get("/find?q=drags").text
    assert client_of(someone("lead")).get(f"/jobs/{job}/archive.zip").status_code == 404
    archives.remove(lead.workshop_id, job)
    assert "is not in the archive folder" in client.get(f"/jobs/{job}/archive.zip").text
