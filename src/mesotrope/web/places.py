"""Places on a page: the id of an entry, and places of a vehicle in words."""

from __future__ import annotations

from collections.abc import Iterable

from mesotrope.core.language.corner import VEHICLE, Axle, Place
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import said, verbatim
from mesotrope.core.language.work import Done
from mesotrope.words import Speaker


def entry_id(corner: str, path: str) -> str:
    """The id of an entry field on the page; tapping a part of the plate leads there."""
    return f"{corner}-{path}".replace(".", "-").replace("_", "-")


def places_in_words(places: Iterable[Place | Axle], say: Speaker) -> str:
    """Some places in words; the whole vehicle needs none."""
    return ", ".join(say(place) for place in places if place is not VEHICLE)


def work_in_words(work: Iterable[Done], knowledge: Knowledge, say: Speaker) -> tuple[str, ...]:
    """Some work in the order in which it is done, each action once with its places."""
    places: dict[str, list[Place]] = {}
    for place, action in work:
        places.setdefault(action, []).append(place)
    return tuple(
        say(said("{action} ({places})", action=knowledge.action[action].words, places=verbatim(where)))
        if (where := places_in_words(there, say))
        else say(knowledge.action[action].words)
        for action, there in sorted(places.items(), key=lambda one: knowledge.order_of_work[one[0]])
    )
