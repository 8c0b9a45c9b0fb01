"""The door in the browser: a newcomer comes in by a link, a password is changed, a closed job says so at the field."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import expect

from tests.browser.held_against import serious_faults
from tests.browser.test_first_axle import new_job, saved
from tests.browser.test_whole_inspection import signed_in

pytestmark = pytest.mark.browser

PASSWORD, NEW = "a long enough password", "another long password"


@pytest.fixture
def lead(browser, address):
    return signed_in(browser, address, "Ilse Tarrow", viewport={"width": 1280, "height": 800})


def _newcomer(lead, browser, address, name):
    """Add a person, and come in as them by the link; their page."""
    lead.goto(f"{address}/people")
    lead.get_by_label("Name", exact=True).fill(name)
    lead.get_by_label("Sign-in name").fill(name.lower())
    lead.get_by_role("button", name="Add").press("Enter")
    expect(lead.get_by_role("status")).to_contain_text(f"Give this link to {name}")
    link = re.search(r"http://\S+/password/[\w-]+", lead.get_by_role("status").inner_text())[0]
    page = browser.new_context(viewport={"width": 390, "height": 844}).new_page()
    page.goto(link)
    expect(page.locator("main")).to_contain_text(name.lower())
    page.get_by_label("New password").fill(PASSWORD)
    page.get_by_label("The same again").fill(PASSWORD)
    page.keyboard.press("Enter")
    expect(page.get_by_text("The new password is kept. Sign in with it.")).to_be_visible()
    page.get_by_label("Password").fill(PASSWORD)
    page.keyboard.press("Enter")
    page.wait_for_url(f"{address}/")
    return page


def test_a_newcomer_comes_in_by_a_link_changes_the_password_and_is_switched_off(lead, browser, address):
    page = _newcomer(lead, browser, address, "Nia")
    page.goto(f"{address}/me")
    page.get_by_label("Current password").fill("guess")
    page.get_by_label("New password").fill(NEW)
    page.get_by_label("The same again").fill(NEW)
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("the current password is another one")
    page.get_by_label("Current password").fill(PASSWORD)
    page.get_by_label("New password").fill(NEW)
    page.get_by_label("The same again").fill(NEW)
    page.keyboard.press("Enter")
    expect(page.get_by_role("status")).to_contain_text("Changed. You are signed in here only.")
    lead.goto(f"{address}/people")
    lead.locator("li", has_text="Nia").get_by_role("button", name="Switch off").click()
    expect(lead.locator("li", has_text="Nia")).to_contain_text("Switched off")
    page.reload()
    page.wait_for_url(re.compile(r"/sign-in"))
    lead.goto(f"{address}/trail")
    for said in ("person added", "password changed", "switched off"):
        expect(lead.locator(".trail")).to_contain_text(said)


def test_a_closed_job_says_so_on_its_pages_and_at_the_field(lead, address):
    job = new_job(lead, address, "Closed job")
    lead.goto(f"{job}/lift?axle=front")
    other = lead.context.new_page()
    other.goto(f"{job}/outcome")
    other.get_by_role("button", name="Close it without saying what it was").click()
    other.wait_for_url(f"{address}/")
    expect(other.get_by_role("heading", name="Today")).to_be_visible()
    lead.locator("#front-left-spin-turns").fill("2")
    lead.keyboard.press("Enter")
    expect(lead.locator("#message-front-left-spin-turns")).to_contain_text("This job is closed and takes nothing more")
    lead.goto(f"{job}/lift?axle=front")
    lead.get_by_role("link", name="Open it again under Outcome").click()
    lead.get_by_role("button", name="Open it again").click()
    expect(lead.get_by_role("button", name="Close it without saying what it was")).to_be_visible()
    expect(lead.get_by_text("Nothing more is kept in this job")).not_to_be_visible()
    lead.goto(f"{job}/lift?axle=front")
    lead.locator("#front-left-spin-turns").fill("3")
    lead.keyboard.press("Enter")
    saved(lead)


def test_one_person_on_two_tablets_is_asked_which_figure_stands(browser, technician, address):
    job = new_job(technician, address, "Two tablets")
    technician.goto(f"{job}/lift?axle=front")
    second = signed_in(browser, address, "Bram Oddie", viewport={"width": 820, "height": 1180})
    second.goto(f"{job}/lift?axle=front")
    second.route("**/events*", lambda route: route.abort())  # it does not hear of the other in time
    second.reload()
    field = "#front-left-spin-turns"
    technician.locator(field).fill("2")
    technician.locator(field).press("Enter")
    saved(technician)
    second.locator(field).fill("3")
    second.locator(field).press("Enter")
    expect(second.locator("#message-front-left-spin-turns")).to_contain_text("Bram Oddie entered 2", timeout=4000)


@pytest.mark.parametrize("width", [390, 1280])
@pytest.mark.parametrize("where", ["/people", "/trail", "/me"])
def test_the_leads_pages_fit_and_have_no_serious_accessibility_fault(lead, address, where, width):
    lead.set_viewport_size({"width": width, "height": 844})
    lead.goto(f"{address}{where}")
    assert lead.evaluate("document.documentElement.scrollWidth") <= width
    assert serious_faults(lead) == []
