"""Curves, scales and vessels: what drawings of figures share with each other."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

from mesotrope.core.language.saying import Sayable
from mesotrope.web.plate.pen import Pen

Points = Sequence[tuple[float, float]]


@dataclass(frozen=True)
class Frame:
    """A rectangle on the page with the ranges of figures that it shows."""

    left: float
    top: float
    width: float
    height: float
    x_low: float
    x_high: float
    y_low: float
    y_high: float

    def at(self, x: float, y: float) -> tuple[float, float]:
        """Where a pair of figures lies on the page, kept inside the frame."""
        across = (x - self.x_low) / ((self.x_high - self.x_low) or 1.0)
        up = (y - self.y_low) / ((self.y_high - self.y_low) or 1.0)
        return (
            self.left + self.width * min(1.02, max(-0.02, across)),
            self.top + self.height * (1 - min(1.02, max(-0.02, up))),
        )


def steps(low: float, high: float, about: int = 5) -> list[float]:
    """Round figures from low to high, about so many.

    >>> steps(0, 100, 5), steps(0.0, 1.3, 4)
    ([0, 20, 40, 60, 80, 100], [0.0, 0.5, 1.0])
    """
    span = (high - low) or 1.0
    raw = span / about
    unit = 10 ** math.floor(math.log10(raw))
    step = next(unit * factor for factor in (1, 2, 5, 10) if unit * factor >= raw * 0.999)
    first = math.ceil(low / step - 1e-9)
    return [round(n * step, 10) for n in range(first, math.floor(high / step + 1e-9) + 1)]


def _plainly(value: float) -> str:
    return f"{value:g}"


def axes(
    pen: Pen,
    frame: Frame,
    x_words: Sayable,
    y_words: Sayable,
    x_shown: Callable[[float], str] = _plainly,
    y_shown: Callable[[float], str] = _plainly,
) -> None:
    """Axes with round figures and their words."""
    right, bottom = frame.left + frame.width, frame.top + frame.height
    for y in steps(frame.y_low, frame.y_high, 4):
        _, py = frame.at(frame.x_low, y)
        pen.line("graph-grid", frame.left, py, right, py)
        pen.text("graph-figure", frame.left - 2, py + 1.5, y_shown(y), "end")
    for x in steps(frame.x_low, frame.x_high, 5):
        px, _ = frame.at(x, frame.y_low)
        pen.line("graph-grid", px, bottom, px, bottom + 1.5)
        pen.text("graph-figure", px, bottom + 6.5, x_shown(x))
    pen.line("graph-axis", frame.left, bottom, right, bottom)
    pen.line("graph-axis", frame.left, frame.top, frame.left, bottom)
    pen.text("graph-words", right, bottom + 12, x_words, "end")
    pen.text("graph-words", frame.left, frame.top - 3, y_words, "start")


def curve(pen: Pen, frame: Frame, style: str, points: Points) -> None:
    pen.curve(style, [frame.at(x, y) for x, y in points])


def band(pen: Pen, frame: Frame, style: str, low: Points, high: Points) -> None:
    pen.area(style, *[frame.at(x, y) for x, y in low], *[frame.at(x, y) for x, y in reversed(high)])


def dot(pen: Pen, frame: Frame, style: str, x: float, y: float, radius: float = 1.6) -> None:
    px, py = frame.at(x, y)
    pen.circle(style, px, py, radius)


def scale(
    pen: Pen, left: float, y: float, width: float, high: float, value: float, marks: Sequence[tuple[float, Sayable]]
) -> None:
    """A rule from 0 to `high` with a pointer at `value` and named marks."""

    def at(figure: float) -> float:
        return left + width * min(1.0, max(0.0, figure / high))

    pen.line("graph-axis", left, y, left + width, y)
    for figure in steps(0, high, 6):
        pen.line("graph-axis", at(figure), y, at(figure), y + 2)
        pen.text("graph-figure", at(figure), y + 7.5, f"{figure:g}")
    for number, (figure, words) in enumerate(marks):
        pen.line("plate-limit", at(figure), y - 10, at(figure), y)
        pen.text("graph-words", at(figure) + 1.2, y - 6.4 + 4 * (number % 2) - 2, words, "start")
    pen.area("graph-pointer", (at(value), y - 0.8), (at(value) - 2.6, y - 7), (at(value) + 2.6, y - 7))


def vessel(
    pen: Pen, left: float, top: float, width: float, height: float, full: float, value: float, words: Sayable
) -> None:
    """A measuring cylinder that holds `full`, filled to `value`."""
    filled = height * min(1.0, max(0.0, value / full)) if full else 0.0
    pen.box("plate-fluid", left, top + height - filled, left + width, top + height)
    pen.curve("plate-vessel", [(left, top), (left, top + height), (left + width, top + height), (left + width, top)])
    for figure in steps(0, full, 5):
        y = top + height * (1 - figure / full)
        pen.line("graph-axis", left, y, left + 3, y)
        pen.text("graph-figure", left - 2, y + 1.5, f"{figure:g}", "end")
    pen.text("plate-caption", left + width / 2, top + height + 7, words)
