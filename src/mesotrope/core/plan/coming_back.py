"""When a vehicle is to come back after brake work. Basis: common practice; the maker's intervals win."""

from __future__ import annotations

import datetime
from collections.abc import Iterable
from dataclasses import dataclass

from mesotrope.core.language.knowledge import Knowledge


@dataclass(frozen=True)
class Return:
    """A reason to come back: what is due, why, and on which day at the latest."""

    id: str
    words: str
    because: str
    day: datetime.date


def returns_of(
    actions: Iterable[str], schools: dict[str, str], left_on: datetime.date, knowledge: Knowledge
) -> tuple[Return, ...]:
    """Everything the vehicle is to come back for, the soonest first.

    actions : what was done to it. schools : the workshop's choice; nuts torqued once are not torqued again.
    """
    done = set(actions)
    out = []
    for known in knowledge.returns:
        wanted = not known.after or done & set(known.after)
        if wanted and (known.id != "nuts" or schools["nuts"] == "again_after_50"):
            out.append(Return(known.id, known.words, known.because, left_on + datetime.timedelta(days=known.days)))
    return tuple(sorted(out, key=lambda one: one.day))
