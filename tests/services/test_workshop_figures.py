"""What closed jobs count for: worked out from the jobs themselves."""

from __future__ import annotations

import dataclasses

import pytest

from mesotrope.core.answer.answer import diagnose
from mesotrope.core.day.figures import Sums
from mesotrope.core.language.corner import Corner
from mesotrope.knowledge import knowledge
from mesotrope.services.figures import closed_figures, figures_by_month, figures_wait, work_out_figures
from mesotrope.services.findings import record_finding
from mesotrope.services.jobs import take_in
from mesotrope.services.outcomes import close_job, note_outcome, open_again, take_comeback_in
from mesotrope.services.records import keep_record
from mesotrope.services.workshop import about, change
from mesotrope.words import Dates
from tests.documents import DRAGS

LEFT = Corner.FRONT_LEFT


@pytest.fixture
def closed(database, clock):
    """Return a maker of closed jobs in which the bleeder freed a dragging wheel: a hose."""

    def make(who, *, sign=True, later=()):
        job = take_in(
            database, knowledge(), label="Van", kind="car", registration="", odometer_km=None, usage="",
            complaint="", by=who, now=clock(),
        )  # fmt: skip

        def enter(path, value, number):
            clock.forward(2)
            record_finding(
                database, knowledge(), job, LEFT, path, str(value), by=who, now=clock(), confirmed=True,
                idempotency_key=f"figures-{job}-{number}",
            )  # fmt: skip

        for number, (path, value) in enumerate(
            [("spin.turns", DRAGS["turns"]), ("spin.seconds", DRAGS["seconds"]), ("bleeder_opened", "frees"),
             ("hose", "swollen"), *later]
        ):  # fmt: skip
            enter(path, value, number)
        if sign:
            clock.forward(7)
            keep_record(database, job, "signed", "", "a plan", by=who, now=clock())
        note_outcome(database, knowledge(), job, {LEFT: ["hose_restricted"]}, "seen", by=who, now=clock())
        close_job(database, job, by=who, now=clock())
        return job

    return make


def figures(database, who):
    answered = lambda seen: diagnose(seen, knowledge())  # noqa: E731
    assert work_out_figures(database, knowledge(), answered, by=who, works_for_s=None) == 0
    return closed_figures(database, by=who)


def test_a_closed_job_counts_with_its_minutes_its_first_suspect_and_the_caliper_it_spared(
    database, someone, clock, closed
):
    who = someone()
    closed(who)
    [one], left = figures(database, who)
    assert left == 0
    assert (one.month, one.minutes, one.right, one.came_back) == ("2026-05", 15.0, True, False)
    assert one.first > 0.5
    assert (one.spared, one.faults) == (1, ("hose_restricted",))
    caliper_and_fluid, hose_and_bleeding = 135 + 14 + (35 + 40) * 95 / 60, 32 + 10 + (25 + 30) * 95 / 60
    assert one.spared_money == pytest.approx(caliper_and_fluid - hose_and_bleeding, abs=0.01)


def test_what_was_typed_after_the_signature_does_not_count_for_the_first_verdict(database, someone, clock, closed):
    who = someone()
    job = closed(who)
    with_more = closed(who, sign=False, later=[("pin.upper", "free")])
    found, _ = figures(database, who)
    assert [one.minutes for one in found] == [15.0, None]
    assert job < with_more


def test_a_comeback_counts_against_what_was_taken_for_cured(database, someone, clock, closed):
    who = someone()
    job = closed(who)
    take_comeback_in(database, job, "hot again", by=who, now=clock())
    [one], _ = figures(database, who)
    assert one.came_back


def test_a_job_that_is_opened_again_counts_no_more_and_is_worked_out_anew(database, someone, clock, closed):
    who = someone()
    job = closed(who)
    figures(database, who)
    open_again(database, job, by=who, now=clock())
    assert figures(database, who) == ([], 0)
    close_job(database, job, by=who, now=clock())
    assert closed_figures(database, by=who) == ([], 1)
    assert len(figures(database, who)[0]) == 1


def test_tests_made_after_enough_was_known_are_counted_from_the_end(database, someone, clock, closed, monkeypatch):
    """With an engine that knows enough once the bleeder was opened: the hose, looked at after it, was one too many."""
    import mesotrope.services.figures as figures_module

    class Enough:
        def __init__(self, seen):
            corner = seen.corner(LEFT)
            self.enough_is_known = corner.bleeder_opened is not None
            self.chances = {}

    who = someone()
    closed(who)
    work_out_figures(database, knowledge(), Enough, by=who, works_for_s=None)
    [one], _ = closed_figures(database, by=who)
    assert (one.needless, one.tests) == (1, 3)  # spin, bleeder, hose
    assert figures_module.MOST_LOOKED_BACK > 3


def test_nobody_sees_another_workshops_figures(database, someone, clock, closed):
    who, stranger = someone(), someone()
    closed(who)
    figures(database, who)
    assert figures(database, stranger) == ([], 0)


def test_many_that_wait_are_worked_out_beside_the_pages(database, someone, clock, closed, monkeypatch):
    import mesotrope.services.figures as figures_module

    who = someone()
    closed(who)
    assert who.workshop_id not in figures_wait(database)
    monkeypatch.setattr(figures_module, "MOST_WAITING", 0)
    assert who.workshop_id in figures_wait(database)
    figures(database, who)
    assert who.workshop_id not in figures_wait(database)


def by_month(database, who):
    """The figures by month, worked out first; they are what their jobs say, whatever was kept before."""
    cases, _ = figures(database, who)
    found, left = figures_by_month(database, by=who)
    assert left == 0
    for month, sums in found.items():
        assert sums == Sums.of(case for case in cases if case.month == month)
    assert sum(sums.closed for sums in found.values()) == len(cases)
    return found


def test_a_month_that_was_kept_is_read_and_not_made_again(database, someone, clock, closed, monkeypatch):
    import mesotrope.services.figures as figures_module

    who = someone()
    closed(who)
    first = by_month(database, who)
    monkeypatch.setattr(figures_module, "outcomes_in", None)  # what making them again would need
    assert figures_by_month(database, by=who) == (first, 0)
    assert first["2026-05"].closed == 1


def test_whatever_changes_a_month_has_it_counted_again(database, someone, clock, closed):
    """A month later: a comeback counts against the month of the first visit; what it was then counts there, too."""
    who = someone()
    job = closed(who)
    assert by_month(database, who)["2026-05"].right == (1, 1)
    clock.forward(40 * 24 * 60)
    back = take_comeback_in(database, job, "hot again", by=who, now=clock())
    assert by_month(database, who)["2026-05"].came_back == 1
    note_outcome(database, knowledge(), back, {LEFT: ["slide_pins_seized"]}, "seen", by=who, now=clock())
    close_job(database, back, by=who, now=clock())
    both = by_month(database, who)
    assert (both["2026-05"].closed, both["2026-06"].closed) == (1, 1)
    open_again(database, back, by=who, now=clock())
    assert by_month(database, who)["2026-06"].closed == 0
    open_again(database, job, by=who, now=clock())
    assert by_month(database, who)["2026-05"].closed == 0


def test_a_month_begins_by_the_clock_on_the_workshops_wall(database, someone, clock, closed):
    """Closed a quarter of an hour before midnight, UTC, on the last of May: in Berlin it is June."""
    who = someone("lead")
    clock.at = clock.at.replace(day=31, hour=23, minute=30)
    closed(who)
    assert {month: sums.closed for month, sums in by_month(database, who).items() if sums.closed} == {"2026-05": 1}
    there = dataclasses.replace(about(database, by=who), time_zone="Europe/Berlin")
    change(database, there, by=who, now=clock())
    moved = dataclasses.replace(who, dates=Dates("Europe/Berlin"))
    assert {month: sums.closed for month, sums in by_month(database, moved).items() if sums.closed} == {"2026-06": 1}
