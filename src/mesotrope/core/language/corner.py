"""Where on the vehicle something is: at one of its corners, or of the whole vehicle.

Both are words of the open format, so that a place is written the same in a document, in the database and in an address.
"""

from __future__ import annotations

from enum import StrEnum
from typing import Final


class Axle(StrEnum):
    """One axle, by its name."""

    FRONT = "front"
    REAR = "rear"

    @property
    def words(self) -> str:
        return self.value


AXLES: Final = tuple(Axle)


class Corner(StrEnum):
    """One corner. `FRONT` and `REAR` are those of a vehicle with one wheel, or one disc, on that axle.

    >>> Corner("rear_left").axle, Corner("rear_left").side, Corner("rear_left").partner.words
    (<Axle.REAR: 'rear'>, 'left', 'rear right')
    >>> Corner("rear").partner is None, Corner("rear").side
    (True, '')
    """

    FRONT_LEFT = "front_left"
    FRONT_RIGHT = "front_right"
    REAR_LEFT = "rear_left"
    REAR_RIGHT = "rear_right"
    FRONT = "front"
    REAR = "rear"

    @property
    def axle(self) -> Axle:
        return _AXLE_OF[self]

    @property
    def side(self) -> str:
        """``left``, ``right``, or nothing for a wheel in the middle."""
        return self.value.partition("_")[2]

    @property
    def words(self) -> str:
        return self.value.replace("_", " ")

    @property
    def partner(self) -> Corner | None:
        """The corner on the other side of the axle; None for a wheel in the middle."""
        return _PARTNERS.get(self)


_PARTNERS: Final = {
    Corner.FRONT_LEFT: Corner.FRONT_RIGHT,
    Corner.FRONT_RIGHT: Corner.FRONT_LEFT,
    Corner.REAR_LEFT: Corner.REAR_RIGHT,
    Corner.REAR_RIGHT: Corner.REAR_LEFT,
}

CORNERS: Final = tuple(Corner)

_AXLE_OF: Final = {corner: Axle(corner.value.partition("_")[0]) for corner in CORNERS}


class Whole(StrEnum):
    """The whole vehicle, as a place beside its corners."""

    VEHICLE = "system"

    @property
    def words(self) -> str:
        return "whole system"


VEHICLE: Final = Whole.VEHICLE

#: Where something is.
Place = Corner | Whole

PLACES_ON_VEHICLE: Final[tuple[Place, ...]] = (*CORNERS, VEHICLE)

_PLACES: Final[dict[str, Place]] = {str(place): place for place in PLACES_ON_VEHICLE}

#: In which order places are listed: the whole vehicle first, then the front.
_ORDER: Final = {place: number for number, place in enumerate((VEHICLE, *sorted(CORNERS)))}


def place_named(name: str) -> Place | None:
    """The place of this name; None where there is none.

    >>> place_named("system") is VEHICLE, place_named("rear_left"), place_named("roof")
    (True, <Corner.REAR_LEFT: 'rear_left'>, None)
    """
    return _PLACES.get(name)


def place_words(name: str) -> str:
    """What a place that was kept by its name is called; the name itself where it is none.

    >>> place_words("rear_left"), place_words("system")
    ('rear left', 'whole system')
    """
    place = place_named(name)
    return place.words if place else name


def listed(place: Place) -> int:
    """Where a place stands in a list: the whole vehicle before the front corners, these before the rear ones."""
    return _ORDER[place]
