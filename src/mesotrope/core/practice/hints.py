"""Hints: what a colleague would say who looks over one's shoulder, knowing only what was found."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from mesotrope.core.answer.answer import overview
from mesotrope.core.decision.worth_of_a_test import NextTest
from mesotrope.core.inference.posterior import Suspect
from mesotrope.core.language.faults import NO_FAULT
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.practice.bay import Bay
from mesotrope.core.practice.paths import offered

#: As many suspects are named, and none that is less likely than this.
MOST_NAMED, LEAST_CHANCE = 3, 0.05


@dataclass(frozen=True)
class Hint:
    """The test that is worth most now, None where enough is known; or the suspects, the likeliest first."""

    test: NextTest | None = None
    suspects: Sequence[tuple[Suspect, float]] = ()


def hint(bay: Bay, what: str, knowledge: Knowledge) -> Hint:
    """A hint on the next test, or on the suspects."""
    if what == "next":
        return Hint(next(iter(offered(bay, knowledge)), None))
    chances = overview(bay.inspection(), knowledge).chances
    named = [one for one in chances.items() if one[0][1] != NO_FAULT and one[1] >= LEAST_CHANCE]
    return Hint(suspects=sorted(named, key=lambda one: -one[1])[:MOST_NAMED])
