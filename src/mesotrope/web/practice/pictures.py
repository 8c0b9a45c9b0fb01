"""Readings as pictures: a gauge face, a wheel to count and time, a pad drawn to be judged by eye, a pedal that sinks.

A picture shows what the instrument shows; the figure itself stands nowhere on the page.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from mesotrope.core.language.saying import Sayable, plain, said
from mesotrope.core.practice.acts import Value
from mesotrope.core.practice.bay import Bay
from mesotrope.web.plate.pen import Pen, Plate
from mesotrope.words import Speaker

#: A wheel begins to turn after this, so that nobody misses its start.
BEGINS_S = 0.8

#: A backing plate is drawn this thick: a measure for the eye.
BACKING_MM = 5.0


@dataclass(frozen=True)
class Wheel:
    """A wheel that turns and runs out: whole angle and time, evenly slowed."""

    degrees: float
    seconds: float
    begins_s: float = BEGINS_S


@dataclass(frozen=True)
class Pedal:
    """A pedal under a steady foot: how far it goes down while one watches, in degrees."""

    from_degrees: float
    to_degrees: float
    seconds: float = 6.0


@dataclass(frozen=True)
class Picture:
    """What an instrument shows: drawings with a caption each, a turning wheel, or a pedal."""

    kind: str
    about: Sayable
    faces: tuple[tuple[Sayable, Plate], ...] = ()
    wheel: Wheel | None = None
    pedal: Pedal | None = None


def picture_of(finding: str, shown: Mapping[str, Value], bay: Bay, say: Speaker) -> Picture:
    """The picture of a reading."""
    figures = {path: float(value) for path, value in shown.items() if not isinstance(value, str)}
    if finding == "spin":
        wheel = Wheel(round(360 * figures["spin.turns"], 1), figures["spin.seconds"])
        return Picture(
            "wheel", said("Spun by hand and let go: count its turns by the white mark, and time it."), wheel=wheel
        )
    if finding == "pedal_hold":
        sinks = shown["pedal_hold"] == "sinks"
        return Picture("pedal", said("Held firmly, the engine off: watch it."), pedal=Pedal(34, 62 if sinks else 34))
    if finding == "pedal_travel":
        return Picture("faces", said("How far it went, from rest to the end of its way."),
                       ((said("pedal"), _travel(figures["pedal_travel"], say)),))  # fmt: skip
    if finding == "fluid_level":
        return Picture(
            "faces",
            said("The fluid in its reservoir."),
            ((said("reservoir"), _reservoir(figures["fluid_level"], say)),),
        )
    if finding == "window_pad_mm":
        faces = tuple((said("{side} pad", side=path.partition(".")[2]), _pad(mm, say)) for path, mm in figures.items())
        return Picture(
            "faces",
            said("Through the window; a backing plate is {thickness}.", thickness=plain(BACKING_MM, "mm")),
            faces,
        )
    if finding == "hub_temperature_c":
        return Picture("faces", said("The thermometer at the hub."),
                       (("°C", _dial(figures["hub_temperature_c"], 0, 300, 50, 10, say)),))  # fmt: skip
    faces = tuple((said(_pad_place(path)), _dial(mm, 0, 15, 5, 0.5, say)) for path, mm in figures.items())
    return Picture("faces", said("The depth gauge at the four places of each lining, mm."), faces)


def _pad_place(path: str) -> str:
    return path.partition(".")[2].replace(".", " ").replace("_", " ")


def _dial(value: float, low: float, high: float, figure_every: float, tick_every: float, say: Speaker) -> Plate:
    """A gauge face: figures, ticks, a pointer."""
    pen, middle, radius = Pen(), 30.0, 26.0

    def at(figure: float, out: float) -> tuple[float, float]:
        angle = math.radians(-225 + 270 * (min(high, max(low, figure)) - low) / (high - low))
        return middle + out * math.cos(angle), middle + out * math.sin(angle)

    pen.circle("gauge-face", middle, middle, radius + 2.5)
    for number in range(round((high - low) / tick_every) + 1):
        figure = low + number * tick_every
        long = abs(figure / figure_every - round(figure / figure_every)) < 1e-6
        pen.line("gauge-tick" if not long else "gauge-tick gauge-tick-long", *at(figure, radius),
                 *at(figure, radius - (5 if long else 2.6)))  # fmt: skip
        if long:
            x, y = at(figure, radius - 9.5)
            pen.text("gauge-figure", x, y + 1.8, f"{figure:g}")
    pen.line("gauge-pointer", middle, middle, *at(value, radius - 3))
    pen.circle("gauge-hub", middle, middle, 1.8)
    return Plate(60.0, 60.0, tuple(pen.shapes), say(said("a gauge face to be read")))


def _pad(mm: float, say: Speaker) -> Plate:
    """A pad at its rotor, drawn to scale with its backing plate."""
    pen, scale, top, high = Pen(say=say), 2.6, 8.0, 40.0
    rotor, lining = 16.0, mm * scale
    pen.box("plate-rotor", 2, top - 4, 2 + rotor, top + high + 4)
    left = 2 + rotor
    pen.box("plate-lining", left, top, left + lining, top + high)
    pen.box("plate-backing", left + lining, top, left + lining + BACKING_MM * scale, top + high)
    pen.text("plate-caption", 2 + rotor / 2, top + high + 11, said("rotor"))
    pen.text("plate-caption", left + lining + BACKING_MM * scale / 2, top + high + 11, said("backing"))
    return Plate(
        78.0, 64.0, tuple(pen.shapes), say(said("a pad seen through the caliper's window, to be judged by eye"))
    )


def _travel(share: float, say: Speaker) -> Plate:
    """A pedal with the arc of its whole way in tenths, without figures."""
    pen, x, y, arm = Pen(say=say), 14.0, 8.0, 50.0

    def at(part: float, out: float) -> tuple[float, float]:
        angle = math.radians(20 + 55 * part)
        return x + out * math.cos(angle), y + out * math.sin(angle)

    pen.curve("gauge-arc", [at(n / 40, arm + 3) for n in range(41)])
    for tenth in range(11):
        pen.line("gauge-tick gauge-tick-long" if tenth % 5 == 0 else "gauge-tick", *at(tenth / 10, arm + 1),
                 *at(tenth / 10, arm + (8 if tenth % 5 == 0 else 5)))  # fmt: skip
    pen.line("plate-caliper", x, y, *at(0, arm))
    pen.line("plate-pedal", x, y, *at(share, arm))
    pen.circle("gauge-hub", *at(share, arm), 2.6)
    rest, floor = at(0, arm + 12), at(1, arm + 12)
    pen.text("plate-caption", rest[0] - 4, rest[1], said("rest"), "start")
    pen.text("plate-caption", floor[0] + 4, floor[1] + 1, said("end"), "start")
    words = say(said("how far it went from rest to the end of its way, to be judged by eye"))
    return Plate(100.0, 76.0, tuple(pen.shapes), words)


def _reservoir(level: float, say: Speaker) -> Plate:
    pen, top, bottom = Pen(say=say), 12.0, 52.0
    y = bottom - level * (bottom - top)
    pen.box("plate-fluid", 20, min(62.0, max(5.0, y)), 60, 63)
    pen.curve("plate-vessel", [(20, 4), (20, 63), (60, 63), (60, 4)])
    for words, height in ((said("MAX"), top), (said("MIN"), bottom)):
        pen.line("gauge-tick gauge-tick-long", 15, height, 25, height)
        pen.text("plate-caption", 13, height + 1.6, words, "end")
    return Plate(72.0, 68.0, tuple(pen.shapes), say(said("a reservoir with its marks, to be judged by eye")))
