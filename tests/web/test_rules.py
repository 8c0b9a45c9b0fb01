"""The rules page and the packages on the verdict, over HTTP."""

from __future__ import annotations

import io
import json
import re
import zipfile

from mesotrope.core.answer.answer import diagnose
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.core.plan.whole_document import whole_document
from mesotrope.knowledge import knowledge
from mesotrope.services.findings import record_finding
from mesotrope.services.jobs import open_job, take_in
from mesotrope.words import PLAINLY
from tests.documents import flat


def test_a_lead_keeps_rules_and_the_page_says_who(client_of, someone):
    lead = someone(role="lead")
    client = client_of(lead)
    done = client.post("/rules", data={"cost.replace_caliper.parts": "120", "school.nuts": "once"})
    assert (done.status_code, done.headers["location"]) == (303, "/rules?kept=2")
    page = client.get("/rules").text
    assert 'name="cost.replace_caliper.parts" value="120"' in page
    assert f"Chosen by {lead.name}" in page
    assert "Replace the caliper: parts" in page or "replace the caliper: parts" in page


def test_what_somebody_else_set_meanwhile_is_said_and_can_be_answered(client_of, someone):
    ann = someone("lead", "Of two other leads")
    ben = someone("lead", "Of two other leads")
    assert 'name="seen" value=""' in client_of(ann).get("/rules").text
    assert client_of(ann).post("/rules", data={"seen": "", "money.labour_per_hour": "95"}).status_code == 303
    mine = {"seen": "", "money.labour_per_hour": "90"}
    refused = client_of(ben).post("/rules", data=mine, headers={"HX-Request": "true"})
    assert refused.status_code == 409
    assert f"{ann.name} entered 95 in the meantime; you entered 90" in refused.text
    number = re.search(r'name="seen" value="(\d+)"', refused.text)[1]
    assert "Keep mine all the same" in refused.text
    assert client_of(ben).post("/rules", data=mine).status_code == 409
    again = client_of(ben).post("/rules", data={"seen": ["", number], "money.labour_per_hour": "90"})
    assert again.headers["location"] == "/rules?kept=1"


def test_a_technician_reads_them_and_is_refused_with_the_reason(client_of, someone):
    client = client_of(someone(role="technician"))
    assert "A lead can change them" in client.get("/rules").text
    refused = client.post("/rules", data={"money.labour_per_hour": "1"})
    assert refused.status_code == 403
    assert "needs the role lead" in refused.text


def test_a_bad_figure_is_answered_with_what_is_allowed(client_of, someone):
    refused = client_of(someone(role="lead")).post("/rules", data={"money.labour_per_hour": "<b>lots</b>"})
    assert refused.status_code == 422
    assert "labor, an hour" in refused.text
    assert "<b>lots" not in refused.text


def _job(database, who, clock, odometer_km=None, registration=""):
    return take_in(
        database, knowledge(), label="Red van", kind="car", registration=registration, odometer_km=odometer_km,
        usage="", complaint="", confirmed=True, by=who, now=clock(),
    )  # fmt: skip


def _enter(database, who, clock, job, corner, path, value):
    record_finding(
        database, knowledge(), job, corner, path, value, by=who, now=clock(),
        idempotency_key=f"{job}-{corner}-{path}", confirmed=True,
    )  # fmt: skip


def test_the_verdict_weighs_packages_at_the_workshops_prices(client_of, someone, database, clock):
    lead = someone(role="lead")
    client, job = client_of(lead), _job(database, lead, clock)
    for corner, path, value in [
        ("rear_left", "piston_boot", "torn"), ("rear_left", "spin.turns", "1"), ("rear_left", "spin.seconds", "1.2"),
        ("rear_right", "spin.turns", "6"), ("rear_right", "spin.seconds", "7"),
        ("rear_left", "pin.upper", "free"), ("rear_left", "pin.lower", "free"), ("rear_left", "pad_fit.inner", "free"),
        ("rear_left", "pad_fit.outer", "free"), ("rear_left", "parking_lever", "returns"),
        ("rear_left", "parking_cable_slackened", "no_change"), ("rear_left", "bleeder_opened", "no_change"),
        ("rear_left", "piston_pushback.1", "easy"),
    ]:  # fmt: skip
        _enter(database, lead, clock, job, corner, path, value)
    before = client.get(f"/jobs/{job}/verdict").text
    assert "Rear axle: what it would cost" in before
    assert "Recommended" in before
    assert "The runner-up would win if" in before
    client.post("/rules", data={"money.currency": "CHF", "cost.replace_caliper.parts": "900"})
    after = client.get(f"/jobs/{job}/verdict").text
    assert "In CHF" in after
    recommended = after[after.index("Recommended") : after.index("Runner-up")]
    assert "ebuild the caliper, left" in recommended


def test_an_earlier_visit_speaks_the_same_on_the_page_in_the_document_and_in_the_archive(
    client_of, someone, database, clock
):
    who = someone()
    client = client_of(who)
    first = _job(database, who, clock, 60000.0, "0-AAA-1")
    for side in ("left", "right"):
        for pad in ("inner", "outer"):
            _enter(database, who, clock, first, f"front_{side}", f"pad_mm.{pad}.lead_rim", "8.0")
    second = _job(database, who, clock, 70000.0, "0-AAA-1")
    for place, value in (("front_left", "5.0"), ("front_right", "7.3")):
        for pad in ("inner", "outer"):
            _enter(database, who, clock, second, place, f"pad_mm.{pad}.lead_rim", value)
    with_it = open_job(database, second, by=who, knowledge=knowledge()).inspection.visit.earlier_pads
    assert (with_it.odometer_km, with_it.front_left.inner) == (60000, 8.0)
    told = client.get(f"/jobs/{second}/answer.json").json()
    exported = client.get(f"/jobs/{second}/inspection.json").content
    inspection = parse_inspection(exported)
    answer = diagnose(inspection, knowledge())
    assert whole_document(answer, inspection, PLAINLY, knowledge()) == told
    packed = zipfile.ZipFile(io.BytesIO(client.get(f"/jobs/{second}/archive.zip").content))
    assert json.loads(packed.read("answer.json")) == told
    assert "since the last visit, 10\u00a0000\u00a0km ago" in client.get(f"/jobs/{second}/verdict").text


def test_a_workshops_own_limit_holds_in_its_verdicts_and_nowhere_else(client_of, someone, database, clock):
    lead, other = someone(role="lead"), someone(role="lead")
    pages = []
    for who in (lead, other):
        job = _job(database, who, clock)
        _enter(database, who, clock, job, "rear_left", "pull_n", "50")  # 50 N at 300 mm: 15 N·m
        _enter(database, who, clock, job, "rear_left", "pull_radius_mm", "300")
        pages.append((client_of(who), f"/jobs/{job}/verdict"))
    words = "a wheel drags hard enough to overheat its brake"
    assert not any(words in client.get(page).text for client, page in pages)
    assert pages[0][0].post("/rules", data={"limit.drag_unsafe_nm": "12"}).status_code == 303
    assert [words in client.get(page).text for client, page in pages] == [True, False]
    assert "over 12\u00a0N·m" in pages[0][0].get(pages[0][1]).text
    assert 'name="limit.drag_unsafe_nm" value="12"' in pages[0][0].get("/rules").text


def test_approval_is_a_rule_too(client_of, someone):
    lead = someone(role="lead")
    client = client_of(lead)
    client.post("/rules", data={"approval.verdict": "technician"})
    page = flat(client.get("/rules").text)
    assert 'value="technician" checked' in page
    assert "Whose verdict a lead approves" in page[page.index("Changes") :]


def test_a_rotor_that_will_not_last_the_next_pads_is_offered_on_the_verdict(client_of, someone, database, clock):
    """Two visits 20 000 km apart: 1.2 mm of rotor gone, 0.8 left; the pads lost 1 mm, so the next go much further."""
    who = someone()
    client = client_of(who)
    for km, rotor, pad in ((40000.0, "24.0", "9.0"), (60000.0, "22.8", "8.0")):
        job = _job(database, who, clock, km, "0-AAA-2")
        for corner in ("front_left", "front_right"):
            _enter(database, who, clock, job, corner, "rotor_mm.1", rotor)
            for side in ("inner", "outer"):
                _enter(database, who, clock, job, corner, f"pad_mm.{side}.lead_rim", pad)
    words = "The rotor front left falls under discard before the next pads are worn: offer it now."
    assert words in client.get(f"/jobs/{job}/verdict").text
