"""The figures in words and pictures: shares with their intervals, and small numbers said to be small."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from mesotrope.core.day.figures import Middle, Month, Share, Tenth, WorkshopFigures
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.quantity import percent
from mesotrope.web.plate.graph import Frame, axes, curve, dot
from mesotrope.web.plate.pen import Pen, Plate

#: As many months are drawn.
MONTHS = 12


@dataclass(frozen=True)
class Said:
    """A figure with what it is of, its interval, and whether it is of few."""

    value: str
    between: str
    of: str
    few: bool


@dataclass(frozen=True)
class MonthRow:
    month: str
    closed: int
    came_back: Said
    right: Said
    minutes: Said
    needless: Said
    spared: str


@dataclass(frozen=True)
class FiguresPage:
    over_all: MonthRow
    months: tuple[MonthRow, ...]
    faults: tuple[tuple[str, int], ...]
    sure: Plate
    right: Plate
    came_back: Plate
    minutes: Plate


def said_share(share: Share, of: str) -> Said:
    """A share in words.

    >>> from mesotrope.core.day.figures import share
    >>> said_share(share(1, 8, few=10), "jobs")
    Said(value='12 %', between='3 to 41 %', of='1 of 8 jobs', few=True)
    """
    if share.value is None:
        return Said("", "", f"no {of}", True)
    between = f"{100 * share.low:.0f} to {100 * share.high:.0f} %"
    return Said(_percent(share.value), between, f"{share.count} of {share.of} {of}", share.few)


def said_minutes(found: Middle | None) -> Said:
    if found is None:
        return Said("", "", "no signed verdicts", True)
    between = f"{found.low:.0f} to {found.high:.0f} min"
    return Said(f"{found.value:.0f} min", between, f"middle of {found.of}", found.few)


def _row(month: Month, currency: str) -> MonthRow:
    return MonthRow(
        month.month,
        month.closed,
        said_share(month.came_back, "jobs"),
        said_share(month.right, "verdicts"),
        said_minutes(month.minutes),
        said_share(month.needless, "tests"),
        f"{month.spared}, {month.spared_money:.0f} {currency}" if month.spared else "none",
    )


def figures_page(found: WorkshopFigures, knowledge: Knowledge) -> FiguresPage:
    drawn = list(reversed(found.months[:MONTHS]))
    currency = knowledge.money.currency
    return FiguresPage(
        _row(found.over_all, currency),
        tuple(_row(month, currency) for month in found.months),
        tuple((knowledge.words(fault), count) for fault, count in found.comeback_faults[:12]),
        _sureness(found.tenths),
        _months(drawn, lambda month: month.right, "first suspect was right, share of the verdicts"),
        _months(drawn, lambda month: month.came_back, "came back, share of the jobs"),
        _minutes(drawn),
    )


def _sureness(tenths: Sequence[Tenth]) -> Plate:
    """How often verdicts were right over how sure they were: on the line they say what they know."""
    pen, frame = Pen(), Frame(20, 10, 120, 66, 0, 1, 0, 1)
    axes(pen, frame, "how sure", "how often right", _percent, _percent)
    curve(pen, frame, "graph-visit", [(0, 0), (1, 1)])
    for tenth in tenths:
        _share(pen, frame, tenth.sure, tenth.right)
    told = ", ".join(f"{percent(t.sure)} sure: {t.right.count} of {t.right.of} right" for t in tenths)
    return Plate(150, 94, tuple(pen.shapes), told or "no verdicts yet")


def _share(pen: Pen, frame: Frame, x: float, share: Share) -> None:
    """A share as a dot with its interval; a hollow one is of few."""
    if share.value is None:
        return
    curve(pen, frame, "graph-line", [(x, share.low), (x, share.high)])
    dot(pen, frame, "graph-dot graph-dot-outer" if share.few else "graph-dot", x, share.value)


def _percent(value: float) -> str:
    return f"{100 * value:.0f} %"


def _month_frame(pen: Pen, months: Sequence[Month], high: float, words: str, shown: Callable[[float], str]) -> Frame:
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


def _months(months: Sequence[Month], of: Callable[[Month], Share], words: str) -> Plate:
    pen = Pen()
    highest = max((of(month).high for month in months if of(month).of), default=1.0)
    frame = _month_frame(pen, months, 1.0 if highest > 0.5 else 0.5, words, _percent)
    for number, month in enumerate(months):
        _share(pen, frame, number, of(month))
    told = ", ".join(f"{month.month}: {of(month).count} of {of(month).of}" for month in months)
    return Plate(180, 72, tuple(pen.shapes), f"{words}: {told}")


def _minutes(months: Sequence[Month]) -> Plate:
    pen = Pen()
    highest = max((month.minutes.high for month in months if month.minutes), default=60.0)
    words = "minutes from taking in to the verdict, the middle one"
    frame = _month_frame(pen, months, highest * 1.05 or 1.0, words, lambda v: f"{v:.0f}")
    for number, month in enumerate(months):
        if found := month.minutes:
            curve(pen, frame, "graph-line", [(number, found.low), (number, found.high)])
            dot(pen, frame, "graph-dot graph-dot-outer" if found.few else "graph-dot", number, found.value)
    told = ", ".join(f"{m.month}: {m.minutes.value:.0f}" for m in months if m.minutes)
    return Plate(180, 72, tuple(pen.shapes), f"{words}: {told}")
