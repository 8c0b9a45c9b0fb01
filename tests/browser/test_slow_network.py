"""Acts on a slow network and what is refused, without the device's worker: past it no request can be held back."""

from __future__ import annotations

import re
import time

import pytest
from playwright.sync_api import expect

from tests.browser.door import come_in
from tests.browser.test_first_axle import new_job, saved

pytestmark = pytest.mark.browser


def slow(page, address, where="jobs/**"):
    """Every change takes 700 ms longer."""

    def late(route):
        time.sleep(0.7)
        route.continue_()

    page.route(f"{address}/{where}", lambda one: late(one) if one.request.method == "POST" else one.continue_())


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


@pytest.fixture
def held(technician, address):
    """Changes that are on their way until the test lets one go."""
    waiting = []

    def hold(route):
        if route.request.method == "POST":
            waiting.append(route)
        else:
            route.continue_()

    technician.route(f"{address}/jobs/**", hold)

    def let_go():
        end = time.monotonic() + 30
        while not waiting:
            assert time.monotonic() < end, "nothing is on its way"
            technician.wait_for_timeout(20)
        waiting.pop(0).continue_()

    return let_go


def test_a_finger_that_is_down_when_an_answer_comes_still_taps(card, held):
    ticks = card.locator(".tick")
    ticks.nth(0).click()
    ticks.nth(1).scroll_into_view_if_needed()
    box = ticks.nth(1).bounding_box()
    card.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    card.mouse.down()
    held()
    expect(ticks.nth(0)).to_have_attribute("aria-label", re.compile("done, open it again"))  # the answer is on the page
    card.mouse.up()
    expect(ticks.nth(1)).to_have_attribute("aria-pressed", "true")
    held()
    saved(card)


def test_what_is_marked_to_be_written_over_stays_marked(card, held):
    maker = card.locator(".torque-row").nth(1).get_by_label("maker’s")
    maker.fill("110")
    card.locator(".tick").nth(0).click()
    maker.focus()
    maker.select_text()
    held()
    saved(card)
    card.keyboard.type("95")
    expect(maker).to_have_value("95")


def test_a_part_added_while_another_act_waits_is_added_once_and_its_line_is_empty(card, held):
    card.locator("#own-step > summary").click()
    step = card.locator("#own-step").get_by_label("Step")
    step.fill("file the ears")
    card.locator("#own-step").get_by_role("button", name="Add").click()
    card.locator(".tick").nth(0).click()
    held()
    held()
    saved(card)
    expect(step).to_have_value("")
    expect(card.locator(".card-steps b", has_text="file the ears")).to_have_count(1)


def test_a_signature_being_drawn_outlives_the_answer_to_another_act(technician, address, held):
    page = technician
    page.goto(f"{address}/jobs/8/prove")
    page.locator("#stop-gap > summary").click()
    page.get_by_label("What was only tided over").fill("one piston freed")
    page.get_by_role("button", name="Keep the stop-gap").click()
    held()
    saved(page)
    field = page.locator("[data-sign]")
    field.scroll_into_view_if_needed()
    page.locator("[id^='after-'][id$='-fluid_level']").fill("MAX")
    page.get_by_role("group", name="Pedal feel").get_by_role("button", name="firm").click()  # and the level before it
    field.scroll_into_view_if_needed()
    box = field.bounding_box()
    page.mouse.move(box["x"] + 20, box["y"] + 40)
    page.mouse.down()
    page.mouse.move(box["x"] + 120, box["y"] + 60, steps=5)
    held()
    held()
    saved(page)
    page.mouse.move(box["x"] + 220, box["y"] + 20, steps=5)
    page.mouse.up()
    expect(field.locator("polyline")).to_have_count(1)
    page.get_by_label("Name of the owner").fill("A. Owner")
    page.get_by_role("button", name="Keep the owner’s word").click()
    held()
    expect(page.get_by_role("img", name="Signature of A. Owner").locator("polyline")).to_have_count(1)
    expect(field.locator("polyline")).to_have_count(0)


def test_lines_that_somebody_kept_while_another_was_typing_them_are_asked_about_one_by_one(browser, card, address):
    other = browser.new_context().new_page()
    come_in(other, address, "Wen Hallam")
    other.goto(card.url)

    def note_on(page, number):
        step = page.locator("[id^=step-]:has(.more-of-step)").nth(number)
        return step, step.locator("form[action$=note] [name=words]"), step.get_by_role("button", name="Keep the note")

    for page in (card, other):
        for number in (0, 1):
            step, words, keep = note_on(page, number)
            step.locator(".more-of-step > summary").click()
            words.fill(f"{'mine' if page is card else 'theirs'} {number}")
            if page is other:
                keep.click()
                saved(other)
    other.context.close()
    card.locator(".tick").nth(0).click()  # brings in the page with their words
    for number in (0, 1):
        step, words, keep = note_on(card, number)
        expect(step.locator(".step-remark")).to_have_text(f"theirs {number}")
        expect(words).to_have_value(f"mine {number}")
        keep.click()
        expect(step.locator(".act-message")).to_contain_text(f"note, now “theirs {number}”")
        expect(step.locator("form[action$=note] [name=seen]")).to_have_value(re.compile(f"theirs {number}"))
    for number in (0, 1):
        step, _, keep = note_on(card, number)
        keep.click()  # told of it, it is meant
        expect(step.locator(".step-remark")).to_have_text(f"mine {number}")


def test_a_word_that_was_refused_is_not_shown_as_chosen(technician, address):
    page = technician
    page.goto(f"{address}/jobs/10/prove")
    body = '<span class="entry-problem" role="alert">This job is closed.</span>'
    page.route("**/prove/after", lambda route: route.fulfill(status=423, body=body, content_type="text/html"))
    firm = page.get_by_role("group", name="Pedal feel").get_by_role("button", name="firm")
    expect(firm).to_have_attribute("aria-pressed", "false")
    firm.click()
    expect(page.locator("#message")).to_contain_text("This job is closed")
    expect(firm).to_have_attribute("aria-pressed", "false")


def test_a_tick_that_was_refused_is_not_shown_as_done_once_the_page_of_now_came(card):
    words = "the plan is another by now"
    body = f'<span class="entry-problem" role="alert" data-look-again>{words}</span>'
    sent = []

    def refuse(route):
        sent.append(route.request)
        route.fulfill(status=409, body=body, content_type="text/html")

    card.route("**/card/tick", refuse)
    tick = card.locator(".tick").first
    with card.expect_response(lambda answer: answer.url.endswith("/card") and answer.request.method == "GET"):
        tick.dblclick()
    form = card.locator("form", has=tick)
    expect(form.locator(".act-message")).to_have_text(words)
    expect(tick).to_have_attribute("aria-pressed", "false")
    card.wait_for_timeout(450)  # sooner it is the echo of a tap, which is not sent
    assert len(sent) == 1
    card.unroute("**/card/tick")
    tick.click()
    saved(card)
    expect(tick).to_have_attribute("aria-pressed", "true")
