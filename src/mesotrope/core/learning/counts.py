"""What closed cases add to the expert's tables: counts that only ever add up, whatever the order of the cases.

Sources: Dirichlet counts for tables of chances, gamma counts for rates, [spiegelhalter].
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

#: What stands for "nothing that speaks to it" among the rows of a finding; at a level of rust, `RUST` and the level.
NOTHING = "healthy"
RUST = "rust/"

#: The table of the drag's levels, among those of the findings.
DRAG = "drag level"

Numbers = tuple[float, ...]


@dataclass(frozen=True)
class Counts:
    """Counts of closed cases.

    there : how often each fault was there, and how often the expert's odds expect it at the places looked at; rows :
    by table and row, how often each value was seen; figures : by figure, of how many corners, and the first and second
    derivative (its sign turned) of the log likelihood by the figure, at the expert's.
    """

    cases: float = 0
    there: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    rows: Mapping[str, Mapping[str, Numbers]] = field(default_factory=dict)
    figures: Mapping[str, tuple[float, float, float]] = field(default_factory=dict)

    def times(self, share: float) -> Counts:
        """So much of every count: what a chain's counts are worth to a workshop; −1 takes them away again."""

        def part(numbers: Numbers) -> Any:
            return tuple(share * one for one in numbers)

        return Counts(
            share * self.cases,
            {fault: part(pair) for fault, pair in self.there.items()},
            {table: {row: part(seen) for row, seen in of.items()} for table, of in self.rows.items()},
            {figure: part(told) for figure, told in self.figures.items()},
        )

    def without(self, left_out: Iterable[tuple[str, str]]) -> Counts:
        """The counts without some rows, each as (table, row); a fault's rate stands under `RATE`, others `FIGURE`."""
        gone = set(left_out)
        return Counts(
            self.cases,
            {fault: pair for fault, pair in self.there.items() if (RATE, fault) not in gone},
            {
                table: {row: seen for row, seen in of.items() if (table, row) not in gone}
                for table, of in self.rows.items()
            },
            {figure: told for figure, told in self.figures.items() if (FIGURE, figure) not in gone},
        )

    def document(self) -> dict[str, Any]:
        return {
            "cases": self.cases,
            "there": {fault: list(pair) for fault, pair in sorted(self.there.items())},
            "rows": {
                table: {row: list(values) for row, values in sorted(of.items())}
                for table, of in sorted(self.rows.items())
            },
            "figures": {figure: list(told) for figure, told in sorted(self.figures.items())},
        }


#: How a row is named that belongs to no finding: the rate of a fault, a figure of wear or drag.
RATE, FIGURE = "rate", "figure"


def total(counts: Iterable[Counts]) -> Counts:
    """Counts added up.

    >>> total([Counts(1, {"a": (1, 0.5)}), Counts(1, {"a": (0, 0.25)})])
    Counts(cases=2, there={'a': (1, 0.75)}, rows={}, figures={})
    """
    cases: float = 0
    there: dict[str, Any] = {}
    rows: dict[str, dict[str, Any]] = {}
    figures: dict[str, Any] = {}

    def add(to: dict[str, Any], name: str, more: Numbers) -> None:
        before = to.get(name)
        to[name] = more if before is None else tuple(a + b for a, b in zip(before, more, strict=True))

    for one in counts:
        cases += one.cases
        for fault, pair in one.there.items():
            add(there, fault, pair)
        for table, of in one.rows.items():
            here = rows.setdefault(table, {})
            for row, seen in of.items():
                add(here, row, seen)
        for figure, told in one.figures.items():
            add(figures, figure, told)
    return Counts(cases, there, rows, figures)


def counts_from(document: Mapping[str, Any]) -> Counts:
    """Counts as their own `document` wrote them."""
    return Counts(
        document["cases"],
        {fault: tuple(pair) for fault, pair in document["there"].items()},
        {table: {row: tuple(seen) for row, seen in of.items()} for table, of in document["rows"].items()},
        {figure: tuple(told) for figure, told in document.get("figures", {}).items()},
    )
