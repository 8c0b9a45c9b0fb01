"""What a package of actions is worth: its price and minutes, how surely it cures, what it is expected to cost in all.

Source of the method, expected cost over what may be wrong: [howard].
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Literal, NamedTuple

import numpy as np

from mesotrope.core.answer.answer import Answer
from mesotrope.core.decision.costs import comeback_cost, costs_of, failing_cost
from mesotrope.core.decision.in_question import sound_but_for_wear
from mesotrope.core.inference.axle_beliefs import AxleBeliefs
from mesotrope.core.inference.posterior import Suspect
from mesotrope.core.language.arrays import Floats
from mesotrope.core.language.corner import VEHICLE, Axle, Corner
from mesotrope.core.language.faults import NO_FAULT
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.work import Done

#: What packages are weighed for: an axle, or the whole vehicle's own.
SYSTEM: Literal["system"] = "system"
Weighed = Axle | Literal["system"]


@dataclass(frozen=True)
class Package:
    """Actions at the corners of one axle or of the whole vehicle, with what they cost and are expected to cost.

    `later` is how many of each action are expected after all, where these do not cure.
    """

    axle: Weighed
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


class Takes(NamedTuple):
    """What actions take: the price of their parts, minutes with getting at the corners, the chance that they come back
    by themselves."""

    parts: float
    minutes: float
    again: float


def takes_of(actions: Iterable[Done], knowledge: Knowledge) -> Takes:
    """What some work takes in all.

    >>> from mesotrope.core.language.corner import Corner
    >>> from mesotrope.knowledge import knowledge
    >>> known = knowledge()
    >>> takes_of([(Corner.FRONT_LEFT, "replace_hose")], known).minutes - known.access_minutes["strip"]
    25.0
    """
    done = list(actions)
    costs = costs_of((action for _, action in done), knowledge)
    touched = {corner for corner, _ in done if isinstance(corner, Corner)}
    minutes = sum(cost.minutes for cost in costs) + len(touched) * knowledge.access_minutes.get("strip", 0.0)
    again = 1 - float(np.prod([1 - cost.again for cost in costs]))
    return Takes(sum(cost.parts for cost in costs), minutes, again)


def price_of(actions: Iterable[Done], knowledge: Knowledge) -> float:
    """Parts and labour of some work, in the workshop's currency."""
    takes = takes_of(actions, knowledge)
    return takes.parts + takes.minutes * knowledge.money.labour_per_minute


def cure_of(suspect: Suspect, actions: Iterable[Done], knowledge: Knowledge) -> float:
    """How surely a fault is put right, if it is there, by what is done at its place and to the vehicle."""
    place, fault = suspect
    cures = knowledge.remedy[fault].cures
    done = [cures[action] for where, action in actions if where in (place, VEHICLE) and action in cures]
    return 1 - float(np.prod([1 - chance for chance in done]))


def later_of(left: Mapping[Suspect, float], knowledge: Knowledge) -> tuple[tuple[str, float], ...]:
    """How many of each action the right repair of what is left is expected to take.

    left : the chance that each fault is there and not put right.
    """
    out: dict[str, float] = {}
    for (_, fault), chance in left.items():
        for action in knowledge.cure[fault].actions:
            out[action] = out.get(action, 0.0) + chance
    return tuple(out.items())


def _is_accused(corner: Corner, chances: Mapping[Suspect, float], knowledge: Knowledge) -> bool:
    """Whether something is suspected at a corner, beside linings that are merely worn: it is not likely enough to be
    sound, and one thing stands out, or it is likelier than not that any is there."""
    known, sound = knowledge.threshold, sound_but_for_wear(corner, chances, knowledge)
    aside = (NO_FAULT, knowledge.worn.id)
    most = max((p for (where, fault), p in chances.items() if where == corner and fault not in aside), default=0.0)
    stands_out = most >= known["weighed_chance"]
    return sound < known["named_chance"] or (sound < known["sound_chance"] and stands_out)


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
        self.beliefs = beliefs
        self.accused = {corner for corner in corners if _is_accused(corner, chances, knowledge)}

    def of(self, actions: frozenset[Done]) -> Package:
        """Cost one package."""
        known = self.knowledge
        parts, minutes, again = takes_of(actions, known)
        cures = {suspect: cure_of(suspect, actions, known) for suspect in self.chances}
        left = {suspect: p * (1 - cures[suspect]) for suspect, p in self.chances.items()}
        money = sum(p * failing_cost(fault, known) for (_, fault), p in left.items())
        partner = self._partner_follows(actions)
        money += again * comeback_cost(known) + partner * (comeback_cost(known) + known.money.spoiled_pads_and_rotors)
        all_cured = self._all_cured(cures)
        comeback = 1 - all_cured * (1 - again) * (1 - partner)
        labour = minutes * known.money.labour_per_minute
        return Package(self.axle, actions, parts, minutes, labour, all_cured, comeback, money, later_of(left, known))

    def _all_cured(self, cures: Mapping[Suspect, float]) -> float:
        """Chance that nothing is left wrong at the corners that are accused of something: over all states of the axle,
        each fault of a state cured; those that the same work cures alike, by the same luck (a bracket that comes clean
        does so for both pads; the one adjuster of both sides' parking brakes). A corner that was not looked at, or is
        likely sound but for linings that are merely worn, is not what is suspected."""
        sides = [np.exp(held @ np.log([max(cures[name], 1e-9) for name in names])) for names, held in self._cured_alike]
        left = self.beliefs.chances
        for cured in sides:
            left = cured @ left
        out = float(left)
        for fault, (one, other) in self._shared.items():
            chance, its = (cures[corner, fault] for corner in self.corners)
            if chance == its and chance > 0:  # counted at either side, and is one
                out += float((sides[0] * one) @ self.beliefs.chances @ (sides[1] * other)) * (1 / chance - 1)
        for corner in self.corners:  # linings that are merely worn are not among the states
            worn = (corner, self.knowledge.worn.id)
            out *= 1 - self.chances.get(worn, 0.0) * (1 - cures.get(worn, 0.0))
        return out

    @cached_property
    def _shared(self) -> dict[str, list[Floats]]:
        """For each fault that one piece of work cures at both sides: 1 where a state of the side holds it."""
        both = len(self.beliefs.suspects) == 2 and self.accused.issuperset(self.corners)
        shared = [fault for fault, remedy in self.knowledge.remedy.items() if remedy.one_for_both]
        return {
            fault: [
                members[:, list(names).index((corner, fault))]
                for corner, names, members in zip(
                    self.corners, self.beliefs.suspects, self.beliefs.members, strict=True
                )
            ]
            for fault in shared
            if both and all((corner, fault) in self.chances for corner in self.corners)
        }

    @cached_property
    def _cured_alike(self) -> list[tuple[list[Suspect], Floats]]:
        """For each corner one of the suspects of every kind that the same work cures alike, and 1 where a state holds
        any of that kind, shape (states, kinds)."""
        out = []
        for names, members in zip(self.beliefs.suspects, self.beliefs.members, strict=True):
            kinds: dict[object, list[int]] = {}
            for number, name in enumerate(names):
                if name[0] in self.accused and name in self.chances:
                    kinds.setdefault(tuple(self.knowledge.remedy[name[1]].cures.items()), []).append(number)
            held = [members[:, numbers].max(axis=1) for numbers in kinds.values()]
            first = [names[numbers[0]] for numbers in kinds.values()]
            out.append((first, np.array(held).reshape(len(first), len(members)).T))
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


def package_of_system(actions: frozenset[Done], answer: Answer, knowledge: Knowledge) -> Package:
    """What is done to the whole vehicle, costed as one package: by the faults of the system that are likely enough to
    be acted on, or to be weighed and put right by it. What is done at the wheels counts (a leak that is repaired)."""
    parts, minutes, again = takes_of(actions, knowledge)
    cure, money = 1.0, again * comeback_cost(knowledge)
    at_wheels = {(VEHICLE, one.action) for one in answer.decision.actions if one.corner is not VEHICLE}
    left: dict[Suspect, float] = {}
    for (place, fault), chance in answer.believed.items():
        if place is VEHICLE and chance >= knowledge.threshold["weighed_chance"] and fault in knowledge.remedy:
            cures = cure_of((place, fault), actions | at_wheels, knowledge)
            if chance >= knowledge.threshold["named_chance"] or cures:
                cure *= 1 - chance * (1 - cures)
                money += chance * (1 - cures) * failing_cost(fault, knowledge)
                left[place, fault] = chance * (1 - cures)
    labour = minutes * knowledge.money.labour_per_minute
    comeback = 1 - cure * (1 - again)
    return Package(SYSTEM, actions, parts, minutes, labour, cure, comeback, money, later_of(left, knowledge))


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
