"""Packages of actions for an axle: what each costs, how surely it cures, what comes back, and which costs least.

Hard rules are never overridden by cost: a package that breaks one is not among them. Source of the
method, expected cost over what may be wrong: [howard].
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from itertools import product
from types import MappingProxyType

from mesotrope.core.answer.answer import Answer
from mesotrope.core.decision.answered import Finding
from mesotrope.core.decision.brought_along import Companions, companions_at
from mesotrope.core.decision.open_words import done_in_words
from mesotrope.core.decision.rules import Demand
from mesotrope.core.decision.verdict import PlannedAction
from mesotrope.core.evidence.specification import AxleSpecification, Specification
from mesotrope.core.inference.axle_beliefs import AxleBeliefs
from mesotrope.core.inference.posterior import Suspect
from mesotrope.core.language.corner import VEHICLE, Axle, Corner
from mesotrope.core.language.faults import NO_FAULT
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import Sayable, marked
from mesotrope.core.language.work import Done
from mesotrope.core.plan.comparison import BestTest, Comparison, compared, in_order
from mesotrope.core.plan.system_packages import compare_system
from mesotrope.core.plan.worth import SYSTEM, Weighed, Worth

#: As many packages of a corner are paired with those of its partner.
MOST_OF_A_CORNER = 8


def compare_packages(
    axle: Axle,
    specification: Specification,
    beliefs: AxleBeliefs,
    chances: Mapping[Suspect, float],
    demands: Mapping[Corner, Sequence[Demand]],
    knowledge: Knowledge,
    schools: Mapping[str, str] = MappingProxyType({}),
    companions: Companions = Companions(),  # noqa: B008 (it is frozen)
    most: int = 6,
) -> Comparison | None:
    """Weigh all sensible packages of one axle; None where nothing is suspected there and no rule demands anything.

    demands : what the hard rules demand at each corner; every package satisfies them. schools : the workshop's choices
    (see `_brings` and `_ways_of_pairing`), the product's own where none is named; companions : what was
    found that changes what work brings along. most : as many are kept.
    """
    build = specification.axles[axle]
    corners = specification.corners_on(axle)
    suspects = {corner: _weighed(corner, chances, knowledge) for corner in corners}
    if not any(suspects.values()) and not any(demand.actions for c in corners for demand in demands.get(c, ())):
        return None
    options = [
        sorted(_of_corner(corner, suspects[corner], demands.get(corner, ()), build, knowledge), key=len)
        for corner in corners
    ]
    seen: set[frozenset[Done]] = set()
    worth = Worth(axle, corners, beliefs, chances, knowledge)
    singles = [
        sorted(choices, key=lambda one: worth.of(one).expected)[:MOST_OF_A_CORNER] if len(choices) > 1 else choices
        for choices in options
    ]
    for choice in product(*singles):
        together = frozenset().union(*choice)
        ways = _ways_of_pairing(together, corners, schools.get("calipers", ""), knowledge)
        seen |= {completed(way, corners, build, knowledge, schools, companions) for way in ways}
    costed = [worth.of(actions) for actions in seen]
    return compared(axle, costed, knowledge, most)


def compare_all(
    answer: Answer, inspection: Inspection, knowledge: Knowledge, schools: Mapping[str, str] = MappingProxyType({})
) -> list[Comparison]:
    """Weigh the packages of every axle that needs any.

    answer : to this inspection; knowledge : with the workshop's own minutes, prices and labour rate; schools : its
    choices.
    """
    out = []
    findings = answer.decision.findings
    for name, beliefs in answer.beliefs.items():
        demands = demands_at(answer.specification.corners_on(name), findings, answer.decision.actions)
        companions = companions_at(answer.specification.corners_on(name), inspection, knowledge)
        one = compare_packages(
            name, answer.specification, beliefs, answer.chances, demands, knowledge, schools, companions
        )
        if one:
            out.append(replace(one, test=best_test_on(name, answer, knowledge)))
    if whole := compare_system(answer, knowledge):
        out.append(whole)
    return out


def best_test_on(axle: Axle, answer: Answer, knowledge: Knowledge) -> BestTest | None:
    """The best test at an axle that could change what is to be done: first what a corner that is open waits for, then
    the best of one where something is wrong; None where there is none."""
    waits = {one.place: one for one in reversed(answer.decision.open) if one.next_test}
    out = []
    for corner in answer.specification.corners_on(axle):
        best = next((test for test in answer.tests if test.corner == corner and test.decides), None)
        sound = answer.chances.get((corner, NO_FAULT), 1.0) >= knowledge.threshold["named_chance"]
        if first := waits.get(corner):
            words = done_in_words(knowledge.field_of_finding[first.next_test], first.next_minutes)
            out.append((False, sound, -best.worth if best else 0.0, BestTest(corner, words, unsettled=True)))
        elif best:
            words = done_in_words(knowledge.corner_finding[best.finding], best.minutes)
            out.append((True, sound, -best.worth, BestTest(corner, words, unsettled=False)))
    return min(out, key=lambda one: one[:3])[3] if out else None


def demands_at(
    corners: Iterable[Corner], findings: Iterable[Finding], decided: Sequence[PlannedAction] = ()
) -> dict[Corner, list[Demand]]:
    """What was found at some corners demands by itself; looking for a cause is no work of a package.

    decided : with what is demanded because the whole vehicle's fluid is to be changed.
    """
    out: dict[Corner, list[Demand]] = {corner: [] for corner in corners}
    by_fluid = any(one.corner is VEHICLE and one.action != "bleed_system" for one in decided)
    done = {(one.corner, one.action) for one in decided if by_fluid}
    for finding in findings:
        if finding.demand and isinstance(finding.place, Corner) and finding.place in out:
            with_fluid = tuple(action for action in finding.demand.when_opened if (finding.place, action) in done)
            actions = tuple(action for action in finding.demand.actions if action != "find_the_cause") + with_fluid
            out[finding.place].append(replace(finding.demand, actions=actions))
    return out


def plan_of(
    decided: Sequence[PlannedAction],
    comparisons: Sequence[Comparison],
    instead: Mapping[Weighed, frozenset[Done]] = MappingProxyType({}),
) -> list[PlannedAction]:
    """What is to be done: what was decided, and on every axle its recommended package in place of it.

    instead : by axle, the actions that somebody chose in place of the recommended ones. Each action keeps the reason
    it was decided for; one that only the package brings says so.
    """
    because: dict[Done, Sayable] = {(planned.corner, planned.action): planned.because for planned in decided}
    known = [one for one in comparisons if one.axle in instead or one.recommends]
    axles = {one.axle for one in known}
    of_system = {done for one in known if one.axle == SYSTEM for package in one.packages for done in package.actions}
    chosen = {place for one in known for place in instead.get(one.axle, one.recommended.actions)}
    kept = [
        (p.corner, p.action)
        for p in decided
        if p.action == "find_the_cause"
        or not (p.corner.axle in axles if isinstance(p.corner, Corner) else (p.corner, p.action) in of_system)
    ]
    return [
        PlannedAction(
            action, corner, because.get((corner, action), marked("done in the same repair, so that it holds"))
        )
        for corner, action in dict.fromkeys([*kept, *in_order(chosen)])
        if action != "no_action" or not chosen
    ]


def _weighed(corner: Corner, chances: Mapping[Suspect, float], knowledge: Knowledge) -> list[str]:
    """The suspects of a corner for which packages are made, the likeliest first; none where nothing was looked at."""
    if (corner, NO_FAULT) not in chances:
        return []
    least, most = knowledge.threshold["weighed_chance"], int(knowledge.threshold["weighed_most"])
    here = [(p, fault) for (where, fault), p in chances.items() if where == corner and fault != NO_FAULT]
    return [fault for p, fault in sorted(here, reverse=True) if p >= least][:most]


def _of_corner(
    corner: Corner, suspects: Sequence[str], demands: Sequence[Demand], axle: AxleSpecification, knowledge: Knowledge
) -> list[frozenset[Done]]:
    """Every set of actions at one corner that a suspect asks for or leaves, with what the rules demand."""
    demanded = {action for demand in demands for action in demand.actions}
    when_opened = {action for demand in demands for action in demand.when_opened}
    ways = []
    for fault in suspects:
        if fault in knowledge.cure:
            usual = [act for act in knowledge.cure[fault].where(axle.has).actions if _possible(act, axle, knowledge)]
            other = [way for way in knowledge.remedy[fault].ways if all(_possible(act, axle, knowledge) for act in way)]
            ways.append([(), usual, *other])
    out = set()
    for chosen in product(*ways):
        done = {action for way in chosen for action in way}
        opened = any(knowledge.action[action].opens_hydraulics for action in demanded | done)
        due = demanded | (when_opened if opened else set())
        actions = due | done
        out.add(frozenset((corner, action) for action in actions))
        if "rebuild_caliper" in due:  # rebuilt or replaced: either satisfies the rule
            out.add(frozenset((corner, action) for action in actions | {"replace_caliper"}))
    return list(out)


def _possible(action: str, axle: AxleSpecification, knowledge: Knowledge) -> bool:
    needs = knowledge.action[action].needs
    return not needs or axle.has(needs)


def _brings(schools: Mapping[str, str], knowledge: Knowledge) -> dict[str, tuple[str, ...]]:
    """What each action brings with it, by the workshop's schools: rotors with every set of pads, clips used again."""
    with_pads = [] if schools.get("hardware") == "if_sound" else ["replace_hardware"]
    if schools.get("rotors_with_pads") == "always":
        with_pads.append("replace_rotor")
    return {**{action.id: action.brings for action in knowledge.actions}, "replace_pads": tuple(with_pads)}


def completed(
    actions: Iterable[Done],
    corners: Sequence[Corner],
    axle: AxleSpecification,
    knowledge: Knowledge,
    schools: Mapping[str, str] = MappingProxyType({}),
    companions: Companions = Companions(),  # noqa: B008 (it is frozen)
) -> frozenset[Done]:
    """A set of actions with all that it brings: what goes with it, the other side, and nothing done twice.

    schools : the workshop's choices, the product's own where none is named; companions : what was found that
    changes what work brings along.
    """
    out, brings = set(actions), _brings(schools, knowledge)
    while True:
        more = {(corner, brought) for corner, action in out for brought in brings.get(action, ())}
        more |= {
            (partner, action)
            for corner, action in out
            if knowledge.action[action].both_sides
            and isinstance(corner, Corner)
            and (partner := corner.partner)
            and partner in corners
            and (partner, action) not in companions.spared
        }
        with_pads = {corner for corner, action in out if action == "replace_pads"} & companions.resurfaced.keys()
        more |= {(corner, "resurface_rotor") for corner in with_pads}
        more = {(corner, action) for corner, action in more if _possible(action, axle, knowledge)}
        if more <= out:
            break
        out |= more
    vehicle = {(VEHICLE, action) for _, action in out if knowledge.cost[action].per == "vehicle"}
    out = {(corner, action) for corner, action in out if knowledge.cost[action].per == "corner"} | vehicle
    return frozenset(
        (corner, action)
        for corner, action in out
        if not any((corner, better) in out for better in knowledge.in_place_of.get(action, ()))
    )


def _ways_of_pairing(
    actions: frozenset[Done], corners: Sequence[Corner], school: str, knowledge: Knowledge
) -> list[frozenset[Done]]:
    """The actions as they are, and with each part of one age renewed on both sides; calipers as the school has it."""
    ways = [actions]
    for part in (action.id for action in knowledge.actions if action.of_one_age):
        sides = {corner for corner, action in actions if action == part}
        pair = actions | {(corner, part) for corner in corners}
        if len(sides) != 1 or len(corners) != 2 or (knowledge.action[part].caliper and school == "only_the_faulty"):
            continue
        ways.append(pair)
        if knowledge.action[part].caliper and school == "always_pairs":
            return [pair]
    return ways


def with_prices(
    knowledge: Knowledge,
    prices: Mapping[str, Mapping[str, float]],
    money: Mapping[str, float | str] = MappingProxyType({}),
) -> Knowledge:
    """The knowledge with a workshop's own minutes and prices in place of the starting values.

    prices : by action, any of minutes and parts; money : any of the prices that no single action has.
    """
    costs = tuple(
        cost.model_copy(update=dict(prices[cost.id])) if cost.id in prices else cost for cost in knowledge.costs
    )
    return knowledge.model_copy(update={"costs": costs, "money": knowledge.money.model_copy(update=dict(money))})
