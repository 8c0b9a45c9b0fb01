"""The packages that were weighed beside each other, which is recommended, and whether the cause comes first."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import NamedTuple

from mesotrope.core.decision.unsettled import WHOLE_NOT_SETTLED
from mesotrope.core.language.corner import Place, listed
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import Sayable, chance_of, said
from mesotrope.core.language.work import Done
from mesotrope.core.plan.worth import SYSTEM, BreakEven, Package, Weighed, break_evens


class BestTest(NamedTuple):
    """The best test at an axle, in words, and whether it is not settled there what is wrong."""

    corner: Place
    words: Sayable
    unsettled: bool


@dataclass(frozen=True)
class Comparison:
    """The packages of one axle or of the whole vehicle: those that cure what is suspected first, of these the cheapest
    expected.

    least_cure : what a package must reach to be recommended. Where none does, what was decided stands: there may be
    more to put right than any repair is sure to. The cause is to be found first where it is not settled what is wrong
    and a `test` would tell more of it.
    """

    axle: Weighed
    packages: tuple[Package, ...]
    break_evens: tuple[BreakEven, ...]
    least_cure: float = 0.0
    test: BestTest | None = None

    @property
    def recommended(self) -> Package:
        return self.packages[0]

    @property
    def sure(self) -> bool:
        """Whether any package cures surely enough."""
        return self.recommended.cure >= self.least_cure

    @property
    def find_out_first(self) -> bool:
        """Whether something is not settled: a test comes before any part."""
        return self.test is not None and self.test.unsettled

    @property
    def recommends(self) -> bool:
        """Whether any package is recommended: else what was decided stands, and the cause comes first where it is
        not settled."""
        return self.sure and not self.find_out_first

    @property
    def by_evidence(self) -> frozenset[Done] | None:
        """What the evidence says, settled or not: to choose it is never against the recommendation."""
        return self.recommended.actions if self.sure else None

    @property
    def why_none(self) -> Sayable:
        """Why no package is recommended, and which test comes before any part; nothing where one is."""
        if self.recommends:
            return ""
        if not self.sure:
            why: Sayable = said("no package cures what is suspected with {least}", least=chance_of(self.least_cure))
        else:
            assert self.test
            whole = self.axle == SYSTEM
            why = WHOLE_NOT_SETTLED if whole else said("what is wrong {place} is not settled", place=self.test.corner)
        if self.test and self.test.unsettled:
            return said("{why}; next: {test}", why=why, test=self.test.words)
        return said("{why}; it is proved before the vehicle goes", why=why)

    @property
    def runner_up(self) -> Package | None:
        return self.packages[1] if len(self.packages) > 1 else None


def compared(axle: Weighed, costed: Sequence[Package], knowledge: Knowledge, most: int | None = None) -> Comparison:
    """Packages beside each other: those that cure surely enough first, of these the cheapest expected.

    most : as many are kept; all where none is given.
    """
    known = knowledge.threshold
    least = max(known["least_cure"], known["of_best_cure"] * max(package.cure for package in costed))
    packages = sorted(costed, key=lambda p: (p.cure < least, p.expected, p.price, in_order(p.actions)))
    return Comparison(axle, tuple(packages[:most]), break_evens(packages, knowledge), least)


def in_order(actions: Iterable[Done]) -> list[Done]:
    """Actions as they are listed: those of the whole vehicle first, then corner by corner."""
    return sorted(actions, key=lambda done: (listed(done[0]), done[1]))
