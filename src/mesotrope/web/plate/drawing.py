"""The measuring plate: an axle's brakes seen edge-on, drawn from their own figures.

Everything across the rotor (linings, backing plates, rotor) is drawn to one scale, 1 unit = 1 mm. The length of the
pad runs down the page, shortened, leading end on top. Backing plates stand where they stand with new pads, so that
what is worn away is left as a hatched ghost between lining and rotor.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Protocol

from mesotrope.core.evidence.measures import PADS, CornerMeasures
from mesotrope.core.evidence.specification import Specification
from mesotrope.core.language.corner import AXLES, Axle, Corner
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.quantity import Measure
from mesotrope.core.language.saying import Sayable, joined, mm, nm, said
from mesotrope.web.plate.parts import CAPTIONS, CENTRE, MARGIN, DrawnCorner, draw_corner, noteworthy, signed_mm
from mesotrope.web.plate.pen import Pen, Plate, Shape
from mesotrope.words import PLAINLY, Speaker


class Measured(Protocol):
    """What a plate is drawn from beside the findings: any answer to an inspection has it."""

    @property
    def specification(self) -> Specification: ...
    @property
    def measures(self) -> Mapping[Corner, CornerMeasures]: ...


@dataclass(frozen=True)
class Measures:
    """The measures of an inspection alone, without any diagnosis."""

    specification: Specification
    measures: Mapping[Corner, CornerMeasures]


def axle_plate(
    inspection: Inspection,
    answer: Measured,
    axle_name: Axle,
    limits: Mapping[str, float],
    exaggerated: bool = False,
    say: Speaker = PLAINLY,
) -> Plate:
    """Draw one axle.

    limits : the workshop's; exaggerated : differences from the axle's mean lining are drawn three times as large.
    """
    axle = answer.specification.axles[axle_name]
    names = answer.specification.corners_on(axle_name)
    means = [pad.mean.value for c in names for side in PADS if (pad := getattr(answer.measures[c], side))]
    middle = sum(means) / len(means) if means else 0.0
    corners = [
        DrawnCorner(
            name,
            axle,
            inspection.corner(name),
            answer.measures[name],
            say,
            limits,
            middle,
            3.0 if exaggerated else 1.0,
        )
        for name in names
    ]
    width = 2 * MARGIN + corners[0].width * len(corners) + (CENTRE if len(corners) > 1 else 0)
    height = corners[0].under + CAPTIONS
    shapes: list[Shape] = []
    for number, corner in enumerate(corners):
        pen = Pen((lambda x: MARGIN + x) if number == 0 else (lambda x: width - MARGIN - x), say=say)
        draw_corner(pen, corner)
        shapes += pen.shapes
    if len(corners) == 2:
        shapes += _across(width, corners)
    return Plate(round(width, 2), round(height, 2), tuple(shapes), say(_description(corners)))


def _across(width: float, both: list[DrawnCorner]) -> list[Shape]:
    pen = Pen(say=both[0].say)
    pen.line("plate-axis", width / 2, 3, width / 2, both[0].under + CAPTIONS - 3)
    difference: Measure | None = both[0].measures.minus(both[1].measures)
    if difference:
        heavy = difference.beyond_gauge_error
        style = "plate-dimension plate-heavy" if heavy else "plate-dimension"
        y = (both[0].lead + both[0].trail) / 2 + 9
        pen.line(style, width / 2 - 15, y, width / 2 + 15, y)
        figure = signed_mm(difference.value, both[0].say) if heavy else said("alike")
        words = "plate-difference plate-heavy" if heavy else "plate-difference"
        pen.text("plate-difference plate-on-paper", width / 2, y - 2.2, said("left − right"))
        pen.text(words + " plate-on-paper", width / 2, y + 5.6, figure)
    return pen.shapes


def _description(corners: list[DrawnCorner]) -> Sayable:
    """The drawing in words, for those who cannot see it."""
    told = []
    for corner in corners:
        parts: list[Sayable] = [
            said("{side} pad {lining}", side=side, lining=mm(pad.mean.value))
            if (pad := getattr(corner.measures, side))
            else said("{side} pad not measured", side=side)
            for side in PADS
        ]
        drag = corner.measures.drag
        parts += [said("drag {torque}", torque=nm(drag.torque_nm))] if drag else []
        parts += noteworthy(corner.found, corner.limits)
        told.append(said("{place}: {parts}", place=corner.name, parts=joined(parts, ", ")))
    return joined(told)


def tiny_plate(linings: Mapping[Corner, tuple[float | None, float | None]], say: Speaker) -> Plate:
    """Four corners as two rows of linings, for a list of jobs: solid is left, hatched is gone, dashed unmeasured.

    linings : of each corner the shares of inner and outer lining that are left, None where not measured.
    """
    return _tiny_plate(tuple(linings.items()), say(said("lining left at each corner")))


@lru_cache(maxsize=512)
def _tiny_plate(linings: tuple[tuple[Corner, tuple[float | None, float | None]], ...], description: str) -> Plate:
    pen = Pen()
    row_height, bar, gap = 14.0, 22.0, 3.0
    half = 2 * bar + gap
    for row, axle in enumerate(AXLES):
        corners = [(corner, left) for corner, left in linings if corner.axle == axle]
        for number, (_, (inner, outer)) in enumerate(corners):
            start = (0.0 if number == 0 else half + 12) if len(corners) > 1 else half / 2 + 6
            for which, left in enumerate((outer, inner) if number == 0 else (inner, outer)):
                x, y = start + which * (bar + gap), row * row_height + 2
                if left is None:
                    pen.box("plate-unmeasured", x, y, x + bar, y + 9)
                else:
                    edge = x + bar * max(0.03, min(1.0, left))
                    pen.box("plate-ghost", edge, y, x + bar, y + 9)
                    pen.box("plate-lining", x, y, edge, y + 9)
    return Plate(2 * half + 12, 2 * row_height, tuple(pen.shapes), description)
