"""What a drawing is made of, and the pen that makes it. Shapes write themselves: a plate has hundreds, and a template
that goes through them takes longer than everything else on its page."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import cached_property

from markupsafe import Markup, escape

from mesotrope.core.language.saying import Sayable
from mesotrope.words import PLAINLY, Speaker


@dataclass(frozen=True)
class Shape:
    """One drawn thing: a polygon, line, path, circle or text, with the style class it wears and where it leads."""

    kind: str
    style: str
    numbers: tuple[float, ...] = ()
    points: str = ""
    text: str = ""
    anchor: str = "middle"
    leads_to: str = ""
    #: What a tap enters where the shape leads to.
    enters: str = ""

    @property
    def svg(self) -> str:
        """The shape as an element.

        >>> Shape("circle", "graph-dot", numbers=(1.0, 2.0, 0.5), leads_to="pad-mm").svg
        '<circle cx="1.0" cy="2.0" r="0.5" class="graph-dot" data-leads-to="pad-mm"/>'
        """
        if self.kind == "text":
            x, y = self.numbers
            return f'<text x="{x}" y="{y}" text-anchor="{self.anchor}" class="{self.style}">{escape(self.text)}</text>'
        leads_to = f' data-leads-to="{escape(self.leads_to)}"' if self.leads_to else ""
        enters = f' data-enters="{escape(self.enters)}"' if self.enters else ""
        return f'<{self.kind} {self._where()} class="{self.style}"{leads_to}{enters}/>'

    def _where(self) -> str:
        if self.kind in ("polygon", "polyline"):
            return f'points="{self.points}"'
        names = ("x1", "y1", "x2", "y2") if self.kind == "line" else ("cx", "cy", "r")
        return " ".join(f'{name}="{number}"' for name, number in zip(names, self.numbers, strict=True))


@dataclass(frozen=True)
class Plate:
    """A whole drawing."""

    width: float
    height: float
    shapes: tuple[Shape, ...]
    description: str

    @cached_property
    def svg(self) -> Markup:
        """Its shapes, to be written into a page: numbers and styles are the product's own, words are escaped."""
        return Markup("\n".join(shape.svg for shape in self.shapes))


def _as_is(x: float) -> float:
    return x


@dataclass
class Pen:
    """Collects shapes; `place` turns its own x into the drawing's, so that one pen can draw both mirrored sides.

    say : puts what is stated into words; text that is given as such stands as it is.
    """

    place: Callable[[float], float] = _as_is
    shapes: list[Shape] = field(default_factory=list)
    say: Speaker = PLAINLY

    def area(self, style: str, *points: tuple[float, float], leads_to: str = "") -> None:
        self.shapes.append(Shape("polygon", style, points=self._written(points), leads_to=leads_to))

    def curve(self, style: str, points: Sequence[tuple[float, float]]) -> None:
        """An open line through several points."""
        self.shapes.append(Shape("polyline", style, points=self._written(points)))

    def box(self, style: str, x0: float, y0: float, x1: float, y1: float, leads_to: str = "") -> None:
        self.area(style, (x0, y0), (x1, y0), (x1, y1), (x0, y1), leads_to=leads_to)

    def mark(self, x0: float, y0: float, x1: float, y1: float, leads_to: str, enters: str) -> None:
        """Something unseen that enters a value when it is tapped."""
        corners = self._written(((x0, y0), (x1, y0), (x1, y1), (x0, y1)))
        self.shapes.append(Shape("polygon", "plate-target", points=corners, leads_to=leads_to, enters=enters))

    def target(self, x0: float, y0: float, x1: float, y1: float, leads_to: str, least: float = 12.5) -> None:
        """Something to tap, unseen, never smaller than a thumb needs."""
        wide, high = max(0.0, least - abs(x1 - x0)) / 2, max(0.0, least - (y1 - y0)) / 2
        left, right = min(x0, x1) - wide, max(x0, x1) + wide
        self.box("plate-target", left, y0 - high, right, y1 + high, leads_to)

    def line(self, style: str, x0: float, y0: float, x1: float, y1: float) -> None:
        numbers = tuple(round(n, 2) for n in (self.place(x0), y0, self.place(x1), y1))
        self.shapes.append(Shape("line", style, numbers=numbers))

    def ticked(self, style: str, x0: float, x1: float, y: float, tick: float) -> None:
        """A dimension line with a tick at either end."""
        self.line(style, x0, y, x1, y)
        for x in (x0, x1):
            self.line(style, x, y - tick, x, y + tick)

    def circle(self, style: str, x: float, y: float, radius: float, leads_to: str = "") -> None:
        numbers = tuple(round(n, 2) for n in (self.place(x), y, radius))
        self.shapes.append(Shape("circle", style, numbers=numbers, leads_to=leads_to))

    def text(self, style: str, x: float, y: float, words: Sayable, anchor: str = "middle") -> None:
        numbers = (round(self.place(x), 2), round(y, 2))
        text = words if isinstance(words, str) else self.say(words)
        self.shapes.append(Shape("text", style, numbers=numbers, text=text, anchor=anchor))

    def _written(self, points: Sequence[tuple[float, float]]) -> str:
        return " ".join(f"{self.place(x):.2f},{y:.2f}" for x, y in points)
