"""The measuring plate: an axle's brakes seen edge-on, drawn from their own figures.

Everything across the rotor (linings, backing plates, rotor, gaps) is drawn to one scale, 1 unit = 1 mm. The
length of the pad runs down the page, shortened, leading end on top. Backing plates stand where they stand with
new pads, so that what is worn away is left as a hatched ghost between lining and rotor.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from mesotrope.core.answer import Answer, Overview
from mesotrope.core.evidence import PADS, CornerMeasures, in_words
from mesotrope.core.findings import CornerFindings, Inspection
from mesotrope.core.pads import PadMeasure
from mesotrope.core.quantity import Measure
from mesotrope.core.specification import AxleSpecification

BACKING, CLAW, PISTON = 5.0, 5.0, 17.0
LENGTH_SCALE = 0.42
MARGIN, TOP, BOTTOM, CENTRE = 4.0, 21.0, 39.0, 40.0


@dataclass(frozen=True)
class Shape:
    """One drawn thing: a polygon, line, circle or text, with the style class it wears and the entry it leads to."""

    kind: str
    style: str
    numbers: tuple[float, ...] = ()
    points: str = ""
    text: str = ""
    anchor: str = "middle"
    leads_to: str = ""


@dataclass(frozen=True)
class Plate:
    """A drawn axle: what the template writes out."""

    width: float
    height: float
    shapes: tuple[Shape, ...]
    description: str


@dataclass
class _Pen:
    """Collects shapes in one corner's own coordinates: x from the wheel's outside toward the vehicle's middle."""

    place: Callable[[float], float]
    shapes: list[Shape] = field(default_factory=list)

    def area(self, style: str, *points: tuple[float, float], leads_to: str = "") -> None:
        written = " ".join(f"{self.place(x):.2f},{y:.2f}" for x, y in points)
        self.shapes.append(Shape("polygon", style, points=written, leads_to=leads_to))

    def box(self, style: str, x0: float, y0: float, x1: float, y1: float, leads_to: str = "") -> None:
        self.area(style, (x0, y0), (x1, y0), (x1, y1), (x0, y1), leads_to=leads_to)

    def line(self, style: str, x0: float, y0: float, x1: float, y1: float) -> None:
        numbers = tuple(round(n, 2) for n in (self.place(x0), y0, self.place(x1), y1))
        self.shapes.append(Shape("line", style, numbers=numbers))

    def circle(self, style: str, x: float, y: float, radius: float, leads_to: str = "") -> None:
        numbers = tuple(round(n, 2) for n in (self.place(x), y, radius))
        self.shapes.append(Shape("circle", style, numbers=numbers, leads_to=leads_to))

    def text(self, style: str, x: float, y: float, words: str, anchor: str = "middle") -> None:
        numbers = (round(self.place(x), 2), round(y, 2))
        self.shapes.append(Shape("text", style, numbers=numbers, text=words, anchor=anchor))


def entry_id(corner: str, path: str) -> str:
    """The id of an entry field on the page; tapping a part of the plate leads there."""
    return f"{corner}-{path}".replace(".", "-").replace("_", "-")


def _signed(value: float) -> str:
    return f"{value:+.1f}".replace("-", "−")


def axle_plate(inspection: Inspection, answer: Answer, axle_name: str, exaggerated: bool = False) -> Plate:
    """Draw one axle. `exaggerated`: differences from the axle's mean lining are drawn three times as large."""
    axle = answer.specification.axles[axle_name]
    corners = [corner for corner in answer.specification.corners if corner.split("_")[0] == axle_name]
    stack = CLAW + 2 * BACKING + 2 * axle.pad_new_mm + axle.rotor_new_mm + PISTON
    length = axle.pad_length_mm * LENGTH_SCALE
    width = 2 * MARGIN + stack * len(corners) + (CENTRE if len(corners) > 1 else 0)
    height = TOP + length + BOTTOM
    means = [pad.mean.value for c in corners for side in PADS if (pad := getattr(answer.measures[c], side))]
    middle = sum(means) / len(means) if means else 0.0
    shapes: list[Shape] = []
    for number, corner in enumerate(corners):
        place = (lambda x: MARGIN + x) if number == 0 else (lambda x: width - MARGIN - x)
        pen = _Pen(place)
        _corner(pen, corner, axle, inspection.corner(corner), answer.measures[corner], middle, exaggerated)
        shapes += pen.shapes
    if len(corners) == 2:
        shapes += _across(width, length, [answer.measures[corner] for corner in corners])
    return Plate(round(width, 2), round(height, 2), tuple(shapes), _description(corners, answer))


def _corner(
    pen: _Pen,
    corner: str,
    axle: AxleSpecification,
    found: CornerFindings,
    measures: CornerMeasures,
    middle_mm: float,
    exaggerated: bool,
) -> None:
    new, rotor = axle.pad_new_mm, axle.rotor_new_mm
    lead, trail = TOP, TOP + axle.pad_length_mm * LENGTH_SCALE
    outer_plate = CLAW + BACKING
    rotor_out, rotor_in = outer_plate + new, outer_plate + new + rotor
    inner_plate = rotor_in + new
    body = inner_plate + BACKING
    _caliper(pen, corner, axle, found, lead, trail, body)
    _rotor(pen, corner, axle, found, rotor_out, rotor_in, lead - 1.5, trail + 1.5)
    _pins(pen, corner, axle, found, body, lead, trail)
    for side, plate, face, direction in (("outer", outer_plate, rotor_out, 1), ("inner", inner_plate, rotor_in, -1)):
        pad: PadMeasure | None = getattr(measures, side)
        leads_to = entry_id(corner, f"pad_mm.{side}.lead_rim")
        pen.box("plate-backing", plate - direction * BACKING, lead, plate, trail, leads_to)
        if pad is None:
            pen.box("plate-unmeasured", plate, lead, face, trail, leads_to)
            pen.text("plate-ask", (plate + face) / 2, lead - 3.2, "?")
            continue
        at_lead, at_trail = (max(0.15, min(new, thick)) for thick in _ends(pad, middle_mm, 3.0 if exaggerated else 1.0))
        pen.area(
            "plate-ghost", (plate + direction * at_lead, lead), (face, lead), (face, trail),
            (plate + direction * at_trail, trail),
        )  # fmt: skip
        pen.area(
            "plate-lining", (plate, lead), (plate + direction * at_lead, lead),
            (plate + direction * at_trail, trail), (plate, trail), leads_to=leads_to,
        )  # fmt: skip
        limit = plate + direction * axle.pad_limit_mm
        pen.line("plate-limit", limit, lead - 1.5, limit, trail + 1.5)
        pen.text("plate-figure", (plate + face) / 2, lead - 3.2, f"{pad.mean.value:.1f}")
        if pad.fore_aft and pad.fore_aft.beyond_gauge_error and abs(pad.fore_aft.value) >= 0.5:
            heavy = " plate-heavy" if abs(pad.fore_aft.value) >= 1.5 else ""
            ends = (plate + direction * at_lead, plate + direction * at_trail)
            _ticked(pen, f"plate-dimension{heavy}", *ends, trail + 2.6, 1.1)
            words = f"taper {abs(pad.fore_aft.value):.1f}"
            pen.text(f"plate-difference{heavy}", (plate + face) / 2, trail + 8.6, words)
    split = measures.inner_minus_outer
    if split:
        _dimension(pen, outer_plate + new / 2, inner_plate - new / 2, trail + 21.5, split, "inner − outer")
    caption = in_words(corner)
    if measures.drag:
        least = "≥ " if measures.drag.held_fast else ""
        caption += f" · drag {least}{measures.drag.torque_nm:.1f} N·m"
    pen.text("plate-caption", (CLAW + body) / 2 + CLAW, trail + 36.5, caption)


def _ends(pad: PadMeasure, middle_mm: float, factor: float) -> tuple[float, float]:
    """Thickness to draw at the leading and the trailing end."""
    half = pad.fore_aft.value / 2 if pad.fore_aft else 0.0
    return (
        middle_mm + factor * (pad.mean.value + half - middle_mm),
        middle_mm + factor * (pad.mean.value - half - middle_mm),
    )


def _ticked(pen: _Pen, style: str, x0: float, x1: float, y: float, tick: float) -> None:
    """A dimension line with a tick at either end."""
    pen.line(style, x0, y, x1, y)
    for x in (x0, x1):
        pen.line(style, x, y - tick, x, y + tick)


def _dimension(pen: _Pen, x0: float, x1: float, y: float, difference: Measure, words: str) -> None:
    heavy = difference.beyond_gauge_error
    style = "plate-dimension plate-heavy" if heavy else "plate-dimension"
    _ticked(pen, style, x0, x1, y, 1.6)
    figure = f"{words} {_signed(difference.value)}" if heavy else f"{words} alike"
    pen.text("plate-difference plate-heavy" if heavy else "plate-difference", (x0 + x1) / 2, y + 6.4, figure)


def _rotor(
    pen: _Pen, corner: str, axle: AxleSpecification, found: CornerFindings,
    out: float, into: float, top: float, bottom: float,
) -> None:  # fmt: skip
    places = [place for place in found.rotor_mm or [] if place is not None]
    leads_to = entry_id(corner, "rotor_mm.1")
    worn = max(0.0, axle.rotor_new_mm - min(places)) / 2 if places else 0.0
    style = "plate-rotor" if places else "plate-rotor plate-rotor-unmeasured"
    pen.box(style, out + worn, top, into - worn, bottom, leads_to)
    if worn:
        pen.box("plate-ghost", out, top, out + worn, bottom)
        pen.box("plate-ghost", into - worn, top, into, bottom)
    cut = (axle.rotor_new_mm - axle.rotor_discard_mm) / 2
    for x in (out + cut, into - cut):
        pen.line("plate-limit", x, top, x, bottom)
    if places:
        pen.text("plate-figure", (out + into) / 2, (top + bottom) / 2 + 2, f"{min(places):.1f}")


def _state(value: str | None, table: dict[str, str]) -> str:
    return table.get(value or "", "plate-unknown")


SLIDES = {"free": "plate-free", "stiff": "plate-stiff", "seized": "plate-fast"}
PISTONS = {"easy": "plate-free", "firm": "plate-stiff", "immovable": "plate-fast"}


def _pins(
    pen: _Pen, corner: str, axle: AxleSpecification, found: CornerFindings, body: float, lead: float, trail: float
) -> None:
    if axle.caliper == "floating":
        for which, y in (("upper", lead - 13.5), ("lower", trail + 11.8)):
            state = getattr(found.pin, which) if found.pin else None
            leads_to = entry_id(corner, f"pin.{which}")
            pen.box(f"{_state(state, SLIDES)}", body - 13, y, body + 13, y + 3, leads_to)
            if state in ("stiff", "seized"):
                above = which == "upper"
                pen.text("plate-note", body, y - 1.4 if above else y + 7.2, f"{which} pin {state}")


def _caliper(
    pen: _Pen, corner: str, axle: AxleSpecification, found: CornerFindings, lead: float, trail: float, body: float
) -> None:
    if axle.caliper == "drum":
        return
    pen.box("plate-caliper", 0, lead - 9, body + PISTON, trail + 10.4)
    push = found.piston_pushback or []
    per_side = axle.pistons if axle.caliper == "floating" else max(1, axle.pistons // 2)
    diameter = axle.piston_diameter_mm[0] * LENGTH_SCALE
    room = (trail - lead) / per_side
    for number in range(per_side):
        state = push[number] if number < len(push) else None
        middle = lead + room * (number + 0.5)
        half = min(diameter, room - 1.5) / 2
        leads_to = entry_id(corner, f"piston_pushback.{number + 1}")
        pen.box(_state(state, PISTONS), body, middle - half, body + PISTON - 3, middle + half, leads_to)
        if axle.caliper == "fixed":
            pen.box("plate-unknown", 0.5, middle - half, CLAW, middle + half)
    said = [word for word in push if word in ("firm", "immovable")]
    notes = ([f"piston {said[0]}"] if said else []) + (
        [f"boot {found.piston_boot}"] if found.piston_boot in ("torn", "wet") else []
    )
    for number, note in enumerate(notes):
        pen.text("plate-note", body + PISTON + 1.5, lead + 6 + 6 * number, note, _inward(pen))
    pen.circle("plate-bleeder", body + PISTON - 2, lead - 6, 1.7, entry_id(corner, "bleeder_opened"))


def _inward(pen: _Pen) -> str:
    """Text beside the caliper grows toward the vehicle's middle."""
    return "start" if pen.place(1) > pen.place(0) else "end"


def _across(width: float, length: float, both: list[CornerMeasures]) -> list[Shape]:
    pen = _Pen(lambda x: x)
    pen.line("plate-axis", width / 2, 3, width / 2, TOP + length + BOTTOM - 2)
    difference = both[0].minus(both[1])
    if difference:
        heavy = difference.beyond_gauge_error
        style = "plate-dimension plate-heavy" if heavy else "plate-dimension"
        y = TOP + length / 2 + 5
        pen.line(style, width / 2 - 15, y, width / 2 + 15, y)
        figure = _signed(difference.value) if heavy else "alike"
        words = "plate-difference plate-heavy" if heavy else "plate-difference"
        pen.text("plate-difference plate-on-paper", width / 2, y - 2.2, "left − right")
        pen.text(words + " plate-on-paper", width / 2, y + 5.4, figure)
    return pen.shapes


def _description(corners: list[str], answer: Answer) -> str:
    """The drawing in words, for those who cannot see it."""
    said = []
    for corner in corners:
        here = answer.measures[corner]
        pads = [
            f"{side} pad {pad.mean.value:.1f} mm" if (pad := getattr(here, side)) else f"{side} pad not measured"
            for side in PADS
        ]
        drag = f", drag {here.drag.torque_nm:.1f} N·m" if here.drag else ""
        said.append(f"{in_words(corner)}: {', '.join(pads)}{drag}")
    return "; ".join(said)


def tiny_plate(answer: Answer | Overview) -> Plate:
    """Four corners as two rows of linings, for a list of jobs: solid is left, hatched is gone, dashed unmeasured."""
    shapes: list[Shape] = []
    row_height, bar, gap = 14.0, 22.0, 3.0
    half = 2 * bar + gap
    for row, axle_name in enumerate(("front", "rear")):
        axle = answer.specification.axles[axle_name]
        corners = [corner for corner in answer.specification.corners if corner.split("_")[0] == axle_name]
        for number, corner in enumerate(corners):
            start = (0.0 if number == 0 else half + 12) if len(corners) > 1 else half / 2 + 6
            order = ("outer", "inner") if number == 0 else ("inner", "outer")
            for which, side in enumerate(order):
                x, y = start + which * (bar + gap), row * row_height + 2
                pad = getattr(answer.measures[corner], side)
                pen = _Pen(lambda value: value)
                if pad is None:
                    pen.box("plate-unmeasured", x, y, x + bar, y + 9)
                else:
                    left = bar * max(0.03, min(1.0, pad.mean.value / axle.pad_new_mm))
                    pen.box("plate-ghost", x + left, y, x + bar, y + 9)
                    pen.box("plate-lining", x, y, x + left, y + 9)
                shapes += pen.shapes
    return Plate(2 * half + 12, 2 * row_height, tuple(shapes), "lining left at each corner")
