"""The engine's path through mystery vehicles, against a fixed order of work: minutes until enough is known."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import groupby
from pathlib import Path

from mesotrope.core.decision.access import rank
from mesotrope.core.practice.acts import Act
from mesotrope.core.practice.bay import Bay
from mesotrope.core.practice.numbers import Drawn, number_of_drawn
from mesotrope.core.practice.paths import best_path, fixed_order, offered
from mesotrope.core.practice.vehicle import Mystery, mystery_of
from mesotrope.knowledge import knowledge


@dataclass(frozen=True)
class Practised:
    """One number worked three ways; minutes."""

    difficulty: str
    best: float
    stopping: float
    whole: float


def practise(turn: int) -> Practised:
    """The vehicle of a turn: kinds and difficulties one after the other."""
    figures, known = knowledge().practice, knowledge()
    difficulty = figures.difficulties[turn % len(figures.difficulties)]
    kind = figures.kinds[turn // len(figures.difficulties) % len(figures.kinds)]
    mystery = mystery_of(number_of_drawn(Drawn(kind, difficulty, 7000 + turn), figures), known)
    return Practised(
        difficulty, best_path(mystery, known).minutes, _stopping(mystery), fixed_order(mystery, known).clock
    )


def _stopping(mystery: Mystery) -> float:
    """Minutes of who works the fixed order and stops, at a corner's end, when no test could change the work."""
    known, bay = knowledge(), Bay(mystery, knowledge())
    bay.do(Act("press"))
    tests = sorted(bay.tests(), key=lambda one: (rank(one[1].stage), str(one[0])))
    for _, group in groupby(tests, key=lambda one: (one[1].stage, one[0])):
        for place, test in group:
            if not bay.why_not(place, test):
                bay.do(Act("test", test.finding, place))
        if not offered(bay, known):
            break
    return bay.clock


def practice_table(practised: Sequence[Practised]) -> str:
    """Mean minutes by difficulty, and over all of them."""
    words = knowledge().practice.words

    def row(name: str, these: Sequence[Practised]) -> str:
        best, stopping, whole = (
            sum(figures) / len(these) for figures in zip(*((p.best, p.stopping, p.whole) for p in these), strict=True)
        )
        return f"| {name} | {len(these)} | {best:.0f} | {stopping:.0f} | {whole:.0f} |"

    by = {
        name: [p for p in practised if p.difficulty == name] for name in dict.fromkeys(p.difficulty for p in practised)
    }
    head = "| difficulty | vehicles | best path | fixed order, stopping | whole fixed order |\n|---|---|---|---|---|"
    return "\n".join([head, *(row(words[name], these) for name, these in by.items()), row("all", practised)])


def write_practice(into: Path, practised: Sequence[Practised]) -> None:
    beaten = sum(p.stopping < p.best for p in practised)
    text = f"""# Paths through mystery vehicles

Made by `make calibrate`. {len(practised)} numbers of practice, worked by the test that the engine offers first, knowing
only what had been found; beside it the fixed order of work, stopped at the end of the corner where no test could change
the work any more, and the whole of it. Mean minutes until enough is known, on the same clock: what is off stays off.

{practice_table(practised)}

On {beaten} of {len(practised)} single vehicles the fixed order happened to be done sooner.
"""
    (into / "calibration").mkdir(exist_ok=True)
    (into / "calibration" / "practice.md").write_text(text, encoding="utf-8")
    print(text)
