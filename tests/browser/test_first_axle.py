"""The real thing in the browser: from sign-in to a verdict on one axle, by keyboard."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import expect

pytestmark = pytest.mark.browser


def new_job(page, address, label):
    """Take a vehicle in by keyboard and return the address of its job."""
    page.goto(f"{address}/take-in")
    page.get_by_label("Name, as you call it").fill(label)
    page.get_by_label("Complaint").fill("left front drags")
    page.get_by_role("button", name="Open the job").press("Enter")
    page.wait_for_url(re.compile(r"/jobs/\d+/take-in"))
    return page.url.rsplit("/", 1)[0]


def type_on(page, *texts):
    """Type each text where the cursor is and go on with Enter, as a hand does."""
    for text in texts:
        page.keyboard.type(text)
        page.keyboard.press("Enter")


def saved(page):
    expect(page.locator("#saved")).to_contain_text(re.compile(r"^saved \d"))


def test_chances_come_at_once_and_the_reasons_stand_until_new_ones_follow(technician, address):
    page = technician
    page.goto(f"{new_job(page, address, 'Two answers')}/lift?axle=front")
    type_on(page, "1", "1.1")
    reason = page.locator("#suspects .suspect-reason").first
    expect(reason).to_contain_text("1 turn in 1.1 s")
    held = []
    page.route("**/refresh*", lambda route: held.append(route))  # what follows is long in coming
    chance = page.locator("#suspects .percent").first.inner_text()
    page.locator("#front-right-spin-turns").focus()
    type_on(page, "6", "6.1")
    expect(page.locator("#suspects .percent").first).not_to_have_text(chance)
    expect(reason).to_contain_text("1 turn in 1.1 s")
    expect(page.locator("#suspects .next-list li").first).to_be_visible()
    held[-1].continue_()
    expect(reason).to_contain_text("its partner")


def test_one_axle_by_keyboard_only_then_reload_and_nothing_is_lost(technician, address):
    page = technician
    job = new_job(page, address, "Keyboard hatchback")

    page.goto(f"{job}/lift?axle=front")
    expect(page.locator("#front-left-spin-turns")).to_be_focused()
    page.keyboard.type("1")
    page.keyboard.press("Enter")
    expect(page.locator("#front-left-spin-seconds")).to_be_focused()
    page.keyboard.type("1,1")
    page.keyboard.press("Enter")
    expect(page.locator("#suspects")).to_contain_text("N·m")
    page.locator("#front-right-spin-turns").focus()
    type_on(page, "3", "3")
    expect(page.locator("#suspects")).to_contain_text("its partner")
    after_spin = page.locator(".suspect-list").inner_text()

    page.goto(f"{job}/strip?axle=front")
    expect(page.locator("#front-left-pad-mm-inner-lead-rim")).to_be_focused()
    type_on(page, "3.2", "3.4", "3,3", "3.5", "8.1", "8.2", "8.1", "8.2")
    expect(page.locator("#plate-box")).to_contain_text("inner − outer −4.8")
    page.locator("#front-left-pin-upper").focus()
    page.keyboard.press("s")  # stiff
    page.keyboard.press("s")  # seized
    page.keyboard.press("Enter")
    expect(page.locator("#front-left-pin-lower")).to_be_focused()
    page.keyboard.press("s")
    expect(page.locator("#suspects .suspect-words").first).to_have_text(re.compile("slide pins seized", re.I))
    assert after_spin != page.locator(".suspect-list").inner_text()
    expect(page.locator("#front-left-pin-lower-2")).to_be_focused()  # the cursor was not moved
    saved(page)

    page.reload()
    expect(page.locator("#front-left-pad-mm-inner-lead-hub")).to_have_value("3.3")
    expect(page.locator("#front-left-pin-upper-3")).to_be_checked()
    page.goto(f"{job}/verdict")
    expect(page.locator(".verdict-corner").first).to_contain_text("service")
    expect(page.locator("main")).to_contain_text("the caliper never comes across")
    expect(page.locator("main")).to_contain_text("clean and lubricate the slides")


def test_a_slip_is_refused_in_place_and_a_surprise_is_asked_about_once(technician, address):
    page = technician
    job = new_job(page, address, "Slip of the finger")
    page.goto(f"{job}/strip?axle=front")
    field = page.locator("#front-left-pad-mm-inner-lead-rim")
    message = page.locator("#message-front-left-pad-mm-inner-lead-rim")
    field.fill("75")
    field.press("Enter")
    expect(message).to_contain_text("allowed: 0 to 40 mm")
    field.fill("22")
    field.press("Enter")
    expect(message).to_contain_text("usual: 0 to 18 mm. Enter it again to keep it")
    expect(page.locator("#saved")).to_contain_text("not saved")
    field.focus()
    field.press("Enter")
    expect(message).to_be_empty()
    saved(page)
    page.reload()
    expect(field).to_have_value("22.0")


def test_one_key_repeats_the_partner_side_and_a_taken_back_word_is_gone(technician, address):
    page = technician
    job = new_job(page, address, "Same both sides")
    page.goto(f"{job}/strip?axle=front")
    page.locator("#front-left-pad-mm-inner-lead-rim").fill("6.4")
    page.keyboard.press("Enter")
    page.locator("#front-right-pad-mm-inner-lead-rim").focus()
    page.keyboard.press("=")
    expect(page.locator("#front-right-pad-mm-inner-lead-rim")).to_have_value("6.4")
    page.locator("#front-left-pin-upper").focus()
    page.keyboard.press("f")
    page.locator("#front-right-pin-upper").focus()
    page.keyboard.press("=")
    expect(page.locator("#front-right-pin-upper")).to_be_checked()
    saved(page)
    page.get_by_role("button", name="take back: front right, upper slide pin").click()
    saved(page)
    page.reload()
    expect(page.locator("#front-right-pin-upper")).not_to_be_checked()
    expect(page.locator("#front-left-pin-upper")).to_be_checked()
    expect(page.locator("#front-right-pad-mm-inner-lead-rim")).to_have_value("6.4")


def test_a_hurried_change_of_mind_ends_with_the_last_word(technician, address):
    """Three words of one row and its taking back, faster than any network: the last one stands."""
    page = technician
    job = new_job(page, address, "Changed my mind")
    page.goto(f"{job}/strip?axle=front")
    page.locator("#front-left-pin-upper").focus()
    for key in "ssf":
        page.keyboard.press(key)
    page.locator("#front-left-pin-lower").focus()
    page.keyboard.press("s")
    page.get_by_role("button", name="take back: front left, lower slide pin").click()
    saved(page)
    page.reload()
    expect(page.locator("#front-left-pin-upper")).to_be_checked()
    expect(page.locator("input[name='front-left-pin-lower']:checked")).to_have_count(0)


def test_leaving_the_page_at_once_loses_no_entry(technician, address):
    page = technician
    job = new_job(page, address, "Gone at once")
    page.goto(f"{job}/strip?axle=front")
    type_on(page, "3.2", "3.4", "3.3", "3.5")
    page.locator("#front-left-pin-upper").focus()
    page.keyboard.press("s")
    page.reload()
    page.wait_for_timeout(1500)
    page.reload()
    for place, value in (("lead-rim", "3.2"), ("trail-rim", "3.4"), ("lead-hub", "3.3"), ("trail-hub", "3.5")):
        expect(page.locator(f"#front-left-pad-mm-inner-{place}")).to_have_value(value)
    expect(page.locator("#front-left-pin-upper-2")).to_be_checked()


def test_tapping_a_part_of_the_plate_puts_the_cursor_in_its_entry(technician, address):
    page = technician
    job = new_job(page, address, "Tap the pad")
    page.goto(f"{job}/strip?axle=front")
    page.locator('#plate-box [data-leads-to="front-right-pad-mm-outer-lead-rim"]').first.click()
    expect(page.locator("#front-right-pad-mm-outer-lead-rim")).to_be_focused()
    page.locator('#plate-box [data-leads-to="front-left-pin-upper"]').last.click()
    expect(page.locator("#front-left-pin-upper")).to_be_focused()


def test_an_entry_made_while_the_network_is_away_arrives_once_it_is_back(technician, address):
    page = technician
    job = new_job(page, address, "Lost network")
    page.goto(f"{job}/lift?axle=front")
    page.context.set_offline(True)
    page.locator("#front-left-spin-turns").fill("2")
    page.keyboard.press("Enter")
    expect(page.locator("#saved")).to_contain_text("will send when the network is back")
    page.context.set_offline(False)
    expect(page.locator("#saved")).to_contain_text(re.compile(r"^saved \d"), timeout=8000)
    page.reload()
    expect(page.locator("#front-left-spin-turns")).to_have_value("2")


def test_an_entry_made_while_the_database_is_away_stays_here_and_arrives_once_it_is_back(technician, address):
    page = technician
    job = new_job(page, address, "Lost database")
    page.goto(f"{job}/lift?axle=front")
    page.route("**/findings", lambda route: route.fulfill(status=503, body="The database does not answer."))
    page.locator("#front-left-spin-turns").fill("2")
    page.keyboard.press("Enter")
    expect(page.locator("#saved")).to_contain_text("1 entry kept on this device: will send when the server works again")
    page.unroute("**/findings")
    expect(page.locator("#saved")).to_contain_text(re.compile(r"^saved \d"), timeout=8000)
    page.reload()
    expect(page.locator("#front-left-spin-turns")).to_have_value("2")


def test_the_keys_are_listed_on_a_key(technician, address):
    page = technician
    page.goto(f"{address}/jobs/1/lift")
    page.keyboard.press("?")
    expect(page.get_by_role("heading", name="Keys")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_role("heading", name="Keys")).not_to_be_visible()


def test_unsafe_is_said_in_words(technician, address):
    technician.goto(f"{address}/jobs/9/verdict")
    expect(technician.get_by_text("Unsafe. Not to be driven until put right.")).to_be_visible()
    expect(technician.locator("main")).to_contain_text("this corner does not brake")


@pytest.mark.parametrize("size", [(1024, 768), (820, 1180)])
def test_nothing_runs_out_of_the_page_on_a_tablet(technician, address, size):
    technician.set_viewport_size({"width": size[0], "height": size[1]})
    for where in ("/", "/jobs/2/strip?axle=front", "/jobs/9/verdict"):
        technician.goto(f"{address}{where}")
        assert technician.evaluate("document.documentElement.scrollWidth") <= size[0]
