"""After the verdict without a network and back again, an expired session, a reload, a double tap."""

from __future__ import annotations

import re
import time

import pytest
from playwright.sync_api import expect

from tests.browser.test_first_axle import new_job
from tests.browser.test_slow_network import ticked

pytestmark = pytest.mark.browser

SAVED = re.compile(r"^saved \d")


@pytest.fixture(scope="session")
def browser_context_args(browser_context_args):
    """With the device's worker."""
    return {**browser_context_args, "service_workers": "allow"}


def saved(page):
    expect(page.locator("#saved")).to_contain_text(SAVED, timeout=15000)


def until(page, script, argument=None, seconds=30):
    """Wait until a script says so: asked again and again, for the page's policy lets no text become a script."""
    end = time.monotonic() + seconds
    while not page.evaluate(script, argument):
        assert time.monotonic() < end, script
        page.wait_for_timeout(100)


def unplug(page):
    """Take the network away: the worker, through which pages come, hears of it a moment later than the page."""
    page.context.set_offline(True)
    until(page, "fetch('/static/nothing').then(() => false, () => true)")


def test_a_double_tap_is_one_and_a_tap_takes_it_back(card):
    card.locator(".tick").first.dblclick()
    saved(card)
    assert ticked(card) == 1
    card.wait_for_timeout(450)
    card.locator(".tick").first.click()
    saved(card)
    card.reload()
    assert ticked(card) == 0


def test_without_a_network_acts_are_kept_through_a_reload_said_and_sent(card):
    until(card, "navigator.serviceWorker.controller !== null")
    card.reload()
    card.context.set_offline(True)
    for number in (0, 1, 2):
        card.locator(".tick").nth(number).click()
    expect(card.locator("#saved")).to_contain_text("3 changes kept on this device: will send when the network is back")
    until(card, "caches.open('pages').then((kept) => kept.match(location.href)).then(Boolean)")
    card.reload()
    expect(card.locator(".offline-notice")).to_be_visible()
    for number in (0, 1, 2):
        expect(card.locator(".tick").nth(number)).to_have_attribute("aria-pressed", "true")  # they wait, and are shown
    card.context.set_offline(False)
    expect(card.locator(".offline-notice")).to_have_count(0)  # sent, and the page of now in its place
    assert ticked(card) == 3
    card.reload()
    assert ticked(card) == 3


def test_a_session_that_has_ended_is_opened_again_in_place(technician, address):
    page = technician
    job = new_job(page, address, "Expired session")
    page.goto(f"{job}/prove")
    page.get_by_label("Restriction, if any").fill("town speed only")
    page.context.clear_cookies()
    page.locator("#stop-gap > summary").click()
    page.get_by_label("What was only tided over").fill("one hose clamped")
    page.get_by_role("button", name="Keep the stop-gap").click()
    door = page.get_by_role("dialog", name="Sign in again")
    expect(door).to_contain_text("nothing on this page is lost")
    door.get_by_role("button", name="Bram Oddie").click()
    saved(page)
    expect(door).not_to_be_visible()
    expect(page.get_by_label("Restriction, if any")).to_have_value("town speed only")
    page.reload()
    expect(page.get_by_label("What was only tided over")).to_have_value("one hose clamped")


def test_an_entry_after_the_session_ended_is_sent_once_the_door_was_passed_again(technician, address):
    page = technician
    job = new_job(page, address, "Expired at the wheel")
    page.goto(f"{job}/lift?axle=front")
    page.context.clear_cookies()
    page.locator("#front-left-spin-turns").fill("2")
    page.keyboard.press("Enter")
    expect(page.locator("#saved")).to_contain_text("sign in again to send")
    page.get_by_role("dialog", name="Sign in again").get_by_role("button", name="Bram Oddie").click()
    saved(page)
    page.reload()
    expect(page.locator("#front-left-spin-turns")).to_have_value("2")


def test_a_photograph_waits_too(technician, address, tmp_path):
    from PIL import Image

    page = technician
    job = new_job(page, address, "Photograph waits")
    Image.new("RGB", (80, 60), (90, 90, 90)).save(tmp_path / "one.jpg")
    page.goto(f"{job}/look?axle=front")
    page.context.set_offline(True)
    page.locator("input[type=file]").first.set_input_files(tmp_path / "one.jpg")
    expect(page.locator("#saved")).to_contain_text("1 change kept on this device")
    page.context.set_offline(False)
    saved(page)
    expect(page.locator(".shots img").first).to_be_visible()


def test_the_pages_of_an_open_job_work_without_a_network_and_say_so(technician, address):
    page = technician
    job = new_job(page, address, "Kept for the pit")
    page.goto(f"{job}/lift?axle=front")
    until(page, "navigator.serviceWorker.controller !== null")
    number = job.rsplit("/", 1)[1]
    until(
        page,
        """async (number) => {
            const kept = await (await caches.open("pages")).keys();
            const paths = kept.map((one) => new URL(one.url).pathname);
            return ["strip", "verdict", "card", "prove"].every((stage) => paths.includes(`/jobs/${number}/${stage}`));
        }""",
        number,
    )
    unplug(page)
    for path in (f"{job}/strip?axle=front", f"{job}/card", f"{job}/prove", f"{address}/"):
        page.goto(path)
        expect(page.locator(".offline-notice")).to_contain_text("No network: this page is as it was at")
    page.goto(f"{job}/lift?axle=front")
    page.locator("#front-left-spin-turns").fill("2")
    page.keyboard.press("Enter")
    expect(page.locator("#saved")).to_contain_text("1 entry kept on this device")
    page.goto(f"{address}/workings")
    expect(page.get_by_role("heading", name="No network")).to_be_visible()
    page.context.set_offline(False)
    page.goto(f"{job}/lift?axle=front")  # the page sends it, or the worker did already
    expect(page.locator(".offline-notice")).to_have_count(0)
    expect(page.locator("#front-left-spin-turns")).to_have_value("2", timeout=15000)
    expect(page.locator("#saved")).not_to_contain_text("kept on this device", timeout=15000)


def test_a_kept_page_gives_way_to_the_one_of_now_but_never_to_what_is_being_typed(technician, address):
    page = technician
    job = new_job(page, address, "Back again")
    page.goto(f"{job}/lift?axle=front")
    until(page, "navigator.serviceWorker.controller !== null")
    until(page, f"caches.open('pages').then((kept) => kept.match('{job}/prove')).then(Boolean)")
    unplug(page)
    notice = page.locator(".offline-notice")
    page.goto(f"{job}/prove")
    expect(notice).to_contain_text("No network")
    page.context.set_offline(False)
    expect(notice).to_have_count(0)  # nothing was under way

    unplug(page)
    page.goto(f"{job}/strip?axle=front")
    later = page.locator("details[id^='later-']").first
    later.locator("> summary").click()
    page.locator("#front-left-pad-mm-inner-lead-rim").fill("8")
    page.context.set_offline(False)
    expect(notice).to_contain_text("The network is back. This page, as it was at")
    expect(page.locator("#front-left-pad-mm-inner-lead-rim")).to_have_value("8")
    page.keyboard.press("Enter")
    page.locator("#front-right-pad-mm-inner-lead-rim").focus()
    expect(notice).to_have_count(0)
    expect(page.locator("#front-left-pad-mm-inner-lead-rim")).to_have_value("8.0")
    expect(page.locator("#front-right-pad-mm-inner-lead-rim")).to_be_focused()  # what is typed next belongs there
    expect(later).to_have_attribute("open", "")


def test_how_old_a_kept_page_is_hangs_on_no_other_clock_than_the_devices(technician, address):
    page = technician
    job = new_job(page, address, "A clock of its own")

    def a_year_late(route):
        answer = route.fetch()
        route.fulfill(response=answer, headers={**answer.headers, "date": "Mon, 06 Jan 2025 08:00:00 GMT"})

    page.context.route("**/lift*", a_year_late)
    page.goto(f"{job}/lift?axle=front")
    until(page, "navigator.serviceWorker.controller !== null")
    page.reload()
    until(page, "caches.open('pages').then((kept) => kept.match(location.href)).then(Boolean)")
    now = page.evaluate("new Date().toTimeString().slice(0, 2)")
    page.context.unroute("**/lift*")
    unplug(page)
    page.goto(f"{job}/lift?axle=front")
    expect(page.locator(".offline-notice")).to_contain_text(f"No network: this page is as it was at {now}:")


def test_one_persons_kept_pages_are_not_the_next_ones(technician, address):
    page = technician
    page.goto(f"{address}/jobs/1/lift")
    until(page, "navigator.serviceWorker.controller !== null")
    until(page, "caches.open('pages').then((kept) => kept.keys()).then((all) => all.length > 3)")
    page.goto(f"{address}/me")
    page.get_by_role("button", name="Sign out", exact=True).click()
    page.wait_for_url(re.compile("/sign-in"))
    until(page, "caches.open('pages').then((kept) => kept.keys()).then((all) => all.length === 0)")
