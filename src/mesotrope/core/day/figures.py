"""Figures of a workshop: shares with honest intervals, medians, how sure verdicts were against how often they held."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from statistics import NormalDist, median

from mesotrope.core.decision.costs import work_cost
from mesotrope.core.language.knowledge import Knowledge

#: The quantile of a 90 % interval.
NINETY = NormalDist().inv_cdf(0.95)


@dataclass(frozen=True)
class Share:
    """So many of so many, with the interval in which the true share lies with 90 %; `few`: too few to tell much."""

    count: int
    of: int
    low: float
    high: float
    few: bool

    @property
    def value(self) -> float | None:
        return self.count / self.of if self.of else None


def share(count: int, of: int, few: float) -> Share:
    r"""A share with its 90 % score interval.

    .. math:: \frac{p + z^2/2n \pm z\sqrt{p(1-p)/n + z^2/4n^2}}{1 + z^2/n}

    count, of : k of n; few : below which n is called few. Of none nothing is known: 0 to 1. Source: [wilson].

    >>> found = share(8, 10, few=10)
    >>> round(found.low, 3), round(found.high, 3), found.few
    (0.541, 0.931, False)
    """
    if not of:
        return Share(0, 0, 0.0, 1.0, True)
    p, z = count / of, NINETY
    middle = p + z * z / (2 * of)
    half = z * math.sqrt(p * (1 - p) / of + z * z / (4 * of * of))
    scale = 1 + z * z / of
    return Share(count, of, max(0.0, (middle - half) / scale), min(1.0, (middle + half) / scale), of < few)


@dataclass(frozen=True)
class Middle:
    """The median of some figures, with the two of them between which the true median lies with 90 % or more."""

    value: float
    low: float
    high: float
    of: int
    few: bool


def middle(figures: Sequence[float], few: float) -> Middle | None:
    """A median with the interval that the order of the figures gives (binomial); None of none.

    With four figures or fewer no two of them hold it with 90 %: then the least and the most are given. Source:
    [conover].

    >>> middle([12, 30, 18, 22, 25, 41, 19, 27, 33, 24], few=10)
    Middle(value=24.5, low=18, high=33, of=10, few=False)
    """
    if not figures:
        return None
    ordered, n = sorted(figures), len(figures)
    below = 0
    tail = 0.5**n
    while below + 1 < (n + 1) // 2 and tail + math.comb(n, below + 1) * 0.5**n <= 0.05:
        below += 1
        tail += math.comb(n, below) * 0.5**n
    first = below if tail <= 0.05 else 0
    return Middle(float(median(ordered)), ordered[first], ordered[n - 1 - first], n, n < few)


@dataclass(frozen=True)
class ClosedFigures:
    """What one closed job counts for.

    minutes : from taking in to the first signed verdict; first : the chance of the first suspect then, None where
    nothing was suspected; right : whether it was found there, None where it is not known for sure; came_back : whether
    it came back; faults : what was found; spared : calipers that were not replaced because the cause was another, and
    the money that was not spent on them; needless : tests made after enough was known, of all that were made.
    """

    month: str
    minutes: float | None = None
    first: float | None = None
    right: bool | None = None
    came_back: bool = False
    faults: tuple[str, ...] = ()
    spared: int = 0
    spared_money: float = 0.0
    needless: int | None = None
    tests: int = 0


@dataclass(frozen=True)
class Tenth:
    """Verdicts that were about so sure: how sure on average, and how often they were right."""

    sure: float
    right: Share


@dataclass(frozen=True)
class Month:
    month: str
    closed: int
    came_back: Share
    right: Share
    minutes: Middle | None
    needless: Share
    spared: int
    spared_money: float


@dataclass(frozen=True)
class WorkshopFigures:
    """All of them: over everything, month by month, by how sure, and the comebacks by their faults."""

    over_all: Month
    months: tuple[Month, ...]
    tenths: tuple[Tenth, ...]
    comeback_faults: tuple[tuple[str, int], ...]


def figures_of(cases: Sequence[ClosedFigures], few: float) -> WorkshopFigures:
    """Put the figures of closed jobs together, the latest month first."""
    months = sorted({case.month for case in cases}, reverse=True)
    faults = Counter(fault for case in cases if case.came_back for fault in case.faults)
    return WorkshopFigures(
        _month("", cases, few),
        tuple(_month(month, [case for case in cases if case.month == month], few) for month in months),
        tenths_of(cases, few),
        tuple(sorted(faults.items(), key=lambda item: (-item[1], item[0]))),
    )


def _month(name: str, cases: Sequence[ClosedFigures], few: float) -> Month:
    told = [case.right for case in cases if case.right is not None]
    tested = [case for case in cases if case.needless is not None]
    return Month(
        name,
        len(cases),
        share(sum(case.came_back for case in cases), len(cases), few),
        share(sum(told), len(told), few),
        middle([case.minutes for case in cases if case.minutes is not None], few),
        share(sum(case.needless or 0 for case in tested), sum(case.tests for case in tested), few),
        sum(case.spared for case in cases),
        sum(case.spared_money for case in cases),
    )


def tenths_of(cases: Sequence[ClosedFigures], few: float) -> tuple[Tenth, ...]:
    """First verdicts by how sure they were, tenth by tenth: those of about 85 % should be right 85 times in 100."""
    out = []
    for tenth in range(10):
        here = [c for c in cases if c.first is not None and c.right is not None and min(int(c.first * 10), 9) == tenth]
        if here:
            sure = sum(case.first or 0.0 for case in here) / len(here)
            out.append(Tenth(sure, share(sum(bool(case.right) for case in here), len(here), few)))
    return tuple(out)


def spared_calipers(
    found: Sequence[Sequence[str]], replaced: Sequence[bool], knowledge: Knowledge
) -> tuple[int, float]:
    """Calipers that were not replaced because the cause was pins, pads, a hose or a parking brake, and what that saved.

    found : by corner, the faults that were there; replaced : whether its caliper was replaced all the same. Saved is
    the price of a caliper with its labour less what the right repair took, never below nothing.

    >>> from mesotrope.knowledge import knowledge
    >>> count, saved = spared_calipers([["hose_restricted"], ["piston_not_releasing"], []], [False] * 3, knowledge())
    >>> count, round(saved)
    (1, 119)
    """
    caliper = work_cost(["replace_caliper", *knowledge.action["replace_caliper"].brings], knowledge)
    looks_like_one = set(knowledge.faults_in(("drags", "wears")))
    renewing = knowledge.actions_that["caliper"]
    count, saved = 0, 0.0
    for faults, was_replaced in zip(found, replaced, strict=True):
        cures = [knowledge.cure[fault].actions for fault in faults if fault in knowledge.cure]
        like_it = any(fault in looks_like_one for fault in faults)
        if like_it and not was_replaced and not any(action in renewing for actions in cures for action in actions):
            count += 1
            repair = work_cost(dict.fromkeys(action for actions in cures for action in actions), knowledge)
            saved += max(0.0, caliper - repair)
    return count, saved
