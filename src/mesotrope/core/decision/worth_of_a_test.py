"""What one test is worth: what its answer would tell, the money that knowing it saves, and whether it decides anything.

Source: expected information, [shannon]; value of information, [howard].
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from mesotrope.core.decision.costs import left_cost, saved_by_knowing, work_cost
from mesotrope.core.decision.foretold import Foretold
from mesotrope.core.decision.in_question import InQuestion
from mesotrope.core.decision.outcomes import told_bits
from mesotrope.core.inference.corner_space import CornerSpace
from mesotrope.core.inference.vehicle_space import Space
from mesotrope.core.language.arrays import Floats
from mesotrope.core.language.corner import Corner, Place
from mesotrope.core.language.faults import Fault
from mesotrope.core.language.knowledge import Knowledge, KnowledgeKey
from mesotrope.core.language.saying import Sayable, said


@dataclass(frozen=True)
class NextTest:
    """A test worth making: what it is expected to tell, what it takes, and which suspects it settles.

    `saves` is the money that knowing its answer is expected to save in the decision at hand; `worth` the money for
    every minute it takes, with what the bits are worth for the decisions that follow.
    """

    finding: str
    corner: Place
    bits: float
    minutes: float
    because: Sayable
    stage: str
    decides: bool
    saves: float = 0.0
    worth: float = 0.0
    foretold: tuple[Foretold, ...] = ()


@dataclass(frozen=True, eq=False)
class Believed:
    """What is now believed of one corner: chances of its rows, the faults in each, the chances of the faults in each
    row and of every fault, or none."""

    space: CornerSpace
    rows: Floats
    members: Floats
    weights: Floats
    now: Floats


@dataclass(frozen=True, eq=False)
class Candidate:
    finding: str
    corner: Corner
    bits: float
    minutes: float
    stage: str
    here: Believed
    outcomes: Floats

    @property
    def space(self) -> CornerSpace:
        return self.here.space

    @property
    def rows(self) -> Floats:
        return self.here.rows


def system_decides(space: Space, together: Floats, knowledge: Knowledge) -> tuple[bool, Sayable]:
    """Whether an outcome that is not far-fetched leads to other work on the system, and of which fault it speaks."""
    whole = together.sum(axis=0)
    after = (together.T @ space.system_members) / np.where(whole > 0, whole, 1.0)[:, None]
    now = whole @ after
    likely = whole >= knowledge.threshold["far_fetched_chance"]
    work = [frozenset(knowledge.cure[fault.id].actions) for fault in space.system_faults]
    decides = leads_elsewhere(now, after[likely].T, work, False, knowledge.threshold["named_chance"])
    moved = np.abs(after[likely] - now).max(axis=0) if likely.any() else np.zeros(len(now))
    words = knowledge.words(space.system_faults[int(moved.argmax())].id)
    return decides, said("speaks for or against “{fault}”", fault=words)


@lru_cache(maxsize=64)
def _costs(faults: tuple[str, ...], key: KnowledgeKey) -> tuple[Floats, Floats]:
    knowledge = key.knowledge
    work = [work_cost(knowledge.cure[fault].actions, knowledge) for fault in faults]
    return np.array(work), np.array([left_cost(fault, knowledge) for fault in faults])


def _prices(faults: tuple[Fault, ...], knowledge: Knowledge) -> tuple[Floats, Floats]:
    """What it costs to put each fault right, and to leave it."""
    return _costs(tuple(fault.id for fault in faults), KnowledgeKey(knowledge))


@dataclass(frozen=True, eq=False)
class Known:
    """What an outcome would tell: of which faults, which of them are there in each case, chances of the cases, and of
    the outcomes in each, shape (cases, outcomes)."""

    faults: tuple[Fault, ...]
    members: Floats
    cases: Floats
    outcomes: Floats

    def worth(self, place: Place, bits: float, asked: InQuestion, knowledge: Knowledge) -> tuple[float, float]:
        """Money that knowing the outcome is expected to save, and what it is worth with its bits: what it tells of the
        faults that are asked about counts whole, the rest in part."""
        saves = self._saved(range(len(self.faults)), knowledge)
        a_bit = knowledge.money.bit_of_knowing
        whole = saves + a_bit * bits
        if not asked.about:
            return saves, whole
        elsewhere = knowledge.threshold["elsewhere_share"]
        about = asked.about.get(place, frozenset())
        held = [number for number, fault in enumerate(self.faults) if fault.id in about]
        told = 0.0
        if held:
            there = self.members[:, held].any(axis=1)
            chance = np.array([self.cases[~there].sum(), self.cases[there].sum()])
            seen = np.array([self.cases[~there] @ self.outcomes[~there], self.cases[there] @ self.outcomes[there]])
            told = told_bits(chance, seen / np.where(chance > 0, chance, 1.0)[:, None])
            told = self._saved(held, knowledge) + a_bit * (bits if len(held) == len(self.faults) else told)
        return saves, elsewhere * whole + (1 - elsewhere) * told

    def _saved(self, held: Sequence[int], knowledge: Knowledge) -> float:
        total, by_outcome = total_of(self.cases), self.cases @ self.outcomes
        weights = self.cases[:, None] * self.members[:, held]
        after = (weights.T @ self.outcomes) / np.where(by_outcome > 0, by_outcome, 1.0)
        work, left = _prices(self.faults, knowledge)
        some = list(held)
        return saved_by_knowing(weights.sum(axis=0) / total, after.T, by_outcome / total, work[some], left[some])


def weighed(test: Candidate, asked: InQuestion, knowledge: Knowledge) -> NextTest:
    """What a test at a corner saves and is worth, and whether it could change what is to be done there or settle it."""
    known = Known(test.space.faults, test.here.members, test.rows, test.outcomes)
    saves, worth = known.worth(test.corner, test.bits, asked, knowledge)
    worth /= test.minutes
    decides = _decides(test, knowledge)
    return NextTest(test.finding, test.corner, test.bits, test.minutes, "", test.stage, decides, saves, worth)


def _decides(test: Candidate, knowledge: Knowledge) -> bool:
    """Whether a likely outcome leads to other work at the corner: other than what is planned there now or, while the
    corner is not settled, than what its leading explanation asks for."""
    total, by_outcome = total_of(test.rows), test.rows @ test.outcomes
    chances = (test.here.weights.T @ test.outcomes) / np.where(by_outcome > 0, by_outcome, 1.0)
    now = test.here.now / total
    work = [frozenset(knowledge.cure[fault.id].actions) for fault in test.space.faults] + [frozenset[str]()]
    likely = by_outcome >= knowledge.threshold["far_fetched_chance"] * by_outcome.sum()
    unsettled = bool(now.max() < knowledge.threshold["settled_chance"])
    return leads_elsewhere(now, chances[:, likely], work, unsettled, knowledge.threshold["named_chance"])


def leads_elsewhere(now: Floats, after: Floats, work: Sequence[frozenset[str]], unsettled: bool, named: float) -> bool:
    """Whether any answer to a test leads to other work than what is known without it.

    now : chances of the explanations, shape (explanations,); after : the same once an answer is known, shape
    (explanations, answers); work : what each explanation asks for. While it is `unsettled` which of them it is, the
    leading one's work counts too, also where none is likely enough to be acted on.

    >>> pads, hose = frozenset({"replace_pads"}), frozenset({"replace_hose"})
    >>> now, after = np.array([0.6, 0.4]), np.array([[0.9, 0.2], [0.1, 0.8]])
    >>> leads_elsewhere(now, after, [pads, hose], True, 0.5), leads_elsewhere(now, after, [pads, pads], True, 0.5)
    (True, False)
    """

    def planned(chances: Floats) -> frozenset[str]:
        return frozenset().union(*(does for does, p in zip(work, chances, strict=True) if p >= named))

    plan = planned(now)
    (moves,) = ((after >= named) != (now >= named)[:, None]).any(axis=0).nonzero()
    if any(planned(after[:, answer]) != plan for answer in moves):
        return True
    leading = work[int(now.argmax())]
    return unsettled and any(work[first] != leading for first in after.argmax(axis=0))


def total_of(rows: Floats) -> float:
    return float(rows.sum())
