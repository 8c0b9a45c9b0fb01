"""The whole campaign against the running product; writes docs/reliability.md. On loopback only, on data of its own."""

from __future__ import annotations

import argparse
import logging
import sys
import time
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))
from scripts.campaign import Trial, crowds, fuzzing, isolation, stops
from scripts.campaign.serving import served
from scripts.campaign.surroundings import surroundings
from scripts.cluster.trial import cluster_survives

ROOT = Path(__file__).resolve().parents[1]
REPORT = ROOT / "docs" / "reliability.md"

HEAD = """# Reliability

What the product was tried with, and what held. Made by `make torture` (about {minutes:.0f} minutes on two cores), on
loopback and on made-up data; a short version runs in `make test`. Every try that did not hold would be listed below
the table.

| trial | must hold | tried | held | failed |
|---|---|---:|---:|---:|
"""


def inside(requests: int, files: int) -> list[Trial]:
    """What is tried inside this process: random requests, mutated files, reaching across."""
    with surroundings() as here:
        return [
            isolation.reach_across(here),
            isolation.unsigned(here),
            fuzzing.mutated_files(here, files, seed=2),
            fuzzing.random_requests(here, requests, seed=1),
        ]


def report(trials: list[Trial], minutes: float) -> str:
    lines = [HEAD.format(minutes=minutes)]
    for one in trials:
        counts = f"| {one.tried:,} | {one.held:,} | {len(one.failed):,} |"
        lines.append(
            f"| {one.name} | {one.target} {counts}\n"
            if not one.skipped
            else f"| {one.name} | not tried: {one.skipped} | | | |\n"
        )
    lines.append("\n## Figures\n\n")
    for one in trials:
        lines += [f"- {one.name}: {name}: {value}\n" for name, value in one.figures.items()]
    failed = [(one.name, words) for one in trials for words in one.failed]
    if failed:
        lines.append("\n## What did not hold\n\n")
        lines += [f"- {name}: `{words[:300]}`\n" for name, words in failed[:50]]
    return "".join(lines)


def main() -> None:
    logging.getLogger("mesotrope").setLevel(logging.ERROR)
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--requests", type=int, default=10_000)
    options.add_argument("--files", type=int, default=500)
    options.add_argument("--stops", type=int, default=40)
    options.add_argument("--races", type=int, default=1_000)
    options.add_argument("--documents", type=int, default=100)
    options.add_argument("--into", type=Path, default=REPORT)
    chosen = options.parse_args()
    began = time.monotonic()
    trials: list[Trial] = []

    def told(trial: Trial) -> None:
        trials.append(trial)
        result = trial.skipped or f"tried {trial.tried}, held {trial.held}, failed {len(trial.failed)}"
        print(f"{time.monotonic() - began:5.0f} s  {trial.name}: {result}", flush=True)
        for words in trial.failed[:5]:
            print(f"           {words[:200]}", flush=True)

    with ProcessPoolExecutor(max_workers=1) as beside:  # one core each: what is timed comes alone, afterwards
        requested = beside.submit(inside, chosen.requests, chosen.files)
        with served() as at:
            stopped = stops.violent_stops(at, chosen.stops, seed=3)
        for trial in requested.result():
            told(trial)
    told(stopped)
    with served() as at:
        told(stops.outages(at, times=3, frozen_s=3))
        told(crowds.documents_at_once(at, chosen.documents))
        told(crowds.large_pictures(at))
        told(crowds.silent_clients(at, 1_500))
    told(stops.full_disk())
    told(cluster_survives(chosen.races))
    said = report(trials, (time.monotonic() - began) / 60)
    chosen.into.write_text(said, encoding="utf-8")
    print(said)
    if any(trial.failed for trial in trials):
        raise SystemExit(1)


if __name__ == "__main__":
    main()
