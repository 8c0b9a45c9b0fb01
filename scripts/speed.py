"""Measures speed and prints the figures with the machine named. Not a test: nothing fails here."""

from __future__ import annotations

import argparse
import gc
import json
import os
import platform
import statistics
import subprocess
import sys
import time
from collections.abc import Callable
from dataclasses import replace
from functools import lru_cache
from pathlib import Path

import httpx2
import numpy as np
from playwright.sync_api import Browser, Page, sync_playwright

from mesotrope.core.evidence.readings import VisitReadings, readings_of

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))
from mesotrope.core.answer.answer import diagnose, overview, reasons_of
from mesotrope.core.decision.check_next import next_tests
from mesotrope.core.evidence.collect import collect
from mesotrope.core.evidence.job_numbers import job_numbers
from mesotrope.core.evidence.measures import measure_all
from mesotrope.core.evidence.specification import complete_specification
from mesotrope.core.evidence.wear_log import Series, wear_log
from mesotrope.core.inference.posterior import Posterior
from mesotrope.core.inference.vehicle_space import space_of
from mesotrope.core.language.inspection import Inspection, parse_inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.physics.wear import WearFit, fit_wear
from mesotrope.core.simulator import inspect_vehicle, simulate_vehicle
from mesotrope.frugal import be_frugal
from mesotrope.knowledge import knowledge
from scripts.bench.client import Client
from scripts.bench.crowd import crowd_rows
from scripts.bench.in_turn import print_in_turn
from scripts.bench.library import library_rows
from scripts.bench.memory import memory_rows
from scripts.bench.taxi import taxi_rows
from scripts.bench.technicians import technicians_rows
from scripts.day_speed import day_rows
from tests.documents import ALL_FREE, DRAGS, FREE, document, pads
from tests.served import CHROMIUM, served_apart

HEALTHY = {"spin": FREE, "pad_mm": pads(7.0, 7.2), **ALL_FREE, "pad_gap_mm": {"inner": 0.2, "outer": 0.2}}
DRAGGING = {**HEALTHY, "spin": DRAGS, "pad_mm": pads(3.5, 4.2), "bleeder_opened": "no_change"}
VEHICLE = document({"front_left": HEALTHY, "front_right": HEALTHY, "rear_left": DRAGGING, "rear_right": HEALTHY})


FULL = simulate_vehicle(np.random.default_rng(3), "car")


@lru_cache
def _visits(count: int) -> list[VisitReadings]:
    """A vehicle's visits: every pad and rotor of four corners, a little thinner each time."""
    out = []
    for number in range(count):
        thick = 11 - 7 * number / count
        corner = {"pad_mm": pads(thick, thick + 0.1), "rotor_mm": [25 - number / count, 25 - number / count]}
        written = document(dict.fromkeys(("front_left", "front_right", "rear_left", "rear_right"), corner))
        dated = parse_inspection(json.dumps({**written, "visit": {"odometer_km": 1000 + 400 * number}}))
        out.append(readings_of(number, dated))
    return out


def _fits(parts: tuple[Series, ...]) -> list[WearFit]:
    return [
        fit_wear(
            [r.odometer_km for r in part.current], [r.thickness.value for r in part.current],
            [r.thickness.sd for r in part.current], part.limit_mm,
        )
        for part in parts
    ]  # fmt: skip


def _reasoning(inspection: Inspection, known: Knowledge) -> list[float]:
    """Time of the posterior, from figures to chances, and of every suspect's reasons for and against."""
    specification = complete_specification(inspection, known)
    space = space_of(known, specification)
    short = overview(inspection, known)

    def reason() -> object:
        measures = measure_all(inspection, specification, known)
        evidence = collect(inspection, specification, measures, known)
        made = Posterior(known, specification, space, evidence, {}, inspection.visit.usage)
        return reasons_of(replace(short, measures=measures, evidence=evidence, posterior=made))

    return timed_ms(reason, 30)


def _memory_mb() -> float:
    """The most memory that a process of its own takes to answer the vehicle above, MB."""
    words = (
        "import sys; from mesotrope.core.answer.answer import diagnose; "
        "from mesotrope.core.language.inspection import parse_inspection; from mesotrope.knowledge import knowledge; "
        "diagnose(parse_inspection(sys.stdin.read()), knowledge()); "
        "print(*(line.split()[1] for line in open('/proc/self/status') if line.startswith('VmHWM')))"
    )
    done = subprocess.run(
        [sys.executable, "-c", words], input=json.dumps(VEHICLE), capture_output=True, text=True, check=True
    )
    return int(done.stdout) * 1024 / 1e6


def _ranking(known: Knowledge) -> list[float]:
    """Time of ranking every test not made yet, after one wheel was spun; the tests themselves are many."""
    inspection = parse_inspection(json.dumps(document({"rear_left": {"spin": DRAGS}})))
    short = overview(inspection, known)
    return timed_ms(
        lambda: next_tests(short.posterior, inspection, short.specification, short.measures, known, short.decision),
        20,
    )


def timed_ms(what: Callable[[], object], times: int, warm: int = 3) -> list[float]:
    for _ in range(warm):
        what()
    out = []
    for _ in range(times):
        start = time.perf_counter()
        what()
        out.append(1000 * (time.perf_counter() - start))
    return sorted(out)


def row(name: str, figures: list[float], target: str) -> None:
    p95 = figures[min(len(figures) - 1, int(0.95 * len(figures)))]
    print(f"| {name} | {statistics.median(figures):.1f} | {p95:.1f} | {len(figures)} | {target} |")


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--before", help="a revision whose page and entry are timed in the same run")
    asked.add_argument("--in-turn", action="store_true", help="only what is held against its floor")
    chosen = asked.parse_args()
    if chosen.in_turn:
        return print_in_turn(chosen.before)
    be_frugal()  # as the application is
    lines = Path("/proc/cpuinfo").read_text().splitlines()
    cpu = next((line.split(":")[1].strip() for line in lines if line.startswith("model name")), "unknown")
    print(f"Machine: {cpu}, {os.cpu_count()} cores, {platform.system()} {platform.machine()}, ", end="")
    print(f"Python {platform.python_version()}\n")
    print("| what | median ms | p95 ms | runs | target |\n|---|---|---|---|---|")
    known = knowledge()
    inspection = parse_inspection(json.dumps(VEHICLE))
    specification = complete_specification(inspection, known)
    space = space_of(known, specification)

    def posterior() -> object:  # evidence is made anew each time, so that nothing is remembered from the last
        measures = measure_all(inspection, specification, known)
        evidence = collect(inspection, specification, measures, known)
        return Posterior(known, specification, space, evidence, {}).suspects()

    posterior()
    gc.collect()
    gc.freeze()  # as the application does once it is warm
    row("posterior, four corners and system", timed_ms(posterior, 60), "median under 20")
    row("whole answer: reasons, next tests, decision", timed_ms(lambda: diagnose(inspection, known), 40), "")
    visits = _visits(200)
    log = wear_log(visits, specification, known)
    assert log is not None
    row("wear fit of a vehicle with 200 visits, all parts", timed_ms(lambda: _fits(log.series), 20), "under 20")
    row(
        "the same, with every pad worked out from its places",
        timed_ms(lambda: wear_log(visits, specification, known), 20),
        "",
    )
    short = overview(inspection, known)
    numbers = lambda: job_numbers(inspection, short.specification, short.measures, known)  # noqa: E731
    row("all numbers of the job, full vehicle", timed_ms(numbers, 40), "under 20")
    full = parse_inspection(json.dumps(inspect_vehicle(np.random.default_rng(3), FULL, thorough=5)))
    row("posterior and reasons, every finding of a full vehicle made", _reasoning(full, known), "median under 50")
    row("next tests ranked, little found yet", _ranking(known), "under 200")
    row("whole answer, every finding of a full vehicle made", timed_ms(lambda: diagnose(full, known), 20), "")
    few, many, imported = _many_jobs()
    row("figure sent to suspects and plate answered, over HTTP", few, "")
    row("the same with 1 000 more jobs stored", many, "as above")
    for name, figures, target in technicians_rows():
        row(name, figures, target)
    for rows in (day_rows, taxi_rows):
        for name, figures, target in rows(timed_ms):
            row(name, figures, target)
    with served_apart() as address:
        for name, figures, target in crowd_rows(address):
            row(name, figures, target)
    memory = _memory_mb()
    with served_apart() as address, sync_playwright() as playwright:
        browser = playwright.chromium.launch(**CHROMIUM)
        page = browser.new_page(viewport={"width": 1280, "height": 800}, bypass_csp=True)
        page.goto(f"{address}/sign-in")
        page.get_by_role("button", name="Bram Oddie").click()
        cookies = {cookie["name"]: cookie["value"] for cookie in page.context.cookies()}
        with httpx2.Client(base_url=address, cookies=cookies) as client:
            get = lambda: client.get("/jobs/1/strip?axle=rear")  # noqa: E731
            assert get().status_code == 200
            row("page of the job screen, over HTTP on loopback", timed_ms(get, 40), "median under 40")
        page.goto(f"{address}/jobs/1/strip?axle=rear")
        times = []
        for number in range(60):
            field = page.locator("#rear-left-pad-mm-inner-lead-rim")
            field.fill(f"{3.1 + number / 100:.2f}")
            times.append(page.evaluate(ENTRY_TO_SUSPECTS_MS))
        row("figure entered to suspects refreshed, in the browser", sorted(times[5:]), "p95 under 150")
        row("two people on a job: entered to seen by the other, in the browser", _seen_by_another(browser, address),
            "under 2000")  # fmt: skip
        keys, seconds = _typed_inspection(page, address)
        first_page = _first_page_kb(browser, address)
        slow_s = _over_a_slow_network(browser, address)
        browser.close()
    print(f"\nA full four-corner inspection typed: {keys} keystrokes, {seconds:.1f} s of application time")
    print(f"First page load (sign-in, nothing cached): {first_page:.0f} kB in all (target under 300)")
    later = ", ".join(f"{one:.1f}" for one in slow_s[1:])
    print(f"Over a slow network (700 ms an answer) a page takes entries after {slow_s[0]:.1f} s, later ones {later}")
    print(f"Import of 1 000 inspection documents: {imported:.0f} a second end to end (target at least 50)")
    print(f"\nMemory of a process that works out the whole answer: {memory:.0f} MB (target under 200)")
    print("\n| different vehicles answered | memory of the application, MB (target 300) |\n|---|---|")
    for what, mb in memory_rows():
        print(f"| {what} | {mb:.0f} |", flush=True)
    print("\n| network | a general library, ms | ours, ms | times |\n|---|---|---|---|")
    for line in library_rows(timed_ms):
        print(line, flush=True)
    print_in_turn(chosen.before)


def _seen_by_another(browser: Browser, address: str, times: int = 12) -> list[float]:
    """From Enter on one screen to the figure standing on another's, each looking every 5 ms."""
    pages = []
    for person in ("Bram Oddie", "Wen Hallam"):
        page = browser.new_context(bypass_csp=True).new_page()
        page.goto(f"{address}/sign-in")
        page.get_by_role("button", name=person).click()
        page.goto(f"{address}/jobs/10/strip?axle=front")
        pages.append(page)
    out = []
    for number in range(times):
        figure = f"{5 + number / 100:.2f}"
        pages[0].locator("#front-left-pad-mm-inner-lead-rim").fill(figure)
        start = time.perf_counter()
        pages[0].keyboard.press("Enter")
        pages[1].wait_for_function(
            f"parseFloat(document.getElementById('front-left-pad-mm-inner-lead-rim').value) === {figure}", polling=5
        )
        out.append(1000 * (time.perf_counter() - start))
    return sorted(out[1:])


def _typed_inspection(page: Page, address: str) -> tuple[int, float]:
    """Type spin, sixteen thicknesses and the feel of pads, pins and pistons of four corners; keystrokes and seconds."""
    keys, seconds = 0, 0.0
    corner = ["7.1", "7.2", "7.2", "7.3", "7.3", "7.4", "7.4", "7.4"]
    for stage in ("lift", "strip"):
        for axle in ("front", "rear"):
            page.goto(f"{address}/jobs/10/{stage}?axle={axle}")
            start = time.perf_counter()
            for side in ("left", "right"):
                if stage == "lift":
                    page.locator(f"#{axle}-{side}-spin-turns").focus()
                    keys += _keys(page, ["4", "5.1"])
                else:
                    page.locator(f"#{axle}-{side}-pad-mm-inner-lead-rim").focus()
                    keys += _keys(page, corner)
                    for field, letters in (("pad-fit-inner", "ff"), ("pin-upper", "ff"), ("piston-pushback-1", "es")):
                        place = page.locator(f"#{axle}-{side}-{field}")
                        if place.count():
                            place.focus()
                            for letter in letters:
                                page.keyboard.press(letter)
                            keys += len(letters)
            page.wait_for_function("document.getElementById('saved').textContent.startsWith('saved')")
            seconds += time.perf_counter() - start
    return keys, seconds


def _keys(page: Page, texts: list[str]) -> int:
    for text in texts:
        page.keyboard.type(text)
        page.keyboard.press("Enter")
    return sum(len(text) + 1 for text in texts)


def _first_page_kb(browser: Browser, address: str) -> float:
    """Everything that a first visit transfers, as it goes over the wire."""
    page = browser.new_context().new_page()
    session = page.context.new_cdp_session(page)
    session.send("Network.enable")
    sizes: list[float] = []
    session.on("Network.loadingFinished", lambda event: sizes.append(event["encodedDataLength"]))
    page.goto(f"{address}/sign-in", wait_until="networkidle")
    page.get_by_role("button", name="Bram Oddie").click()
    page.goto(f"{address}/jobs/1/strip?axle=rear")
    page.wait_for_timeout(500)
    return sum(sizes) / 1000


def _over_a_slow_network(browser: Browser, address: str) -> list[float]:
    """Until a device's first page, and three later ones, take what is entered, s: 700 ms to every answer, 1 Mbit/s."""
    page = browser.new_context(service_workers="block").new_page()
    page.goto(f"{address}/sign-in")
    page.get_by_role("button", name="Bram Oddie").click()
    session = page.context.new_cdp_session(page)
    session.send("Network.enable")
    session.send("Network.clearBrowserCache")
    limits = {"offline": False, "latency": 700, "downloadThroughput": 125_000, "uploadThroughput": 125_000}
    session.send("Network.emulateNetworkConditions", limits)
    out = []
    for stage in ("lift", "strip", "card", "prove"):
        start = time.perf_counter()
        page.goto(f"{address}/jobs/1/{stage}")
        out.append(time.perf_counter() - start)
    return out


def _many_jobs(times: int = 25) -> tuple[list[float], list[float], float]:
    """From a figure sent over HTTP to suspects and plate in answer: with the demo's jobs stored, and with 1 000 more.
    And how many documents a second were uploaded as one file and became jobs."""
    lines = "\n".join(
        json.dumps({**VEHICLE, "vehicle": {**VEHICLE["vehicle"], "label": f"No. {n}"}}) for n in range(1000)
    )
    with served_apart() as address, Client(address) as client:
        few = timed_ms(client.entry, times)
        start = time.perf_counter()
        client.upload(lines)
        imported = 1000 / (time.perf_counter() - start)
        return few, timed_ms(client.entry, times), imported


#: Presses Enter in the field and waits until the refreshed suspects stand on the page.
ENTRY_TO_SUSPECTS_MS = """() => new Promise((done) => {
  const field = document.getElementById("rear-left-pad-mm-inner-lead-rim");
  const start = performance.now();
  const watch = new MutationObserver(() => {
    watch.disconnect();
    requestAnimationFrame(() => done(performance.now() - start));
  });
  watch.observe(document.querySelector("main"), { childList: true });
  field.dispatchEvent(new KeyboardEvent("keydown", { key: "Enter", bubbles: true }));
})"""


if __name__ == "__main__":
    main()
