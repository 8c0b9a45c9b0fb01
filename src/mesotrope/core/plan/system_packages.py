"""What is done to the whole vehicle, as packages: what was decided, and the milder ways beside it."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import replace

from mesotrope.core.answer.answer import Answer
from mesotrope.core.decision.open_words import done_in_words
from mesotrope.core.language.corner import VEHICLE, Corner
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.plan.comparison import BestTest, Comparison, compared
from mesotrope.core.plan.worth import SYSTEM, package_of_system


def compare_system(answer: Answer, knowledge: Knowledge) -> Comparison | None:
    """Weigh what is done to the whole vehicle; None where nothing is. What its findings demand is in every package."""
    findings = answer.decision.findings
    demanded = {action for one in findings if one.demand and one.place is VEHICLE for action in one.demand.actions}
    options = _options(answer, demanded, knowledge)
    if not options:
        return None
    costed = [package_of_system(frozenset((VEHICLE, a) for a in option), answer, knowledge) for option in options]
    out = compared(SYSTEM, costed, knowledge)
    chosen = {action for _, action in out.recommended.actions} - demanded
    return replace(out, test=_best_test(answer, _unsettled(chosen, answer, knowledge), knowledge))


def _options(answer: Answer, demanded: set[str], knowledge: Knowledge) -> set[frozenset[str]]:
    """What was decided for the whole vehicle by itself, and with each likely fault put right in a milder way; what goes
    with work at a wheel is weighed there."""
    planned = answer.decision.actions
    of_vehicle = {one.action for one in planned if one.corner is VEHICLE and not one.for_other_work}
    decided = of_vehicle - {"no_action", "find_the_cause"}
    if any(knowledge.action[one.action].opens_hydraulics for one in planned if one.corner is not VEHICLE):
        decided -= {"bleed_system"}  # it goes with what is done at the wheels
    if not decided:
        return set()
    out = {frozenset(decided)}
    for (place, fault), chance in answer.believed.items():
        if place is VEHICLE and fault in knowledge.cure and chance >= knowledge.threshold["named_chance"]:
            for way in knowledge.remedy[fault].ways:
                milder = (decided - (set(knowledge.cure[fault].actions) - demanded)) | set(way)
                if any(knowledge.action[action].opens_hydraulics for action in milder):
                    milder |= decided & {"bleed_system"}
                out.add(frozenset(milder))
    return out


def _best_test(answer: Answer, unsettled: bool, knowledge: Knowledge) -> BestTest | None:
    """The best test of the whole vehicle that could change what is to be done; where no wheel has anything open, the
    best of all: a low pedal is looked for at the wheels too."""
    at_wheels = any(isinstance(one.place, Corner) for one in answer.decision.open)
    test = next((t for t in answer.tests if t.decides and (t.corner is VEHICLE or not at_wheels)), None)
    if test is None:
        return None
    fields = knowledge.system_finding if test.corner is VEHICLE else knowledge.corner_finding
    return BestTest(test.corner, done_in_words(fields[test.finding], test.minutes), unsettled)


def _unsettled(actions: Collection[str], answer: Answer, knowledge: Knowledge) -> bool:
    """Whether a fault that some work is for is neither settled nor far from it."""
    known = knowledge.threshold
    return any(
        place is VEHICLE
        and fault in knowledge.cure
        and any(action in knowledge.cure[fault].actions for action in actions)
        and known["weighed_chance"] <= chance < known["settled_chance"]
        for (place, fault), chance in answer.believed.items()
    )
