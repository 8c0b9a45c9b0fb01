"""The workshop's rules on a bad network: slow and tapped twice, none and back again, an ended session, two leads."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import expect

from tests.browser.test_slow_network import slow
from tests.browser.test_the_day import DESK, signed_in

pytestmark = pytest.mark.browser

LABOUR = "labor, an hour"


@pytest.fixture
def lead(browser, address):
    """The rules as the lead has them open."""
    page = signed_in(browser, address, "Ilse Tarrow", **DESK)
    page.goto(f"{address}/rules")
    yield page
    page.context.close()


def keep(page):
    page.get_by_role("button", name="Keep", exact=True).click()


def kept(page, words):
    expect(page.get_by_role("status").filter(has_text=words)).to_be_visible()


def holds(page, labour):
    page.reload()
    expect(page.get_by_label(LABOUR)).to_have_value(labour)


def test_a_double_tap_on_a_slow_network_keeps_once_and_a_bad_figure_is_said_where_it_was_kept(lead, address):
    slow(lead, address, "rules")
    lead.get_by_label(LABOUR).fill("91")
    lead.get_by_role("button", name="Keep", exact=True).dblclick()
    kept(lead, "1 rule changed.")
    lead.unroute_all(behavior="wait")
    lead.get_by_label(LABOUR).fill("lots")
    lead.get_by_label("minutes that a comeback takes").fill("70")
    keep(lead)
    message = lead.locator("form[action='/rules'] .act-message")
    expect(message).to_contain_text("labor, an hour: 'lots' cannot be used")
    expect(message).to_be_in_viewport()
    expect(lead.get_by_label("minutes that a comeback takes")).to_have_value("70")
    holds(lead, "91")


def test_without_a_network_the_rules_wait_and_are_sent_when_it_is_back(lead):
    lead.get_by_label(LABOUR).fill("92")
    lead.context.set_offline(True)
    keep(lead)
    expect(lead.locator("#saved")).to_contain_text("1 change kept on this device")
    lead.context.set_offline(False)
    kept(lead, "1 rule changed.")
    holds(lead, "92")


def test_a_session_that_has_ended_is_opened_again_over_the_rules(lead):
    lead.get_by_label(LABOUR).fill("93")
    lead.context.clear_cookies()
    keep(lead)
    door = lead.get_by_role("dialog", name="Sign in again")
    expect(door).to_contain_text("nothing on this page is lost")
    door.get_by_role("button", name="Ilse Tarrow").click()
    kept(lead, "1 rule changed.")
    holds(lead, "93")


def test_what_another_lead_set_meanwhile_is_said_and_what_only_she_set_stays(lead, browser, address):
    other = signed_in(browser, address, "Ilse Tarrow", **DESK)
    other.goto(f"{address}/rules")
    other.get_by_label(LABOUR).fill("95")
    other.get_by_label("currency").fill("NZD")
    keep(other)
    kept(other, "2 rules changed.")
    lead.get_by_label(LABOUR).fill("90")
    keep(lead)
    message = lead.locator("form[action='/rules'] .act-message")
    expect(message).to_contain_text(re.compile("Ilse Tarrow entered 95 in the meantime; you entered 90"))
    lead.get_by_role("button", name="Keep mine all the same").click()
    kept(lead, "1 rule changed.")
    holds(lead, "90")
    expect(lead.get_by_label("currency")).to_have_value("NZD")
    other.context.close()
