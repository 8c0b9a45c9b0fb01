"""What came to a plan since something was done for it: since a step was ticked off, a figure measured again, parts
ordered, a word given. More is found while a vehicle is worked on; what was done before is not done for that.

Basis: common practice.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from mesotrope.core.language.work import Done

#: Between a place and what is done there, as planned work is written.
AT = "/"


def written(work: Iterable[Done]) -> frozenset[str]:
    """Planned work as it is kept with what was done for it.

    >>> from mesotrope.core.language.corner import VEHICLE, Corner
    >>> sorted(written([(Corner("front_left"), "replace_pads"), (VEHICLE, "flush_fluid")]))
    ['front_left/replace_pads', 'system/flush_fluid']
    """
    return frozenset(f"{place}{AT}{action}" for place, action in work)


def came_since(kept: Any, now: Iterable[str]) -> frozenset[str]:
    """What of that which is there now was not there when something was kept.

    kept : what there was then, a list; anything else (what earlier versions kept) stands for all.

    >>> sorted(came_since(["front_left"], {"front_left", "rear_left"})), came_since(True, {"rear_left"})
    (['rear_left'], frozenset())
    """
    return frozenset(now) - frozenset(kept) if isinstance(kept, list) else frozenset()
