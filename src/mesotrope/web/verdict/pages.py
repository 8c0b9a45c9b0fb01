"""The verdict in rows: of every corner, the actions, and the reasons with their weights."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

from mesotrope.core.answer.answer import Answer
from mesotrope.core.answer.reasons import SuspectAnswer
from mesotrope.core.decision.answered import Open
from mesotrope.core.decision.verdict import Decision, PlannedAction
from mesotrope.core.language.corner import Corner
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.odds import odds_of
from mesotrope.core.language.quantity import decibans_shown
from mesotrope.core.language.saying import Sayable, joined, placed, said
from mesotrope.core.plan.overruling import verdicts_as_overruled
from mesotrope.services.plans import Plan
from mesotrope.web.weights import said_of
from mesotrope.words import Speaker


@dataclass(frozen=True)
class VerdictRow:
    corner: Corner
    words: str
    verdict: str
    verdict_words: str
    reasons: tuple[str, ...]
    settled: bool
    open: bool


@dataclass(frozen=True)
class ActionRow:
    words: str
    where: str
    because: str


@dataclass(frozen=True)
class WeighedReason:
    said: str
    decibans: str
    because: str


@dataclass(frozen=True)
class ReasonedSuspect:
    where: str
    words: str
    odds: str
    percent: str
    mechanism: str
    reasons: tuple[WeighedReason, ...]


def verdicts_in_sum(answer: Answer, plan: Plan, say: Speaker) -> tuple[tuple[str, str], ...]:
    """The verdict of the vehicle and of every axle that has one, as its people overruled it, or that it is open: where,
    and its word."""
    overruled = {corner: one.what for corner, one in plan.overruled.items()}
    vehicle, axles = verdicts_as_overruled(answer.decision, overruled)
    at = {one.place.axle if isinstance(one.place, Corner) else one.place for one in answer.decision.open}
    of_axles = (
        (say(said("{axle} axle", axle=name)), word or ("open" if name in at else None)) for name, word in axles.items()
    )
    named = [(say("vehicle"), vehicle or ("open" if at else None)), *of_axles]
    return tuple((name, word) for name, word in named if word)


class Decided(Protocol):
    """What a verdict is said from: any answer to an inspection has it."""

    @property
    def decision(self) -> Decision: ...
    @property
    def knowledge(self) -> Knowledge: ...


def verdict_row(corner: Corner, answer: Decided, say: Speaker) -> VerdictRow:
    """The verdict of a corner with its reasons, and whether anything is open there."""
    verdict = answer.decision.corners[corner]
    reasons = tuple(map(say, verdict.reasons))
    here = any(one.place == corner for one in answer.decision.open)
    words = say(verdict_words(corner, answer))
    return VerdictRow(corner, say(corner), verdict.verdict or "", words, reasons, verdict.settled, here)


def verdict_words(corner: Corner, answer: Decided) -> str:
    """The verdict of a corner in words; where something is replaced, what: the costliest of it, and while anything is
    open there of what is due by what was found."""
    decision, known = answer.decision, answer.knowledge
    verdict = decision.corners[corner].verdict or ""
    if verdict != "replace":
        return verdict
    here = [planned.action for planned in decision.actions if planned.corner == corner]
    if any(one.place == corner for one in decision.open):
        due = {
            action for one in decision.findings if one.demand and one.place == corner for action in one.demand.actions
        }
        here = [action for action in here if action in due]
    renewed = [action for action in here if known.action[action].as_verdict]
    first = max(renewed, key=lambda action: known.cost[action].parts, default="")
    return known.action[first].as_verdict if first else verdict


def reasoned_suspect(suspect: SuspectAnswer, knowledge: Knowledge, say: Speaker) -> ReasonedSuspect:
    reasons = sorted((*suspect.reasons_for, *suspect.reasons_against), key=lambda r: -abs(r.decibans))[:6]
    return ReasonedSuspect(
        say(suspect.corner),
        say(suspect.words),
        say(odds_of(suspect.probability, knowledge)),
        say.chance(suspect.probability),
        say(suspect.mechanism),
        tuple(
            WeighedReason(say(said_of(r.decibans)), decibans_shown(r.decibans), say(r.under(suspect.corner)))
            for r in reasons
        ),
    )


def action_rows(
    actions: Sequence[PlannedAction], left_open: Sequence[Open], knowledge: Knowledge, say: Speaker
) -> tuple[ActionRow, ...]:
    """One row an action in the order of the work, with every corner it is done at and each reason once.

    left_open : it is said whole where it is listed, so that here what was found is enough.
    """
    found = {one.place: one.what for one in reversed(left_open)}
    by_action: dict[str, list[PlannedAction]] = {}
    for planned in actions:
        by_action.setdefault(planned.action, []).append(planned)

    def why(planned: PlannedAction) -> Sayable:
        place = planned.corner
        if planned.action != "find_the_cause" or place not in found:
            return planned.because
        return placed(place, found[place]) if len(by_action[planned.action]) > 1 else found[place]

    return tuple(
        ActionRow(
            say(knowledge.action[action].words),
            ", ".join(say(planned.corner) for planned in done),
            say(joined(dict.fromkeys(map(why, done)))),
        )
        for action, done in sorted(by_action.items(), key=lambda one: knowledge.order_of_work[one[0]])
    )
