"""The packages of an axle as the verdict shows them: what each is, costs, cures and brings back."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from mesotrope.core.decision.check_next import NextTest
from mesotrope.core.language.corner import Axle, Corner, Place
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.quantity import percent
from mesotrope.core.language.work import Done
from mesotrope.core.plan.packages import Comparison
from mesotrope.core.plan.worth import BreakEven, Package


@dataclass(frozen=True)
class PackageRow:
    words: tuple[str, ...]
    price: str
    minutes: str
    cure: str
    comeback: str
    expected: str
    chosen: bool


@dataclass(frozen=True)
class AxlePackages:
    axle: str
    currency: str
    rows: tuple[PackageRow, ...]
    wins_if: tuple[str, ...]
    find_out_first: bool
    least_cure: str


def money(value: float) -> str:
    """A price in whole units of the currency, in groups of three.

    >>> money(1234.4)
    '1 234'
    """
    return f"{value:,.0f}".replace(",", "\u2009") if abs(value) >= 10_000 else f"{value:,.0f}".replace(",", " ")


def axle_packages(
    comparisons: Iterable[Comparison], knowledge: Knowledge, chosen: Mapping[Axle, frozenset[Done]]
) -> tuple[AxlePackages, ...]:
    """The comparison of each axle in words. knowledge: with the workshop's own prices; chosen: against the first."""
    return tuple(
        AxlePackages(
            one.axle, knowledge.money.currency,
            tuple(
                _row(package, knowledge, package.actions == chosen.get(one.axle, _first(one)))
                for package in one.packages
            ),
            tuple(_wins_if(even, knowledge) for even in one.break_evens if not one.find_out_first),
            one.find_out_first, percent(one.least_cure),
        )
        for one in comparisons
    )  # fmt: skip


def _first(one: Comparison) -> frozenset[Done] | None:
    """What is recommended, where anything is."""
    return None if one.find_out_first else one.recommended.actions


def _row(package: Package, knowledge: Knowledge, chosen: bool) -> PackageRow:
    return PackageRow(
        _words(package.actions, knowledge), money(package.price), f"{package.minutes:.0f}", percent(package.cure),
        percent(package.comeback), money(package.expected), chosen,
    )  # fmt: skip


def _words(actions: Iterable[Done], knowledge: Knowledge) -> tuple[str, ...]:
    """The actions in the order of the knowledge, each once with where it is done."""
    sides: dict[str, list[Place]] = {}
    for corner, action in sorted(actions):
        sides.setdefault(action, []).append(corner)
    order = [action.id for action in knowledge.actions]
    return tuple(
        f"{knowledge.action[action].words}{_where(sides[action])}" for action in sorted(sides, key=order.index)
    ) or ("leave it",)


def _where(places: Sequence[Place]) -> str:
    corners = [place for place in places if isinstance(place, Corner)]
    if not corners:
        return ""
    return ", both sides" if len(corners) > 1 else f", {corners[0].side or corners[0].words}"


def _wins_if(even: BreakEven, knowledge: Knowledge) -> str:
    side = "over" if even.over else "under"
    if even.what == "labour":
        return f"labour cost {side} {money(even.value)} an hour (now {money(even.now)})"
    part = knowledge.cost[even.what].part or knowledge.action[even.what].words
    return f"a {part} cost {side} {money(even.value)} (now {money(even.now)})"


def worth_one_more(tests: Sequence[NextTest], knowledge: Knowledge) -> tuple[NextTest, float] | None:
    """The test that is expected to save most beyond its minutes, and how much; None where none does."""
    gains = [(test, test.saves - test.minutes * knowledge.money.labour_per_minute) for test in tests]
    best = max(gains, key=lambda gain: gain[1], default=None)
    return best if best and best[1] > 0 else None
