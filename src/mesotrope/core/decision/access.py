"""Minutes to get at what a test needs: the wheel comes off once, and the parts come out once."""

from __future__ import annotations

from mesotrope.core.language.inspection import STAGES
from mesotrope.core.language.knowledge import Knowledge


def rank(stage: str) -> int:
    """Where a stage stands in the order of the work."""
    return STAGES.index(stage)


def access_minutes(stage: str, reached: int, knowledge: Knowledge) -> float:
    """Minutes to get from where a corner stands to where a stage's tests can be made. Common practice.

    reached : the `rank` of the furthest stage at which the corner stands. What was taken off to get there is off.

    >>> from mesotrope.knowledge import knowledge
    >>> known = knowledge()
    >>> whole = access_minutes("strip", rank("lift"), known)
    >>> access_minutes("wheel_off", rank("lift"), known) + access_minutes("strip", rank("wheel_off"), known) == whole
    True
    >>> access_minutes("measure", rank("strip"), known)
    0.0
    """
    there = knowledge.access_minutes
    taken_off = max((there.get(before, 0.0) for before in STAGES[: reached + 1]), default=0.0)
    return max(0.0, there.get(stage, 0.0) - taken_off)
