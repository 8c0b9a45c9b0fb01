"""From the verdict to the hand-back in the browser, as three people of a workshop do it."""

from __future__ import annotations

import re

import pytest
from PIL import Image
from playwright.sync_api import expect

from tests.browser.door import come_in
from tests.browser.held_against import runs_out_at, serious_faults

pytestmark = pytest.mark.browser


def prove_what_is_demanded(page):
    """Spin, leak, pedal, level and parking brake, as this workshop wants them proved."""
    for field, figure in [("spin-turns", "5"), ("spin-seconds", "6"), ("fluid_level", "MAX")]:
        for place in page.locator(f"[id^='after-'][id$='-{field}']").all():
            place.fill(figure)
            place.press("Enter")
    for legend, word in [("Leak at the corner", "none"), ("Pedal under a steady foot", "holds"), ("Pedal feel", "firm"),
                         ("Leak seen", "none"), ("Parking brake holds", "yes")]:  # fmt: skip
        groups = page.get_by_role("group", name=legend)
        for number in range(groups.count()):
            button = groups.nth(number).get_by_role("button", name=word, exact=True)
            if button.get_attribute("aria-pressed") == "false":
                button.click()
            expect(button).to_have_attribute("aria-pressed", "true")


def test_sign_approve_tick_prove_release_and_hand_the_sheet_over(technician, address):
    page, job = technician, f"{address}/jobs/1"
    come_in(page, address, "Wen Hallam")
    page.goto(f"{job}/verdict")
    page.get_by_role("button", name="Sign, as Wen Hallam").click()
    expect(page.locator("#sign")).to_contain_text("waits for a lead")

    come_in(page, address, "Ilse Tarrow")
    page.goto(f"{job}/verdict")
    page.locator("summary", has_text="Choose another package").first.click()
    page.locator("#costs-front ~ details select[name=package]").first.select_option(index=1)
    page.get_by_role("button", name="Choose, as Ilse Tarrow").first.click()
    expect(page.locator("#message")).to_contain_text("reason for another package")  # in place, the choice still there
    page.get_by_role("button", name="Approve, as Ilse Tarrow").click()
    expect(page.locator("#sign")).to_contain_text("approved by Ilse Tarrow")

    page.get_by_role("link", name="Work card").last.click()
    page.wait_for_url("**/card")  # all of it, before its steps are counted
    ticks = page.locator(".tick")
    expect(ticks.first).to_have_attribute("aria-pressed", "false")
    for number in range(ticks.count()):
        ticks.nth(number).click()
        expect(ticks.nth(number)).to_have_attribute("aria-pressed", "true")
    expect(page.locator("#saved")).to_contain_text(re.compile(r"^saved \d"), timeout=30_000)
    row = page.locator(".torque-row", has_text="Caliper bolts").first
    row.get_by_label("maker’s").fill("30")
    row.get_by_role("button", name="Keep").click()
    expect(page.locator("#message")).to_contain_text("where the maker's torque came from")
    row.get_by_label("from").fill("service information, page 4")
    row.get_by_role("button", name="Keep").click()
    expect(row).to_contain_text("30 N·m, 22 lb·ft, 266 lb·in")
    expect(page.locator("#message")).to_be_empty()  # what was refused is no longer said once it is put right

    page.get_by_role("link", name="Prove and release").first.click()
    page.wait_for_url("**/prove")
    page.locator("#after-front_left-spin-turns").fill("5")
    page.keyboard.press("Tab")
    expect(page.locator("#after-front_left-spin-seconds")).to_be_focused()
    page.keyboard.type("6,5")
    page.keyboard.press("Enter")
    expect(page.locator(".checks")).to_contain_text("turns free")
    page.get_by_role("button", name="holds", exact=True).click()
    expect(page.get_by_role("button", name="holds", exact=True)).to_have_attribute("aria-pressed", "true")
    expect(page.get_by_role("button", name="released", exact=True)).to_be_disabled()
    expect(page.locator("#release ~ form")).to_contain_text("this workshop wants it proved")
    prove_what_is_demanded(page)
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
    expect(page.locator("main")).not_to_contain_text("What remains")
    expect(page.locator("main")).to_contain_text("Version 1 of this sheet")


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


STAGES = ("take-in", "pedal", "lift", "look", "isolate", "strip")
AFTER_THE_VERDICT = ("verdict", "card", "prove", "owner", "outcome", "history", "board", "vehicle", "measurements")
ELSEWHERE = ("/", "/take-in", "/orders", "/import", "/workings", "/workings/pad-taper", "/bedding", "/rules",
             "/workshop", "/learnt", "/trail", "/system", "/people", "/me", "/bench", "/vehicles/1/wear",
             "/plan", "/find?q=van", "/due", "/due?view=calendar", "/figures", "/vehicles/1", "/owners", "/owners/1",
             "/bring-in")  # fmt: skip


#: Pages that `test_whole_inspection.SCREENS` does not have.
BESIDE_THE_SCREENS = (*(f"/jobs/9/{name}" for name in ("verdict", "card", "prove", "owner")), "/orders", "/rules",
                      "/workshop", "/trail", "/system", "/people", "/owners/1", "/owners/1/letter")  # fmt: skip


def every_page(job):
    return (*(f"/jobs/{job}/{name}" for name in (*STAGES, *AFTER_THE_VERDICT)), *ELSEWHERE)


def test_no_page_after_the_verdict_or_of_a_lead_has_a_serious_accessibility_fault(technician, address):
    page, faults = technician, {}
    come_in(page, address, "Ilse Tarrow")
    for where in BESIDE_THE_SCREENS:
        page.goto(f"{address}{where}")
        serious = serious_faults(page)
        faults |= {where: serious} if serious else {}
    assert faults == {}


def test_nothing_runs_out_of_any_page_at_any_width(technician, address):
    come_in(technician, address, "Ilse Tarrow")
    for where in every_page(4):
        technician.goto(f"{address}{where}")
        assert runs_out_at(technician) == [], where


def test_on_a_phone_header_rail_and_suspects_leave_two_thirds_to_the_work(technician, address):
    page = technician
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto(f"{address}/jobs/1/strip?axle=rear")

    def high(selector):
        return page.locator(selector).first.bounding_box()["height"]

    assert high(".page-header") + high("#rail") + high("#suspects") <= 844 / 3
    expect(page.locator("#suspects")).to_contain_text("Next:")
    expect(page.get_by_role("heading", name="Check next")).not_to_be_visible()
    page.locator("[data-suspects]").click()
    expect(page.get_by_role("heading", name="Check next")).to_be_visible()


def test_strip_is_under_three_screens_and_what_is_folded_opens_for_the_cursor(technician, address):
    page = technician
    page.goto(f"{address}/jobs/10/strip")
    assert page.evaluate("document.documentElement.scrollHeight") < 3 * 800
    runout = page.locator("#front-left-rotor-runout-mm")
    expect(runout).not_to_be_visible()
    page.goto(f"{address}/jobs/10/strip#front-left-rotor-runout-mm")
    expect(runout).to_be_focused()


def test_the_drawing_of_the_reservoir_is_tapped_for_its_level(technician, address):
    page = technician
    page.goto(f"{address}/jobs/10/pedal")
    page.locator("[data-enters='75 %']").click(force=True)
    field = page.locator("#system-fluid-level")
    expect(field).to_have_value("75 %")
    expect(page.locator("#saved")).to_contain_text("saved")
    page.reload()
    expect(field).to_have_value("75 %")


def test_an_owner_signs_for_a_stop_gap_with_a_finger(technician, address):
    page = technician
    page.goto(f"{address}/jobs/3/prove")
    page.locator("#stop-gap > summary").click()
    page.get_by_label("What was only tided over").fill("one piston freed")
    page.get_by_role("button", name="Keep the stop-gap").click()
    field = page.locator("[data-sign]")
    field.scroll_into_view_if_needed()
    box = field.bounding_box()
    page.mouse.move(box["x"] + 20, box["y"] + 40)
    page.mouse.down()
    page.mouse.move(box["x"] + 120, box["y"] + 60, steps=5)
    page.mouse.up()
    page.get_by_label("Name of the owner").fill("A. Owner")
    page.get_by_role("button", name="Keep the owner’s word").click()
    expect(page.get_by_role("img", name="Signature of A. Owner").locator("polyline")).to_have_count(1)
    expect(page.locator("#stop-gap")).to_contain_text("A. Owner")


def test_own_steps_and_struck_ones_keep_what_is_typed_elsewhere(technician, address):
    page = technician
    page.goto(f"{address}/jobs/2/card")
    step = page.locator("#step-open_up")
    step.locator(".more-of-step > summary").click()
    step.get_by_role("textbox", name="Note").fill("ears burred")
    page.locator("#own-step > summary").click()
    page.locator("#own-step").get_by_label("Step").fill("file the ears")
    page.locator("#own-step").get_by_role("button", name="Add").click()
    expect(page.locator(".card-steps")).to_contain_text(["file the ears"])
    expect(step.get_by_role("textbox", name="Note")).to_have_value("ears burred")  # what was typed stays
    step.get_by_role("button", name="Keep the note").click()
    expect(step.locator(".step-remark")).to_have_text("ears burred")
    step.get_by_label("Why it is struck out").fill("not needed: new bracket")
    step.get_by_role("button", name="Strike out").click()
    expect(step).to_contain_text("Struck out: not needed: new bracket")


def test_a_refused_picture_leaves_the_others(technician, address, tmp_path):
    page = technician
    page.goto(f"{address}/jobs/2/look")
    good = tmp_path / "good.png"
    Image.new("RGB", (60, 40), "gray").save(good)
    (tmp_path / "bad.jpg").write_bytes(b"no picture")
    strip = page.locator("[id^=photographs-]").first
    strip.locator("input[type=file]").set_input_files([str(tmp_path / "bad.jpg"), str(good)])
    expect(strip.locator("img")).to_have_count(1)


def test_a_vehicle_is_taken_in_without_a_network_and_arrives_once_it_is_back(technician, address):
    page = technician
    page.goto(f"{address}/take-in")
    page.context.set_offline(True)
    page.get_by_label("Name, as you call it").fill("Plum van")
    page.get_by_label("Complaint, in the driver’s words").fill("left rear hot")
    page.get_by_role("button", name="Open the job").click()
    expect(page.locator("#saved")).to_contain_text("kept")
    page.context.set_offline(False)
    page.wait_for_url(re.compile(r"/jobs/\d+/take-in"), timeout=20_000)
    expect(page.locator("body")).to_contain_text("Plum van")


def test_a_distance_that_is_asked_about_is_confirmed_where_it_was_asked(technician, address):
    page = technician
    page.goto(f"{address}/take-in?vehicle=1")
    page.get_by_label("Complaint, in the driver’s words").fill("again")
    page.get_by_role("button", name="Open the job").click()
    again = page.get_by_role("button", name="Open it all the same")
    expect(again).to_be_visible()
    again.click()
    page.wait_for_url(re.compile(r"/jobs/\d+/take-in"))


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


#: A device that takes a second to take something out of its storage.
SLOW_TO_FORGET = """
const forget = IDBObjectStore.prototype.delete;
IDBObjectStore.prototype.delete = function (key) {
  const until = Date.now() + 1000, first = this.get("nothing");
  const go = () => {
    if (Date.now() < until) this.get("nothing").onsuccess = go;
    else forget.call(this, key);
  };
  first.onsuccess = go;
  return first;
};
"""


def test_an_act_that_leads_to_another_page_is_not_followed_again_by_a_slow_device(technician, address):
    """What is still kept when the page goes would be sent again where it was made, and lead away again."""
    page, job = technician, f"{address}/jobs/8"
    page.add_init_script(SLOW_TO_FORGET)
    page.goto(f"{job}/outcome")
    page.get_by_text("As suspected", exact=True).first.click()
    page.get_by_role("button", name="Seen in the parts").click()
    page.wait_for_url(f"{address}/")
    page.goto(f"{job}/outcome")
    expect(page.locator(".outcome-noted")).to_contain_text("seen in the parts")
    page.get_by_role("button", name="Open it again").click()
    expect(page.locator("#saved")).to_contain_text(re.compile(r"^saved \d"))


def enter_worn_pads(page, address, corner):
    """Both pads of a corner at 1.1 mm, as somebody else enters them on another tablet."""
    page.goto(f"{address}/jobs/2/strip?axle={corner.partition('-')[0]}")
    for side in ("inner", "outer"):
        field = page.locator(f"#{corner}-pad-mm-{side}-lead-rim")
        field.fill("1.1")
        field.press("Enter")
        expect(page.locator("#saved")).to_contain_text(re.compile(r"^saved \d"))


def test_what_somebody_finds_meanwhile_is_looked_at_before_it_is_signed(browser, technician, address):
    """Two people: one has the verdict open, the other finds worn pads; nobody signs what their page did not show."""
    page, other = technician, browser.new_context().new_page()
    come_in(page, address, "Ilse Tarrow")
    page.goto(f"{address}/jobs/2/verdict")
    expect(page.locator("#actions")).not_to_contain_text("the floor is 1.5 mm")
    come_in(other, address, "Bram Oddie")
    enter_worn_pads(other, address, "front-left")
    page.get_by_role("button", name="Sign, as Ilse Tarrow").click()
    form = page.locator("form", has=page.get_by_role("button", name="Sign, as Ilse Tarrow"))
    expect(form).to_contain_text("has changed since this page was read")
    expect(page.locator("#actions")).to_contain_text("the floor is 1.5 mm")  # and here it is
    expect(page.locator("#sign")).to_contain_text("Nobody has signed this verdict yet.")
    page.get_by_role("button", name="Sign, as Ilse Tarrow").click()
    expect(page.locator("#sign")).to_contain_text("Signed by Ilse Tarrow.")
    other.context.close()


def test_two_people_who_prove_the_same_figure_see_each_others_and_the_last_word_is_meant(browser, technician, address):
    page, other = technician, browser.new_context().new_page()
    come_in(other, address, "Wen Hallam")
    for one in (page, other):
        one.goto(f"{address}/jobs/9/prove")
    field = "[id^='after-'][id$='-spin-turns'] >> nth=0"
    for one, figure in ((page, "6"), (other, "4")):
        one.locator(field).fill(figure)
        one.locator(field).press("Enter")
        expect(one.locator("#saved")).not_to_contain_text("saving")
    form = other.locator("form.after-form").first
    expect(form).to_contain_text("Somebody else changed this since you opened the page")
    expect(other.locator(field)).to_have_value("4")  # what was written stands, and theirs is under it
    expect(form.locator("[name=seen]")).to_have_value("=6.0")
    other.locator(field).press("Enter")
    expect(other.locator("#saved")).to_contain_text(re.compile(r"^saved \d"))
    page.reload()
    expect(page.locator(field)).to_have_value("4")
    other.context.close()
