"""From verdict to hand-back over HTTP: signing, the work card on screen and paper, proof, the owner's link, outcome."""

from __future__ import annotations

import io
import json
import re
import zipfile

import pypdfium2
import pytest
from icalendar import Calendar
from starlette.testclient import TestClient

from mesotrope.knowledge import knowledge
from mesotrope.services.findings import record_finding
from mesotrope.services.jobs import take_in
from tests.documents import flat

#: What a workshop wants proved after new pads at the rear, as it starts: common practice.
PROVED = [
    ("rear_left", "spin.turns", "5"), ("rear_left", "spin.seconds", "6"), ("rear_right", "spin.turns", "5"),
    ("rear_right", "spin.seconds", "6"), ("rear_left", "leak", "none"), ("rear_right", "leak", "none"),
    ("system", "pedal_hold", "holds"), ("system", "pedal_feel", "firm"), ("system", "visible_leak", "none"),
    ("system", "fluid_level", "MAX"), ("system", "parking_brake_holds", "yes"),
]  # fmt: skip

PAGES = ("card", "prove", "owner", "outcome", "card.pdf", "owner.pdf", "owner/come-back.ics")


@pytest.fixture
def job_of(database, clock):
    """Return a maker of jobs: a torn boot and thin, uneven pads at the rear left."""

    def make(who, registration=""):
        job = take_in(
            database, knowledge(), label="Red van", kind="car", registration=registration, odometer_km=None, usage="",
            complaint="smells hot", confirmed=True, by=who, now=clock(),
        )  # fmt: skip
        for corner, path, value in [
            ("rear_left", "piston_boot", "torn"), ("rear_left", "pad_mm.inner.lead_rim", "1.2"),
            ("rear_left", "pad_mm.outer.lead_rim", "4.0"), ("rear_left", "spin.turns", "1"),
            ("rear_left", "spin.seconds", "1.2"), ("rear_right", "spin.turns", "6"),
            ("rear_right", "spin.seconds", "7"),
        ]:  # fmt: skip
            record_finding(
                database, knowledge(), job, corner, path, value, by=who, now=clock(),
                idempotency_key=f"{job}-{corner}-{path}", confirmed=True,
            )  # fmt: skip
        return job

    return make


def steps_of(client, job):
    """The steps of a work card that can be ticked off."""
    card = client.get(f"{job}/card").text
    return re.findall(r'<li id="step-([^"]+)"', card)


def text_of(pdf):
    document = pypdfium2.PdfDocument(pdf)
    return document, "\n".join(page.get_textpage().get_text_bounded() for page in document)


def test_from_signature_to_release(client_of, someone, job_of):
    apprentice, lead = someone("apprentice", "Chain"), someone("lead", "Chain")
    young, boss = client_of(apprentice), client_of(lead)
    job = f"/jobs/{job_of(apprentice)}"

    assert "Nobody has signed this verdict yet." in young.get(f"{job}/verdict").text
    assert young.post(f"{job}/verdict/sign").status_code == 303
    waits = young.get(f"{job}/verdict").text
    assert "It waits for a lead" in waits
    assert "Approve, as" not in waits
    assert young.post(f"{job}/verdict/approve").status_code == 403
    assert "Approve, as" in boss.get(f"{job}/verdict").text
    assert boss.post(f"{job}/verdict/approve").status_code == 303

    before = boss.get(f"{job}/prove").text
    assert "came in unsafe" in before
    refused = boss.post(f"{job}/prove/release", data={"how": "released"})
    assert (refused.status_code, "came in unsafe" in refused.text) == (422, True)
    steps = steps_of(boss, job)
    assert {"replace_pads", "pump", "nuts"} <= set(steps)
    for step in steps:
        assert boss.post(f"{job}/card/tick", data={"step": step}).status_code == 303
    assert f"{len(steps)} of {len(steps)} done" in boss.get(f"{job}/card").text
    demanded = boss.post(f"{job}/prove/release", data={"how": "released"})
    assert (demanded.status_code, "wants it proved: rear left drag of the wheel" in demanded.text) == (422, True)
    for corner, path, value in PROVED:
        done = boss.post(f"{job}/prove/after", data={"corner": corner, "path": path, "value": value})
        assert done.status_code == 303, (corner, path)
    unnamed = boss.post(f"{job}/prove/release", data={"how": "released"})
    assert (unnamed.status_code, "confirm that it is released without" in unnamed.text) == (422, True)
    without = re.search(r'name="without" value="([^"]+)"', boss.get(f"{job}/prove").text)[1]
    assert boss.post(f"{job}/prove/release", data={"how": "released", "without": without}).status_code == 303
    released = boss.get(f"{job}/prove").text
    assert f"by {lead.name}, 2026-05-04 09:30" in released
    assert re.search("Still open then: .*rear left hub after the drive", released)
    history = boss.get(f"{job}/history").text
    for words in (
        "Decided, done and proved",
        "verdict signed",
        "verdict approved",
        "step of the work card",
        "<b>released</b>",
    ):
        assert words in history
    with zipfile.ZipFile(io.BytesIO(boss.get(f"{job}/archive.zip").content)) as packed:
        records = json.loads(packed.read("records.json"))
    assert [(r["kind"], r["by"]) for r in records[:2]] == [("signed", apprentice.name), ("approved", lead.name)]
    sheet = flat(boss.get(f"{job}/owner").text)
    assert "What remains" not in sheet
    assert "new brake pads were fitted (rear left, rear right)" in sheet
    assert f"Version 1 of this sheet, given 2026-05-04 09:30 by {lead.name}." in sheet


def test_the_card_on_paper_has_its_figures_on_both_papers(client_of, someone, job_of):
    who = someone()
    client, job = client_of(who), job_of(who)
    client.post(f"/jobs/{job}/card/torque", data={
        "fastener": "rear_left/caliper bolts", "asked": "30", "source": "service information, page 4", "read": "31",
    })  # fmt: skip
    for paper, size in (("a4", (595, 842)), ("letter", (612, 792))):
        answer = client.get(f"/jobs/{job}/card.pdf?paper={paper}")
        assert answer.headers["content-type"] == "application/pdf"
        document, text = text_of(answer.content)
        assert tuple(round(side) for side in document[0].get_size()) == size
        assert "Work card: Red van" in text
        assert "Unsafe. Not to be driven until put right." in text
        assert "30 N·m, 22 lb·ft, 266 lb·in" in " ".join(text.split())
        assert "unknown" in text
        assert f"1 of {len(document)}" in text
    assert client.get(f"/jobs/{job}/card.pdf?paper=napkin").status_code == 422


def test_no_torque_is_ever_given_by_the_product(client_of, someone, job_of):
    who = someone()
    page = client_of(who).get(f"/jobs/{job_of(who)}/card").text
    rows = page[page.index('id="torque"') :]
    assert "unknown" in rows
    assert not re.search(r"\d+ N·m", rows)


def test_a_torque_known_from_before_is_offered_with_its_source_to_be_checked(client_of, someone, job_of):
    who = someone()
    client, first = client_of(who), job_of(who, registration="0-AAA-9")
    client.post(f"/jobs/{first}/card/torque", data={
        "fastener": "rear_left/caliper bolts", "asked": "30", "source": "service information, page 4", "read": "31",
    })  # fmt: skip
    for job, when in ((first, "As on the other side"), (job_of(who, registration="0-AAA-9"), "As at the visit of 20")):
        page = client.get(f"/jobs/{job}/card").text
        row = page[page.index('value="rear_right/caliper bolts"') :]
        row = row[: row.index("</form>")]
        assert 'name="asked" value="30"' in row
        assert 'value="service information, page 4"' in row
        assert when.lower() in row.lower()
        assert "see that it still holds" in row
        assert 'name="read" value=""' in row


def test_the_owners_link_shows_the_sheet_and_nothing_else(client_of, someone, job_of, app, clock):
    who = someone()
    client, job = client_of(who), job_of(who)
    made = client.post(f"/jobs/{job}/owner/link").text
    link = re.search(r'value="http://testserver(/sheet/[^"]+)"', made)[1]
    stranger = TestClient(app, base_url="http://testserver", follow_redirects=False)
    page = stranger.get(link)
    assert page.status_code == 200
    assert "What was wrong" in page.text
    assert "not released yet: this is how things stand" in page.text
    for inside in ("/jobs/", "change_token", 'href="/rules"', "Sign out"):
        assert inside not in page.text
    _, text = text_of(stranger.get(f"{link}/sheet.pdf").content)
    assert "smells hot" in text
    assert stranger.get(f"{link}/../jobs/{job}/owner").status_code in (303, 404)
    assert stranger.get(f"/jobs/{job}/owner").status_code == 303  # to the sign-in page
    for other in (f"{link}x", f"{link}/history", f"{link}/0.jpg"):
        assert stranger.get(other).status_code == 404
    clock.forward(60 * 24 * 61)
    assert stranger.get(link).status_code == 404


def test_the_calendar_file_says_when_to_come_back(client_of, someone, job_of):
    who = someone()
    client, job = client_of(who), job_of(who)
    calendar = Calendar.from_ical(client.get(f"/jobs/{job}/owner/come-back.ics").content)
    days = {str(event["summary"]): event["dtstart"].dt.isoformat() for event in calendar.walk("VEVENT")}
    assert days["Red van: wheel nuts tightened again with a torque wrench"] == "2026-05-11"
    assert days["Red van: brakes looked at"] == "2027-05-04"


def test_outcome_and_comeback(client_of, someone, job_of):
    who = someone()
    client, job = client_of(who), job_of(who)
    asked = client.get(f"/jobs/{job}/outcome").text
    assert "front right" not in asked  # nothing was looked at there
    answers = {"at.rear_left": "else", "is.rear_left": "piston_seized_applied", "also.rear_left": "hose_restricted"}
    answers |= {"at.rear_right": "nothing", "at.system": "not_found_out", "how": "cured", "note": "black"}
    client.post(f"/jobs/{job}/outcome", data={"whole": "by_place", **answers})
    page = client.get(f"/jobs/{job}/outcome").text
    for words in (
        "piston seized, holding the brake on and hose holds pressure",
        "nothing wrong",
        "not found out",
        "black",
    ):
        assert words in page
    opened = client.post(f"/jobs/{job}/outcome/comeback", data={"complaint": "hot again"})
    assert "corrected by what came back as" in client.get(f"/jobs/{job}/outcome").text
    again = re.search(r"/jobs/(\d+)/take-in", opened.headers["location"])[1]
    assert f'comeback of <a class="text-link" href="/jobs/{job}/outcome">' in flat(
        client.get(f"/jobs/{again}/outcome").text
    )
    client.post(f"/jobs/{job}/outcome/close")
    assert f'href="/jobs/{job}/' not in client.get("/").text


def test_as_suspected_is_two_taps_and_closes_the_job(client_of, someone, job_of):
    who = someone()
    client, job = client_of(who), job_of(who)
    said = client.get(f"/jobs/{job}/outcome").text
    suspected = re.search(r'<dl class="outcome-suspected">(.*?)</dl>', said, re.S)[1]
    assert "piston not drawn back by its seal" in suspected or "piston seized" in suspected
    data = {"whole": "as_suspected", "how": "seen", "close": "yes", "note": ""}
    done = client.post(f"/jobs/{job}/outcome", data=data, headers={"HX-Request": "true", "HX-Target": "work"})
    assert done.headers["HX-Redirect"] == "/"
    page = client.get(f"/jobs/{job}/outcome").text
    assert "seen in the parts" in page
    assert page.count("nothing wrong") >= 1


def test_bad_input_is_answered_in_place_and_changes_nothing(client_of, someone, job_of):
    who = someone()
    client, job = client_of(who), job_of(who)
    tries = [
        ("card/tick", {"step": "<b>dance</b>"}, "not on this work card"),
        ("card/torque", {"fastener": "rear_left/caliper bolts", "asked": "nan", "source": "x"}, "a number is needed"),
        ("card/torque", {"fastener": "nothing", "read": "3"}, "not on this work card"),
        ("prove/after", {"corner": "rear_left", "path": "spin.seconds", "value": "-4"}, "allowed"),
        ("prove/release", {"how": "restricted"}, "cannot be used"),
        ("verdict/package", {"axle": "rear", "package": "99"}, "choose one of those"),
        ("verdict/overrule", {"corner": "roof", "verdict": "sound"}, "allowed: front left"),
        ("outcome", {"at.rear_left": "else", "is.rear_left": "gremlins", "how": "seen"}, "choose a fault"),
        ("outcome", {"at.rear_left": "else", "how": "seen"}, "choose what it was"),
        ("outcome", {"how": "seen"}, "answer for at least one place"),
        ("outcome", {"whole": "as_suspected"}, "seen in the parts"),
    ]
    for path, data, message in tries:
        answer = client.post(f"/jobs/{job}/{path}", data=data, headers={"HX-Request": "true", "HX-Target": "work"})
        assert (answer.status_code, message in answer.text) == (422, True), (path, answer.text)
        assert answer.headers["HX-Retarget"] == "#message"
        assert "<b>dance" not in answer.text
    assert "0 of " in client.get(f"/jobs/{job}/card").text
    assert client.post(f"/jobs/{job}/prove/after", data={"corner": "x" * 300, "path": "y"}).status_code == 422


def test_another_workshop_finds_none_of_it(client_of, someone, job_of):
    job, stranger = job_of(someone()), client_of(someone())
    for page in PAGES:
        assert stranger.get(f"/jobs/{job}/{page}").status_code == 404, page
    for path, data in [
        ("verdict/sign", {}), ("verdict/approve", {}), ("verdict/package", {"axle": "rear", "package": "0"}),
        ("verdict/overrule", {"corner": "rear_left", "verdict": "sound", "reason": "x"}),
        ("card/tick", {"step": "pump"}), ("card/torque", {"fastener": "x", "read": "3"}),
        ("prove/after", {"corner": "system", "path": "pedal_hold", "value": "holds"}),
        ("prove/stop-gap", {"words": "x"}),
        ("prove/release", {"how": "unsafe"}), ("owner/link", {}), ("owner/withdraw", {}),
        ("outcome", {"whole": "as_suspected", "how": "seen"}), ("outcome/comeback", {"complaint": "x"}),
        ("outcome/close", {}),
    ]:  # fmt: skip
        assert stranger.post(f"/jobs/{job}/{path}", data=data).status_code == 404, path


def test_nothing_changes_without_the_sessions_token(client_of, someone, job_of):
    who = someone()
    client, job = client_of(who), job_of(who)
    del client.headers["X-Change-Token"]
    for path in ("verdict/sign", "card/tick", "prove/release", "owner/link", "outcome/close"):
        data = {"step": "pump", "how": "unsafe"}
        assert client.post(f"/jobs/{job}/{path}", data=data).status_code == 403, path


def released(boss, job, **how):
    """Sign, tick everything off, prove what is demanded, and release."""
    boss.post(f"{job}/verdict/sign", data={"reason": "all is clear"})
    for step in steps_of(boss, job):
        boss.post(f"{job}/card/tick", data={"step": step})
    for corner, path, value in PROVED:
        boss.post(f"{job}/prove/after", data={"corner": corner, "path": path, "value": value})
    without = re.search(r'name="without" value="([^"]+)"', boss.get(f"{job}/prove").text)[1]
    return boss.post(f"{job}/prove/release", data={"how": "released", "without": without, **how})


def test_what_was_given_to_an_owner_never_changes_a_change_is_a_version_of_its_own(client_of, someone, job_of, clock):
    lead = someone("lead")
    boss, job = client_of(lead), f"/jobs/{job_of(lead)}"
    link = re.search(r'value="http://testserver(/sheet/[^"]+)"', boss.post(f"{job}/owner/link").text)[1]
    assert released(boss, job).status_code == 303
    first = boss.get(link).text
    assert "Version 1 of this sheet" in first
    clock.forward(20)
    boss.post(f"{job}/prove/after", data={"corner": "rear_left", "path": "pad_mm.inner.lead_rim", "value": "11.0"})
    assert boss.get(link).text == first
    ours = boss.get(f"{job}/owner").text
    assert "The job was changed after version 1 was given." in ours
    assert boss.post(f"{job}/owner/version").status_code == 303
    second = boss.get(link).text
    assert "Version 2 of this sheet, given 2026-05-04 09:50" in second
    assert "It takes the place of version 1." in second
    assert "after 11.0\u00a0mm" in second
    assert "after 11.0\u00a0mm" not in first
    earlier = boss.get(f"{job}/owner?version=1").text
    assert "Version 1 of this sheet" in earlier
    assert "after 11.0\u00a0mm" not in earlier
    assert boss.get(f"{job}/owner?version=9").status_code == 404
    assert boss.post(f"{job}/owner/version").status_code == 303  # nothing changed: no version 3
    assert "Version 2 of this sheet" in boss.get(link).text


def test_a_sheet_carries_the_workshop_and_its_price_where_the_workshop_wants_it(client_of, someone, job_of):
    lead = someone("lead")
    boss, job = client_of(lead), f"/jobs/{job_of(lead)}"
    described = {"name": lead.workshop, "town": "Oakford", "address": "1 Mill Lane", "telephone": "0-555-1",
                 "time_zone": "America/New_York", "date_style": "month_first"}  # fmt: skip
    assert boss.post("/workshop", data=described).status_code == 303
    released(boss, job)
    sheet = boss.get(f"{job}/owner").text
    assert "1 Mill Lane" in sheet
    assert "Telephone 0-555-1" in sheet
    assert "05/04/2026 05:30" in sheet  # 09:30 UTC in New York, month first
    assert "Parts and labor" not in sheet
    assert boss.post("/rules", data={"paper.prices": "yes"}).status_code == 303
    other = f"/jobs/{job_of(lead)}"
    released(boss, other)
    assert re.search(r"Parts and labor: [\d ]+ EUR", boss.get(f"{other}/owner").text)


def test_a_stop_gap_is_a_plan_and_the_owner_signs_for_it(client_of, someone, job_of):
    lead = someone("lead")
    boss, job = client_of(lead), f"/jobs/{job_of(lead)}"
    nobody_told = boss.post(f"{job}/prove/acknowledged", data={"name": "A. Owner"})
    assert (nobody_told.status_code, "none that an owner could be told of" in nobody_told.text) == (422, True)
    nothing = boss.post(f"{job}/prove/stop-gap", data={"until": "Friday"})
    assert (nothing.status_code, "what was only tided over is needed" in nothing.text) == (422, True)
    plan = {"what": "left piston freed", "until": "Friday", "restriction": "no trailer", "told": "it may stick again",
            "declined": "a new caliper today"}  # fmt: skip
    assert boss.post(f"{job}/prove/stop-gap", data=plan).status_code == 303
    for drawn in ("1,2 3,x", "<svg>", "1,2;" * 9000):
        assert boss.post(f"{job}/prove/acknowledged", data={"name": "A. Owner", "drawn": drawn}).status_code == 422
    signed = {"name": "A. Owner", "drawn": "10,20 30,40;50,60 70,80"}
    assert boss.post(f"{job}/prove/acknowledged", data=signed).status_code == 303
    page = boss.get(f"{job}/prove").text
    assert 'points="10,20 30,40"' in page
    assert 'value="no trailer"' in page[page.index('name="restriction"') :][:200]  # goes into the release
    sheet = boss.get(f"{job}/owner").text
    for words in ("left piston freed", "Friday", "no trailer", "it may stick again", "a new caliper today", "A. Owner"):
        assert words in sheet
    boss.post(f"{job}/prove/stop-gap", data=plan | {"until": "Monday"})
    assert "The stop-gap was changed since: ask again." in boss.get(f"{job}/prove").text
    assert "Acknowledged by" not in boss.get(f"{job}/owner").text  # of another plan


def test_a_workshop_says_which_proofs_it_demands(client_of, someone, job_of):
    lead = someone("lead")
    boss, job = client_of(lead), f"/jobs/{job_of(lead)}"
    assert boss.post("/rules", data={"proof.warmth": "must"}).status_code == 303
    refused = released(boss, job)
    assert (refused.status_code, "wants it proved: rear left hub after the drive" in refused.text) == (422, True)
    assert boss.post("/rules", data={"proof.warmth": "may"}).status_code == 303
    assert released(boss, job).status_code == 303
    assert boss.post("/rules", data={"proof.warmth": "perhaps"}).status_code == 422


def test_a_card_takes_steps_parts_numbers_notes_and_struck_out_steps_of_ones_own(client_of, someone, job_of):
    lead = someone("lead")
    boss, job = client_of(lead), f"/jobs/{job_of(lead)}"

    def post(what, **data):
        return boss.post(f"{job}/card/{what}", data=data)

    assert post("own-step", phase="friction", words="file the pad ears").status_code == 303
    assert post("own-step", phase="friction", words="file them again").status_code == 303
    assert post("own-part", words="anti-rattle spring", number="AR 7", count="2").status_code == 303
    page = boss.get(f"{job}/card").text
    assert page.index("file the pad ears") > page.index('id="phase-friction"')
    assert "<b>2 ×</b> anti-rattle spring" in page
    assert "AR 7" in page
    part = re.search(r'name="part" value="([^"]+)"', page)[1]
    assert post("part-number", part=part, number="P-1").status_code == 303
    assert post("note", step="replace_pads", words="left ear burred").status_code == 303
    assert post("strike", step="pump", reason="").status_code == 422
    assert post("strike", step="pump", reason="held by a helper").status_code == 303
    page = boss.get(f"{job}/card").text
    for words in ("P-1", "left ear burred", "held by a helper"):
        assert words in page
    _, paper = text_of(boss.get(f"{job}/card.pdf").content)
    for words in ("File the pad ears", "AR 7", "Note: left ear burred", "Struck out: held by a helper"):
        assert words in paper
    assert post("tick", step="own_1").status_code == 303
    assert post("take-away", kind="own_step", number="1").status_code == 303
    assert "file the pad ears" not in boss.get(f"{job}/card").text
    assert post("own-step", phase="friction", words="third").status_code == 303  # never the number of one taken off
    assert 'id="step-own_3"' in boss.get(f"{job}/card").text
    for what, data, said in [
        ("own-step", {"phase": "lunch", "words": "eat"}, "allowed: find the cause first"),
        ("own-part", {"words": "x", "count": "0"}, "allowed: 1 to 99"), ("own-part", {"words": " "}, "cannot be empty"),
        ("part-number", {"part": "wheel", "number": "1"}, "not on this work card"),
        ("note", {"step": "nap", "words": "x"}, "not on this work card"),
        ("take-away", {"kind": "release", "number": "1"}, "a step or a part of one"),
    ]:  # fmt: skip
        refused = boss.post(f"{job}/card/{what}", data=data)
        assert (refused.status_code, said in refused.text) == (422, True), what
    assert post("tick", step="overlooked_hoses").status_code == 303
    assert "hoses: done" in boss.get(f"{job}/card").text


def test_a_workshop_leaves_details_out_and_adds_lines_of_its_own(client_of, someone, job_of):
    lead = someone("lead")
    boss, job = client_of(lead), f"/jobs/{job_of(lead)}"
    beside = "old beside new: same plate"
    assert beside in boss.get(f"{job}/card").text
    rules = {"detail.beside": "off", "own_lines.friction": "photograph the edge code\n\nkeep the old pads"}
    assert boss.post("/rules", data=rules).status_code == 303
    page = boss.get(f"{job}/card").text
    assert beside not in page
    assert "photograph the edge code" in page
    assert "keep the old pads" in page
    _, paper = text_of(boss.get(f"{job}/card.pdf").content)
    assert "photograph the edge code" in paper
    assert boss.post("/rules", data={"paper.details": "no"}).status_code == 303
    _, paper = text_of(boss.get(f"{job}/card.pdf").content)
    assert "photograph the edge code" not in paper
    assert boss.post("/rules", data={"detail.beside": "maybe"}).status_code == 422


def test_an_overruled_corner_changes_plan_axle_card_and_sheet(client_of, someone, job_of):
    lead = someone("lead")
    boss, job = client_of(lead), f"/jobs/{job_of(lead)}"

    def overrule(**data):
        return boss.post(f"{job}/verdict/overrule", data={"corner": "rear_right", **data})

    needs_work = overrule(verdict="replace", reason="x")
    assert (needs_work.status_code, "name what is done there" in needs_work.text) == (422, True)
    sound = overrule(verdict="sound", action="replace_hose", reason="x")
    assert (sound.status_code, "a sound corner needs none" in sound.text) == (422, True)
    unknown = overrule(verdict="replace", action="pray", reason="x")
    assert (unknown.status_code, "choose from the list" in unknown.text) == (422, True)
    assert overrule(verdict="replace", action="replace_hose", reason="hose perished").status_code == 303
    verdict = boss.get(f"{job}/verdict").text
    assert "Overruled: replace." in verdict
    assert "overruled: hose perished" in verdict
    card = boss.get(f"{job}/card").text
    assert 'id="step-replace_hose"' in card
    assert 'id="step-bleed_system"' in card  # the hydraulics are opened
    assert "the rubber hose to the brake was damaged" in boss.get(f"{job}/owner").text


def test_the_order_list_sums_parts_over_jobs_whose_verdict_stands(client_of, someone, job_of, clock):
    lead = someone("lead", "Order")
    boss = client_of(lead)
    jobs = [f"/jobs/{job_of(lead, registration=f'0-ORD-{number}')}" for number in range(3)]
    assert "Nothing is to be ordered." in boss.get("/orders").text  # nobody has signed
    for job in jobs[:2]:
        boss.post(f"{job}/verdict/sign")
    boss.post(f"{jobs[0]}/card/part-number", data={"part": "axle set of pads", "number": "P-9"})
    page = flat(boss.get("/orders").text)
    pads = re.search(r"<b>(\d+)</b></td><td>axle set of pads</td><td>([^<]*)<", page)
    assert pads.groups() == ("2", "P-9")
    assert "0-ORD-2" not in page
    clock.forward(1)
    assert boss.post(f"{jobs[0]}/ordered").status_code == 303
    page = flat(boss.get("/orders").text)
    assert re.search(r"<b>(\d+)</b></td><td>axle set of pads", page)[1] == "1"
    assert f"ordered by {lead.name}" in page
    boss.post(f"{jobs[0]}/ordered", data={"done": "no"})
    assert "ordered by" not in boss.get("/orders").text


def test_what_the_product_would_say_otherwise_by_now_is_no_change_of_the_job(client_of, someone, job_of):
    lead = someone("lead", "Later")
    boss, job = client_of(lead), f"/jobs/{job_of(lead)}"
    released(boss, job)
    assert boss.post("/rules", data={"paper.prices": "yes"}).status_code == 303  # another sheet would be made now
    page = boss.get(f"{job}/owner").text
    assert "The job was changed" not in page
    assert "Version 1 of this sheet" in page
    assert f"Released by {lead.name}" in boss.get(f"{job}/card").text
    boss.post(f"{job}/owner/version")
    assert "Version 1 of this sheet" in boss.get(f"{job}/owner").text
