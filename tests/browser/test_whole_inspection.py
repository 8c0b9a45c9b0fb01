"""The whole inspection in a real browser: by keyboard, by touch, without a network, and two people at once."""

from __future__ import annotations

import json
import re

import pytest
from playwright.sync_api import expect

from tests.browser.door import come_in
from tests.browser.held_against import serious_faults

pytestmark = pytest.mark.browser

STAGES = ("take-in", "pedal", "lift", "look", "isolate", "strip", "verdict")


def saved(page):
    expect(page.locator("#saved")).to_contain_text(re.compile(r"^saved \d"), timeout=15000)


def signed_in(browser, address, person, **context):
    page = browser.new_context(**context).new_page()
    come_in(page, address, person)
    return page


@pytest.fixture
def job(technician, address):
    """A fresh job of a car, as its number."""
    technician.goto(f"{address}/take-in")
    technician.get_by_label("Name, as you call it").fill("Test car")
    technician.get_by_role("button", name="Open the job").click()
    technician.wait_for_url(re.compile(r"/jobs/\d+/take-in"))
    return int(re.search(r"/jobs/(\d+)/", technician.url)[1])


def document(page, address, job):
    return page.request.get(f"{address}/jobs/{job}/inspection.json").json()["findings"]


# -- every stage by keyboard -----------------------------------------------------------------------------------


def type_keys(page, keys):
    for key in keys:
        page.keyboard.press(key)


def test_take_in_by_keyboard(technician, address, job):
    technician.goto(f"{address}/jobs/{job}/take-in")
    expect(technician.locator("#system-pull-braking")).to_be_focused()
    type_keys(technician, ["2", "1"])  # to the left; none
    saved(technician)
    found = document(technician, address, job)["system"]
    assert (found["pull_braking"], found["pull_coasting"]) == ("left", "none")


def test_pedal_and_fluid_by_keyboard(technician, address, job):
    technician.goto(f"{address}/jobs/{job}/pedal")
    technician.keyboard.type("0.35")
    type_keys(technician, ["Enter", "f", "h", "n", "d", "1"])
    saved(technician)
    found = document(technician, address, job)["system"]
    assert found == {
        "pedal_travel": 0.35, "pedal_feel": "firm", "pedal_hold": "holds", "pedal_pump": "no_change",
        "pedal_on_engine_start": "drops", "pedal_release": "full",
    }  # fmt: skip


def test_lift_by_keyboard_and_the_partner_key(technician, address, job):
    technician.goto(f"{address}/jobs/{job}/lift?axle=rear")
    technician.keyboard.type("4")
    technician.keyboard.press("Enter")
    technician.keyboard.type("5,2")
    technician.keyboard.press("Enter")
    technician.locator("#rear-right-spin-turns").focus()
    type_keys(technician, ["=", "="])
    saved(technician)
    corners = document(technician, address, job)["corners"]
    assert corners["rear_right"]["spin"] == corners["rear_left"]["spin"] == {"turns": 4, "seconds": 5.2}


def test_look_by_keyboard(technician, address, job):
    technician.goto(f"{address}/jobs/{job}/look")
    technician.keyboard.type("7")
    technician.keyboard.press("Enter")
    technician.keyboard.type("7.5")
    technician.locator("#front-left-rotor-face-inner").focus()
    type_keys(technician, ["g", "g"])  # glazed, then grooved: the letter goes round
    technician.locator("#front-left-hose").focus()
    technician.keyboard.press("c")
    saved(technician)
    found = document(technician, address, job)["corners"]["front_left"]
    assert found["window_pad_mm"] == {"inner": 7, "outer": 7.5}
    assert found["rotor_face"] == {"inner": "grooved"}
    assert found["hose"] == "cracked"


def test_isolate_by_keyboard(technician, address, job):
    technician.goto(f"{address}/jobs/{job}/isolate?axle=rear")
    type_keys(technician, ["1", "n", "n", "1"])  # digits by place, letters by word
    saved(technician)
    assert document(technician, address, job)["corners"]["rear_left"] == {
        "bleeder_opened": "frees", "line_loosened_at_master": "no_change", "caliper_bolts_slackened": "no_change",
        "parking_cable_slackened": "frees",
    }  # fmt: skip


def test_strip_by_keyboard_with_arrows_over_the_pad(technician, address, job):
    technician.goto(f"{address}/jobs/{job}/strip")
    technician.keyboard.type("4.1")
    technician.keyboard.press("ArrowDown")
    technician.keyboard.type("4.2")
    technician.keyboard.press("ArrowRight")
    technician.keyboard.type("9/32")
    technician.keyboard.press("Enter")
    saved(technician)
    inner = document(technician, address, job)["corners"]["front_left"]["pad_mm"]["inner"]
    assert inner == {"lead_rim": 4.1, "lead_hub": 4.2, "trail_hub": pytest.approx(7.14375)}
    expect(technician.locator("#front-left-pad-mm-inner-trail-hub")).to_have_value("7.14375")


def test_a_surprising_figure_is_asked_about_once_and_undo_takes_it_back(technician, address, job):
    technician.goto(f"{address}/jobs/{job}/strip")
    field = technician.locator("#front-left-pad-mm-inner-lead-rim")
    technician.keyboard.type("25")
    technician.keyboard.press("Enter")
    expect(technician.locator("#message-front-left-pad-mm-inner-lead-rim")).to_contain_text("is unusual")
    field.focus()
    technician.keyboard.press("Enter")
    saved(technician)
    assert document(technician, address, job)["corners"]["front_left"]["pad_mm"]["inner"]["lead_rim"] == 25
    technician.keyboard.press("Control+z")
    expect(field).to_have_value("")
    assert "corners" not in document(technician, address, job) or not document(technician, address, job)["corners"]


# -- by touch --------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("size", [(1024, 768), (820, 1180)])
def test_the_work_by_touch_on_a_tablet(browser, address, job, technician, size):
    view = {"width": size[0], "height": size[1]}
    page = signed_in(browser, address, "Bram Oddie", viewport=view, has_touch=True)
    page.goto(f"{address}/jobs/{job}/lift?axle=front")
    page.get_by_role("button", name="Stopwatch").first.tap()
    page.get_by_role("button", name="Let go").tap()
    for _ in range(3):
        page.get_by_role("button", name="One turn").tap()
    page.get_by_role("button", name="It stands").tap()
    page.get_by_role("button", name="+ ¼ turn").tap()
    page.get_by_role("button", name="Keep", exact=True).tap()
    expect(page.locator("#front-left-spin-turns")).to_have_value("3.25")
    saved(page)
    page.goto(f"{address}/jobs/{job}/strip?axle=front")
    page.locator('[data-leads-to="front-left-pin-upper"]').last.tap()
    expect(page.locator("#front-left-pin-upper")).to_be_focused()
    page.locator('[data-id="front-left-pin-upper"]').get_by_text("seized").tap()
    saved(page)
    assert document(page, address, job)["corners"]["front_left"]["pin"] == {"upper": "seized"}
    small = page.evaluate(SMALL_TARGETS)
    assert small == []


#: Everything that can be tapped and is seen, smaller than 44 px either way; links in a sentence are let be.
SMALL_TARGETS = """() => [...document.querySelectorAll(
    "button, .choice span, input.figure, a.rail-step, a.quiet-button")]
  .filter((e) => e.offsetParent && getComputedStyle(e).visibility !== "hidden")
  .map((e) => [e.textContent.trim() || e.id, e.getBoundingClientRect()])
  .filter(([, box]) => box.width > 0 && (box.width < 43.5 || box.height < 43.5))
  .map(([name, box]) => `${name} ${box.width}x${box.height}`)"""


# -- nothing lost ----------------------------------------------------------------------------------------------


def test_entries_made_without_a_network_are_kept_through_a_reload_and_sent(technician, address, job):
    technician.goto(f"{address}/jobs/{job}/strip")
    technician.route("**/findings", lambda route: route.abort())
    for figure in ("4.1", "4.2", "4.3"):
        technician.keyboard.type(figure)
        technician.keyboard.press("Enter")
    technician.keyboard.press("Shift+Enter")
    technician.keyboard.type("5.5")
    technician.keyboard.press("Enter")
    expect(technician.locator("#saved")).to_contain_text("kept on this device", timeout=8000)
    assert "corners" not in document(technician, address, job) or not document(technician, address, job)["corners"]
    technician.reload()
    expect(technician.locator("#front-left-pad-mm-inner-lead-rim")).to_have_value("4.1")
    expect(technician.locator("#saved")).to_contain_text("4 entries kept on this device", timeout=8000)
    technician.unroute("**/findings")
    saved(technician)
    inner = document(technician, address, job)["corners"]["front_left"]["pad_mm"]["inner"]
    assert inner == {"lead_rim": 4.1, "trail_rim": 4.2, "lead_hub": 5.5}
    history = technician.request.get(f"{address}/jobs/{job}/history").text()
    assert history.count("<tr><td class") == 4


def test_two_people_see_each_others_figures_and_settle_a_clash(browser, technician, address, job):
    page = f"{address}/jobs/{job}/strip?axle=front"
    technician.goto(page)
    wen = signed_in(browser, address, "Wen Hallam", viewport={"width": 1280, "height": 800})
    wen.goto(page)
    field = "#front-right-pad-mm-outer-lead-rim"
    technician.locator("#front-left-pad-mm-inner-lead-rim").focus()
    technician.keyboard.type("6.1")
    technician.keyboard.press("Enter")
    expect(wen.locator("#front-left-pad-mm-inner-lead-rim")).to_have_value("6.1", timeout=2000)
    expect(wen.locator("#plate-box")).to_contain_text("6.1", timeout=2000)
    # Both type into the same field before either hears of the other.
    wen.locator(field).fill("7.7")
    technician.locator(field).fill("7.1")
    technician.locator(field).press("Enter")
    saved(technician)
    wen.locator(field).press("Enter")
    message = wen.locator("#message-front-right-pad-mm-outer-lead-rim")
    expect(message).to_contain_text("Bram Oddie entered 7.1 in the meantime; you entered 7.7", timeout=3000)
    message.get_by_role("button", name="7.7 (you)").click()
    expect(technician.locator(field)).to_have_value("7.7", timeout=3000)
    assert document(wen, address, job)["corners"]["front_right"]["pad_mm"]["outer"] == {"lead_rim": 7.7}


def test_a_reading_of_the_bench_goes_into_the_field_under_the_cursor(technician, address, job):
    technician.goto(f"{address}/jobs/{job}/strip?axle=front")
    technician.locator("#front-left-pad-mm-inner-lead-rim").focus()
    bench = technician.context.new_page()
    bench.goto(f"{address}/bench?vehicle=9&kind=car")
    gauge = bench.locator('[data-instrument="depth_gauge"]')
    gauge.get_by_role("button", name="Measure").click()
    expect(bench.locator("#last")).to_contain_text("mm")
    gauge.get_by_role("button", name="Measure").click()
    expect(technician.locator("#front-left-pad-mm-inner-trail-rim")).not_to_have_value("")
    saved(technician)
    inner = document(technician, address, job)["corners"]["front_left"]["pad_mm"]["inner"]
    assert set(inner) == {"lead_rim", "trail_rim"}


def test_a_photograph_is_kept_with_its_corner(technician, address, job):
    from tests.services.test_photographs import picture

    technician.goto(f"{address}/jobs/{job}/look?axle=rear")
    strip = technician.locator("#photographs-rear_left")
    strip.locator("input[type=file]").set_input_files(
        {"name": "pad.jpg", "mimeType": "image/jpeg", "buffer": picture(320, 240, place=True)}
    )
    expect(strip.locator("img")).to_have_count(1)
    strip.locator("input[type=file]").set_input_files({"name": "x.jpg", "mimeType": "image/jpeg", "buffer": b"no"})
    expect(strip).to_contain_text("it is not a whole JPEG, PNG or WebP picture")


def test_a_vehicle_is_found_again_and_its_vin_checked(technician, address):
    technician.goto(f"{address}/take-in")
    technician.get_by_label("Was it here before?").fill("QLB-08")
    expect(technician.locator("#found")).to_contain_text("Yellow city car")
    technician.get_by_label("VIN").fill("1M8GDM9AXKP042788")
    expect(technician.locator("#vin-says")).to_contain_text("Check digit is right. Model year 2019 or 1989")
    technician.get_by_label("VIN").fill("1M8GDM9A1KP042788")
    expect(technician.locator("#vin-says")).to_contain_text("Its check digit should be X")
    technician.get_by_label("VIN").fill("")
    technician.locator("#found").get_by_text("Yellow city car").click()
    expect(technician.get_by_label("Name, as you call it")).not_to_be_visible()  # it has one
    technician.get_by_role("button", name="Open the job").click()
    expect(technician.locator("#message")).to_contain_text("it is in the shop already, as job 8")
    technician.get_by_role("button", name="Open it all the same").click()
    expect(technician.locator(".facts")).to_contain_text("new lining 10 mm")
    expect(technician.locator("main")).to_contain_text("Wear lamp came on.")


def test_units_are_a_persons_own(browser, technician, address):
    technician.goto(f"{address}/me")
    technician.get_by_text("32nds of an inch").click()
    technician.get_by_role("button", name="Keep").click()
    technician.goto(f"{address}/jobs/2/strip?axle=front")
    expect(technician.locator("#front-left-pad-mm-inner-trail-rim")).to_have_value("4/32")
    expect(technician.locator("#plate-box")).to_contain_text("21/64")
    other = signed_in(browser, address, "Wen Hallam")
    other.goto(f"{address}/jobs/2/strip?axle=front")
    expect(other.locator("#front-left-pad-mm-inner-trail-rim")).to_have_value("3.3")
    technician.goto(f"{address}/me")
    technician.get_by_text("mm", exact=True).click()
    technician.get_by_role("button", name="Keep").click()


# -- everybody can use it --------------------------------------------------------------------------------------

SCREENS = [
    "/", "/sign-in", "/style",
    "/take-in", "/import", "/me", "/bench", "/learnt", "/learnt/better", "/learnt/versions", "/jobs/1/outcome",
    "/jobs/1/vehicle", "/jobs/1/history", "/jobs/1/measurements",
    *(f"/jobs/1/{stage}?axle=rear" for stage in STAGES), "/jobs/2/strip?axle=front", "/jobs/4/strip", "/jobs/9/verdict",
    "/jobs/1/board", "/workings", "/workings/fluid-returned", "/workings/wear-life", "/bedding", "/vehicles/8/wear",
    "/sources", "/plan", "/find?q=van", "/due", "/due?view=calendar", "/figures", "/vehicles/1", "/owners", "/bring-in",
]  # fmt: skip


@pytest.mark.parametrize("part", range(4))
def test_no_screen_has_a_serious_accessibility_fault(technician, address, part):
    faults = {}
    for screen in SCREENS[part::4]:
        technician.goto(f"{address}{screen}")
        if serious := serious_faults(technician):
            faults[screen] = serious
    assert faults == {}, json.dumps(faults, indent=1)


# -- workings and the board ------------------------------------------------------------------------------------


def test_a_working_computes_and_redraws_while_it_is_typed(technician, address):
    technician.goto(f"{address}/workings/drag-from-spin")
    drawn = technician.locator("#result svg").inner_html()
    technician.get_by_label("Turns until it stops").fill("12")
    # by hand: 1.1 · 4π · 12 / 4² = 10.37 N·m
    expect(technician.locator("#result dd").first).to_contain_text("10.37")
    assert technician.locator("#result svg").inner_html() != drawn
    technician.get_by_label("Turns until it stops").fill("many")
    expect(technician.locator("#result .entry-problem")).to_contain_text("many")
    expect(technician.get_by_label("Turns until it stops")).to_have_value("many")


def test_the_link_of_a_working_carries_its_figures(technician, address):
    technician.goto(f"{address}/workings/pedal-strokes")
    technician.locator(".working form input").first.fill("44")
    link = technician.get_by_role("link", name="Link that carries these figures")
    expect(link).to_have_attribute("href", re.compile("=44"))
    link.click()
    expect(technician.locator(".working form input").first).to_have_value(re.compile("^44"))


def test_the_board_answers_what_if(technician, address):
    technician.goto(f"{address}/jobs/1/verdict?axle=rear")
    technician.get_by_role("link", name="the board").click()
    expect(technician.get_by_role("heading", name="Suspects: Teal people carrier")).to_be_visible()
    before = document(technician, address, 1)
    technician.locator(".what-if-list button").first.click()
    expect(technician.locator("#what-if")).to_contain_text("%")
    assert document(technician, address, 1) == before, "asking changes nothing"


@pytest.mark.parametrize("size", [(820, 1180), (1180, 820)])
def test_on_a_tablet_the_drawing_and_the_next_entry_stay_in_sight_while_the_entries_scroll(browser, address, size):
    viewport = {"width": size[0], "height": size[1]}
    page = signed_in(browser, address, "Bram Oddie", viewport=viewport, has_touch=True, is_mobile=True)
    page.goto(f"{address}/jobs/2/strip?axle=front")
    for field in ("#front-left-rotor-mm-1", "#front-right-pad-mm-outer-trail-hub"):
        page.locator(field).focus()
        page.wait_for_timeout(100)
        plate = page.locator("#plate-box").bounding_box()
        entry = page.locator(field).bounding_box()
        suspects = page.locator("#suspects").bounding_box()
        assert plate["y"] >= -1
        assert plate["y"] + plate["height"] <= entry["y"] + 1
        below = suspects["y"] if suspects["width"] > size[0] * 0.8 else size[1]
        assert entry["y"] + entry["height"] <= below + 1
    page.context.close()
