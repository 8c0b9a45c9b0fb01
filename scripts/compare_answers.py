"""Holds the answers of this checkout against those of another revision: the demo's jobs and simulated vehicles.

    .venv/bin/python scripts/compare_answers.py REVISION [--vehicles 500]

Both revisions are asked through the one door that stays the same, the command line (`mesotrope diagnose - --jsonl`).
Figures must agree to 1e-9, words to the letter; what differs is printed by its place in the document. Exit status 1
where anything does.
"""

from __future__ import annotations

import argparse
import json
import math
import os
import subprocess
import sys
from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from typing import Any

HERE = Path(__file__).resolve().parents[1]
sys.path[:0] = [str(HERE), str(HERE / "src")]

#: Up to which stage the simulated vehicles are looked at, in turn.
STAGES = ("measure", "strip", "wheel_off", "measure", "isolate", "lift")

SEED, AGREES = 11, 1e-9


def documents(vehicles: int) -> list[str]:
    """The demo's jobs with what was measured at their earlier visits, and simulated vehicles, one document each."""
    from mesotrope.demo.load import inspections
    from scripts.calibration.cases import vehicle_of

    simulated = (vehicle_of(SEED, number, STAGES[number % len(STAGES)])[1] for number in range(vehicles))
    return [inspection.model_dump_json(exclude_none=True) for inspection in (*inspections(), *simulated)]


def answers(source: Path, lines: list[str]) -> list[Any]:
    """What the revision whose packages stand in `source` answers to each document."""
    program = "import sys; sys.argv = ['mesotrope', 'diagnose', '-', '--jsonl']; from mesotrope.cli import main; main()"
    done = subprocess.run(
        [sys.executable, "-c", program],
        input="\n".join(lines),
        env={**os.environ, "PYTHONPATH": str(source)},
        capture_output=True,
        text=True,
        check=True,
    )
    return [json.loads(line) for line in done.stdout.splitlines()]


def differences(one: Any, other: Any, where: str = "") -> Iterator[tuple[str, Any, Any]]:
    """Every place at which two documents differ, with what stands there in each.

    >>> list(differences({"a": [1.0, 2]}, {"a": [1.0 + 1e-12, 3]}))
    [('a.1', 2, 3)]
    """
    if isinstance(one, dict) and isinstance(other, dict):
        for name in sorted({*one, *other}):
            yield from differences(one.get(name), other.get(name), f"{where}.{name}".lstrip("."))
    elif isinstance(one, list) and isinstance(other, list) and len(one) == len(other):
        for place, pair in enumerate(zip(one, other, strict=True)):
            yield from differences(*pair, f"{where}.{place}")
    elif isinstance(one, float | int) and isinstance(other, float | int):
        if not math.isclose(one, other, rel_tol=AGREES, abs_tol=AGREES):
            yield where, one, other
    elif one != other:
        yield where, one, other


def main() -> int:
    from scripts.earlier import checkout

    asked = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    asked.add_argument("revision")
    asked.add_argument("--vehicles", type=int, default=500)
    asked.add_argument("--show", type=int, default=20, help="as many differences are printed")
    chosen = asked.parse_args()
    lines = documents(chosen.vehicles)
    with checkout(chosen.revision) as tree:
        then = answers(tree / "src", lines)
    now = answers(HERE / "src", lines)
    found = [
        (number, *difference)
        for number, pair in enumerate(zip(then, now, strict=True))
        for difference in differences(*pair)
    ]
    for number, where, was, is_ in found[: chosen.show]:
        print(f"document {number}, {where}: {was!r} -> {is_!r}")
    for place, count in Counter(where.split(".")[0] for _, where, _, _ in found).most_common():
        print(f"{count} differences in {place}")
    unlike = len({number for number, *_ in found})
    print(f"{len(lines)} documents, {len(lines) - unlike} answered alike, {unlike} not")
    return 1 if found else 0


if __name__ == "__main__":
    raise SystemExit(main())
