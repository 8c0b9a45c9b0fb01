"""What was learnt, row by row: the expert's figure beside the workshop's, how surely, and whether they differ."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

from mesotrope.core.inference.corner_space import part_key
from mesotrope.core.language.faults import Likelihood
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.learning.counts import DRAG, FIGURE, NOTHING, RATE, RUST, Counts
from mesotrope.core.learning.figures import (
    DRIVELINE,
    FORE_AFT,
    RADIAL,
    SPLIT,
    TILT,
    TORQUE,
    USUAL,
    kind_of_figure,
    learnt_figure,
)
from mesotrope.core.learning.tables import Weight, chances_with, rate_with, that_fit
from mesotrope.core.physics.wear import NINETY_PERCENT

#: What a row says: that a fault comes, that a finding has a value, how a figure of wear or drag is.
Kind = Literal["fault", "finding", "figure"]


@dataclass(frozen=True)
class Row:
    """One row of the tables as it was learnt.

    table, row : its name; about, where : in words, of what and where what was there; value : in words, the value that
    moved most; product, here : shares, or of a figure its factor; low, high : nine in ten certain; seen : of how much.
    """

    kind: Kind
    table: str
    row: str
    about: str
    where: str
    value: str
    product: float
    here: float
    low: float
    high: float
    seen: float

    @property
    def differs(self) -> bool:
        """Whether the expert's figure lies outside what is nine tenths certain here."""
        return not self.low <= self.product <= self.high

    @property
    def moved(self) -> float:
        """By how many of its own spreads a row moved."""
        spread = (self.high - self.low) / (2 * NINETY_PERCENT)
        return abs(self.here - self.product) / spread if spread else 0.0


def rows_learnt(knowledge: Knowledge, counts: Counts, weight: Weight | None = None) -> list[Row]:
    """Every row of which anything was seen, those that moved most first. `knowledge` : the expert's."""
    weight, counts = weight or Weight(), that_fit(counts, knowledge)
    rows = [*_faults(knowledge, counts, weight), *_findings(knowledge, counts, weight), *_figures(knowledge, counts)]
    return sorted(rows, key=lambda row: (-row.differs, -row.moved, row.about))


def _faults(knowledge: Knowledge, counts: Counts, weight: Weight) -> Iterator[Row]:
    """How often each fault comes, of the vehicles learnt from."""
    for name, (there, expected) in counts.there.items():
        fault = knowledge.fault.get(name)
        if fault is None or not counts.cases:
            continue
        each = expected / counts.cases
        rate, sd = rate_with(there, expected, weight.rate), math.sqrt(there + weight.rate) / (expected + weight.rate)
        low, high = max(0.0, rate - NINETY_PERCENT * sd), rate + NINETY_PERCENT * sd
        yield Row("fault", RATE, name, fault.words, "", "", each, each * rate, each * low, each * high, counts.cases)


def _findings(knowledge: Knowledge, counts: Counts, weight: Weight) -> Iterator[Row]:
    for table, of in counts.rows.items():
        known = knowledge.likelihood.get(table)
        for row, seen in of.items():
            if table == DRAG:
                yield _of_drag(knowledge, row, seen, weight)
            elif known is not None and not known.sided and (expert := _expert_row(known, row)):
                about = _about(knowledge, known)
                values = [_value(knowledge, known, value) for value in known.order]
                yield _row("finding", table, row, about, _where(knowledge, row), values, expert, seen, weight)


def _of_drag(knowledge: Knowledge, row: str, seen: tuple[float, ...], weight: Weight) -> Row:
    ways = {part_key((fault, way)): way.drag for fault in knowledge.faults for way in fault.mechanism}
    expert = ways.get(row) or knowledge.drag.healthy
    first = knowledge.drag.first_felt
    levels = [*knowledge.drag.levels[:first], *(f"{level} drag" for level in knowledge.drag.levels[first:])]
    return _row("finding", DRAG, row, "wheel spun by hand", _where(knowledge, row), levels, expert, seen, weight)


def _row(
    kind: Kind, table: str, row: str, about: str, where: str, values: list[str], expert: tuple[float, ...],
    seen: tuple[float, ...], weight: Weight,
) -> Row:  # fmt: skip
    """A row by the value that moved most."""
    worth = weight.healthy if row == NOTHING else weight.rust if row.startswith(RUST) else weight.row
    here = chances_with(expert, seen, worth)
    at = max(range(len(here)), key=lambda number: abs(here[number] - expert[number]))
    sd = math.sqrt(here[at] * (1 - here[at]) / (worth + sum(seen) + 1))
    low, high = max(0.0, here[at] - NINETY_PERCENT * sd), min(1.0, here[at] + NINETY_PERCENT * sd)
    return Row(kind, table, row, about, where, values[at], expert[at], here[at], low, high, sum(seen))


def _expert_row(likelihood: Likelihood, row: str) -> tuple[float, ...] | None:
    if row == NOTHING:
        return likelihood.healthy
    return likelihood.rust.get(row.removeprefix(RUST)) if row.startswith(RUST) else likelihood.rows.get(row)


def _about(knowledge: Knowledge, likelihood: Likelihood) -> str:
    field = knowledge.corner_field.get(likelihood.key) or knowledge.system_field.get(likelihood.key)
    return field.label if field else likelihood.key.replace(".", ", ").replace("_", " ").removesuffix(" mm")


def _value(knowledge: Knowledge, likelihood: Likelihood, value: str) -> str:
    field = knowledge.corner_field.get(likelihood.key) or knowledge.system_field.get(likelihood.key)
    words = field.values.get(value) if field else None
    return words or value.replace("_", " ")


def _where(knowledge: Knowledge, row: str) -> str:
    """What was there, in words."""
    if row == NOTHING:
        return "nothing wrong that shows there"
    if row.startswith(RUST):
        return f"nothing wrong, {row.removeprefix(RUST)} rust"
    return _part(knowledge, row)


def _part(knowledge: Knowledge, key: str) -> str:
    axle, _, key = key.rpartition(".")
    name, _, way = key.partition("/")
    words = knowledge.words(name)
    told = way.replace("_", " ") or axle
    return f"{words} ({told})" if told else words


_SAID = {
    TILT: "inner pad's wear over the outer's", SPLIT: "spread between inner and outer",
    FORE_AFT: "spread of the taper along the pad", RADIAL: "spread of the taper across the pad",
}  # fmt: skip


def _figures(knowledge: Knowledge, counts: Counts) -> Iterator[Row]:
    """Figures of wear and drag, as factors of the expert's."""
    for key, told in counts.figures.items():
        part, _, what = key.rpartition(":")
        shift, sd = learnt_figure(told, kind_of_figure(key))
        if part == TORQUE:
            about, where = f"torque of {what} drag", "dragging wheels"
        elif part == DRIVELINE:
            about, where = f"torque of a {what} wheel that is free", "nothing that drags"
        else:
            about, where = _SAID[what], "healthy pads" if part == USUAL else _part(knowledge, part)
        low, high = math.exp(shift - NINETY_PERCENT * sd), math.exp(shift + NINETY_PERCENT * sd)
        yield Row("figure", FIGURE, key, about, where, "", 1.0, math.exp(shift), low, high, told[0])
