"""From the verdict to the hand-back in the browser, as three people of a workshop do it."""

from __future__ import annotations

import re

import pytest
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import expect

pytestmark = pytest.mark.browser


def sign_in(page, address, name):
    page.context.clear_cookies()
    page.goto(f"{address}/sign-in")
    page.get_by_role("button", name=name).click()
    page.wait_for_url(f"{address}/")


def test_sign_approve_tick_prove_release_and_hand_the_sheet_over(technician, address):
    page, job = technician, f"{address}/jobs/1"
    sign_in(page, address, "Wen Hallam")
    page.goto(f"{job}/verdict")
    page.get_by_role("button", name="Sign, as Wen Hallam").click()
    expect(page.locator("#sign")).to_contain_text("waits for a lead")

    sign_in(page, address, "Ilse Tarrow")
    page.goto(f"{job}/verdict")
    page.locator("summary", has_text="Choose another package").first.click()
    page.locator("#costs-rear ~ details select[name=number]").first.select_option("1")
    page.get_by_role("button", name="Choose, as Ilse Tarrow").first.click()
    expect(page.locator("#message")).to_contain_text("reason for another package")  # in place, the choice still there
    page.get_by_role("button", name="Approve, as Ilse Tarrow").click()
    expect(page.locator("#sign")).to_contain_text("approved by Ilse Tarrow")

    page.get_by_role("link", name="Work card").last.click()
    ticks = page.locator(".tick")
    expect(ticks.first).to_have_attribute("aria-pressed", "false")
    for number in range(ticks.count()):
        ticks.nth(number).click()
        expect(ticks.nth(number)).to_have_attribute("aria-pressed", "true")
    row = page.locator(".torque-row", has_text="Caliper bolts").first
    row.get_by_label("maker’s").fill("30")
    row.get_by_role("button", name="Keep").click()
    expect(page.locator("#message")).to_contain_text("where the maker's torque came from")
    row.get_by_label("from").fill("service information, page 4")
    row.get_by_role("button", name="Keep").click()
    expect(row).to_contain_text("30 N·m, 22 lb·ft, 266 lb·in")
    expect(page.locator("#message")).to_be_empty()  # what was refused is no longer said once it is put right

    page.get_by_role("link", name="Prove and release").first.click()
    page.locator("#after-rear_left-spin-turns").fill("5")
    page.keyboard.press("Tab")
    expect(page.locator("#after-rear_left-spin-seconds")).to_be_focused()
    page.keyboard.type("6,5")
    page.keyboard.press("Enter")
    expect(page.locator(".checks")).to_contain_text("turns free")
    page.get_by_role("button", name="holds", exact=True).click()
    expect(page.get_by_role("button", name="holds", exact=True)).to_have_attribute("aria-pressed", "true")
    expect(page.locator("#saved")).to_contain_text(re.compile(r"^saved \d"))  # then what is not proved is said anew
    page.get_by_label("Released without").check()
    page.get_by_role("button", name="released", exact=True).click()
    expect(page.locator(".released-notice")).to_contain_text("by Ilse Tarrow")

    page.get_by_role("link", name="Owner’s sheet").click()
    page.get_by_role("button", name="Make a link").click()
    link = page.get_by_label("Link for the owner").input_value()
    assert re.search(r"/sheet/[\w-]{40,}$", link)
    page.context.clear_cookies()
    page.goto(link)
    expect(page.get_by_role("heading", name="What was done")).to_be_visible()
    expect(page.locator("main")).not_to_contain_text("What remains to be done")


def test_a_figure_measured_again_can_be_put_right_without_leaving_the_page(technician, address):
    page = technician
    page.goto(f"{address}/jobs/2/prove")
    field = page.locator("[id^='after-'][id$='-spin-turns']").first
    for figure in ("2", "3", "2.5"):
        field.fill(figure)
        with page.expect_response(lambda response: "/prove" in response.url and response.status == 200):
            page.keyboard.press("Enter")
        expect(page.locator("#message")).to_be_empty()
    page.reload()
    expect(page.locator("[id^='after-'][id$='-spin-turns']").first).to_have_value("2.5")
    field = page.locator("[id^='after-'][id$='-spin-turns']").first
    field.fill("")
    with page.expect_response(lambda response: "/prove" in response.url and response.status == 200):
        page.keyboard.press("Enter")


def test_the_torque_wrench_of_the_bench_writes_into_the_row_under_the_cursor(technician, address):
    page = technician
    page.goto(f"{address}/jobs/1/card")
    row = page.locator(".torque-row", has_text="Caliper bolts").first
    row.get_by_label("read").focus()
    bench = page.context.new_page()
    bench.goto(f"{address}/bench")
    wrench = bench.locator("[data-instrument=torque_wrench]")
    wrench.locator("[data-value]").fill("40")
    wrench.locator("[data-send]").click()
    expect(row.get_by_label("read")).to_have_value(re.compile(r"^(3\d|4\d)$"))
    expect(row).to_contain_text("Bram Oddie")


AFTER_THE_VERDICT = ("verdict", "card", "prove", "owner", "outcome", "history")


@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_no_page_after_the_verdict_has_a_serious_accessibility_fault(technician, address, scheme):
    page, faults = technician, {}
    page.emulate_media(color_scheme=scheme)
    for where in (*(f"/jobs/9/{name}" for name in AFTER_THE_VERDICT), "/rules"):
        page.goto(f"{address}{where}")
        found = Axe().run(page).response["violations"]
        serious = [(v["id"], v["nodes"][0]["html"][:160]) for v in found if v["impact"] in ("serious", "critical")]
        faults |= {where: serious} if serious else {}
    assert faults == {}


@pytest.mark.parametrize("width", [1280, 820])
def test_nothing_after_the_verdict_runs_out_of_the_page(technician, address, width):
    technician.set_viewport_size({"width": width, "height": 900})
    for name in AFTER_THE_VERDICT:
        technician.goto(f"{address}/jobs/9/{name}")
        assert technician.evaluate("document.documentElement.scrollWidth") <= width, name


def test_an_unsafe_vehicle_is_called_so_on_every_page_and_is_not_released(technician, address):
    page = technician
    for name in ("verdict", "card", "owner"):
        page.goto(f"{address}/jobs/9/{name}")
        expect(page.locator(".unsafe-word").first).to_contain_text("Unsafe. Not to be driven until put right.")
    page.goto(f"{address}/jobs/9/prove")
    expect(page.get_by_role("button", name="released", exact=True)).to_be_disabled()
    page.get_by_role("button", name="unsafe, not released").click()
    expect(page.locator(".unsafe-notice")).to_contain_text("by Bram Oddie")


def test_what_it_was_is_said_in_two_taps_and_place_by_place(technician, address):
    """Tap one: as suspected. Tap two: how it is known. The job is closed, and the page says what was noted."""
    page, job = technician, f"{address}/jobs/5"
    page.goto(f"{job}/outcome")
    suspected = page.locator(".outcome-suspected")
    expect(suspected).not_to_be_visible()
    page.get_by_text("As suspected", exact=True).first.click()
    expect(suspected).to_be_visible()
    page.get_by_role("button", name="Seen in the parts").click()
    page.wait_for_url(f"{address}/")
    page.goto(f"{job}/outcome")
    expect(page.locator(".outcome-noted")).to_contain_text("seen in the parts")
    page.get_by_role("button", name="Open it again").click()
    page.get_by_text("It was something else after all").click()
    page.get_by_text("Place by place", exact=True).click()
    place = page.locator(".outcome-place").first
    place.get_by_text("Something else", exact=True).click()
    page.get_by_label("and close the job").uncheck()
    page.get_by_role("button", name="Only guessed").click()
    expect(page.locator("#message")).to_contain_text("choose what it was, or say that it was not found out")
    place.get_by_label("What it was").select_option("hose_restricted")  # nothing that was answered is lost
    page.get_by_role("button", name="Only guessed").click()
    expect(page.locator(".outcome-noted")).to_contain_text("hose holds pressure")
    expect(page.locator(".outcome-noted")).to_contain_text("only guessed")
