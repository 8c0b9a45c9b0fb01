"""The packages of an axle as the verdict shows them: what each is, costs, cures and brings back."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from mesotrope.core.decision.worth_of_a_test import NextTest
from mesotrope.core.language.corner import Corner, Place
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import Sayable, joined, marked, said, verbatim
from mesotrope.core.language.units import THOUSANDS
from mesotrope.core.language.work import Done
from mesotrope.core.plan.comparison import Comparison
from mesotrope.core.plan.sign_off import package_key
from mesotrope.core.plan.worth import BreakEven, Package, Weighed
from mesotrope.words import Speaker


@dataclass(frozen=True)
class PackageRow:
    key: str
    words: tuple[str, ...]
    price: str
    minutes: str
    cure: str
    comeback: str
    expected: str
    chosen: bool


@dataclass(frozen=True)
class AxlePackages:
    """least, most : of the prices."""

    axle: str
    currency: str
    rows: tuple[PackageRow, ...]
    wins_if: tuple[str, ...]
    recommends: bool
    find_out_first: bool
    why_none: str
    least: str
    most: str

    @property
    def any_chosen(self) -> bool:
        return any(row.chosen for row in self.rows)


def money(value: float) -> str:
    """A price in whole units of the currency, in groups of three that a line does not part.

    >>> money(1234.4)
    '1\xa0234'
    """
    return f"{value:,.0f}".replace(",", THOUSANDS)


def axle_packages(
    comparisons: Iterable[Comparison], knowledge: Knowledge, chosen: Mapping[Weighed, frozenset[Done]], say: Speaker
) -> tuple[AxlePackages, ...]:
    """The comparison of each axle in words. knowledge: with the workshop's own prices; chosen: against the first."""
    return tuple(
        AxlePackages(
            one.axle, knowledge.money.currency,
            tuple(
                _row(package, knowledge, say, package.actions == chosen.get(one.axle, _first(one)))
                for package in one.packages
            ),
            tuple(say(_wins_if(even, knowledge)) for even in one.break_evens if one.recommends),
            one.recommends, one.find_out_first, say(one.why_none),
            *(money(best(package.price for package in one.packages)) for best in (min, max)),
        )
        for one in comparisons
    )  # fmt: skip


def _first(one: Comparison) -> frozenset[Done] | None:
    """What is recommended, where anything is."""
    return one.recommended.actions if one.recommends else None


def _row(package: Package, knowledge: Knowledge, say: Speaker, chosen: bool) -> PackageRow:
    return PackageRow(
        package_key(package.actions),
        tuple(map(say, _words(package.actions, knowledge))),
        money(package.price),
        f"{package.minutes:.0f}",
        say.chance(package.cure),
        say.chance(package.comeback),
        money(package.expected),
        chosen,
    )


def _words(actions: Iterable[Done], knowledge: Knowledge) -> tuple[Sayable, ...]:
    """The actions in the order of the knowledge, each once with where it is done."""
    sides: dict[str, list[Place]] = {}
    for corner, action in sorted(actions):
        sides.setdefault(action, []).append(corner)
    order = [action.id for action in knowledge.actions]
    return tuple(
        joined((knowledge.action[action].words, _where(sides[action])), ", ")
        for action in sorted(sides, key=order.index)
    ) or (marked("leave it"),)


def _where(places: Sequence[Place]) -> Sayable:
    corners = [place for place in places if isinstance(place, Corner)]
    if not corners:
        return ""
    return marked("both sides") if len(corners) > 1 else corners[0].side or corners[0]


#: What would turn the comparison, by whether it is labour and whether it would have to cost more.
WINS_IF = {
    (True, True): marked("labor cost over {value} an hour (now {now})"),
    (True, False): marked("labor cost under {value} an hour (now {now})"),
    (False, True): marked("a {part} cost over {value} (now {now})"),
    (False, False): marked("a {part} cost under {value} (now {now})"),
}


def _wins_if(even: BreakEven, knowledge: Knowledge) -> Sayable:
    labour, prices = even.what == "labour", {"value": verbatim(money(even.value)), "now": verbatim(money(even.now))}
    part = "" if labour else knowledge.cost[even.what].part or knowledge.action[even.what].words
    return said(WINS_IF[labour, even.over], part=part, **prices)


def worth_one_more(tests: Sequence[NextTest], knowledge: Knowledge) -> tuple[NextTest, float] | None:
    """The first of the tests, in the order in which they are offered, that is expected to save more than its minutes
    cost, and how much; None where none does."""
    gains = ((test, test.saves - test.minutes * knowledge.money.labour_per_minute) for test in tests)
    return next(((test, gain) for test, gain in gains if gain > 0), None)
