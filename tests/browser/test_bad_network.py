"""After the verdict on a bad network: slow, none and back again, an expired session, a reload, a double tap."""

from __future__ import annotations

import re
import time

import pytest
from playwright.sync_api import expect

from tests.browser.test_first_axle import new_job

pytestmark = pytest.mark.browser

SAVED = re.compile(r"^saved \d")


@pytest.fixture(scope="session")
def browser_context_args(browser_context_args):
    """With the device's worker."""
    return {**browser_context_args, "service_workers": "allow"}


@pytest.fixture
def card(technician, address):
    """The work card of the black coupe, nothing ticked."""
    technician.goto(f"{address}/jobs/9/card")
    ticks = technician.locator(".tick[aria-pressed=true]")
    while ticks.count():
        ticks.first.click()
        saved(technician)
    return technician


def saved(page):
    expect(page.locator("#saved")).to_contain_text(SAVED, timeout=15000)


def slow(page, address, where="jobs/**"):
    """Every change takes 700 ms longer."""

    def late(route):
        time.sleep(0.7)
        route.continue_()

    page.route(f"{address}/{where}", lambda one: late(one) if one.request.method == "POST" else one.continue_())


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


def ticked(page):
    return page.locator(".tick[aria-pressed=true]").count()


def test_taps_half_a_second_apart_on_a_slow_network_all_count(card, address):
    slow(card, address)
    for number in range(5):
        card.locator(".tick").nth(number).click()
        expect(card.locator(".tick").nth(number)).to_have_attribute("aria-pressed", "true", timeout=400)  # at once
        card.wait_for_timeout(450)
    saved(card)
    card.unroute_all(behavior="wait")
    card.reload()
    assert ticked(card) == 5


def test_a_double_tap_is_one_and_a_tap_takes_it_back(card):
    card.locator(".tick").first.dblclick()
    saved(card)
    assert ticked(card) == 1
    card.wait_for_timeout(450)
    card.locator(".tick").first.click()
    saved(card)
    card.reload()
    assert ticked(card) == 0


def test_what_is_being_typed_outlives_a_tick_and_another_row(card, address):
    slow(card, address)
    card.locator(".tick").first.click()
    rows = card.locator(".torque-row")
    rows.nth(0).get_by_label("maker’s").fill("30")
    rows.nth(0).get_by_label("from").fill("service information, page 4")
    rows.nth(1).get_by_label("maker’s").fill("110")
    rows.nth(0).get_by_role("button", name="Keep").click()
    rows.nth(1).get_by_label("from").type("page 7", delay=80)
    saved(card)
    expect(rows.nth(0)).to_contain_text("30 N·m")
    expect(rows.nth(1).get_by_label("maker’s")).to_have_value("110")
    expect(rows.nth(1).get_by_label("from")).to_have_value("page 7")
    expect(rows.nth(1).get_by_label("from")).to_be_focused()
    card.unroute_all(behavior="wait")


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


@pytest.mark.parametrize(
    ("status", "said"),
    [
        (409, "Somebody changed it"),
        (413, "may carry at most"),
        (422, "cannot be used"),
        (423, "This job is closed"),
    ],
)
def test_every_refusal_has_its_words_where_the_eye_is(technician, address, status, said):
    page = technician
    job = new_job(page, address, f"Refused {status}")
    page.goto(f"{job}/prove")
    body = f'<span class="entry-problem" role="alert">{said}</span>'
    page.route("**/prove/stop-gap", lambda route: route.fulfill(status=status, body=body, content_type="text/html"))
    page.locator("#stop-gap > summary").click()
    page.get_by_label("What was only tided over").fill("words that stay")
    page.get_by_role("button", name="Keep the stop-gap").click()
    form = page.locator("form", has=page.get_by_label("What was only tided over"))
    expect(form.locator(".act-message")).to_contain_text(said)
    expect(form.locator(".act-message")).to_be_in_viewport()
    expect(page.get_by_label("What was only tided over")).to_have_value("words that stay")
    expect(page.get_by_label("What was only tided over")).to_be_focused()
    page.unroute("**/prove/stop-gap")


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
