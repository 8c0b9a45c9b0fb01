"""Places on a page: the id of an entry, and places of a vehicle in words."""

from __future__ import annotations

from collections.abc import Iterable

from mesotrope.core.language.corner import VEHICLE, Axle, Place
from mesotrope.words import Speaker


def entry_id(corner: str, path: str) -> str:
    """The id of an entry field on the page; tapping a part of the plate leads there."""
    return f"{corner}-{path}".replace(".", "-").replace("_", "-")


def places_in_words(places: Iterable[Place | Axle], say: Speaker) -> str:
    """Some places in words; the whole vehicle needs none."""
    return ", ".join(say(place) for place in places if place is not VEHICLE)
