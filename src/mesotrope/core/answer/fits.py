"""What fits nothing else that was found: findings to make again, and corners where another fault may be."""

from __future__ import annotations

from collections.abc import Sequence

from mesotrope.core.evidence.pieces import Evidence
from mesotrope.core.language.corner import Place
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import Sayable, joined, placed, said

#: A finding this unlikely under what is now believed, though some fault would explain it, is to be measured again.
CONTRADICTS = 0.05

#: Where as many findings of how a corner works fit what is believed no better than this, something outside the list may
#: be wrong. How a part looks does not count: a torn boot or a rusty face is often there and means nothing.
FITS_POORLY, MANY_POORLY = 0.25, 2
HOW_IT_WORKS = frozenset(
    """
    spin pull_n hub_temperature_c pedal_response pad_gap_mm bleeder_opened line_loosened_at_master
    caliper_bolts_slackened parking_cable_slackened pad_mm pad_fit pin piston_pushback brake_force_n
    pedal_travel pedal_feel pedal_hold pedal_pump pedal_on_engine_start pedal_release fluid_level pull_braking
    """.split()  # noqa: SIM905
)


#: A finding and how well it fits what is now believed.
Fits = Sequence[tuple[Evidence, float]]


def contradictions_of(fits: Fits) -> tuple[Sayable, ...]:
    """Findings that no fault explains beside the others."""
    return tuple(
        said("measure again: {finding}; it fits nothing else found here", finding=placed(item.corner, item.sentence))
        for item, fit in fits
        if fit < CONTRADICTS
    )


def fits_nothing_of(fits: Fits, knowledge: Knowledge) -> tuple[Sayable, ...]:
    """Corners, or the whole system, where several findings fit no fault of the list: it may be another."""
    poor: dict[Place, list[str]] = {}
    for item, fit in fits:
        if fit < FITS_POORLY and item.finding in HOW_IT_WORKS:
            poor.setdefault(item.corner, []).append(_named(item.finding, knowledge))
    return tuple(
        said(
            "{place}: fits nothing well. No fault of the list, alone or with others, explains {findings}. Make them "
            "again; if they stand, look for something else",
            place=corner,
            findings=joined(dict.fromkeys(names), ", "),
        )
        for corner, names in poor.items()
        if len(set(names)) >= MANY_POORLY
    )


def _named(finding: str, knowledge: Knowledge) -> str:
    known = knowledge.corner_finding.get(finding) or knowledge.system_finding.get(finding)
    return known.label if known else finding.replace("_", " ")
