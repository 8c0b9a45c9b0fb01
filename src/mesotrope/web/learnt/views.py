"""What was learnt, as the pages show it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from mesotrope.core.language.saying import Said, Sayable, marked, said, verbatim
from mesotrope.core.learning.prequential import LAST, LEAST, Predicted, calibration_error, hits
from mesotrope.core.learning.told import Kind, Row
from mesotrope.web.plate.graph import Frame, axes, curve, dot
from mesotrope.web.plate.pen import Pen, Plate
from mesotrope.words import PLAINLY, Speaker

#: So many rows that differ are shown of each kind before the rest folds.
SHOWN_FIRST = 8

#: A curve is drawn through at most so many points.
MOST_POINTS = 160


@dataclass(frozen=True)
class LearntRow:
    """One row in words: of what, where; the product's figure, the workshop's, the band; of how many."""

    table: str
    row: str
    about: Sayable
    where: Sayable
    product: str
    here: str
    band: Sayable
    seen: Sayable
    differs: bool
    set_aside: bool


@dataclass(frozen=True)
class Section:
    """The rows of one kind, those that differ first; `not_yet` are those not known enough to differ."""

    heading: Sayable
    explained: Sayable
    differ: tuple[LearntRow, ...]
    more: tuple[LearntRow, ...]
    not_yet: tuple[LearntRow, ...]


HEADINGS: dict[Kind, tuple[Said, Said, str]] = {
    "fault": (said("How often each fault comes"), said("Of 100 vehicles that come in."), marked("{count} vehicles")),
    "finding": (
        said("What each finding shows"),
        said("Of 100 times that it was looked at, with what was found there."),
        marked("{count} looks"),
    ),
    "figure": (said("Wear and drag"), said("Beside the product’s figure, which is 1."), marked("{count} corners")),
}


def sections(rows: Sequence[Row], set_aside: frozenset[tuple[str, str]]) -> list[Section]:
    """The learnt rows by kind."""
    out = []
    for kind, (heading, explained, of) in HEADINGS.items():
        here = [_row(row, of, (row.table, row.row) in set_aside) for row in rows if row.kind == kind]
        differ = [row for row in here if row.differs or row.set_aside]
        not_yet = tuple(row for row in here if not (row.differs or row.set_aside))
        first, more = tuple(differ[:SHOWN_FIRST]), tuple(differ[SHOWN_FIRST:])
        out.append(Section(heading, explained, first, more, not_yet))
    return out


def _row(row: Row, of: str, set_aside: bool) -> LearntRow:
    about = said("{what}: {value}", what=row.about, value=row.value) if row.value else said("{what}", what=row.about)
    shown: Callable[[float], str] = _factor if row.kind == "figure" else _of_hundred
    band = said("{low} to {high}", low=verbatim(shown(row.low)), high=verbatim(shown(row.high)))
    seen = f"{row.seen:.0f}" if row.seen >= 10 else f"{row.seen:.1f}"
    return LearntRow(
        row.table, row.row, about, row.where, shown(row.product), shown(row.here), band,
        said(of, count=verbatim(seen)), row.differs, set_aside,
    )  # fmt: skip


def _of_hundred(share: float) -> str:
    return f"{100 * share:.0f}" if share >= 0.0995 else f"{100 * share:.1f}"


def _factor(factor: float) -> str:
    return f"{factor:.2f}"


# -- is it better? --------------------------------------------------------------------------------------------

#: A figure over some cases.
Measure = Callable[[Sequence[Predicted]], float | None]


@dataclass(frozen=True)
class Compared:
    """One figure over time, by the product's tables and by what was learnt, with its last values."""

    heading: Said
    explained: Said
    picture: Plate | None
    product: Sayable
    learnt: Sayable
    better: Sayable


def compared(expert: Sequence[Predicted], learnt: Sequence[Predicted], say: Speaker = PLAINLY) -> list[Compared]:
    """Log score, first suspects and calibration over the last `LAST` cases, as they went on."""
    return [
        _compared(
            said("Log score"),
            said("How likely the tables made what was found: nearer to 0 is better."),
            expert,
            learnt,
            _mean_log_score,
            lambda v: f"{v:.2f}".replace("-", "−"),
            more=True,
            say=say,
        ),
        _compared(
            said("First suspect right"),
            said("How often the first suspect was there, where anything was wrong."),
            expert,
            learnt,
            hits,
            lambda v: f"{100 * v:.0f} %",
            more=True,
            say=say,
        ),
        _compared(
            said("Calibration error"),
            said("How far what was said lies from what was true: less is better."),
            expert,
            learnt,
            calibration_error,
            lambda v: f"{100 * v:.1f} %",
            more=False,
            say=say,
        ),
    ]


def _mean_log_score(some: Sequence[Predicted]) -> float:
    return sum(one.log_score for one in some) / len(some)


def _compared(
    heading: Said, explained: Said, expert: Sequence[Predicted], learnt: Sequence[Predicted], measure: Measure,
    shown: Callable[[float], str], *, more: bool, say: Speaker,
) -> Compared:  # fmt: skip
    lines = [_course(some, measure) for some in (expert, learnt)]
    last = [line[-1][1] if line else None for line in lines]
    told = [verbatim(shown(value)) if value is not None else said("nothing yet") for value in last]
    better: Sayable = ""
    if last[0] is not None and last[1] is not None:
        gain = last[1] - last[0] if more else last[0] - last[1]
        better = said("alike") if told[0] == told[1] else said("better") if gain > 0 else said("worse")
    picture = _picture(heading, lines, shown, told, say) if all(len(line) > 1 for line in lines) else None
    return Compared(heading, explained, picture, told[0], told[1], better)


def _course(some: Sequence[Predicted], measure: Measure) -> list[tuple[float, float]]:
    """A figure over the last `LAST` cases at each case from the `LEAST`th on, thinned out."""
    ends = range(LEAST, len(some) + 1)
    step = max(1, len(ends) // MOST_POINTS)
    chosen = [*ends[::-1][::step]][::-1]
    told = [(float(end), measure(some[max(0, end - LAST) : end])) for end in chosen]
    return [(end, value) for end, value in told if value is not None]


def _picture(
    heading: Said, lines: Sequence[Sequence[tuple[float, float]]], shown: Callable[[float], str],
    told: Sequence[Sayable], say: Speaker,
) -> Plate:  # fmt: skip
    pen = Pen(say=say)
    values = [value for line in lines for _, value in line]
    low, high = min(values), max(values)
    room = 0.08 * (high - low) or 0.01
    frame = Frame(24, 10, 146, 50, lines[0][0][0], lines[0][-1][0], low - room, high + room)
    axes(pen, frame, said("closed jobs learnt from"), heading, y_shown=shown)
    for line, style, mark in zip(lines, ("graph-line graph-line-outer", "graph-line"), _MARKS, strict=True):
        curve(pen, frame, style, line)
        dot(pen, frame, mark, *line[-1])
    words = said(
        "{figure} over the last {last} closed jobs: product’s tables {product}, learnt {learnt}",
        figure=heading,
        last=verbatim(LAST),
        product=told[0],
        learnt=told[1],
    )
    return Plate(182, 80, tuple(pen.shapes), say(words))


_MARKS = ("graph-dot graph-dot-outer", "graph-dot")
