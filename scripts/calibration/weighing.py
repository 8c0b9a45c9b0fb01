"""Whether each kind of finding weighs what it should: said against true, held against what spoke for and against.

Where chances are right, nothing that was found tells whether a suspect is true beyond the chance that was said. So the
truth is fitted to the said log-odds and the weights that made it: a kind of finding with +0.5 should weigh half as much
again, one with -0.5 half as much.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from mesotrope.core.answer.answer import overview
from mesotrope.core.evidence.pieces import Evidence, Graded
from mesotrope.core.inference.story import story
from mesotrope.core.language.arrays import Floats
from mesotrope.core.language.corner import VEHICLE
from mesotrope.knowledge import knowledge
from scripts.calibration.cases import NOT_FAULTS, vehicle_of

#: Suspects beyond these chances are settled: what weighed how much shows between them.
LEAST, MOST = 0.02, 0.98

#: A kind of finding is told that spoke at so many suspects at least.
OFTEN = 60

#: How strongly every figure is drawn to nothing, as so many suspects would.
DRAWN = 8.0

#: Beyond so many standard errors a kind is told.
TOLD_SE = 2.5

#: Decibans in one natural unit of log-odds.
DB = 10 / np.log(10)


@dataclass(frozen=True)
class Weighed:
    """A suspect: what was said of it, whether it was true, and the decibans of every kind of finding."""

    said: float
    true: bool
    decibans: Mapping[str, float]


def weighed_of(number: int, seed: int, upto: str = "measure") -> list[Weighed]:
    """The suspects of one simulated vehicle that are not settled."""
    vehicle, inspection = vehicle_of(seed, number, upto)
    short = overview(inspection, knowledge())
    steps = story(short.posterior) if short.posterior and short.evidence else []
    out = []
    for suspect, said in short.chances.items():
        if suspect[1] not in NOT_FAULTS and LEAST < said < MOST:
            told: Counter[str] = Counter()
            for step in steps:
                told[_kind(step.evidence[0])] += step.weight(suspect)
            out.append(Weighed(said, suspect in vehicle.truth, told))
    return out


def _kind(item: Evidence) -> str:
    """What kind of finding a piece of evidence is, as the table calls it."""
    made = "" if isinstance(item, Graded) else f", as {type(item).__name__.lower()}"
    where = " of the vehicle" if item.corner is VEHICLE else ""
    return f"{item.finding}{where}{made}"


@dataclass(frozen=True)
class Wrong:
    """How much more (or, below nothing, less) a kind of finding should weigh, as a share of what it weighs."""

    kind: str
    speaks: str
    share: float
    se: float
    suspects: int


def wrong_weights(made: Sequence[Weighed]) -> list[Wrong]:
    """Every kind of finding, for and against, with what should be added to its weight; the surest first.

    >>> right = [Weighed(0.5, n % 2 == 0, {"a": 10.0}) for n in range(200)]
    >>> [(one.kind, round(one.share, 2)) for one in wrong_weights(right)]
    [('a', 0.0)]
    """
    often = Counter(kind for one in made for kind, weight in one.decibans.items() if abs(weight) > 1)
    kinds = [kind for kind, count in often.items() if count >= OFTEN]
    speaking = [(kind, speaks) for kind in kinds for speaks in ("for", "against")]
    weights = np.array([[_part(one.decibans.get(kind, 0.0), speaks) for kind, speaks in speaking] for one in made]) / DB
    said = np.array([one.said for one in made])
    log_odds = np.log(said / (1 - said))
    used = weights.any(axis=0)
    columns = np.column_stack([np.ones(len(made)), weights[:, used]])
    added, se = _fitted(columns, log_odds, np.array([one.true for one in made], dtype=float))
    named = [one for one, is_used in zip(speaking, used, strict=True) if is_used]
    counts = np.count_nonzero(weights[:, used], axis=0)
    out = [
        Wrong(kind, speaks, float(share), float(error), int(count))
        for (kind, speaks), share, error, count in zip(named, added[1:], se[1:], counts, strict=True)
    ]
    return sorted(out, key=lambda one: -abs(one.share / one.se))


def _part(decibans: float, speaks: str) -> float:
    return max(decibans, 0.0) if speaks == "for" else min(decibans, 0.0)


def _fitted(columns: Floats, offset: Floats, true: Floats, rounds: int = 30) -> tuple[Floats, Floats]:
    """Logistic regression beside an offset, a little drawn to nothing, by Newton's method: figures and their errors."""
    drawn = np.full(columns.shape[1], DRAWN)
    drawn[0] = 0.0
    figures = np.zeros(columns.shape[1])
    for _ in range(rounds):
        chance = 1 / (1 + np.exp(-(offset + columns @ figures)))
        slope = columns.T @ (true - chance) - drawn * figures
        bend = (columns * (chance * (1 - chance))[:, None]).T @ columns + np.diag(drawn)
        figures = figures + np.linalg.solve(bend, slope)
    return figures, np.sqrt(np.diag(np.linalg.inv(bend)))


def weighing_table(made: Sequence[Weighed]) -> str:
    """The kinds of finding whose weight is off by more than chance, as a table."""
    told = [one for one in wrong_weights(made) if abs(one.share) > TOLD_SE * one.se]
    lines = ["| finding | speaks | should weigh | suspects |", "|---|---|---|---|"]
    lines += [f"| {one.kind} | {one.speaks} | {one.share:+.0%} ± {100 * one.se:.0f} | {one.suspects} |" for one in told]
    return "\n".join(lines) if told else "No kind of finding weighs too much or too little by more than chance."
