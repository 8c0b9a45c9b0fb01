"""The shape of what is known of how a step is done, and of what is often overlooked."""

from __future__ import annotations

from mesotrope.core.language.known import Known, Worded


class Detail(Worded):
    """One detail of a step: of the step by its name or that of a group, or of the first step of a phase.

    `needs` is what an axle that is worked on must have; `kinds` the kinds of vehicle, none: all; `older_than` the
    model year before which it applies; `picture` a drawing that says it better.
    """

    id: str
    step: str = ""
    phase: str = ""
    needs: tuple[str, ...] = ()
    kinds: tuple[str, ...] = ()
    axle: str = ""
    older_than: int = 0
    picture: str = ""


class Overlooked(Known):
    """One thing that is often overlooked."""

    id: str
    words: str
    needs: tuple[str, ...] = ()
    kinds: tuple[str, ...] = ()
