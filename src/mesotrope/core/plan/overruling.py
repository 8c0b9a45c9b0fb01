"""A verdict set against the product's: what is then done at that corner, and what follows for its axle.

The hard rules stay: an unsafe vehicle is called unsafe whoever overrules. Basis: common practice.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from mesotrope.core.decision.verdict import Decision, PlannedAction, worst_of
from mesotrope.core.language.corner import AXLES, VEHICLE, Axle, Corner
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import marked, said


@dataclass(frozen=True)
class Overruling:
    """A verdict of somebody's own: `actions` are done there instead; None leaves what was planned."""

    verdict: str
    actions: tuple[str, ...] | None
    reason: str


def as_overruled(
    planned: Sequence[PlannedAction], overruled: Mapping[Corner, Overruling], knowledge: Knowledge
) -> list[PlannedAction]:
    """The plan with what is done at overruled corners in place of what was planned there.

    The system is bled where anything that is left, or new, opens it; not for work that is no longer done.
    """
    instead = {corner: one for corner, one in overruled.items() if one.actions is not None}
    if not instead:
        return list(planned)
    out = [one for one in planned if one.corner not in instead and one.action != "no_action"]
    for corner, one in instead.items():
        because = said("overruled: {reason}", reason=one.reason)
        out += [PlannedAction(action, corner, because) for action in one.actions or ()]
    bled = [one for one in out if one.action == "bleed_system"]
    opened = [one for one in out if one.action in knowledge.opening_actions]
    dropped = [one for one in planned if one.corner in instead and one.action in knowledge.opening_actions]
    if opened and not bled:
        out.append(PlannedAction("bleed_system", VEHICLE, marked("hydraulics are opened")))
    if dropped and not opened:
        out = [one for one in out if one not in bled]
    return out


def verdicts_as_overruled(
    decision: Decision, overruled: Mapping[Corner, Overruling]
) -> tuple[str | None, dict[Axle, str | None]]:
    """The verdict of the vehicle and of every axle, as somebody overruled its corners.

    What the whole system is called for stays, and so does what is unsafe by a hard rule. None is called sound while
    something is open there that nobody overruled.
    """
    corners = {
        corner: overruled[corner].verdict if corner in overruled else one.verdict
        for corner, one in decision.corners.items()
    }
    left_open = {one.place for one in decision.open} - overruled.keys()

    def of(axle: Axle) -> str | None:
        worst = worst_of(word for corner, word in corners.items() if corner.axle == axle)
        here = any(isinstance(place, Corner) and place.axle == axle for place in left_open)
        return None if here and worst == "sound" else worst

    axles = {axle: of(axle) for axle in AXLES}
    own = worst_of(one.verdict for one in decision.corners.values())
    system = decision.verdict if decision.verdict != own else None
    hard = "unsafe" if decision.unsafe else None
    vehicle = worst_of([*axles.values(), system, hard])
    return None if left_open and vehicle == "sound" else vehicle, axles
