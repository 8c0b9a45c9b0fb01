"""What came to a plan since something was done for it: since a step was ticked off, a figure measured again, parts
ordered, a word given. More is found while a vehicle is worked on; what was done before is not done for that.

Basis: common practice.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from mesotrope.core.language.corner import VEHICLE, place_named
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


def as_work(kept: Iterable[str]) -> list[Done]:
    """What `written` wrote, as work again, place by place.

    >>> as_work(["system/flush_fluid", "front_left/replace_pads"])
    [(<Corner.FRONT_LEFT: 'front_left'>, 'replace_pads'), (<Whole.VEHICLE: 'system'>, 'flush_fluid')]
    """
    parts = (one.partition(AT) for one in sorted(kept))
    return [(place_named(place) or VEHICLE, action) for place, _, action in parts]


def came_since(kept: Any, now: Iterable[str]) -> frozenset[str]:
    """What of that which is there now was not there when something was kept.

    kept : what there was then, a list; anything else (what earlier versions kept) stands for all.

    >>> sorted(came_since(["front_left"], {"front_left", "rear_left"})), came_since(True, {"rear_left"})
    (['rear_left'], frozenset())
    """
    return frozenset(now) - frozenset(kept) if isinstance(kept, list) else frozenset()
