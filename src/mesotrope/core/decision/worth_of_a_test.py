"""What one test is worth: what its answer would tell, the money that knowing it saves, and whether it decides anything.

Source: expected information, [shannon]; value of information, [howard].
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np

from mesotrope.core.decision.costs import left_cost, saved_by_knowing, work_cost
from mesotrope.core.decision.foretold import Foretold
from mesotrope.core.decision.in_question import InQuestion
from mesotrope.core.decision.outcomes import told_bits
from mesotrope.core.inference.corner_space import CornerSpace
from mesotrope.core.language.arrays import Floats
from mesotrope.core.language.corner import Corner, Place
from mesotrope.core.language.faults import Fault
from mesotrope.core.language.knowledge import Knowledge, KnowledgeKey
from mesotrope.core.language.saying import Sayable, said


@dataclass(frozen=True)
class NextTest:
    """A test worth making: what it is expected to tell, what it takes, and which suspects it settles.

    `saves` is the money that knowing its answer is expected to save in the decision at hand; `worth` the money for
    every minute it takes, with what the bits are worth for the decisions that follow; `asked` the bits that it tells of
    what is in question; `way_minutes` of its minutes are those of the way, once for all corners; `before_it_goes`: made
    on every vehicle, whatever it is worth.
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
    asked: float = 0.0
    way_minutes: float = 0.0
    before_it_goes: bool = False
    foretold: tuple[Foretold, ...] = ()

    @property
    def offered(self) -> bool:
        return self.decides or self.before_it_goes


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
    way_minutes: float

    @property
    def space(self) -> CornerSpace:
        return self.here.space

    @property
    def rows(self) -> Floats:
        return self.here.rows


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
    """What an outcome would tell of some faults.

    members : 1 where a fault is there in a case, shape (cases, faults), behind them perhaps columns of no fault;
    weights : the same times the chances of the cases; cases : these; outcomes : shape (cases, outcomes).
    """

    faults: tuple[Fault, ...]
    members: Floats
    weights: Floats
    cases: Floats
    outcomes: Floats

    @cached_property
    def by_outcome(self) -> Floats:
        """Chance of every outcome."""
        return np.asarray(self.cases @ self.outcomes / total_of(self.cases))

    @cached_property
    def now(self) -> Floats:
        """Chance of every column, knowing no outcome."""
        return np.asarray(self.weights.sum(axis=0) / total_of(self.cases))

    @cached_property
    def after(self) -> Floats:
        """Chance of every column once an outcome is known, shape (columns, outcomes)."""
        together = self.weights.T @ self.outcomes / total_of(self.cases)
        return np.asarray(together / np.where(self.by_outcome > 0, self.by_outcome, 1.0))

    def worth(self, place: Place, bits: float, asked: InQuestion, knowledge: Knowledge) -> tuple[float, float, float]:
        """Money that knowing the outcome is expected to save; what it is worth with its bits, those of the faults that
        are asked about whole, the rest in part; and the bits that it tells of these."""
        every = list(range(len(self.faults)))
        saves = self._saved(every, knowledge)
        whole = saves + knowledge.money.bit_of_knowing * bits
        if not asked.about:
            return saves, whole, 0.0
        about = asked.about.get(place, frozenset())
        held = [number for number, fault in enumerate(self.faults) if fault.id in about]
        if held == every:
            return saves, whole, bits
        about_those = self._bits_about(held) if held else 0.0
        told = self._saved(held, knowledge) + knowledge.money.bit_of_knowing * about_those
        elsewhere = knowledge.threshold["elsewhere_share"]
        return saves, elsewhere * whole + (1 - elsewhere) * told, about_those

    def _saved(self, held: list[int], knowledge: Knowledge) -> float:
        work, left = _prices(self.faults, knowledge)
        return saved_by_knowing(self.now[held], self.after[held].T, self.by_outcome, work[held], left[held])

    def _bits_about(self, held: list[int]) -> float:
        """Bits that the outcome tells of whether any of some faults is there."""
        there = self.members[:, held].any(axis=1)
        chance = np.array([self.cases[~there].sum(), self.cases[there].sum()])
        seen = np.array([self.cases[~there] @ self.outcomes[~there], self.cases[there] @ self.outcomes[there]])
        return told_bits(chance, seen / np.where(chance > 0, chance, 1.0)[:, None])


def weighed(test: Candidate, asked: InQuestion, knowledge: Knowledge) -> NextTest:
    """What a test at a corner saves and is worth, and whether it could change what is to be done there or settle it."""
    here = test.here
    known = Known(here.space.faults, here.members, here.weights, here.rows, test.outcomes)
    saves, worth, told = known.worth(test.corner, test.bits, asked, knowledge)
    worth /= test.minutes
    decides = _decides(known, knowledge)
    return NextTest(
        test.finding, test.corner, test.bits, test.minutes, "", test.stage,
        decides, saves, worth, told, test.way_minutes,
    )  # fmt: skip


def _decides(known: Known, knowledge: Knowledge) -> bool:
    """Whether a likely outcome leads to other work at the corner: other than what is planned there now or, while the
    corner is not settled, than what its leading explanation asks for."""
    work = [frozenset(knowledge.cure[fault.id].actions) for fault in known.faults] + [frozenset[str]()]
    likely = known.by_outcome >= knowledge.threshold["far_fetched_chance"]
    unsettled = bool(known.now.max() < knowledge.threshold["settled_chance"])
    return leads_elsewhere(known.now, known.after[:, likely], work, unsettled, knowledge.threshold["named_chance"])


def system_decides(known: Known, knowledge: Knowledge) -> tuple[bool, Sayable]:
    """Whether an outcome that is not far-fetched leads to other work on the system, and of which fault it speaks."""
    likely = known.by_outcome >= knowledge.threshold["far_fetched_chance"]
    after = known.after[:, likely]
    work = [frozenset(knowledge.cure[fault.id].actions) for fault in known.faults]
    decides = leads_elsewhere(known.now, after, work, False, knowledge.threshold["named_chance"])
    moved = np.abs(after - known.now[:, None]).max(axis=1) if likely.any() else np.zeros(len(known.now))
    words = knowledge.words(known.faults[int(moved.argmax())].id)
    return decides, said("speaks for or against “{fault}”", fault=words)


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
