"""Where on the vehicle: its corners and its axles."""

from __future__ import annotations


def partner_of(corner: str) -> str | None:
    """The corner on the other side of the axle; None for a wheel in the middle.

    >>> partner_of("rear_left"), partner_of("rear")
    ('rear_right', None)
    """
    axle, _, side = corner.partition("_")
    return {"left": f"{axle}_right", "right": f"{axle}_left"}.get(side)


def in_words(corner: str) -> str:
    return corner.replace("_", " ")
