"""Figures of a workshop: shares with honest intervals, medians, how sure verdicts were against how often they held."""

from __future__ import annotations

import math
from bisect import bisect_right
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from itertools import accumulate
from statistics import NormalDist
from typing import Any

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


def middle(figures: Mapping[float, int], few: float) -> Middle | None:
    """A median with the interval that the order of the figures gives (binomial); None of none.

    figures : how often each was there. With four figures or fewer no two of them hold it with 90 %: then the least and
    the most are given. Source: [conover].

    >>> middle(Counter([12, 30, 18, 22, 25, 41, 19, 27, 33, 24]), few=10)
    Middle(value=24.5, low=18, high=33, of=10, few=False)
    """
    n = sum(figures.values())
    if not n:
        return None
    ordered = sorted(figures)
    up_to = list(accumulate(figures[figure] for figure in ordered))

    def at(rank: int) -> float:
        return ordered[bisect_right(up_to, rank)]

    first = _below(n)
    return Middle((at((n - 1) // 2) + at(n // 2)) / 2, at(first), at(n - 1 - first), n, n < few)


@lru_cache(maxsize=4096)
def _below(n: int) -> int:
    """So many of n figures can be left out at each end, and the median is still between the others with 90 %."""
    below, tail = -1, 0.0
    start = max(0, math.floor(n / 2 - 5 * math.sqrt(n)))  # what lies before is ten standard deviations away
    for rank in range(start, (n + 1) // 2):
        of_all = math.lgamma(n + 1) - math.lgamma(rank + 1) - math.lgamma(n - rank + 1)
        tail += math.exp(of_all - n * math.log(2))
        if tail > 0.05:
            break
        below = rank
    return max(below, 0)


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
    """All of them: over everything, month by month, by how sure, and the comebacks by their faults; `earlier`: so many
    months more there are."""

    over_all: Month
    months: tuple[Month, ...]
    tenths: tuple[Tenth, ...]
    comeback_faults: tuple[tuple[str, int], ...]
    earlier: int = 0


@dataclass(frozen=True)
class Sums:
    """What some closed jobs count for together, so that months can be kept and added without their jobs.

    came_back, right, needless : how many, and of how many. minutes : how often each, in whole ones. tenths : by the
    tenth of the first suspect's chance, how many were known to be right or not, the sum of their chances, and how many
    were right. faults : what those had that came back.
    """

    closed: int = 0
    came_back: int = 0
    right: tuple[int, int] = (0, 0)
    needless: tuple[int, int] = (0, 0)
    spared: int = 0
    spared_money: float = 0.0
    minutes: Counter[float] = field(default_factory=Counter)
    tenths: Mapping[int, tuple[int, float, int]] = field(default_factory=dict)
    faults: Counter[str] = field(default_factory=Counter)

    @classmethod
    def of(cls, cases: Iterable[ClosedFigures]) -> Sums:
        """What some jobs count for."""
        return cls.total(cls._of_one(case) for case in cases)

    @classmethod
    def _of_one(cls, case: ClosedFigures) -> Sums:
        tested = case.needless is not None
        tenths = {}
        if case.first is not None and case.right is not None:
            tenths[min(int(case.first * 10), 9)] = (1, case.first, int(case.right))
        return cls(
            1,
            int(case.came_back),
            (int(bool(case.right)), int(case.right is not None)),
            (case.needless or 0, case.tests) if tested else (0, 0),
            case.spared,
            case.spared_money,
            Counter() if case.minutes is None else Counter([float(round(case.minutes))]),
            tenths,
            Counter(case.faults if case.came_back else ()),
        )

    @classmethod
    def total(cls, several: Iterable[Sums]) -> Sums:
        """All of them together."""
        all_of_them = list(several)
        minutes: Counter[float] = Counter()
        faults: Counter[str] = Counter()
        tenths: dict[int, tuple[int, float, int]] = {}
        for one in all_of_them:
            minutes.update(one.minutes)
            faults.update(one.faults)
            for tenth, (of, sure, right) in one.tenths.items():
                here = tenths.get(tenth, (0, 0.0, 0))
                tenths[tenth] = (here[0] + of, here[1] + sure, here[2] + right)
        return cls(
            sum(one.closed for one in all_of_them),
            sum(one.came_back for one in all_of_them),
            (sum(one.right[0] for one in all_of_them), sum(one.right[1] for one in all_of_them)),
            (sum(one.needless[0] for one in all_of_them), sum(one.needless[1] for one in all_of_them)),
            sum(one.spared for one in all_of_them),
            sum(one.spared_money for one in all_of_them),
            minutes,
            tenths,
            faults,
        )

    def kept(self) -> dict[str, Any]:
        """As plain values."""
        return {
            **self.__dict__,
            "minutes": [list(one) for one in sorted(self.minutes.items())],
            "tenths": [[tenth, *told] for tenth, told in sorted(self.tenths.items())],
            "faults": dict(self.faults),
        }

    @classmethod
    def kept_as(cls, kept: Mapping[str, Any]) -> Sums:
        """What `kept` turned into plain values, turned back."""
        right, needless = kept["right"], kept["needless"]
        return cls(
            **{
                **kept,
                "right": (right[0], right[1]),
                "needless": (needless[0], needless[1]),
                "minutes": Counter(dict(kept["minutes"])),
                "tenths": {tenth: (of, sure, right) for tenth, of, sure, right in kept["tenths"]},
                "faults": Counter(kept["faults"]),
            }
        )


def figures_of(by_month: Mapping[str, Sums], few: float, *, most: int | None = None) -> WorkshopFigures:
    """Put the months of a workshop together, the latest first; most : so many of them by themselves, None: all."""
    over_all = Sums.total(by_month.values())
    names = [name for name in sorted(by_month, reverse=True) if by_month[name].closed]
    return WorkshopFigures(
        _month("", over_all, few),
        tuple(_month(name, by_month[name], few) for name in names[:most]),
        tenths_of(over_all, few),
        tuple(sorted(over_all.faults.items(), key=lambda item: (-item[1], item[0]))),
        len(names) - len(names[:most]),
    )


def _month(name: str, sums: Sums, few: float) -> Month:
    return Month(
        name,
        sums.closed,
        share(sums.came_back, sums.closed, few),
        share(*sums.right, few),
        middle(sums.minutes, few),
        share(*sums.needless, few),
        sums.spared,
        sums.spared_money,
    )


def tenths_of(sums: Sums, few: float) -> tuple[Tenth, ...]:
    """First verdicts by how sure they were, tenth by tenth: those of about 85 % should be right 85 times in 100."""
    return tuple(Tenth(sure / of, share(right, of, few)) for _, (of, sure, right) in sorted(sums.tenths.items()))


def spared_calipers(
    found: Sequence[Sequence[str]], replaced: Sequence[bool], knowledge: Knowledge
) -> tuple[int, float]:
    """Calipers that were not replaced because the cause was pins, pads, a hose or a parking brake, and what that saved.

    found : by corner, the faults that were there; replaced : whether its caliper was replaced all the same. Saved is
    the price of a caliper with its labour less what the right repair took, never below nothing.

    >>> from mesotrope.knowledge import knowledge
    >>> count, saved = spared_calipers([["hose_restricted"], ["piston_not_releasing"], []], [False] * 3, knowledge())
    >>> count, round(saved)
    (1, 139)
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
