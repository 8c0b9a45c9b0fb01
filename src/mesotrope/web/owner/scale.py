"""A figure before and after the work on one scale with its limit, as a picture and in words."""

from __future__ import annotations

from dataclasses import dataclass

from mesotrope.core.language.saying import Figure, Said, joined, marked, said, verbatim
from mesotrope.core.plan.owner_sheet import Gauge
from mesotrope.web.plate.pen import Pen, Plate
from mesotrope.words import Speaker

WIDTH, HEIGHT, LEFT, RIGHT, BASE = 200.0, 34.0, 6.0, 194.0, 22.0


@dataclass(frozen=True)
class GaugeRow:
    where: str
    name: str
    picture: Plate
    words: str


#: What stands before a figure, or before what is said of it.
NAMED = {
    "before": marked("before {figure}"), "after": marked("after {figure}"), "limit": marked("limit {figure}"),
}  # fmt: skip


def gauge_row(gauge: Gauge, say: Speaker) -> GaugeRow:
    """Draw one gauge, with its figures in words where a person would know the unit."""
    figures = {"before": gauge.before, "after": gauge.after, "limit": gauge.limit}
    fine = "disc" in gauge.name
    told = [
        said(NAMED[name], figure=Figure(value, gauge.unit, 1, fine=fine))
        for name, value in figures.items()
        if value is not None and gauge.unit
    ]
    words = say(joined(told or _beside_limit(gauge), ", "))
    return GaugeRow(say.begin(gauge.where), say(gauge.name), _picture(gauge, words, say), words)


def _good(gauge: Gauge, value: float) -> bool:
    return value > gauge.limit if gauge.worse == "under" else value <= gauge.limit


def _beside_limit(gauge: Gauge) -> list[Said]:
    """Where before and after lie beside the limit, in words alone."""
    words = {True: marked("within its limit"), False: marked("beyond its limit")}
    both = (("before", gauge.before), ("after", gauge.after))
    return [said(NAMED[name], figure=words[_good(gauge, value)]) for name, value in both if value is not None]


def _picture(gauge: Gauge, words: str, say: Speaker) -> Plate:
    pen = Pen(say=say)

    def at(value: float) -> float:
        return LEFT + (RIGHT - LEFT) * min(1.0, max(0.0, value / gauge.full))

    low, high = (LEFT, at(gauge.limit)) if gauge.worse == "under" else (at(gauge.limit), RIGHT)
    pen.box("plate-ghost", low, BASE - 5, high, BASE)
    pen.line("graph-axis", LEFT, BASE, RIGHT, BASE)
    pen.line("plate-limit", at(gauge.limit), BASE - 9, at(gauge.limit), BASE + 3)
    pen.text("graph-words", at(gauge.limit), BASE + 10, said("limit"))
    for value, name, style in ((gauge.before, "before", "plate-bleeder"), (gauge.after, "after", "plate-fast")):
        if value is not None:
            pen.circle(style, at(value), BASE - 2.5, 2.6)
            pen.text("graph-words", at(value), BASE - 10 + (0 if name == "before" else -6), said(name))
    return Plate(
        WIDTH, HEIGHT, tuple(pen.shapes), say(said("{name}: {figures}", name=gauge.name, figures=verbatim(words)))
    )
