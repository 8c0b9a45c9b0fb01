"""Takes the pictures in docs/screenshots from the demo data, about 1280x800."""

from __future__ import annotations

import sys
from pathlib import Path

from playwright.sync_api import Browser, sync_playwright

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))
from tests.served import CHROMIUM, served_demo

FOLDER = Path(__file__).resolve().parents[1] / "docs" / "screenshots"

#: picture: address, colour scheme, width, height
VIEWS = {
    "today": ("/", "light", 1280, 800),
    "plan-of-the-day": ("/plan", "light", 1280, 800),
    "due": ("/due", "light", 1280, 800),
    "figures": ("/figures", "light", 1280, 800),
    "take-in": ("/jobs/1/take-in?axle=front", "light", 1280, 800),
    "pedal-and-fluid": ("/jobs/1/pedal", "light", 1280, 800),
    "lift-and-spin": ("/jobs/1/lift?axle=front", "light", 1280, 800),
    "strip-and-measure": ("/jobs/2/strip?axle=front", "light", 1280, 800),
    "verdict": ("/jobs/2/verdict", "light", 1280, 800),
    "work-card": ("/jobs/2/card", "light", 1280, 800),
    "prove-and-release": ("/jobs/2/prove", "light", 1280, 800),
    "workshop-rules": ("/rules", "light", 1280, 800),
    "practice": ("/practice/runs/3/strip?axle=front", "light", 1280, 800),
    "debrief": ("/practice/runs/1/debrief", "light", 1280, 800),
    "suspect-board": ("/jobs/1/board", "light", 1280, 800),
    "pit-dark": ("/jobs/3/strip?axle=front", "dark", 1280, 800),
    "wear-log": ("/vehicles/8/wear", "light", 1280, 800),
    "owners-sheet": ("/jobs/2/owner", "light", 1280, 800),
    "learnt": ("/learnt", "light", 1280, 800),
}

#: Pages that only a lead sees.
FOR_A_LEAD = ("/", "/learnt", "/practice/runs/3/strip?axle=front", "/practice/runs/1/debrief")


def work_on_a_job(browser: Browser, address: str) -> None:
    """Sign a verdict, do the first of its work and measure again, so that the last pages have something to show."""
    page = browser.new_page()
    page.goto(f"{address}/sign-in")
    page.get_by_role("button", name="Ilse Tarrow").click()
    page.goto(f"{address}/jobs/2/verdict")
    page.get_by_role("button", name="Sign, as Ilse Tarrow").click()
    page.goto(f"{address}/jobs/2/card")
    ticks = page.locator(".tick")
    for number in range(ticks.count()):
        ticks.nth(number).click()
        page.locator(f".tick >> nth={number}").and_(page.locator("[aria-pressed=true]")).wait_for()
    page.goto(f"{address}/jobs/2/prove")
    for corner, turns, seconds in (("left", "3", "3.4"), ("right", "3.25", "3.5")):
        for what, figure in (("turns", turns), ("seconds", seconds)):
            page.locator(f"#after-front_{corner}-spin-{what}").fill(figure)
            with page.expect_response(lambda response: "/prove" in response.url and response.status == 200):
                page.keyboard.press("Enter")
    for legend, word in PROVED:
        groups = page.get_by_role("group", name=legend)
        for number in range(groups.count()):
            button = groups.nth(number).get_by_role("button", name=word, exact=True)
            button.click()
            groups.nth(number).locator(f"button[aria-pressed=true]:text-is('{word}')").wait_for()
    for field, figure in (("fluid_level", "MAX"), ("pad_mm-inner-lead_rim", "11"), ("pad_mm-outer-lead_rim", "11")):
        for place in page.locator(f"[id^='after-'][id$='-{field}']").all():
            place.fill(figure)
            with page.expect_response(lambda response: "/prove" in response.url and response.status == 200):
                page.keyboard.press("Enter")
    page.locator("#saved", has_text="saved").wait_for()
    page.reload()
    page.get_by_label("Released without").check()
    page.get_by_role("button", name="released", exact=True).click()
    page.locator(".released-notice").wait_for()
    page.close()


#: What the first job is proved with.
PROVED = [
    ("Leak at the corner", "none"), ("Pedal under a steady foot", "holds"), ("Pedal feel", "firm"),
    ("Leak seen", "none"), ("Parking brake holds", "yes"),
]  # fmt: skip


def practise(browser: Browser, address: str) -> None:
    """Leave a mystery vehicle half worked; the demo's apprentice has worked two others."""
    page = browser.new_page()
    page.goto(f"{address}/sign-in")
    page.get_by_role("button", name="Ilse Tarrow").click()
    page.goto(f"{address}/practice")
    page.get_by_label("or its number").fill("4")
    page.get_by_role("button", name="Take it in").click()
    page.wait_for_url("**/take-in")
    page.goto(f"{address}/practice/runs/3/lift?axle=front")
    page.get_by_role("button", name="Press the pedal").click()
    page.get_by_text("0.5 min", exact=True).first.wait_for()
    for stage, name in (("lift", "spin the wheel"), ("look", "look at the hose"), ("strip", "feel both slide pins"),
                        ("strip", "measure both linings")):  # fmt: skip
        page.goto(f"{address}/practice/runs/3/{stage}?axle=front")
        page.get_by_role("button", name=f"front left: {name}").click()
        page.locator("#saved", has_text="saved").wait_for()
    page.close()


def wait_until_learnt(browser: Browser, address: str) -> None:
    page = browser.new_page()
    page.goto(f"{address}/sign-in")
    page.get_by_role("button", name="Ilse Tarrow").click()
    page.goto(f"{address}/learnt")
    page.get_by_role("button", name="Learn now").click()
    page.get_by_role("heading", name="Version 1 answers here").wait_for(timeout=400_000)
    page.close()


def wait_until_worked_out(browser: Browser, address: str) -> None:
    """Until the figures of the closed year stand, and Today shows every job as it is."""
    page = browser.new_page()
    page.goto(f"{address}/sign-in")
    page.get_by_role("button", name="Ilse Tarrow").click()
    for where, waiting in (("/figures", "closed jobs are still"), ("/", "being worked out again")):
        page.goto(f"{address}{where}")
        while waiting in page.content():
            page.wait_for_timeout(2000)
            page.goto(f"{address}{where}")
    page.close()


def main() -> None:
    FOLDER.mkdir(parents=True, exist_ok=True)
    with served_demo(closed=150, whole_day=True) as address, sync_playwright() as playwright:
        browser = playwright.chromium.launch(**CHROMIUM)
        work_on_a_job(browser, address)
        practise(browser, address)
        wait_until_worked_out(browser, address)
        for name, (where, scheme, width, height) in VIEWS.items():
            context = browser.new_context(viewport={"width": width, "height": height}, color_scheme=scheme)
            page = context.new_page()
            if where == "/learnt":  # last: what is learnt changes the plans of the day
                wait_until_learnt(browser, address)
            page.goto(f"{address}/sign-in")
            if where != "/sign-in":
                who = "Ilse Tarrow" if where in FOR_A_LEAD else "Bram Oddie"
                page.get_by_role("button", name=who).click()
                page.goto(f"{address}{where}")
            page.evaluate("document.fonts.ready")
            page.wait_for_timeout(150)
            page.screenshot(path=FOLDER / f"{name}.png")
            context.close()
        browser.close()


if __name__ == "__main__":
    main()
