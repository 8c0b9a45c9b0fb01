"""The browser and the application it drives."""

from __future__ import annotations

import re
from unittest.mock import patch

import pytest
from playwright.sync_api import expect

from mesotrope.web import context
from tests.browser.door import come_in
from tests.served import CHROMIUM, served_demo

#: A machine that does other work beside is no fault of the page: neither is waiting for its turn there.
WAITS_MS = 20_000
expect.set_options(timeout=WAITS_MS)


@pytest.fixture(scope="session")
def browser_type_launch_args(browser_type_launch_args):
    return {**browser_type_launch_args, **CHROMIUM}


@pytest.fixture(scope="session")
def browser_context_args(browser_context_args):
    """Without the device's worker: it fetches pages beside the test, and sends what a test holds back for pages."""
    return {**browser_context_args, "service_workers": "block"}


@pytest.fixture(scope="session", autouse=True)
def pages_wait_for_their_turn():
    with patch.object(context, "PAGE_WAITS_S", WAITS_MS / 1000):
        yield


@pytest.fixture(scope="session")
def address():
    with served_demo() as at:
        yield at


@pytest.fixture
def technician(page, address):
    """A page of the demo's technician, signed in, that fails on any script error."""
    page.set_default_timeout(WAITS_MS)
    page.set_viewport_size({"width": 1280, "height": 800})
    page.on("pageerror", lambda error: pytest.fail(f"script error: {error}"))
    come_in(page, address, "Bram Oddie")
    return page


@pytest.fixture
def card(technician, address):
    """The work card of the black coupe, nothing ticked."""
    technician.goto(f"{address}/jobs/9/card")
    ticks = technician.locator(".tick[aria-pressed=true]")
    while ticks.count():
        ticks.first.click()
        expect(technician.locator("#saved")).to_contain_text(re.compile(r"^saved \d"))
    return technician
