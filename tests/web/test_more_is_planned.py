"""More is found while the vehicle is worked on: what was done, measured, ordered, agreed to and released before does
not stand for it; and nobody signs, ticks off or releases what their page did not show. Common practice throughout."""

from __future__ import annotations

import html
import json
import re

import pytest

from mesotrope.knowledge import knowledge
from mesotrope.services.findings import record_finding
from mesotrope.services.outcomes import outcome_of
from mesotrope.services.proving import keep_after, tick_step
from mesotrope.services.signing_in import who_is
from mesotrope.web.cookies import SESSION
from tests.documents import flat
from tests.web.test_hand_over import PROVED, job_of
from tests.web.test_pages import HTMX

__all__ = ["job_of"]  # a fixture


@pytest.fixture
def found_more(database, clock):
    """Return what finds both front pads worn out: an axle that nothing was planned for."""

    def find(job, who):
        for corner in ("front_left", "front_right"):
            for side in ("inner", "outer"):
                record_finding(
                    database, knowledge(), int(job.rpartition("/")[2]), corner, f"pad_mm.{side}.lead_rim", "1.1",
                    by=who, now=clock(), idempotency_key=f"more-{job}-{corner}-{side}", confirmed=True,
                )  # fmt: skip

    return find


@pytest.fixture
def worked(app, client_of, someone, job_of, clock, request):
    """A lead's client and a job whose rear brakes were done: signed, agreed, ordered, ticked off and measured."""
    lead = someone("lead", request.node.name[:60])
    boss = client_of(lead)
    job = f"/jobs/{job_of(lead)}"
    assert boss.post(f"{job}/verdict/sign").status_code == 303
    assert boss.post(f"{job}/day/owner", data={"what": "yes"}).status_code == 303
    for act in ("ordered", "parts-here"):
        assert boss.post(f"{job}/{act}").status_code == 303
    shop, number = app.state.shop, int(job.rpartition("/")[2])
    here = shop.planned(lead, number)
    steps = {step.id: step.done_for for step in here.card.steps}
    for step in steps:
        tick_step(shop.database, number, step, steps, True, by=lead, now=clock())
    for corner, path, value in PROVED:
        keep_after(shop.database, knowledge(), number, corner, path, value, here.work, by=lead, now=clock())
    return boss, lead, job


def released(boss, job):
    without = re.search(r'name="without" value="([^"]+)"', boss.get(f"{job}/prove").text)[1]
    return boss.post(f"{job}/prove/release", data={"how": "released", "without": without})


def row_of(boss, job, step):
    """One step of the card as it is shown."""
    card = boss.get(f"{job}/card").text
    return flat(re.search(rf'<li id="step-{step}".*?(?=<li id="step-|</section>)', card, re.DOTALL)[0])


def test_a_step_that_was_done_for_one_axle_is_not_done_for_the_other(worked, found_more, clock):
    boss, lead, job = worked
    assert 'aria-pressed="true"' in row_of(boss, job, "replace_pads")
    clock.forward(5)
    found_more(job, lead)
    pads = row_of(boss, job, "replace_pads")
    assert 'aria-pressed="false"' in pads
    assert f"Done before: {lead.name}, 2026-05-04 09:30; now also front left, front right." in pads
    # what follows from all of the work is to be done again: the pedal is soft once more
    for step in ("pump", "spin_again", "nuts", "torque"):
        again = row_of(boss, job, step)
        assert "more was planned since: do it again" in again, step
        assert 'aria-pressed="false"' in again
    # what only concerns the other axle stands
    assert 'aria-pressed="true"' in row_of(boss, job, "pistons_home_rear")
    boss.post(f"{job}/card/tick", data={"step": "replace_pads"})
    assert 'aria-pressed="true"' in row_of(boss, job, "replace_pads")


def test_a_vehicle_that_came_in_unsafe_does_not_leave_before_what_came_since_is_done(worked, found_more):
    boss, lead, job = worked
    found_more(job, lead)
    boss.post(f"{job}/verdict/sign")
    refused = released(boss, job)
    assert refused.status_code == 422
    assert "not every action that puts it right is ticked off" in refused.text


def test_what_was_measured_before_is_measured_again_where_the_new_work_tells(worked, found_more):
    boss, lead, job = worked
    found_more(job, lead)
    page = flat(boss.get(f"{job}/prove").text)
    assert "holds before more was planned: measure it again" in page
    assert page.count("before more was planned") == 5  # the pedal, the fluid, a leak, the parking brake; no rear wheel
    boss.post(f"{job}/prove/after", data={"corner": "system", "path": "pedal_hold", "value": "holds"})
    assert flat(boss.get(f"{job}/prove").text).count("before more was planned") == 4
    history = flat(boss.get(f"{job}/history").text)
    assert "measured after" in history
    assert "{'is'" not in history


def test_a_release_does_not_stand_for_what_was_found_after_it(worked, found_more, clock):
    boss, lead, job = worked
    assert released(boss, job).status_code == 303
    assert "Released by" in flat(boss.get(f"{job}/card").text)
    clock.forward(10)
    found_more(job, lead)
    page = flat(boss.get(f"{job}/prove").text)
    assert (
        f"Released by {lead.name}, 2026-05-04 09:30; since then planned: new pads (front left, front right); " in page
    )
    assert "It is to be released again." in page
    assert "released-notice" not in page
    assert "Released by" not in flat(boss.get(f"{job}/card").text)
    assert boss.post(f"{job}/owner/version").status_code == 303
    sheet = flat(boss.get(f"{job}/owner").text)
    assert "new brake pads were fitted (rear left, rear right)" in sheet
    assert "new brake pads are needed (front left, front right)" in sheet
    assert "to be collected" not in flat(boss.get("/").text)


def test_only_what_came_since_is_to_be_ordered_and_the_owner_is_asked_again(worked, found_more):
    boss, lead, job = worked
    assert "Nothing is to be ordered." in boss.get("/orders").text
    found_more(job, lead)
    boss.post(f"{job}/verdict/sign")
    assert "owner’s word: what came since" in flat(boss.get("/").text)
    boss.post(f"{job}/day/owner", data={"what": "yes"})
    assert "parts: more to be ordered" in flat(boss.get("/").text)
    page = flat(boss.get("/orders").text)
    to_order, ordered = page.split("By job")[0], page.split("Ordered</h2>")[1]
    assert re.search(r"<b>(\d+)</b></td><td>axle set of pads", to_order)[1] == "1"
    assert "caliper" not in to_order  # the rear one is here
    assert "1 × axle set of pads" in ordered
    boss.post(f"{job}/ordered")
    assert "Nothing is to be ordered." in boss.get("/orders").text
    assert "more to be ordered" not in flat(boss.get("/").text)


def test_what_the_workshop_charges_otherwise_by_now_takes_no_release_back(worked):
    boss, _, job = worked
    assert released(boss, job).status_code == 303
    boss.post("/rules", data={"cost.replace_rotor.parts": "1"})
    assert "released-notice" in boss.get(f"{job}/prove").text


# -- what a page did not show ------------------------------------------------------------------------------------


def shown(page, name):
    return re.search(rf'name="{name}" value="([^"]+)"', page)[1]


def test_nobody_signs_approves_or_releases_a_plan_that_their_page_did_not_show(
    client_of,
    someone,
    job_of,
    found_more,
):
    apprentice, lead = someone("apprentice", "Seen"), someone("lead", "Seen")
    young, boss = client_of(apprentice), client_of(lead)
    job = f"/jobs/{job_of(apprentice)}"
    plan = shown(young.get(f"{job}/verdict").text, "plan")
    found_more(job, lead)
    refused = young.post(f"{job}/verdict/sign", data={"plan": plan}, headers=HTMX)
    assert (refused.status_code, "has changed since this page was read" in refused.text) == (409, True)
    assert "data-look-again" in refused.text
    now = young.get(f"{job}/verdict").text
    assert "Nobody has signed this verdict yet." in now
    assert young.post(f"{job}/verdict/sign", data={"plan": shown(now, "plan")}).status_code == 303
    assert boss.post(f"{job}/verdict/approve", data={"plan": plan}).status_code == 409
    assert boss.post(f"{job}/prove/release", data={"how": "unsafe", "plan": plan}).status_code == 409
    assert boss.post(f"{job}/verdict/approve", data={"plan": shown(now, "plan")}).status_code == 303


def test_a_package_is_the_one_that_stood_there(client_of, someone, job_of):
    lead = someone("lead", "Pack")
    boss = client_of(lead)
    job = f"/jobs/{job_of(lead)}"
    offered = re.findall(r'<option value="(\d+/[0-9a-f]+)"', boss.get(f"{job}/verdict").text)
    first, second = offered[0], offered[1]
    another = f"{second.partition('/')[0]}/{first.partition('/')[2]}"
    asked = {"axle": "rear", "reason": "owner’s wish"}
    assert boss.post(f"{job}/verdict/package", data={**asked, "package": another}).status_code == 409
    assert boss.post(f"{job}/verdict/package", data={**asked, "package": second}).status_code == 303


def test_a_tick_that_was_made_before_the_plan_grew_is_for_what_it_was_made_for(worked, found_more):
    """Without a network a tick waits on the device, and is sent when more is planned already."""
    boss, lead, job = worked
    boss.post(f"{job}/card/tick", data={"step": "replace_pads", "done": "no"})
    card = boss.get(f"{job}/card").text
    seen = shown(card[card.index('<li id="step-replace_pads"') :], "seen")
    found_more(job, lead)
    assert boss.post(f"{job}/card/tick", data={"step": "replace_pads", "seen": seen}).status_code == 303
    assert "now also front left, front right" in row_of(boss, job, "replace_pads")
    elsewhere = boss.post(f"{job}/card/tick", data={"step": "pistons_home_front", "seen": "rear"})
    assert elsewhere.status_code == 409


def test_a_step_struck_out_for_one_axle_is_not_struck_out_for_the_other(worked, found_more):
    boss, lead, job = worked
    boss.post(f"{job}/card/tick", data={"step": "replace_pads", "done": "no"})
    boss.post(f"{job}/card/strike", data={"step": "replace_pads", "reason": "owner fits them"})
    assert "Struck out:" in row_of(boss, job, "replace_pads")
    found_more(job, lead)
    row = row_of(boss, job, "replace_pads")
    assert "Struck out:" not in row
    assert "Struck out before:" in row
    assert "now also front left, front right" in row


def test_parts_that_the_page_did_not_show_are_not_ordered(worked, found_more):
    boss, lead, job = worked
    for act, name in (("ordered", "done"), ("parts-here", "here")):
        boss.post(f"{job}/{act}", data={name: "no"})
    seen = html.unescape(shown(boss.get("/orders").text, "seen"))
    assert json.loads(seen)["axle set of pads"] == "1"
    found_more(job, lead)
    boss.post(f"{job}/verdict/sign")
    boss.post(f"{job}/ordered", data={"seen": seen})
    to_order = flat(boss.get("/orders").text).split("By job")[0]
    assert re.search(r"<b>(\d+)</b></td><td>axle set of pads", to_order)[1] == "1"


def test_two_people_who_measure_the_same_again_are_told_of_each_other(client_of, someone, job_of):
    lead = someone("lead", "Both")
    boss, other = client_of(lead), client_of(someone("technician", "Both"))
    job = f"/jobs/{job_of(lead)}"
    asked = {"corner": "rear_left", "path": "spin.turns"}
    assert boss.post(f"{job}/prove/after", data={**asked, "value": "5", "seen": "="}).status_code == 303
    again = {**asked, "value": "7", "seen": "="}
    refused = other.post(f"{job}/prove/after", data=again, headers=HTMX)
    assert refused.status_code == 409
    assert "Somebody else changed this since you opened the page: turns of the wheel" in refused.text
    assert "data-look-again" in refused.text
    field = re.search(r'id="after-rear_left-spin-turns"[^>]*value="([^"]*)"', other.get(f"{job}/prove").text)
    assert field[1] == "5"
    assert other.post(f"{job}/prove/after", data={**again, "seen": "=5.0"}).status_code == 303  # seen, and meant
    # one's own figure is put right from a page that still holds what stood before it
    assert other.post(f"{job}/prove/after", data={**again, "value": "8"}).status_code == 303
    # and the same figure measured by both is no clash
    assert boss.post(f"{job}/prove/after", data={**asked, "value": "8", "seen": "=5.0"}).status_code == 303


@pytest.fixture
def two(client_of, someone, job_of, request):
    """Two people of one workshop at one job."""
    workshop = request.node.name[:60]
    lead = someone("lead", workshop)
    return client_of(lead), client_of(someone("technician", workshop)), f"/jobs/{job_of(lead)}"


def row_shown(client, job, fastener):
    """The hidden field of a torque's row, and what stands in its three fields."""
    card = client.get(f"{job}/card").text
    row = re.search(rf'value="{re.escape(fastener)}".*?</form>', card, re.DOTALL)[0]
    lines = {name: re.search(rf'name="{name}"[^>]*value="([^"]*)"', row)[1] for name in ("asked", "source", "read")}
    return html.unescape(shown(row, "seen")), lines


def test_a_torque_of_two_people_keeps_what_each_wrote(two):
    """One writes the maker's torque down while the other, whose page has none yet, reads the wrench."""
    boss, other, job = two
    fastener = "rear_left/caliper bolts"
    seen, lines = row_shown(other, job, fastener)
    assert lines == {"asked": "", "source": "", "read": ""}
    maker = {"fastener": fastener, "asked": "30", "source": "service information, page 4", "read": ""}
    assert boss.post(f"{job}/card/torque", data={**maker, "seen": seen}).status_code == 303
    read = {"fastener": fastener, "asked": "", "source": "", "read": "31", "seen": seen}
    assert other.post(f"{job}/card/torque", data=read).status_code == 303
    seen, lines = row_shown(boss, job, fastener)
    assert lines == {"asked": "30", "source": "service information, page 4", "read": "31"}
    # both write the same: the second is told of the first
    boss.post(f"{job}/card/torque", data={**maker, "read": "29", "seen": seen})
    refused = other.post(f"{job}/card/torque", data={**maker, "read": "33", "seen": seen}, headers=HTMX)
    assert refused.status_code == 409
    assert "torque read, now “29”" in refused.text


def test_a_stop_gap_of_two_people_keeps_what_each_wrote(two):
    boss, other, job = two
    seen = html.unescape(shown(boss.get(f"{job}/prove").text.partition("stop-gap-form")[2], "seen"))
    boss.post(f"{job}/prove/stop-gap", data={"what": "piston freed", "seen": seen})
    seen = html.unescape(shown(boss.get(f"{job}/prove").text.partition("stop-gap-form")[2], "seen"))
    boss.post(f"{job}/prove/stop-gap", data={"what": "piston freed", "restriction": "no trailer", "seen": seen})
    other.post(f"{job}/prove/stop-gap", data={"what": "piston freed", "until": "Friday", "seen": seen})
    page = boss.get(f"{job}/prove").text
    assert 'value="no trailer"' in page
    assert 'value="Friday"' in page
    refused = boss.post(f"{job}/prove/stop-gap", data={"what": "piston freed", "until": "Monday", "seen": seen})
    assert refused.status_code == 409
    assert "until when, now “Friday”" in refused.text


@pytest.mark.parametrize(
    ("address", "fields", "name", "called"),
    [
        ("note", {"step": "pump"}, "words", "note"),
        ("part-number", {"part": "axle set of pads"}, "number", "part number"),
    ],
)
def test_a_line_that_two_people_write_is_asked_about(two, address, fields, name, called):
    boss, other, job = two
    nothing = json.dumps({name: ""})
    assert boss.post(f"{job}/card/{address}", data={**fields, name: "mine", "seen": nothing}).status_code == 303
    refused = other.post(f"{job}/card/{address}", data={**fields, name: "theirs", "seen": nothing}, headers=HTMX)
    assert refused.status_code == 409
    assert f"{called}, now “mine”" in refused.text
    meant = {**fields, name: "theirs", "seen": json.dumps({name: "mine"})}
    assert other.post(f"{job}/card/{address}", data=meant).status_code == 303
    assert "theirs" in boss.get(f"{job}/card").text


def test_as_suspected_is_what_the_page_said_was_suspected(two, database, clock, found_more):
    """The outcome is what the product learns from: nobody confirms a suspect that came after they looked."""
    boss, other, job = two
    number = int(job.rpartition("/")[2])
    seen = html.unescape(shown(boss.get(f"{job}/outcome").text, "seen"))
    assert json.loads(seen)["rear_right"] == ""
    for path, value in (("pin.upper", "seized"), ("pin.lower", "seized"), ("spin.turns", "1"), ("spin.seconds", "1.1")):
        entry = {
            "corner": "rear_right",
            "path": path,
            "value": value,
            "stage": "strip",
            "axle": "rear",
            "confirmed": "yes",
        }
        keyed = {**HTMX, "Idempotency-Key": f"after-the-page-{path}"}
        assert other.post(f"{job}/findings", data=entry, headers=keyed).status_code == 200
    assert json.loads(html.unescape(shown(boss.get(f"{job}/outcome").text, "seen")))["rear_right"] != ""
    confirmed = {"whole": "as_suspected", "how": "seen", "seen": seen}
    assert boss.post(f"{job}/outcome", data=confirmed).status_code == 303
    by = who_is(database, boss.cookies[SESSION], now=clock())
    assert outcome_of(database, number, by=by).found["rear_right"].faults == ()
