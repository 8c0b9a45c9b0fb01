"""What it costs to put a fault right, and what it costs to leave it: the money behind a decision and behind a test.

Every price is the knowledge's, that is the workshop's. Source of the method, expected cost and value of
information: [howard].
"""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from mesotrope.core.language.arrays import Floats
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.work import Cost


def costs_of(actions: Iterable[str], knowledge: Knowledge) -> list[Cost]:
    """What some actions cost, each as often as it is named; bleeding is within a change of the fluid.

    >>> from mesotrope.knowledge import knowledge
    >>> [cost.id for cost in costs_of(["replace_hose", "bleed_system", "flush_fluid"], knowledge())]
    ['replace_hose', 'flush_fluid']
    """
    names = list(actions)
    costs = [knowledge.cost[name] for name in names]
    return [cost for cost in costs if set(cost.within).isdisjoint(names)]


def work_cost(actions: Iterable[str], knowledge: Knowledge) -> float:
    """Parts and labour of some actions, each done once, in the workshop's currency.

    >>> from mesotrope.knowledge import knowledge
    >>> round(work_cost(["replace_hose"], knowledge()), 2)  # 32 for the hose, 25 minutes at 95 an hour
    71.58
    """
    costs = costs_of(actions, knowledge)
    return sum(cost.parts + cost.minutes * knowledge.money.labour_per_minute for cost in costs)


def comeback_cost(knowledge: Knowledge) -> float:
    """A visit that the workshop makes good: its minutes and the trust lost."""
    money = knowledge.money
    return money.comeback_minutes * money.labour_per_minute + money.comeback_trust


def left_cost(fault: str, knowledge: Knowledge) -> float:
    """What it costs to leave a fault that is there: the comeback, what it spoils, or what is at stake."""
    money, left = knowledge.money, knowledge.remedy[fault].left
    spoils = {"visit": 0.0, "drags": money.spoiled_pads_and_rotors, "unsafe": money.unsafe_at_stake}[left]
    return comeback_cost(knowledge) + spoils


def failing_cost(fault: str, knowledge: Knowledge) -> float:
    """What it costs when a fault was not cured: what leaving it costs, and then the right repair after all.

    >>> from mesotrope.knowledge import knowledge
    >>> known = knowledge()
    >>> failing_cost("hose_restricted", known) > left_cost("hose_restricted", known)
    True
    """
    return left_cost(fault, knowledge) + work_cost(knowledge.cure[fault].actions, knowledge)


def decision_cost(chances: Floats, work: Floats, left: Floats) -> Floats:
    """Expected cost of deciding now: each fault is put right or left, whichever is expected to cost less.

    chances : of every fault, last axis; work, left : cost of putting each right, of leaving it while it is there.

    >>> decision_cost(np.array([0.5, 0.01]), np.array([100.0, 100.0]), np.array([400.0, 400.0])).tolist()
    104.0
    """
    out: Floats = np.minimum(work, chances * left).sum(axis=-1)
    return out


def saved_by_knowing(now: Floats, after: Floats, outcome: Floats, work: Floats, left: Floats) -> float:
    """Money that knowing a test's outcome is expected to save: never negative.

    now : chances of the faults; after : the same for each outcome, shape (outcomes, faults); outcome : chances of the
    outcomes.

    >>> sure = np.array([[1.0], [0.0]])
    >>> saved_by_knowing(np.array([0.5]), sure, np.array([0.5, 0.5]), np.array([100.0]), np.array([400.0]))
    50.0
    """
    expected = float(outcome @ decision_cost(after, work, left))
    return max(0.0, float(decision_cost(now, work, left)) - expected)
