"""What fits nothing else that was found: findings to make again, and corners where another fault may be."""

from __future__ import annotations

from collections.abc import Sequence

from mesotrope.core.evidence.pieces import Evidence
from mesotrope.core.language.corner import Place
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import Sayable, joined, placed, said

#: A finding and how well it fits what is now believed.
Fits = Sequence[tuple[Evidence, float]]


def contradictions_of(fits: Fits, knowledge: Knowledge) -> tuple[Sayable, ...]:
    """Findings that no fault explains beside the others."""
    return tuple(
        said("measure again: {finding}; it fits nothing else found here", finding=placed(item.corner, item.sentence))
        for item, fit in fits
        if fit < knowledge.threshold["contradicts_fit"]
    )


def fits_nothing_of(fits: Fits, knowledge: Knowledge) -> tuple[Sayable, ...]:
    """Corners, or the whole system, where several findings fit no fault of the list: it may be another."""
    poor: dict[Place, list[str]] = {}
    for item, fit in fits:
        if fit < knowledge.threshold["poor_fit"] and item.finding in knowledge.how_it_works:
            poor.setdefault(item.corner, []).append(_named(item.finding, knowledge))
    return tuple(
        said(
            "{place}: fits nothing well. No fault of the list, alone or with others, explains {findings}. Make them "
            "again; if they stand, look for something else",
            place=corner,
            findings=joined(dict.fromkeys(names), ", "),
        )
        for corner, names in poor.items()
        if len(set(names)) >= knowledge.threshold["poor_fits_many"]
    )


def _named(finding: str, knowledge: Knowledge) -> str:
    known = knowledge.corner_finding.get(finding) or knowledge.system_finding.get(finding)
    return known.label if known else finding.replace("_", " ")
