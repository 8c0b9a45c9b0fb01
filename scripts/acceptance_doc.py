"""Writes docs/acceptance.md: the practice cases of the tests as a table."""

from __future__ import annotations

import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT))

from tests.practice.cases import CASES  # noqa: E402

PLACES = {"fl": "front left", "fr": "front right", "rl": "rear left", "rr": "rear right", "f": "front", "r": "rear",
          "v": "vehicle"}  # fmt: skip


def _words(pairs: tuple[str, ...]) -> str:
    split = (pair.split() for pair in pairs)
    return "; ".join(f"{PLACES[place]}: {what.replace('_', ' ')}" for place, what in split)


def _places(places: tuple[str, ...]) -> str:
    return ", ".join(PLACES[place] for place in places)


def table() -> str:
    """The page."""
    lines = [
        "# Acceptance",
        "",
        "Practice cases by trade reasoning (common practice), made from `tests/practice/` by",
        "`python scripts/acceptance_doc.py`; each is a test. *Named* is a chance of one half or more.",
        "",
        "| case | must be named | must not | must be done | must not | verdict | open at | not open at | first test |",
        "|---|---|---|---|---|---|---|---|---|",
    ]
    for case in CASES:
        cells = [
            case.name, _words(case.named), _words(case.not_named), _words(case.done), _words(case.not_done),
            case.verdict, _places(case.open), _places(case.settled), _words(case.next),
        ]  # fmt: skip
        lines.append(f"| {' | '.join(cells)} |")
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    (ROOT / "docs" / "acceptance.md").write_text(table(), encoding="utf-8")
