"""The shape of what is known of a workshop's day: what falls due, in words."""

from __future__ import annotations

from mesotrope.core.language.known import Known


class FallsDue(Known):
    """A kind of thing that falls due: its words, what an owner is told, and why it is due."""

    id: str
    words: str
    owner: str
    because: str
