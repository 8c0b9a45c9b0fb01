"""Minutes to get at what a test needs: the wheel comes off once, and the parts come out once."""

from __future__ import annotations

from mesotrope.core.language.inspection import STAGES
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.vocabulary import VocabularyField


def rank(stage: str) -> int:
    """Where a stage stands in the order of the work."""
    return STAGES.index(stage)


def reach_of(field: VocabularyField) -> int:
    """How far a corner has to be opened for a test: the `rank` of its stage, or of the lift, where the wheel stays."""
    return rank("lift" if field.wheel_stays else field.stage)


def access_minutes(reach: int, reached: int, knowledge: Knowledge) -> float:
    """Minutes to get from where a corner stands to where a test can be made. Common practice.

    reach : as `reach_of` tells it; reached : the furthest that the corner was opened for any. What was taken off to get
    there is off.

    >>> from mesotrope.knowledge import knowledge
    >>> known, lift, wheel_off, strip = knowledge(), rank("lift"), rank("wheel_off"), rank("strip")
    >>> whole = access_minutes(strip, lift, known)
    >>> access_minutes(wheel_off, lift, known) + access_minutes(strip, wheel_off, known) == whole
    True
    >>> access_minutes(rank("measure"), strip, known)
    0.0
    """
    there = knowledge.access_minutes
    taken_off = max((there.get(before, 0.0) for before in STAGES[: reached + 1]), default=0.0)
    return max(0.0, there.get(STAGES[reach], 0.0) - taken_off)
