"""What is entered on a page whose scripts are still on their way, as they are over a slow network."""

from __future__ import annotations

import pytest
from playwright.sync_api import expect

from tests.browser.door import come_in
from tests.browser.test_first_axle import new_job, saved

pytestmark = pytest.mark.browser


@pytest.fixture
def late(technician):
    """Opens a page of the technician without its scripts; what it gives back lets them come."""

    def opened(where):
        held = []
        technician.route("**/built/app.js", lambda route: held.append(route))
        technician.goto(where, wait_until="commit")
        technician.locator("main").wait_for()

        def come():
            for one in held:
                one.continue_()
            technician.unroute("**/built/app.js")
            technician.wait_for_load_state()

        return come

    return opened


def test_figures_and_words_entered_early_are_kept_and_the_cursor_stays(technician, address, late):
    page = technician
    job = new_job(page, address, "Early hands")
    come = late(f"{job}/strip?axle=front")
    page.locator("#front-left-pad-mm-inner-lead-rim").fill("3")
    page.locator("[data-id='front-left-pin-upper']").get_by_text("seized").click()
    page.locator("#front-left-pad-mm-outer-lead-rim").fill("8")
    page.locator("#front-right-pad-mm-inner-lead-rim").press_sequentially("7")
    come()
    saved(page)
    being_typed = page.locator("#front-right-pad-mm-inner-lead-rim")
    expect(being_typed).to_be_focused()
    being_typed.press_sequentially(".5")
    page.keyboard.press("Enter")
    saved(page)
    page.reload()
    for corner, place, figure in [("left", "inner", "3.0"), ("left", "outer", "8.0"), ("right", "inner", "7.5")]:
        expect(page.locator(f"#front-{corner}-pad-mm-{place}-lead-rim")).to_have_value(figure)
    expect(page.locator("[data-id='front-left-pin-upper'] input:checked")).to_have_value("seized")


def test_a_figure_measured_again_early_is_kept(technician, address, late):
    page = technician
    come = late(f"{address}/jobs/3/prove")
    field = page.locator("[id^='after-'][id$='-spin-turns']")
    field.first.fill("3")
    field.nth(1).focus()
    come()
    saved(page)
    page.reload()
    expect(field.first).to_have_value("3")


def test_what_a_browser_fills_in_by_itself_going_back_is_nothing_anybody_entered(technician, address, browser):
    page = technician
    strip = f"{new_job(page, address, 'There and back')}/strip?axle=front"
    page.goto(strip)
    pin = page.locator("[data-id='front-left-pin-upper']")
    pin.get_by_text("seized").click()
    saved(page)
    page.goto(f"{address}/")
    colleague = browser.new_page()
    come_in(colleague, address, "Ilse Tarrow")
    colleague.goto(strip)
    colleague.locator("[data-id='front-left-pin-upper']").get_by_text("free").click()
    saved(colleague)
    colleague.close()
    page.go_back()
    expect(pin.locator("input:checked")).to_have_value("free")
    page.reload()
    expect(pin.locator("input:checked")).to_have_value("free")


def test_a_page_out_of_the_browsers_own_memory_is_made_anew(technician, address):
    page = technician
    page.goto(f"{new_job(page, address, 'Out of memory')}/strip?axle=front")
    page.evaluate("document.querySelector('h1').textContent = 'as it was left'")
    page.evaluate("window.dispatchEvent(new PageTransitionEvent('pageshow', { persisted: true }))")
    expect(page.get_by_text("as it was left")).to_have_count(0)
