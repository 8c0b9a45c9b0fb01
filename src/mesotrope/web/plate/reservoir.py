"""Pedal and reservoir as a drawing: where the fluid stands between its marks, and how far the pedal goes."""

from __future__ import annotations

from mesotrope.core.language.inspection import SystemFindings
from mesotrope.core.language.level import level_said, level_written
from mesotrope.core.language.saying import joined, plain, said
from mesotrope.web.plate.pen import Pen, Plate
from mesotrope.words import PLAINLY, Speaker

#: Where MAX and MIN lie down the page, and the brim above.
BRIM, MAX, MIN, FLOOR = 14.0, 26.0, 66.0, 78.0
LEFT, RIGHT = 26.0, 86.0
PIVOT = (168.0, 16.0)

#: Heights that a tap on the drawing enters, with one more at either end to bound them.
TAPPED = (-0.4, -0.15, 0.0, 0.25, 0.5, 0.75, 1.0, 1.2, 1.6)


def pedal_plate(
    system: SystemFindings, expected_level: float | None = None, say: Speaker = PLAINLY, *, asks: bool = True
) -> Plate:
    """Draw the reservoir with its level (dashed: where the wear of the pads would put it) and the pedal's travel.

    asks : a tap enters the level.
    """
    pen = Pen(say=say)
    _reservoir(pen, system, expected_level, asks)
    _pedal(pen, system)
    told = [
        said("fluid {level}", level=level_said(system.fluid_level))
        if system.fluid_level is not None
        else said("fluid level not looked at"),
        said("pedal travel {share}", share=plain(system.pedal_travel))
        if system.pedal_travel is not None
        else said("pedal travel not felt"),
    ]
    return Plate(250.0, 92.0, tuple(pen.shapes), say(joined(told)))


def _height(level: float) -> float:
    return min(FLOOR - 1, max(BRIM - 4, MIN - level * (MIN - MAX)))


def _reservoir(pen: Pen, system: SystemFindings, expected_level: float | None, asks: bool) -> None:
    level = system.fluid_level
    outline = [(LEFT, BRIM), (LEFT, FLOOR), (RIGHT, FLOOR), (RIGHT, BRIM)]
    if level is None:
        pen.box("plate-unmeasured", LEFT, MAX, RIGHT, FLOOR, "system-fluid-level")
        pen.text("plate-ask", (LEFT + RIGHT) / 2, 48, "?")
        if asks:
            pen.text("plate-difference", (LEFT + RIGHT) / 2, 57, said("tap the height"))
    else:
        y = _height(level)
        pen.box("plate-fluid", LEFT, y, RIGHT, FLOOR, "system-fluid-level")
        pen.text("plate-figure plate-on-paper", (LEFT + RIGHT) / 2, (y + FLOOR) / 2 + 3, level_written(level))
    pen.curve("plate-vessel", outline)
    swollen = system.cap_seal == "swollen"
    pen.box("plate-fast" if swollen else "plate-free" if system.cap_seal else "plate-unknown", 40, 6, 72, 11.5,
            "system-cap-seal")  # fmt: skip
    for words, y in ((said("MAX"), MAX), (said("MIN"), MIN)):
        pen.line("plate-dimension plate-heavy", LEFT - 4, y, LEFT + 4, y)
        pen.text("plate-difference", LEFT - 6, y + 1.6, words, "end")
    if expected_level is not None:
        y = _height(expected_level)
        pen.line("plate-expected", LEFT + 5, y, RIGHT + 5, y)
        pen.text("plate-difference", RIGHT + 7, y + 1.6, said("as the wear explains"), "start")
    for level, above, below in zip(TAPPED[1:-1], TAPPED[2:], TAPPED, strict=False) if asks else ():
        top, bottom = _height((level + above) / 2), _height((level + below) / 2)
        pen.mark(LEFT, top, RIGHT, bottom, "system-fluid-level", level_written(level))
    if system.fluid_colour:
        pen.text(
            "plate-note", (LEFT + RIGHT) / 2, 87, said("{color} fluid", color=system.fluid_colour.replace("_", " "))
        )


def _pedal(pen: Pen, system: SystemFindings) -> None:
    x, top = PIVOT
    pen.circle("plate-bleeder", x, top, 2.2)
    pen.line("plate-axis", 150, 84, 246, 84)
    rest, floor = (x + 46, 48.0), (x + 18, 76.0)
    pen.line("plate-limit", x, top, *floor)
    pen.line("plate-caliper", x, top, *rest)
    travel = system.pedal_travel
    if travel is None:
        pen.text("plate-ask", x + 40, 74, "?")
    else:
        at = (rest[0] + (floor[0] - rest[0]) * travel, rest[1] + (floor[1] - rest[1]) * travel)
        pen.line("plate-pedal", x, top, *at)
        pen.circle("plate-fast", *at, 3.2, "system-pedal-travel")
        pen.text("plate-figure", x + 52, 74, f"{travel:.0%}".replace("%", " %"))
    told = [
        said(word.replace("_", " "))
        for word in (system.pedal_feel, system.pedal_hold, system.pedal_pump, system.pedal_release)
        if word and word not in ("firm", "holds", "no_change", "full")
    ]
    pen.text("plate-note", x + 34, 88, joined(told, ", "))
