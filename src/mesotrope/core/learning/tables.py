"""The expert's tables with what was learnt: conjugate, so that counts going to nothing give the expert's back.

Sources: Dirichlet counts for tables of chances, gamma counts for rates, [spiegelhalter].
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from mesotrope.core.inference.corner_space import part_key
from mesotrope.core.language.faults import Drag, Fault, Likelihood, Mechanism
from mesotrope.core.language.knowledge import Knowledge, LearntFrom
from mesotrope.core.learning.counts import DRAG, FIGURE, NOTHING, RUST, Counts
from mesotrope.core.learning.figures import TORQUE, kind_of_figure, with_figures


@dataclass(frozen=True)
class Weight:
    """How many cases the expert's tables are worth: of a fault's rate, of a row of a fault, of a row without any, of
    such a row at one level of rust; and by how much more than usual the figures of wear and drag are trusted."""

    rate: float = 4.0
    row: float = 30.0
    healthy: float = 400.0
    rust: float = 130.0
    figure: float = 1.0


def row_width(knowledge: Knowledge, table: str, row: str) -> int:
    """How many values a row of counts has; 0 where the knowledge has no such row."""
    if table == DRAG:
        return len(knowledge.drag.levels) if row == NOTHING or row.partition("/")[0] in knowledge.fault else 0
    known = knowledge.likelihood.get(table)
    rows = {NOTHING, *known.rows, *(RUST + level for level in known.rust)} if known else set()
    return len(known.order) if known and row in rows else 0


def that_fit(counts: Counts, knowledge: Knowledge) -> Counts:
    """The counts without rows that the knowledge has not, or has otherwise: a version of the product counted them whose
    tables were others. Where the levels of drag were, what their torques taught goes too."""
    others = [
        (table, row)
        for table, of in counts.rows.items()
        for row, seen in of.items()
        if len(seen) != row_width(knowledge, table, row)
    ]
    if any(table == DRAG for table, _ in others):
        others += [(FIGURE, figure) for figure in counts.figures if kind_of_figure(figure) == TORQUE]
    return counts.without(others)


def chances_with(expert: Sequence[float], seen: Sequence[float], worth: float) -> tuple[float, ...]:
    """Chances of values from the expert's, worth so many cases, and from counts: the mean of the Dirichlet posterior.

    >>> [round(chance, 9) for chance in chances_with((0.8, 0.2), (0, 0), 10)]
    [0.8, 0.2]
    >>> [round(chance, 9) for chance in chances_with((0.8, 0.2), (0, 10), 10)]
    [0.4, 0.6]
    """
    everything = worth + sum(seen)
    out = [round((worth * one + more) / everything, 12) for one, more in zip(expert, seen, strict=True)]
    return (*out[:-1], 1 - sum(out[:-1]))


def rate_with(there: float, expected: float, worth: float) -> float:
    """By how much more often something comes than the expert expects: the mean of the gamma posterior.

    >>> rate_with(0, 0, 4), rate_with(12, 4, 4)
    (1.0, 2.0)
    """
    return (there + worth) / (expected + worth)


def learnt(knowledge: Knowledge, counts: Counts, weight: Weight | None = None, *, version: int = 0) -> Knowledge:
    """The knowledge with tables that counts were added to; it says so, with the number of the version."""
    weight = weight or Weight()
    if not counts.cases:
        return knowledge
    drag = counts.rows.get(DRAG, {})
    knowledge = with_figures(knowledge, counts.figures, weight.figure)
    return knowledge.model_copy(
        update={
            "learnt": LearntFrom(version=version, cases=counts.cases),
            "faults": tuple(_fault(fault, counts, drag, weight) for fault in knowledge.faults),
            "likelihoods": tuple(_rows(row, counts, weight) for row in knowledge.likelihoods),
            "system_likelihoods": tuple(_rows(row, counts, weight) for row in knowledge.system_likelihoods),
            "drag": _healthy_drag(knowledge.drag, drag, weight),
        }
    )


def _fault(fault: Fault, counts: Counts, drag: Mapping[str, tuple[float, ...]], weight: Weight) -> Fault:
    there, expected = counts.there.get(fault.id, (0.0, 0.0))
    ways = tuple(_mechanism(fault, way, drag, weight) for way in fault.mechanism)
    return fault.model_copy(update={"odds": fault.odds * rate_with(there, expected, weight.rate), "mechanism": ways})


def _mechanism(fault: Fault, way: Mechanism, drag: Mapping[str, tuple[float, ...]], weight: Weight) -> Mechanism:
    seen = drag.get(part_key((fault, way)))
    if not seen or not way.drag:
        return way
    return way.model_copy(update={"drag": chances_with(way.drag, seen, weight.row)})


def _healthy_drag(levels: Drag, drag: Mapping[str, tuple[float, ...]], weight: Weight) -> Drag:
    seen = drag.get(NOTHING)
    return levels.model_copy(update={"healthy": chances_with(levels.healthy, seen, weight.healthy)}) if seen else levels


def _rows(likelihood: Likelihood, counts: Counts, weight: Weight) -> Likelihood:
    """A finding's rows with their counts. What happens anyway beside a fault follows what happens without one."""
    seen = counts.rows.get(likelihood.key)
    if not seen:
        return likelihood
    rows = {
        name: (_pulls if likelihood.sided else chances_with)(row, seen[name], weight.row) if name in seen else row
        for name, row in likelihood.rows.items()
    }
    rust = {
        level: chances_with(row, seen[RUST + level], weight.rust) if RUST + level in seen else row
        for level, row in likelihood.rust.items()
    }
    healthy = likelihood.healthy
    if NOTHING in seen:
        healthy = chances_with(healthy, seen[NOTHING], weight.healthy)
    return likelihood.model_copy(update={"rows": rows, "healthy": healthy, "rust": rust})


def _pulls(expert: Sequence[float], seen: Sequence[float], worth: float) -> tuple[float, ...]:
    """Chances to pull away and toward, each by itself, from how often it pulled to none, away and toward.

    >>> _pulls((0.2, 0.1), (10, 0, 0), 10)
    (0.1, 0.05)
    """
    return tuple((worth * one + more) / (worth + sum(seen)) for one, more in zip(expert, seen[1:], strict=True))
