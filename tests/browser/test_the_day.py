"""A whole day in the browser: an apprentice on a tablet, a technician, a lead; with a network that goes and comes."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import expect

from tests.browser.test_first_axle import new_job
from tests.browser.test_whole_inspection import signed_in

pytestmark = pytest.mark.browser

SAVED = re.compile(r"^saved \d")
TABLET = {"viewport": {"width": 820, "height": 1180}, "has_touch": True}
DESK = {"viewport": {"width": 1280, "height": 800}}

#: A plan and a verdict come with these figures: pads at their end.
THIN = ("front-left-pad-mm-inner-lead-rim", "front-left-pad-mm-outer-lead-rim")


def row(page, name):
    return page.locator(".day-row").filter(has=page.locator(".bay-vehicle b", has_text=name))


def saved(page):
    expect(page.locator("#saved")).to_contain_text(SAVED, timeout=15000)


def unfold(page, name):
    """Unfold what can be settled of a job."""
    more = row(page, name).locator("details")
    if more.get_attribute("open") is None:
        more.locator("summary").click()
    return row(page, name)


@pytest.fixture
def people(browser, address):
    """Wen on a tablet, Bram and Ilse at a desk."""
    pages = [
        signed_in(browser, address, name, **where)
        for name, where in (("Wen Hallam", TABLET), ("Bram Oddie", DESK), ("Ilse Tarrow", DESK))
    ]
    yield pages
    for page in pages:
        page.context.close()


def test_a_job_goes_through_the_day_from_hand_to_hand(people, address):
    wen, bram, ilse = people
    job = new_job(bram, address, "Saffron van")

    # Bram hands it on, with a note; Wen finds it among hers, on the tablet, by touch.
    bram.goto(f"{address}/")
    here = unfold(bram, "Saffron van")
    here.get_by_label("Hand on to").select_option(label="Wen Hallam")
    here.get_by_label("with a note").fill("front left first")
    here.get_by_role("button", name="Hand on").click()
    saved(bram)
    wen.goto(f"{address}/")
    wen.get_by_role("link", name=re.compile("^mine")).tap()
    expect(row(wen, "Saffron van")).to_contain_text("“front left first”")
    expect(row(wen, "Saffron van")).to_contain_text(re.compile("to be inspected", re.IGNORECASE))

    # She measures and signs; the lead approves from the list.
    row(wen, "Saffron van").locator("a.bay").tap()
    wen.wait_for_url(re.compile(f"{job}/"))
    wen.goto(f"{job}/strip?axle=front")
    for field in THIN:
        wen.locator(f"#{field}").fill("1")
        wen.keyboard.press("Enter")
        if wen.locator(f"#message-{field} button").count():
            wen.locator(f"#message-{field} button").first.tap()
    saved(wen)
    wen.goto(f"{job}/verdict")
    wen.get_by_role("button", name="Sign, as Wen Hallam").tap()
    expect(wen.locator("#sign")).to_contain_text("It waits for a lead")
    expect(row(wen, "Saffron van")).to_have_count(0)
    ilse.goto(f"{address}/")
    approvals = ilse.locator(".approval").filter(has_text="Saffron van")
    approvals.get_by_role("button", name="Approve, as Ilse Tarrow").click()
    saved(ilse)
    expect(ilse.locator(".approval").filter(has_text="Saffron van")).to_have_count(0)
    expect(row(ilse, "Saffron van")).to_contain_text(re.compile("owner’s word", re.IGNORECASE))

    # The owner agrees; parts are ordered and come; the work begins.
    here = unfold(ilse, "Saffron van")
    here.get_by_label("The owner agreed to").select_option("yes")
    here.locator("form[action$='/day/owner'] button").click()
    saved(ilse)
    expect(row(ilse, "Saffron van")).to_contain_text(re.compile("parts: to be ordered", re.IGNORECASE))
    bram.goto(f"{address}/orders")
    bram.get_by_label("Saffron van: ordered", exact=True).click()
    saved(bram)
    bram.get_by_role("button", name="Saffron van: the parts are here").click()
    saved(bram)
    bram.goto(f"{address}/?whose=&waits=work")
    expect(row(bram, "Saffron van")).to_contain_text(re.compile(r"work: step 1 of \d+", re.IGNORECASE))
    bram.goto(f"{job}/card")
    bram.locator(".tick").first.click()
    saved(bram)
    bram.goto(f"{address}/")
    expect(row(bram, "Saffron van")).to_contain_text(re.compile(r"work: step 2 of \d+", re.IGNORECASE))


def test_two_people_settle_the_same_job_and_the_last_word_stands_with_both_kept(people, address):
    _, bram, ilse = people
    job = new_job(bram, address, "Umber van")
    for page in (bram, ilse):
        page.goto(f"{address}/")
        here = unfold(page, "Umber van")
        here.get_by_role("button", name="Take it over").click()
        saved(page)
    bram.goto(f"{address}/")
    expect(row(bram, "Umber van")).to_contain_text("Ilse Tarrow")
    bram.goto(f"{job}/history")
    expect(bram.get_by_text("handed on to")).to_have_count(2)


def test_a_promise_without_a_network_is_kept_on_the_device_and_sent_once(people, address):
    _, bram, _ = people
    new_job(bram, address, "Sienna van")
    bram.goto(f"{address}/")
    here = unfold(bram, "Sienna van")
    bram.context.set_offline(True)
    here.locator("form[action$='/day/waits'] select").select_option("other")
    here.get_by_label("which").fill("the neighbour’s press")
    here.locator("form[action$='/day/waits'] button").dblclick()
    expect(bram.locator("#saved")).to_contain_text("kept on this device")
    bram.context.set_offline(False)
    saved(bram)
    expect(row(bram, "Sienna van")).to_contain_text(re.compile("the neighbour’s press", re.IGNORECASE))
    bram.reload()
    expect(row(bram, "Sienna van")).to_contain_text(re.compile("the neighbour’s press", re.IGNORECASE))


def test_what_is_refused_is_said_and_what_was_typed_stays(people, address):
    _, bram, _ = people
    new_job(bram, address, "Mauve van")
    bram.goto(f"{address}/")
    here = unfold(bram, "Mauve van")
    here.get_by_label("Promised for").fill("2020-01-01")
    here.locator("form[action$='/day/promised'] button").click()
    expect(bram.locator(".entry-problem").first).to_contain_text("it lies in the past")
    expect(row(bram, "Mauve van").get_by_label("Promised for")).to_have_value("2020-01-01")


def test_one_key_finds_from_any_page(people, address):
    _, bram, _ = people
    for where in ("/", "/rules", "/jobs/2/card"):
        bram.goto(f"{address}{where}")
        bram.keyboard.press("F2" if where == "/" else "/")
        expect(bram.locator("#find")).to_be_focused()
    bram.keyboard.type("0-qlb-0")
    bram.keyboard.press("Enter")
    expect(bram.get_by_role("link", name="Grey estate")).to_be_visible()
    bram.goto(f"{address}/jobs/2/strip?axle=front")
    bram.locator("#front-left-pad-mm-inner-lead-rim").focus()
    bram.keyboard.press("F2")
    bram.wait_for_url(f"{address}/find")


def test_a_dismissal_needs_its_reason_and_an_erasure_its_word(people, address):
    _, _, ilse = people
    job = new_job(ilse, address, "Russet van")
    ilse.goto(f"{address}/owners")
    form = ilse.locator("form[action='/owners#add']")
    form.get_by_label("Name").fill("Tilda Ray")
    form.get_by_role("button", name="Add").click()
    expect(ilse.get_by_role("heading", name="Tilda Ray")).to_be_visible()
    ilse.get_by_text("Erase this owner").click()
    ilse.get_by_label("Write “erase” to confirm").fill("erase")
    ilse.get_by_role("button", name="Erase for good").click()
    ilse.wait_for_url(f"{address}/owners")
    expect(ilse.get_by_text("Tilda Ray")).to_have_count(0)
    assert job


@pytest.mark.parametrize("width", [1280, 820, 390])
def test_what_is_under_more_can_be_reached_at_any_width(people, address, width):
    _, bram, _ = people
    bram.set_viewport_size({"width": width, "height": 844})
    bram.goto(f"{address}/")
    bram.get_by_text("More", exact=True).click()
    link = bram.get_by_role("link", name="Figures of the workshop")
    box = link.bounding_box()
    assert box["x"] >= 0
    assert box["x"] + box["width"] <= width
    link.click()
    expect(bram.get_by_role("heading", name="Figures of the workshop")).to_be_visible()
