"""A mystery vehicle from start to debrief in the browser: by keyboard, by touch, and over a bad network."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import expect

from tests.browser.held_against import runs_out_at, serious_faults

pytestmark = pytest.mark.browser


def take(page, address, number, *, pictures=False):
    page.goto(f"{address}/practice")
    if pictures:
        page.get_by_label("I read the instruments myself").check()
    page.get_by_label("or its number").fill(str(number))
    page.get_by_role("button", name="Take it in").click()
    page.wait_for_url(re.compile(r"/practice/runs/\d+/take-in$"))
    return page.url.rsplit("/", 1)[0]


def tab_to(page, name, most=80):
    """Go on with the Tab key until something of this name is under the cursor."""
    for _ in range(most):
        page.keyboard.press("Tab")
        at = page.evaluate(
            "document.activeElement.getAttribute('aria-label') || document.activeElement.textContent.trim()"
        )
        if name in at:
            return
    raise AssertionError(f"no Tab leads to {name}")


def test_a_mystery_from_start_to_debrief_by_keyboard_alone(technician, address):
    page = technician
    page.goto(f"{address}/practice")
    page.get_by_label("or its number").focus()
    page.keyboard.type("2")
    page.keyboard.press("Enter")
    page.wait_for_url(re.compile(r"/take-in$"))
    run = page.url.rsplit("/", 1)[0]
    expect(page.locator(".practice-clock")).to_have_text("0 min")
    tab_to(page, "Lift & spin")
    page.keyboard.press("Enter")
    page.wait_for_url(re.compile(r"/lift"))
    tab_to(page, "Press the pedal")
    page.keyboard.press("Enter")
    expect(page.locator(".practice-clock")).to_have_text("0.5 min")
    page.goto(f"{run}/lift?axle=front")
    tab_to(page, "front right: spin the wheel")
    page.keyboard.press("Enter")
    block = page.locator("#test-front-right-spin")
    expect(block).to_contain_text("0.75")
    expect(block).to_be_focused()  # the button is gone; the cursor stands where its reading is
    tab_to(page, "front right: listen to the wheel bearing")
    page.keyboard.press("Enter")
    expect(page.locator(".practice-clock")).to_have_text("2.5 min")
    page.goto(f"{run}/isolate?axle=front")
    tab_to(page, "front right: open the bleeder")
    page.keyboard.press("Enter")
    expect(page.locator("#test-front-right-bleeder-opened")).to_contain_text("came free")
    page.goto(f"{run}/commit")
    for label, value in (("fault 1", "hose holds pressure"), ("where fault 1", "front right"),
                         ("work 1", "replace the hose"), ("where work 1", "front right")):  # fmt: skip
        page.get_by_label(label, exact=True).focus()
        page.keyboard.type(value)
    page.get_by_label("Yes, until it is repaired").focus()
    page.keyboard.press("Space")
    tab_to(page, "Commit and see the truth")
    page.keyboard.press("Enter")
    page.wait_for_url(re.compile(r"/debrief$"), timeout=30_000)
    expect(page.locator(".truth-list")).to_contain_text("hose holds pressure named")
    expect(page.locator(".path-list").first).to_contain_text("Front right: open the bleeder")
    expect(page.locator(".practice-points")).to_contain_text("points")


def test_a_mystery_from_start_to_debrief_by_touch_with_instruments_read_off_pictures(browser, address):
    context = browser.new_context(
        viewport={"width": 820, "height": 1180}, has_touch=True, is_mobile=True, service_workers="block"
    )
    page = context.new_page()
    page.set_default_timeout(8000)
    page.goto(f"{address}/sign-in")
    page.get_by_role("button", name="Mads Orrin").tap()
    page.wait_for_url(f"{address}/")
    run = take(page, address, 10, pictures=True)
    page.goto(f"{run}/lift?axle=rear")
    page.get_by_role("button", name="Press the pedal").tap()
    expect(page.locator(".practice-clock")).to_have_text("0.5 min")
    page.get_by_role("button", name="rear left: spin the wheel").tap()
    block = page.locator("#test-rear-left-spin")
    turned = block.locator("animateTransform")
    degrees, seconds = float(turned.get_attribute("to").split()[0]), turned.get_attribute("dur")
    assert float(seconds.rstrip("s")) > 1
    block.get_by_role("textbox", name="turns").fill(f"{degrees / 360:g}")
    block.get_by_role("textbox", name="seconds").fill(seconds.rstrip("s"))
    block.get_by_role("button", name="Write it down").tap()
    expect(block).to_contain_text("turns")
    expect(block.locator("svg")).to_have_count(0)
    page.goto(f"{run}/pedal")
    page.get_by_role("button", name=re.compile("Read the fluid level", re.IGNORECASE)).tap()
    level = page.locator("#test-system-fluid-level")
    level.get_by_role("button", name="Write it down").tap()
    expect(page.locator("#message")).to_contain_text("write down what the picture shows")
    level.get_by_role("textbox").fill("75 %")
    level.get_by_role("button", name="Write it down").tap()
    expect(level).to_contain_text("75 %")
    for target in page.locator("main button:visible, main .rail a:visible").all():
        assert target.bounding_box()["height"] >= 43
    page.get_by_role("link", name="Commit").first.tap()
    page.get_by_label("Nothing is wrong").check()
    page.get_by_label("Yes, until it is repaired").check()
    page.get_by_role("button", name="Commit and see the truth").tap()
    page.wait_for_url(re.compile(r"/debrief$"), timeout=30_000)
    expect(page.locator(".practice-lesson")).to_contain_text("Nothing is wrong, and that is an answer")
    expect(page.get_by_text("Nothing was wrong.")).to_be_visible()
    context.close()


def test_a_test_that_is_asked_for_without_a_network_is_made_once_it_is_back(technician, address):
    page = technician
    run = take(page, address, 9)
    page.goto(f"{run}/lift?axle=front")
    page.context.set_offline(True)
    page.get_by_role("button", name="front left: spin the wheel").click()
    expect(page.locator("#saved")).to_contain_text("kept on this device")
    page.get_by_role("button", name="front left: spin the wheel").click()  # a glove taps again
    page.context.set_offline(False)
    expect(page.locator("#test-front-left-spin")).to_contain_text("turns")
    expect(page.locator(".practice-clock")).to_have_text("1 min")
    expect(page.locator("#message")).to_be_empty()


def test_what_cannot_be_done_is_said_where_it_was_asked_for(technician, address):
    page = technician
    run = take(page, address, 4)
    page.goto(f"{run}/lift?axle=front")
    other = page.context.new_page()
    other.goto(f"{run}/lift?axle=front")
    page.get_by_role("button", name="front left: spin the wheel").click()
    expect(page.locator("#test-front-left-spin")).to_contain_text("turns")
    other.get_by_role("button", name="front left: spin the wheel").click()
    expect(other.locator("#test-front-left-spin .act-message")).to_contain_text("it is made")
    other.close()


def test_no_page_of_practice_runs_sideways_or_has_a_serious_accessibility_fault(technician, address):
    page, faults = technician, {}
    page.context.clear_cookies()
    page.goto(f"{address}/sign-in")
    page.get_by_role("button", name="Ilse Tarrow").click()
    page.wait_for_url(f"{address}/")
    run = take(page, address, 1, pictures=True)
    page.goto(f"{run}/strip?axle=front")
    page.get_by_role("button", name="front left: measure both linings").click()
    expect(page.locator("#test-front-left-pad-mm svg")).to_have_count(8)
    of_the_run = [f"{run.removeprefix(address)}/{s}" for s in ("take-in", "pedal", "strip?axle=front", "commit")]
    for where in ("/practice", "/practice/people", "/practice/people/1", "/practice/make", *of_the_run):
        page.goto(f"{address}{where}")
        assert runs_out_at(page) == [], where
        page.set_viewport_size({"width": 1280, "height": 800})
        faults |= {where: serious} if (serious := serious_faults(page)) else {}
    assert faults == {}
