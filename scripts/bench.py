"""Measures speed and prints the figures with the machine named. Not a test: nothing fails here."""

from __future__ import annotations

import json
import os
import platform
import resource
import statistics
import sys
import time
from collections.abc import Callable
from pathlib import Path

import httpx2
from playwright.sync_api import sync_playwright

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))
from mesotrope.core.answer import diagnose
from mesotrope.core.diagnosis import Posterior
from mesotrope.core.evidence import collect, measure_all
from mesotrope.core.findings import parse_inspection
from mesotrope.core.space import space_of
from mesotrope.core.specification import complete_specification
from mesotrope.knowledge import knowledge
from tests.documents import ALL_FREE, DRAGS, FREE, document, pads
from tests.served import CHROMIUM, served_demo

HEALTHY = {"spin": FREE, "pad_mm": pads(7.0, 7.2), **ALL_FREE, "pad_gap_mm": {"inner": 0.2, "outer": 0.2}}
DRAGGING = {**HEALTHY, "spin": DRAGS, "pad_mm": pads(3.5, 4.2), "bleeder_opened": "no_change"}
VEHICLE = document({"front_left": HEALTHY, "front_right": HEALTHY, "rear_left": DRAGGING, "rear_right": HEALTHY})


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
    lines = Path("/proc/cpuinfo").read_text().splitlines()
    cpu = next((line.split(":")[1].strip() for line in lines if line.startswith("model name")), "unknown")
    print(f"Machine: {cpu}, {os.cpu_count()} cores, {platform.system()} {platform.machine()}, ", end="")
    print(f"Python {platform.python_version()}\n")
    print("| what | median ms | p95 ms | runs | target |\n|---|---|---|---|---|")
    known = knowledge()
    inspection = parse_inspection(json.dumps(VEHICLE))
    specification = complete_specification(inspection, known.specification)
    space = space_of(known, specification)

    def posterior() -> object:  # evidence is made anew each time, so that nothing is remembered from the last
        measures = measure_all(inspection, specification, known)
        evidence = collect(inspection, specification, measures, known)
        return Posterior(known, specification, space, evidence, {}).suspects()

    row("posterior, four corners and system", timed_ms(posterior, 60), "median under 20")
    row("whole answer: reasons, next tests, decision", timed_ms(lambda: diagnose(inspection, known), 40), "")
    memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    with served_demo() as address, sync_playwright() as playwright:
        browser = playwright.chromium.launch(**CHROMIUM)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
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
        browser.close()
    print(f"\nMemory of this process after the posterior: {memory:.0f} MB (target under 300)")


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
