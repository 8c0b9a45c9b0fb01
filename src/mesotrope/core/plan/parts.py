"""The parts of a work card: what is to be ordered for the work, each once however much of the work needs it.

Basis: common practice.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from mesotrope.core.language.corner import Corner, Place
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.work import Cost

#: Where each action is done.
Places = Mapping[str, Sequence[Place]]


@dataclass(frozen=True)
class Part:
    """A part to be ordered; `number` where somebody wrote its number down, `own` where somebody added it."""

    words: str
    count: int
    number: str = ""
    own: str = ""


def parts_of(places: Places, numbers: Mapping[str, str], knowledge: Knowledge) -> tuple[Part, ...]:
    """The parts of some work. numbers : those that somebody wrote down, by the parts' words."""
    parts = [
        replace(part, number=numbers.get(part.words, ""))
        for cost in knowledge.costs
        if cost.id in places and cost.part
        for part in _parts(cost, places[cost.id])
    ]
    return _once(parts)


def not_among(parts: Sequence[Part], kept: Any) -> tuple[Part, ...]:
    """The parts that came to a card since some were ordered, or had come, each as many as there are more of it.

    kept : how many there were then, by their words; anything else (what earlier versions kept) stands for all.

    >>> hoses, pads = Part("brake hose", 2), Part("axle set of pads", 1)
    >>> [(part.words, part.count) for part in not_among([hoses, pads], {"brake hose": 1})]
    [('brake hose', 1), ('axle set of pads', 1)]
    >>> not_among([hoses, pads], True)
    ()
    """
    if not isinstance(kept, dict):
        return ()
    had, out = Counter({str(words): int(count) for words, count in kept.items()}), []
    for part in parts:
        covered = min(part.count, had[part.words])
        had[part.words] -= covered
        if covered < part.count:
            out.append(replace(part, count=part.count - covered))
    return tuple(out)


def counted(parts: Sequence[Part]) -> dict[str, int]:
    """How many of each there are, by their words."""
    out: Counter[str] = Counter()
    for part in parts:
        out[part.words] += part.count
    return dict(out)


def _once(parts: Sequence[Part]) -> tuple[Part, ...]:
    """The same part for several actions, of which one serves them all (a liter of fluid), is ordered once."""
    most: dict[str, Part] = {}
    for part in parts:
        known = most.get(part.words)
        most[part.words] = part if known is None or part.count > known.count else known
    return tuple(most.values())


def _parts(cost: Cost, places: Sequence[Place]) -> list[Part]:
    """The parts of one action: both sides of an axle are a set where they are sold as one."""
    sides = [place for place in places if isinstance(place, Corner) and place.partner]
    sets = sum(corner.partner in sides for corner in sides) // 2 if cost.both_sides else 0
    sold = [Part(cost.both_sides, sets), Part(cost.part, len(places) - 2 * sets)]
    return [part for part in sold if part.count]
