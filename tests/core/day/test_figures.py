"""Figures of a workshop: published intervals first, then laws."""

from __future__ import annotations

import json
import math
from collections import Counter
from statistics import median

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mesotrope.core.day.figures import ClosedFigures, Sums, figures_of, middle, share, spared_calipers, tenths_of
from mesotrope.knowledge import knowledge


def test_the_score_interval_solves_its_own_equation():
    """Wilson's ends are where the true share lies z standard errors from what was seen: (p̂ − p)² = z² p (1 − p) / n."""
    found = share(15, 148, few=10)
    for end in (found.low, found.high):
        assert (15 / 148 - end) ** 2 == pytest.approx(1.6448536**2 * end * (1 - end) / 148, rel=1e-6)


@given(st.integers(1, 400), st.integers(0, 400))
def test_a_share_lies_in_its_interval_which_never_leaves_what_can_be(of, count):
    count = min(count, of)
    found = share(count, of, few=10)
    assert 0 <= found.low <= found.value + 1e-12
    assert found.value - 1e-12 <= found.high <= 1
    assert found.few == (of < 10)


@given(st.integers(1, 60), st.integers(2, 20))
def test_more_cases_of_the_same_share_narrow_the_interval(count, times):
    one, more = share(count, 2 * count, 10), share(times * count, 2 * times * count, 10)
    assert more.high - more.low < one.high - one.low


def test_of_nothing_nothing_is_known():
    found = share(0, 0, few=10)
    assert (found.value, found.low, found.high, found.few) == (None, 0.0, 1.0, True)
    assert middle({}, few=10) is None


@given(st.lists(st.floats(0, 500), min_size=1, max_size=60))
def test_the_interval_of_a_median_holds_it_with_ninety_percent_or_is_all_there_is(figures):
    found = middle(Counter(figures), few=10)
    assert found.value == pytest.approx(median(figures))
    ordered, n = sorted(figures), len(figures)
    below = next(k for k in range(n) if ordered[k] == found.low)
    assert found.low <= found.value <= found.high
    if n > 4:
        tail = sum(math.comb(n, k) for k in range(below + 1)) / 2**n
        repeated = ordered.count(found.low) > 1
        assert repeated or tail <= 0.05


def test_the_interval_of_a_median_of_sixty_thousand_is_that_of_the_normal_limit():
    """Ranks n/2 ± z √n / 2: with so many the binomial is as good as normal. A workshop of ten years has so many."""
    n = 60_001
    found = middle(dict.fromkeys(map(float, range(n)), 1), few=10)
    half = 1.6448536 * math.sqrt(n) / 2
    assert (found.value, found.of) == (30_000, n)
    assert found.low == pytest.approx(30_000 - half, abs=2)
    assert found.high == pytest.approx(30_000 + half, abs=2)


def test_calipers_are_spared_where_something_else_was_the_cause():
    """By the prices that ship: a caliper 135 and 35 minutes at 95 an hour, against 4 and 20 minutes for the slides."""
    known = knowledge()
    count, saved = spared_calipers([("slide_pin_seized_one",)], [False], known)
    assert count == 1
    assert saved > 50
    assert spared_calipers([("piston_seized_applied",)], [False], known) == (0, 0.0)
    assert spared_calipers([("slide_pin_seized_one",)], [True], known) == (0, 0.0)
    assert spared_calipers([("slide_pin_seized_one", "piston_seized_applied")], [False], known) == (0, 0.0)
    assert spared_calipers([("fluid_degraded",), ()], [False, False], known) == (0, 0.0)


CASES = [
    ClosedFigures("2026-03", minutes=40.0, first=0.85, right=True, spared=1, spared_money=100.0, needless=1, tests=10),
    ClosedFigures("2026-03", minutes=60.0, first=0.83, right=False, came_back=True, faults=("hose_restricted",)),
    ClosedFigures("2026-04", minutes=None, first=None, right=None),
]


def test_figures_are_put_together_month_by_month_the_latest_first():
    months = {month: Sums.of(case for case in CASES if case.month == month) for month in ("2026-03", "2026-04")}
    found = figures_of(months, few=10)
    assert [month.month for month in found.months] == ["2026-04", "2026-03"]
    march = found.months[1]
    assert (march.closed, march.right.count, march.right.of, march.came_back.count) == (2, 1, 2, 1)
    assert (march.minutes.value, march.spared, march.spared_money) == (50.0, 1, 100.0)
    assert (march.needless.count, march.needless.of) == (1, 10)
    assert found.comeback_faults == (("hose_restricted", 1),)
    assert found.over_all.closed == 3


def test_verdicts_are_sorted_by_how_sure_they_were():
    [tenth] = tenths_of(Sums.of(CASES), few=10)
    assert tenth.sure == pytest.approx(0.84)
    assert (tenth.right.count, tenth.right.of) == (1, 2)


@given(st.lists(st.tuples(st.floats(0, 1), st.booleans()), max_size=60))
def test_no_verdict_is_lost_among_the_tenths(verdicts):
    cases = [ClosedFigures("2026-03", first=sure, right=right) for sure, right in verdicts]
    assert sum(tenth.right.of for tenth in tenths_of(Sums.of(cases), few=10)) == len(verdicts)
    assert sum(tenth.right.count for tenth in tenths_of(Sums.of(cases), few=10)) == sum(right for _, right in verdicts)


ANY_CASE = st.builds(
    ClosedFigures, month=st.just("2026-03"), minutes=st.none() | st.floats(0, 900), first=st.none() | st.floats(0, 1),
    right=st.none() | st.booleans(), came_back=st.booleans(), faults=st.sampled_from([(), ("hose_restricted",)]),
    spared=st.integers(0, 4), spared_money=st.floats(0, 500), needless=st.none() | st.integers(0, 5),
    tests=st.integers(5, 9),
)  # fmt: skip


@given(st.lists(ANY_CASE, max_size=12), st.lists(ANY_CASE, max_size=12))
def test_months_that_were_kept_and_added_say_what_their_jobs_say_together(some, others):
    apart = [Sums.kept_as(json.loads(json.dumps(Sums.of(cases).kept()))) for cases in (some, others)]
    added, together = figures_of({"a": Sums.total(apart)}, 10), figures_of({"a": Sums.of([*some, *others])}, 10)
    assert added.over_all.closed == len(some) + len(others)
    assert added.over_all.spared_money == pytest.approx(together.over_all.spared_money)
    assert [(t.right.count, t.right.of) for t in added.tenths] == [(t.right.count, t.right.of) for t in together.tenths]
    assert (added.over_all.minutes, added.over_all.right, added.over_all.needless, added.comeback_faults) == (
        together.over_all.minutes, together.over_all.right, together.over_all.needless, together.comeback_faults
    )  # fmt: skip
