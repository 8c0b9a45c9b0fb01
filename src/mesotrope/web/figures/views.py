"""The figures in words and pictures: shares with their intervals, and small numbers said to be small."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from mesotrope.core.day.figures import Middle, Month, Share, Tenth, WorkshopFigures
from mesotrope.core.language.knowledge import Knowledge, KnowledgeKey
from mesotrope.core.language.remembering import Latest
from mesotrope.core.language.saying import Sayable, joined, marked, plain, said, verbatim
from mesotrope.web.plate.graph import Frame, axes, curve, dot
from mesotrope.web.plate.pen import Pen, Plate
from mesotrope.web.verdict.packages import money
from mesotrope.words import Speaker

#: As many months are drawn.
MONTHS = 12


@dataclass(frozen=True)
class Told:
    """A figure with what it is of, its interval, and whether it is of few."""

    value: Sayable
    between: Sayable
    of: Sayable
    few: bool


@dataclass(frozen=True)
class MonthRow:
    month: str
    closed: int
    came_back: Told
    right: Told
    minutes: Told
    needless: Told
    spared: Sayable


@dataclass(frozen=True, eq=False)
class FiguresPage:
    """All of it; the same one as long as nothing that it is made of changes."""

    over_all: MonthRow
    months: tuple[MonthRow, ...]
    earlier: int
    faults: tuple[tuple[Sayable, int], ...]
    sure: Plate
    right: Plate
    came_back: Plate
    minutes: Plate


def told_share(share: Share, of: str, none: str) -> Told:
    """A share in words; of : the message that says how many of how many, none : what is said where there are none.

    >>> from mesotrope.core.day.figures import share
    >>> from mesotrope.words import PLAINLY
    >>> told = told_share(share(1, 8, few=10), "{count} of {of} jobs", "no jobs")
    >>> [PLAINLY(part) for part in (told.value, told.between, told.of)], told.few
    (['12 %', '3 to 41 %', '1 of 8 jobs'], True)
    """
    if share.value is None:
        return Told("", "", said(none), True)
    between = said("{low} to {high} %", low=plain(100 * share.low, "", 0), high=plain(100 * share.high, "", 0))
    counted = said(of, count=verbatim(share.count), of=verbatim(share.of))
    return Told(verbatim(_percent(share.value)), between, counted, share.few)


def told_minutes(found: Middle | None) -> Told:
    if found is None:
        return Told("", "", said("no signed verdicts"), True)
    between = said("{low} to {high} min", low=plain(found.low, "", 0), high=plain(found.high, "", 0))
    value = said("{minutes} min", minutes=plain(found.value, "", 0))
    return Told(value, between, said("middle of {count}", count=verbatim(found.of)), found.few)


def _row(month: Month, currency: str) -> MonthRow:
    return MonthRow(
        month.month,
        month.closed,
        told_share(month.came_back, marked("{count} of {of} jobs"), marked("no jobs")),
        told_share(month.right, marked("{count} of {of} verdicts"), marked("no verdicts")),
        told_minutes(month.minutes),
        told_share(month.needless, marked("{count} of {of} tests"), marked("no tests")),
        verbatim(f"{month.spared} ({money(month.spared_money)} {currency})") if month.spared else said("none"),
    )


#: The pages of the latest workshops that looked.
_pages: Latest[FiguresPage] = Latest(32)


def figures_page(found: WorkshopFigures, knowledge: Knowledge, say: Speaker) -> FiguresPage:
    """The figures of a workshop, as a person reads them."""
    return _pages.of((found, KnowledgeKey(knowledge), say.voice), lambda: _page(found, knowledge, say))


def _page(found: WorkshopFigures, knowledge: Knowledge, say: Speaker) -> FiguresPage:
    drawn = list(reversed(found.months[:MONTHS]))
    currency = knowledge.money.currency
    return FiguresPage(
        _row(found.over_all, currency),
        tuple(_row(month, currency) for month in found.months),
        found.earlier,
        tuple((said(knowledge.words(fault)), count) for fault, count in found.comeback_faults[:12]),
        _sureness(found.tenths, say),
        _months(drawn, lambda month: month.right, said("first suspect was right, share of the verdicts"), say),
        _months(drawn, lambda month: month.came_back, said("came back, share of the jobs"), say),
        _minutes(drawn, say),
    )


def _sureness(tenths: Sequence[Tenth], say: Speaker) -> Plate:
    """How often verdicts were right over how sure they were: on the line they say what they know."""
    pen, frame = Pen(say=say), Frame(20, 10, 120, 66, 0, 1, 0, 1)
    axes(pen, frame, said("how sure"), said("how often right"), _percent, _percent)
    curve(pen, frame, "graph-visit", [(0, 0), (1, 1)])
    for tenth in tenths:
        _share(pen, frame, tenth.sure, tenth.right)
    told = [
        said("{share} sure: {count} of {of} right", share=verbatim(say.chance(t.sure)), count=verbatim(t.right.count),
             of=verbatim(t.right.of))
        for t in tenths
    ]  # fmt: skip
    return Plate(150, 94, tuple(pen.shapes), say(joined(told, ", ") if told else said("no verdicts yet")))


def _share(pen: Pen, frame: Frame, x: float, share: Share) -> None:
    """A share as a dot with its interval; a hollow one is of few."""
    if share.value is None:
        return
    curve(pen, frame, "graph-line", [(x, share.low), (x, share.high)])
    dot(pen, frame, "graph-dot graph-dot-outer" if share.few else "graph-dot", x, share.value)


def _percent(value: float) -> str:
    return f"{100 * value:.0f} %"


def _month_frame(
    pen: Pen, months: Sequence[Month], high: float, words: Sayable, shown: Callable[[float], str]
) -> Frame:
    frame = Frame(20, 10, 150, 50, -0.5, max(0.5, len(months) - 0.5), 0, high)
    for y in (0.0, high / 2, high):
        _, py = frame.at(0, y)
        pen.line("graph-grid", frame.left, py, frame.left + frame.width, py)
        pen.text("graph-figure", frame.left - 2, py + 1.5, shown(y), "end")
    pen.text("graph-words", frame.left, frame.top - 3, words, "start")
    step = max(1, len(months) // 6)
    for number, month in enumerate(months):
        px, _ = frame.at(number, 0)
        if number % step == 0:
            pen.text("graph-figure", px, frame.top + frame.height + 6.5, month.month)
    return frame


def _months(months: Sequence[Month], of: Callable[[Month], Share], words: Sayable, say: Speaker) -> Plate:
    pen = Pen(say=say)
    highest = max((of(month).high for month in months if of(month).of), default=1.0)
    frame = _month_frame(pen, months, 1.0 if highest > 0.5 else 0.5, words, _percent)
    for number, month in enumerate(months):
        _share(pen, frame, number, of(month))
    told = [
        said("{month}: {count} of {of}", month=verbatim(month.month), count=verbatim(of(month).count),
             of=verbatim(of(month).of))
        for month in months
    ]  # fmt: skip
    return Plate(180, 72, tuple(pen.shapes), say(said("{figure}: {values}", figure=words, values=joined(told, ", "))))


def _minutes(months: Sequence[Month], say: Speaker) -> Plate:
    pen = Pen(say=say)
    highest = max((month.minutes.high for month in months if month.minutes), default=60.0)
    words = said("minutes from taking in to the verdict, the middle one")
    frame = _month_frame(pen, months, highest * 1.05 or 1.0, words, lambda v: f"{v:.0f}")
    for number, month in enumerate(months):
        if found := month.minutes:
            curve(pen, frame, "graph-line", [(number, found.low), (number, found.high)])
            dot(pen, frame, "graph-dot graph-dot-outer" if found.few else "graph-dot", number, found.value)
    told = verbatim(", ".join(f"{m.month}: {m.minutes.value:.0f}" for m in months if m.minutes))
    return Plate(180, 72, tuple(pen.shapes), say(said("{figure}: {values}", figure=words, values=told)))
