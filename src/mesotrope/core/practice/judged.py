"""What somebody commits to at the end of a mystery, held against the truth: the faults, the work in money, and whether
it may be driven."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from mesotrope.core.answer.answer import overview
from mesotrope.core.decision.costs import comeback_cost, failing_cost
from mesotrope.core.decision.rules import Demand
from mesotrope.core.evidence.specification import Specification
from mesotrope.core.inference.axle_beliefs import AxleBeliefs
from mesotrope.core.inference.posterior import Suspect
from mesotrope.core.language.corner import AXLES, VEHICLE, Corner
from mesotrope.core.language.faults import NO_FAULT
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import Sayable, said
from mesotrope.core.language.work import Done
from mesotrope.core.plan.packages import compare_packages, completed, demands_at
from mesotrope.core.plan.worth import cure_of, price_of
from mesotrope.core.practice.paths import fixed_order
from mesotrope.core.practice.vehicle import Mystery


@dataclass(frozen=True)
class Commitment:
    """What somebody stands for: the faults, the work, and whether the vehicle may be driven as it stands."""

    faults: frozenset[Suspect]
    work: frozenset[Done]
    safe: bool


@dataclass(frozen=True)
class Bill:
    """Some work on a vehicle whose truth is known, in the workshop's currency.

    price : parts and labour with what the work brings along; left : what it is expected to cost that is not cured, or
    was due by what is found and is left.
    """

    work: frozenset[Done]
    price: float
    left: float

    @property
    def whole(self) -> float:
        return self.price + self.left


@dataclass(frozen=True)
class Judged:
    """A commitment against the truth. danger : why the vehicle must not be driven, "" where it may."""

    right: tuple[Suspect, ...]
    missed: tuple[Suspect, ...]
    wrong: tuple[Suspect, ...]
    danger: tuple[Sayable, ...]
    safe_said: bool
    chosen: Bill
    best: Bill

    @property
    def missed_danger(self) -> bool:
        return bool(self.danger) and self.safe_said

    @property
    def false_alarm(self) -> bool:
        return not self.danger and not self.safe_said

    @property
    def over(self) -> float:
        """What the decision costs over the best one."""
        return max(0.0, self.chosen.whole - self.best.whole)


def judge(mystery: Mystery, commitment: Commitment, knowledge: Knowledge) -> Judged:
    """Hold a commitment against the truth, and its work against the best that could be chosen knowing it."""
    truth = frozenset(mystery.truth)
    inspection = fixed_order(mystery, knowledge, truthful=True).inspection()
    short = overview(inspection, knowledge)
    demanded = {
        corner: demands_at(short.specification.corners_on(axle), short.decision.findings)[corner]
        for axle in AXLES
        for corner in short.specification.corners_on(axle)
    }
    due = frozenset((c, action) for c, demands in demanded.items() for d in demands for action in d.actions)
    chosen = bill_of(commitment.work, truth, due, short.specification, knowledge)
    best = bill_of(_best_work(mystery, demanded, short.specification, knowledge), truth, due, short.specification,
                   knowledge)  # fmt: skip
    unsafe = [
        said("{place}: {fault}", place=place, fault=knowledge.words(fault))
        for place, fault in mystery.truth
        if fault in knowledge.remedy and knowledge.remedy[fault].left == "unsafe"
    ]
    return Judged(
        right=tuple(one for one in mystery.truth if one in commitment.faults),
        missed=tuple(one for one in mystery.truth if one not in commitment.faults),
        wrong=tuple(sorted(commitment.faults - truth)),
        danger=tuple(dict.fromkeys([*unsafe, *short.decision.unsafe])),
        safe_said=commitment.safe,
        chosen=chosen,
        best=min(chosen, best, key=lambda bill: bill.whole),
    )


def bill_of(
    work: Iterable[Done], truth: Iterable[Suspect], due: frozenset[Done], specification: Specification,
    knowledge: Knowledge,
) -> Bill:  # fmt: skip
    """What some work costs on a vehicle whose truth is known: a fault that it does not cure costs what leaving it costs
    and the right repair after all; what is due by what is found and is left, its price and another visit."""
    done = _completed(work, specification, knowledge)
    left = sum((1 - cure_of(one, done, knowledge)) * failing_cost(one[1], knowledge) for one in truth)
    again = 1 - float(np.prod([1 - knowledge.cost[action].again for _, action in done]))
    covered = {action for action in due if action in done or _stood_in_for(action, done, knowledge)}
    if undone := due - covered:
        left += price_of(undone, knowledge) + comeback_cost(knowledge)
    return Bill(done, price_of(done, knowledge), left + again * comeback_cost(knowledge))


def _stood_in_for(due: Done, done: frozenset[Done], knowledge: Knowledge) -> bool:
    place, action = due
    vehicle = knowledge.cost[action].per == "vehicle"
    here = {name for where, name in done if where == place or (vehicle and where is VEHICLE)}
    return action in here or bool(here & knowledge.in_place_of.get(action, frozenset()))


def _completed(work: Iterable[Done], specification: Specification, knowledge: Knowledge) -> frozenset[Done]:
    chosen = frozenset(work)
    out = {done for done in chosen if done[0] is VEHICLE}
    for axle in AXLES:
        corners = specification.corners_on(axle)
        here = [done for done in chosen if isinstance(done[0], Corner) and done[0].axle == axle]
        out |= completed(here, corners, specification.axles[axle], knowledge)
    return frozenset(out)


def _best_work(
    mystery: Mystery, demanded: Mapping[Corner, Sequence[Demand]], specification: Specification, knowledge: Knowledge
) -> frozenset[Done]:
    """The work that costs least, knowing the truth: axle by axle the best package, and what cures the whole system."""
    truth = frozenset(mystery.truth)
    out: set[Done] = set()
    for axle in AXLES:
        corners = specification.corners_on(axle)
        here = sorted(one for one in truth if one[0] in corners)
        chances = dict.fromkeys(here, 1.0) | {
            (corner, NO_FAULT): 0.0 if any(one[0] == corner for one in here) else 1.0 for corner in corners
        }
        hidden = [one for one in here if one[1] != knowledge.worn.id]
        knows = AxleBeliefs([hidden], [np.ones((1, len(hidden)))], np.ones(1))
        best = compare_packages(axle, specification, knows, chances, demanded, knowledge)
        out |= best.recommended.actions if best else set()
    for place, fault in truth:
        if place is VEHICLE:
            out |= {(VEHICLE, action) for action in knowledge.cure[fault].actions}
    return frozenset(out)
