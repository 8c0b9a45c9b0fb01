"""Packages of actions for an axle: what each costs, how surely it cures, what comes back, and which costs least.

Hard rules are never overridden by cost: a package that breaks one is not among them. Source of the
method, expected cost over what may be wrong: [howard].
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import product
from types import MappingProxyType
from typing import Literal

import numpy as np

from mesotrope.core.answer.answer import Answer
from mesotrope.core.decision.answered import bad_findings
from mesotrope.core.decision.costs import comeback_cost, failing_cost
from mesotrope.core.decision.rules import Demand
from mesotrope.core.decision.verdict import PlannedAction
from mesotrope.core.evidence.measures import CornerMeasures
from mesotrope.core.evidence.specification import AxleSpecification, Specification
from mesotrope.core.inference.posterior import AxleBeliefs, Suspect
from mesotrope.core.language.corner import VEHICLE, Axle, Corner, Place, listed
from mesotrope.core.language.faults import NO_FAULT
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import Sayable

#: An action and where it is done.
Done = tuple[Place, str]

#: As many packages of a corner are paired with those of its partner.
MOST_OF_A_CORNER = 8


@dataclass(frozen=True)
class Package:
    """Actions at the corners of one axle or of the whole vehicle, with what they cost and are expected to cost.

    `later` is how many of each action are expected after all, where these do not cure.
    """

    axle: Axle | Literal["system"]
    actions: frozenset[Done]
    parts: float
    minutes: float
    labour: float
    cure: float
    comeback: float
    comeback_cost: float
    later: tuple[tuple[str, float], ...] = ()

    @property
    def price(self) -> float:
        """Parts and labour."""
        return self.parts + self.labour

    @property
    def expected(self) -> float:
        """Price, and what is expected to come back."""
        return self.price + self.comeback_cost

    def minutes_in_all(self, knowledge: Knowledge) -> float:
        """Its minutes, and those expected after all where it does not cure."""
        return self.minutes + sum(count * knowledge.cost[action].minutes for action, count in self.later)

    @cached_property
    def units(self) -> dict[str, int]:
        """How many of each action are in it."""
        out: dict[str, int] = {}
        for _, action in self.actions:
            out[action] = out.get(action, 0) + 1
        return out

    @cached_property
    def in_all(self) -> dict[str, float]:
        """As `units`, with those that are expected after all where it does not cure."""
        later = dict(self.later)
        return {action: self.units.get(action, 0) + later.get(action, 0.0) for action in {*self.units, *later}}


@dataclass(frozen=True)
class BreakEven:
    """What would have to be true for the runner-up to win: `action` costs, or labour, over or under `value`."""

    what: str
    units: int
    over: bool
    value: float
    now: float


@dataclass(frozen=True)
class Comparison:
    """The packages of one axle: those that cure what is suspected first, of these the cheapest expected.

    least_cure : what a package must reach to be recommended. Where none does, the cause is to be found first.
    """

    axle: Axle
    packages: tuple[Package, ...]
    break_evens: tuple[BreakEven, ...]
    least_cure: float = 0.0

    @property
    def recommended(self) -> Package:
        return self.packages[0]

    @property
    def find_out_first(self) -> bool:
        """Whether no package cures surely enough: a test comes before any part is ordered."""
        return self.recommended.cure < self.least_cure

    @property
    def runner_up(self) -> Package | None:
        return self.packages[1] if len(self.packages) > 1 else None


def compare_packages(
    axle: Axle,
    specification: Specification,
    beliefs: AxleBeliefs,
    chances: Mapping[Suspect, float],
    demands: Mapping[Corner, Sequence[Demand]],
    knowledge: Knowledge,
    schools: Mapping[str, str] = MappingProxyType({}),
    most: int = 6,
) -> Comparison | None:
    """Weigh all sensible packages of one axle; None where nothing is suspected there and no rule demands anything.

    demands : what the hard rules demand at each corner; every package satisfies them. schools : the workshop's choices
    (see `_brings` and `_ways_of_pairing`), the product's own where none is named. most : as many are kept.
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
        seen |= {completed(way, corners, build, knowledge, schools) for way in ways}
    costed = [worth.of(actions) for actions in seen]
    known = knowledge.threshold
    best = max(package.cure for package in costed)
    least = max(known["least_cure"], known["of_best_cure"] * best)
    packages = sorted(costed, key=lambda p: (p.cure < least, p.expected, p.price, _in_order(p.actions)))
    return Comparison(axle, tuple(packages[:most]), break_evens(packages, knowledge), least)


def compare_all(
    answer: Answer, inspection: Inspection, knowledge: Knowledge, schools: Mapping[str, str] = MappingProxyType({})
) -> list[Comparison]:
    """Weigh the packages of every axle that needs any.

    answer : to this inspection; knowledge : with the workshop's own minutes, prices and labour rate; schools : its
    choices.
    """
    out = []
    for name, beliefs in answer.beliefs.items():
        demands = demands_on(name, inspection, answer.specification, answer.measures, knowledge)
        out.append(compare_packages(name, answer.specification, beliefs, answer.chances, demands, knowledge, schools))
    return [comparison for comparison in out if comparison]


def demands_on(
    axle: Axle,
    inspection: Inspection,
    specification: Specification,
    measures: Mapping[Corner, CornerMeasures],
    knowledge: Knowledge,
) -> dict[Corner, list[Demand]]:
    """What was found at the corners of an axle demands by itself; looking for a cause is no work of a package."""
    out: dict[Corner, list[Demand]] = {corner: [] for corner in specification.corners_on(axle)}
    for finding in bad_findings(inspection, specification, measures, knowledge):
        if finding.demand and isinstance(finding.place, Corner) and finding.place in out:
            actions = tuple(action for action in finding.demand.actions if action != "find_the_cause")
            out[finding.place].append(replace(finding.demand, actions=actions))
    return out


def plan_of(
    decided: Sequence[PlannedAction],
    comparisons: Sequence[Comparison],
    instead: Mapping[Axle, frozenset[Done]] = MappingProxyType({}),
) -> list[PlannedAction]:
    """What is to be done: on every axle that was weighed its recommended package, else what was decided.

    So it is too where no package cures surely enough: then the cause comes first.

    instead : by axle, the actions that somebody chose in place of the recommended ones. Each action keeps the reason
    it was decided for; one that only the package brings says so.
    """
    because: dict[Done, Sayable] = {(planned.corner, planned.action): planned.because for planned in decided}
    known = [one for one in comparisons if one.axle in instead or not one.find_out_first]
    weighed = {comparison.axle for comparison in known}
    chosen = {place for one in known for place in instead.get(one.axle, one.recommended.actions)}
    kept = [
        (p.corner, p.action)
        for p in decided
        if p.action == "find_the_cause" or not (isinstance(p.corner, Corner) and p.corner.axle in weighed)
    ]
    return [
        PlannedAction(action, corner, because.get((corner, action), "part of the package of least expected cost"))
        for corner, action in dict.fromkeys([*kept, *_in_order(chosen)])
        if action != "no_action" or not chosen
    ]


def _in_order(actions: Iterable[Done]) -> list[Done]:
    """Actions as they are listed: those of the whole vehicle first, then corner by corner."""
    return sorted(actions, key=lambda done: (listed(done[0]), done[1]))


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
    ways = [
        [(), knowledge.cure[fault].actions, *knowledge.remedy[fault].ways]
        for fault in suspects
        if fault in knowledge.cure
    ]
    out = set()
    for chosen in product(*ways):
        actions = demanded | {action for way in chosen for action in way if _possible(action, axle, knowledge)}
        out.add(frozenset((corner, action) for action in actions))
        if "rebuild_caliper" in demanded:  # rebuilt or replaced: either satisfies the rule
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
) -> frozenset[Done]:
    """A set of actions with all that it brings: what goes with it, the other side, and nothing done twice.

    schools : the workshop's choices, the product's own where none is named.
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
        }
        more = {(corner, action) for corner, action in more if _possible(action, axle, knowledge)}
        if more <= out:
            break
        out |= more
    vehicle = {(VEHICLE, action) for _, action in out if knowledge.cost[action].per == "vehicle"}
    out = {(corner, action) for corner, action in out if knowledge.cost[action].per == "corner"} | vehicle
    return frozenset(
        (corner, action)
        for corner, action in out
        if not any((corner, better.id) in out for better in knowledge.actions if better.stands_in_for == action)
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


class Worth:
    """What packages of one axle cost and are expected to cost, given what is believed of it."""

    def __init__(
        self,
        axle: Axle,
        corners: Sequence[Corner],
        beliefs: AxleBeliefs,
        chances: Mapping[Suspect, float],
        knowledge: Knowledge,
    ) -> None:
        self.axle = axle
        self.corners = corners
        self.knowledge = knowledge
        self.chances = {
            suspect: p
            for suspect, p in chances.items()
            if suspect[0] in corners and (suspect[0], NO_FAULT) in chances and suspect[1] in knowledge.remedy
        }
        self.names, self.members, self.states = beliefs
        sound = knowledge.threshold["sound_chance"]
        self.accused = {
            corner for corner in corners if (corner, NO_FAULT) in chances and chances[corner, NO_FAULT] < sound
        }

    def of(self, actions: frozenset[Done]) -> Package:
        """Cost one package."""
        known = self.knowledge
        costs = [known.cost[action] for _, action in actions]
        touched = {corner for corner, action in actions if isinstance(corner, Corner)}
        minutes = sum(cost.minutes for cost in costs) + len(touched) * known.access_minutes.get("strip", 0.0)
        again = 1 - float(np.prod([1 - cost.again for cost in costs])) if costs else 0.0
        cures = {suspect: self._cure(suspect, actions) for suspect in self.chances}
        left = {suspect: p * (1 - cures[suspect]) for suspect, p in self.chances.items()}
        money = sum(p * failing_cost(fault, known) for (_, fault), p in left.items())
        partner = self._partner_follows(actions)
        money += again * comeback_cost(known) + partner * (comeback_cost(known) + known.money.spoiled_pads_and_rotors)
        all_cured = self._all_cured(cures)
        comeback = 1 - all_cured * (1 - again) * (1 - partner)
        return Package(
            self.axle, actions, sum(cost.parts for cost in costs), minutes, minutes * known.money.labour_per_minute,
            all_cured, comeback, money, self._later(left),
        )  # fmt: skip

    def _later(self, left: Mapping[Suspect, float]) -> tuple[tuple[str, float], ...]:
        """How many of each action the right repair of what is left is expected to take."""
        out: dict[str, float] = {}
        for (_, fault), chance in left.items():
            for action in self.knowledge.cure[fault].actions:
                out[action] = out.get(action, 0.0) + chance
        return tuple(out.items())

    def _cure(self, suspect: Suspect, actions: frozenset[Done]) -> float:
        """How surely a fault is put right, if it is there, by what is done at its corner and to the vehicle."""
        corner, fault = suspect
        cures = self.knowledge.remedy[fault].cures
        done = [cures[action] for where, action in actions if where in (corner, VEHICLE) and action in cures]
        return 1 - float(np.prod([1 - chance for chance in done])) if done else 0.0

    def _all_cured(self, cures: Mapping[Suspect, float]) -> float:
        """Chance that nothing is left wrong at the corners that are accused of something: over all states of the axle,
        each fault of a state cured. A corner that was not looked at, or is likely sound, is not what is suspected."""
        counted = [cures.get(name, 1.0) if name[0] in self.accused else 1.0 for name in self.names]
        kept = np.log(np.maximum(counted, 1e-9))
        out = float(self.states @ np.exp(self.members @ kept))
        for corner in self.corners:  # linings that are merely worn are not among the states
            worn = (corner, self.knowledge.worn.id)
            out *= 1 - self.chances.get(worn, 0.0) * (1 - cures.get(worn, 0.0))
        return out

    def _partner_follows(self, actions: frozenset[Done]) -> float:
        """Chance that the other side, of the same age and salt, follows within a year where one alone was renewed."""
        chance = 0.0
        for part in self.knowledge.actions_that["of_one_age"]:
            sides = {corner for corner, action in actions if action == part}
            if len(sides) == 1 and len(self.corners) == 2:
                corroded = sum(
                    p for (where, fault), p in self.chances.items() if where in sides and self._ages(fault, part)
                )
                chance = max(chance, min(1.0, corroded) * self.knowledge.money.partner_within_a_year)
        return chance

    def _ages(self, fault: str, part: str) -> bool:
        """Whether corrosion makes the fault, and a part of that age cures it."""
        remedy = self.knowledge.remedy[fault]
        return remedy.corrodes and part in remedy.cures


def package_of_system(answer: Answer, knowledge: Knowledge) -> Package | None:
    """What is to be done to the whole vehicle, costed as one package; None where that is nothing."""
    done = frozenset(
        (planned.corner, planned.action)
        for planned in answer.decision.actions
        if planned.corner is VEHICLE and planned.action not in ("no_action", "find_the_cause")
    )
    if not done:
        return None
    costs = [knowledge.cost[action] for _, action in done]
    minutes = sum(cost.minutes for cost in costs)
    again = 1 - float(np.prod([1 - cost.again for cost in costs]))
    cure, money = 1.0, again * comeback_cost(knowledge)
    for (place, fault), chance in answer.believed.items():
        if place is VEHICLE and chance >= knowledge.threshold["weighed_chance"] and fault in knowledge.remedy:
            cures = knowledge.remedy[fault].cures
            missed = float(np.prod([1 - cures.get(action, 0.0) for _, action in done]))
            if chance >= knowledge.threshold["named_chance"] or missed < 1:
                cure *= 1 - chance * missed
                money += chance * missed * failing_cost(fault, knowledge)
    labour = minutes * knowledge.money.labour_per_minute
    parts = sum(cost.parts for cost in costs)
    return Package("system", done, parts, minutes, labour, cure, 1 - cure * (1 - again), money)


def break_evens(packages: Sequence[Package], knowledge: Knowledge, most: int = 2) -> tuple[BreakEven, ...]:
    """What would have to be true for the runner-up to win, the smallest change first.

    The difference of two packages is a straight line in every price and in the labour rate.
    """
    if len(packages) < 2:
        return ()
    best, other = packages[0], packages[1]
    gap = other.expected - best.expected
    out = []
    for action in sorted({*best.in_all, *other.in_all}):
        more = best.in_all.get(action, 0.0) - other.in_all.get(action, 0.0)
        now = knowledge.cost[action].parts
        if abs(more) > 0.05 and now:
            value = now + gap / more
            if value > 0:
                out.append(BreakEven(action, round(abs(more)), more > 0, value, now))
    minutes = best.minutes_in_all(knowledge) - other.minutes_in_all(knowledge)
    rate = knowledge.money.labour_per_hour
    if abs(minutes) > 1 and (value := rate + 60 * gap / minutes) > 0:
        out.append(BreakEven("labour", 1, minutes > 0, value, rate))
    return tuple(sorted(out, key=lambda one: abs(one.value / one.now - 1))[:most])


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
