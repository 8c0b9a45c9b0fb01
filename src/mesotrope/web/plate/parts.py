"""The parts of one corner as the plate draws them: pads, rotor, pins, caliper, hose, and their captions."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from mesotrope.core.evidence.measures import CornerMeasures
from mesotrope.core.evidence.specification import AxleSpecification
from mesotrope.core.language.corner import Corner
from mesotrope.core.language.inspection import CornerFindings
from mesotrope.core.language.reliance import relies_on
from mesotrope.core.language.saying import Sayable, fine_mm, joined, marked, nm, said, verbatim
from mesotrope.core.physics.pads import PadMeasure
from mesotrope.web.places import entry_id
from mesotrope.web.plate.pen import Pen
from mesotrope.words import Speaker

RELIES_ON = relies_on(marked("drawing"), "taper_shown_mm", "taper_fault_mm", "gap_noted_mm")

BACKING, CLAW, BODY = 5.0, 5.0, 17.0
LENGTH_SCALE = 0.42
MARGIN, TOP, CENTRE = 4.0, 22.0, 42.0
#: Room under the pads: caliper and lower pin, then (where there is one) the hat, then dimensions, caption and notes.
UNDER_PADS, HAT, CAPTIONS = 17.0, 19.0, 34.0
#: Linings thinner than this have their figures set aside; a line of notes holds so many signs.
NARROW, NOTE_SIGNS = 9.0, 44

#: How a part's state is drawn: outlined where it moves or is sound, hatched where it is halfway, solid where it is not.
STATES = {
    "free": "plate-free", "stiff": "plate-stiff", "seized": "plate-fast", "easy": "plate-free", "firm": "plate-stiff",
    "immovable": "plate-fast", "sound": "plate-free", "torn": "plate-fast", "wet": "plate-fast",
    "missing": "plate-unknown", "clean": "plate-free", "rusted": "plate-stiff", "grooved": "plate-fast",
    "pitted": "plate-fast", "returns": "plate-free", "slow": "plate-stiff", "stuck": "plate-fast",
    "worn": "plate-stiff", "delaminated": "plate-fast", "tight": "plate-fast", "low": "plate-fast",
}  # fmt: skip

#: States that need no words: nothing is wrong with them.
UNREMARKABLE = {
    "free", "easy", "sound", "clean", "returns", "greased", "smooth", "complete", "none", "clear", "quiet",
    "moves_and_returns", "intact", "no_change",
}  # fmt: skip


def signed_mm(value: float, say: Speaker) -> str:
    sign = "−" if value < 0 else "+"
    return f"{sign}{say.units.shown(abs(value), 'mm', 1)}"


def _state(value: str | None) -> str:
    return STATES.get(value or "", "plate-unknown")


@dataclass(frozen=True)
class DrawnCorner:
    """One corner with the places of its parts across the page (x) and down it (y)."""

    name: Corner
    axle: AxleSpecification
    found: CornerFindings
    measures: CornerMeasures
    say: Speaker
    limits: Mapping[str, float]
    middle_mm: float
    factor: float

    @property
    def fixed(self) -> bool:
        return self.axle.caliper == "fixed"

    @property
    def outer_plate(self) -> float:
        return (BODY if self.fixed else CLAW) + BACKING

    @property
    def rotor_out(self) -> float:
        return self.outer_plate + self.axle.pad_new_mm

    @property
    def rotor_in(self) -> float:
        return self.rotor_out + self.axle.rotor_new_mm

    @property
    def inner_plate(self) -> float:
        return self.rotor_in + self.axle.pad_new_mm

    @property
    def body(self) -> float:
        return self.inner_plate + BACKING

    @property
    def width(self) -> float:
        return self.body + BODY

    @property
    def lead(self) -> float:
        return TOP

    @property
    def trail(self) -> float:
        return TOP + self.axle.pad_length_mm * LENGTH_SCALE

    @property
    def under(self) -> float:
        """Where dimensions and captions begin."""
        return self.trail + UNDER_PADS + (HAT if self.axle.has("parking_brake_in_drum") else 0)

    def to(self, path: str) -> str:
        return entry_id(self.name, path)


def draw_corner(pen: Pen, corner: DrawnCorner) -> None:
    _hat(pen, corner)
    _caliper(pen, corner)
    _rotor(pen, corner)
    _pins(pen, corner)
    for side, plate, face, direction in (
        ("outer", corner.outer_plate, corner.rotor_out, 1),
        ("inner", corner.inner_plate, corner.rotor_in, -1),
    ):
        _lands(pen, corner, plate, direction)
        _pad(pen, corner, side, plate, face, direction)
    _hose_and_bleeder(pen, corner)
    _captions(pen, corner)


def _pad(pen: Pen, corner: DrawnCorner, side: str, plate: float, face: float, direction: int) -> None:
    pad: PadMeasure | None = getattr(corner.measures, side)
    lead, trail, new = corner.lead, corner.trail, corner.axle.pad_new_mm
    leads_to = corner.to(f"pad_mm.{side}.lead_rim")
    pen.box("plate-backing", plate - direction * BACKING, lead, plate, trail, leads_to)
    if pad is None:
        pen.box("plate-unmeasured", plate, lead, face, trail, leads_to)
        pen.text("plate-ask", (plate + face) / 2, lead - 4.4, "?")
        return
    at_lead, at_trail = (max(0.15, min(new, thick)) for thick in _ends(pad, corner.middle_mm, corner.factor))
    pen.area(
        "plate-ghost", (plate + direction * at_lead, lead), (face, lead), (face, trail),
        (plate + direction * at_trail, trail),
    )  # fmt: skip
    pen.area(
        "plate-lining", (plate, lead), (plate + direction * at_lead, lead), (plate + direction * at_trail, trail),
        (plate, trail), leads_to=leads_to,
    )  # fmt: skip
    limit = plate + direction * corner.axle.pad_limit_mm
    pen.line("plate-limit", limit, lead - 1.5, limit, trail + 1.5)
    aside = max(0.0, NARROW - new)  # figures of thin pads stand aside, or they would run into each other
    at = (plate + face) / 2 - direction * aside
    pen.text("plate-figure", at, lead - 4.4, corner.say.units.shown(pad.mean.value, "mm", 1))
    if pad.fore_aft and pad.fore_aft.beyond_gauge_error and abs(pad.fore_aft.value) >= corner.limits["taper_shown_mm"]:
        heavy = " plate-heavy" if abs(pad.fore_aft.value) >= corner.limits["taper_fault_mm"] else ""
        ends = (plate + direction * at_lead, plate + direction * at_trail)
        pen.ticked(f"plate-dimension{heavy}", *ends, trail + 3.6, 1.1)
        words = said("taper {figure}", figure=verbatim(corner.say.units.shown(abs(pad.fore_aft.value), "mm", 1)))
        pen.text(f"plate-difference{heavy}", (plate + face) / 2, trail + 9.2, words)


def _ends(pad: PadMeasure, middle_mm: float, factor: float) -> tuple[float, float]:
    """Thickness to draw at the leading and the trailing end."""
    half = pad.fore_aft.value / 2 if pad.fore_aft else 0.0
    return (
        middle_mm + factor * (pad.mean.value + half - middle_mm),
        middle_mm + factor * (pad.mean.value - half - middle_mm),
    )


def _lands(pen: Pen, corner: DrawnCorner, plate: float, direction: int) -> None:
    """The bracket's lands at both ends of a pad, where its ears ride."""
    for y in (corner.lead - 2.4, corner.trail + 0.2):
        back = plate - direction * BACKING
        pen.box(_state(corner.found.bracket_lands), back, y, plate, y + 2.2, corner.to("bracket_lands"))


def _rotor(pen: Pen, corner: DrawnCorner) -> None:
    axle, found = corner.axle, corner.found
    out, into = corner.rotor_out, corner.rotor_in
    top, bottom = corner.lead - 1.5, corner.trail + 1.5
    places = found.rotor_places_mm
    leads_to = corner.to("rotor_mm.1")
    worn = max(0.0, axle.rotor_new_mm - min(places)) / 2 if places else 0.0
    style = "plate-rotor" if places else "plate-rotor plate-rotor-unmeasured"
    pen.box(style, out + worn, top, into - worn, bottom, leads_to)
    if worn:
        pen.box("plate-ghost", out, top, out + worn, bottom)
        pen.box("plate-ghost", into - worn, top, into, bottom)
    cut = (axle.rotor_new_mm - axle.rotor_discard_mm) / 2
    for x in (out + cut, into - cut):
        pen.line("plate-limit", x, top, x, bottom)
    for side, x in (("outer", out + worn), ("inner", into - worn)):
        face = getattr(found.rotor_face, side) if found.rotor_face else None
        if face and face not in UNREMARKABLE:
            pen.line("plate-face-marked", x, top, x, bottom)
    if places:
        middle, high = (out + into) / 2, (top + bottom) / 2
        pen.text("plate-figure", middle, high + 2, corner.say.units.shown(min(places), "mm", 1, fine=True))
        step = (bottom - top) / (len(places) + 1)
        for number, place in enumerate(places, start=1):
            y = top + step * number
            if abs(y - high) > 5:
                pen.circle("plate-place-thinnest" if place == min(places) else "plate-place", middle, y, 0.8)


def _hat(pen: Pen, corner: DrawnCorner) -> None:
    """The rotor's hat with the parking brake's shoes inside it."""
    if not corner.axle.has("parking_brake_in_drum"):
        return
    top = corner.trail + UNDER_PADS - 1.0
    out, into = corner.rotor_out, corner.rotor_in
    leads_to = corner.to("parking_shoes")
    pen.line("plate-hidden", (out + into) / 2, corner.trail + 1.5, (out + into) / 2, top)
    pen.box("plate-rotor", out - 14, top, into, top + HAT - 4, leads_to)
    for y in (top + 1.4, top + HAT - 8.0):
        pen.box(_state(corner.found.parking_shoes), out - 11, y, into - 4, y + 2.6, leads_to)
    pen.text("plate-difference", into + 3, top + 9.4, said("parking brake"), inward(pen))


def _pins(pen: Pen, corner: DrawnCorner) -> None:
    if corner.axle.caliper != "floating":
        return
    found, body = corner.found, corner.body
    for which, y in (("upper", corner.lead - 14.5), ("lower", corner.trail + 12.2)):
        state = getattr(found.pin, which) if found.pin else None
        boot = getattr(found.pin_boot, which) if found.pin_boot else None
        pen.box(_state(state), body - 15, y, body + 13, y + 3, corner.to(f"pin.{which}"))
        pen.box(_state(boot), body - 3, y - 0.9, body + 2, y + 3.9, corner.to(f"pin_boot.{which}"))
        pen.target(body - 15, y, body + 13, y + 3, corner.to(f"pin.{which}"), least=9)


def _caliper(pen: Pen, corner: DrawnCorner) -> None:
    axle, found, body = corner.axle, corner.found, corner.body
    lead, trail = corner.lead, corner.trail
    pen.box("plate-caliper", 0, lead - 9.6, body + BODY, trail + 10.6)
    push = found.piston_pushback or []
    per_side = axle.pistons if axle.caliper == "floating" else max(1, axle.pistons // 2)
    room = (trail - lead) / per_side
    for number in range(per_side):
        diameter = axle.piston_diameter_mm[min(number, len(axle.piston_diameter_mm) - 1)] * LENGTH_SCALE
        state = _state(push[number] if number < len(push) else None)
        middle = lead + room * (number + 0.5)
        half = min(diameter, room - 1.5) / 2
        leads_to = corner.to(f"piston_pushback.{number + 1}")
        pen.box(state, body, middle - half, body + BODY - 3, middle + half, leads_to)
        boot = f"plate-boot {_state(found.piston_boot)}"
        pen.box(boot, body, middle - half - 1.2, body + 2.4, middle - half, corner.to("piston_boot"))
        pen.box(boot, body, middle + half, body + 2.4, middle + half + 1.2, corner.to("piston_boot"))
        if corner.fixed:
            pen.box(state, 3, middle - half, BODY, middle + half, leads_to)
    if axle.has("parking_brake_in_caliper"):
        y = (lead + trail) / 2
        state = _state(found.parking_lever)
        pen.box(state, body + BODY - 3, y - 1.8, body + BODY + 4.5, y + 1.8, corner.to("parking_lever"))
        pen.target(body + BODY - 1, y - 2, body + BODY + 6, y + 2, corner.to("parking_lever"), least=9)


def _hose_and_bleeder(pen: Pen, corner: DrawnCorner) -> None:
    found, side = corner.found, corner.body + BODY
    sound = found.hose in ("sound", None)
    style = "plate-hose" + ("" if found.hose else " plate-hose-unknown") + ("" if sound else " plate-hose-bad")
    y = corner.lead + 6
    pen.curve(style, [(side, y), (side + 5, y - 0.5), (side + 9, y - 4), (side + 10, y - 10)])
    pen.target(side + 2, y - 8, side + 12, y, corner.to("hose"))
    low = found.bleeder == "low"
    at = corner.trail + 7.2 if low else corner.lead - 6.2
    marked = found.bleeder in ("rusted", "seized", "low")
    pen.circle(
        "plate-bleeder plate-bleeder-bad" if marked else "plate-bleeder", side - 3, at, 1.9, corner.to("bleeder")
    )
    pen.target(side - 5, at - 2, side - 1, at + 2, corner.to("bleeder"), least=10)
    if found.leak in ("seep", "drip"):
        where = {
            "bleeder": (side - 3, at), "hose_union": (side, y), "piston": (corner.body + 3, corner.trail - 2),
            "line": (side + 10, y - 10),
        }.get(found.leak_at or "", (side, corner.trail + 8))  # fmt: skip
        x, y = where
        pen.area("plate-leak", (x, y), (x + 1.8, y + 4), (x, y + 5.6), (x - 1.8, y + 4), leads_to=corner.to("leak"))


def _captions(pen: Pen, corner: DrawnCorner) -> None:
    y, split = corner.under, corner.measures.inner_minus_outer
    new = corner.axle.pad_new_mm
    if split:
        heavy = split.beyond_gauge_error
        style = "plate-dimension plate-heavy" if heavy else "plate-dimension"
        x0, x1 = corner.outer_plate + new / 2, corner.inner_plate - new / 2
        pen.ticked(style, x0, x1, y + 4, 1.6)
        figure = (
            said("inner − outer {figure}", figure=verbatim(signed_mm(split.value, corner.say)))
            if heavy
            else said("inner − outer alike")
        )
        pen.text("plate-difference plate-heavy" if heavy else "plate-difference", (x0 + x1) / 2, y + 10.2, figure)
    drag = corner.measures.drag
    caption: Sayable = corner.name
    if drag:
        torque: Sayable = nm(drag.torque_nm)
        torque = joined(("≥", torque), " ") if drag.held_fast else torque
        caption = said("{place} · drag {torque}", place=corner.name, torque=torque)
    middle = corner.width / 2
    pen.text("plate-caption", middle, y + 18, corner.say(caption))
    for number, line in enumerate(_lines(noteworthy(corner.found, corner.limits), NOTE_SIGNS, 2, corner.say)):
        pen.text("plate-note", middle, y + 24.5 + 6 * number, line)


def _lines(notes: list[Sayable], signs: int, most: int, say: Speaker) -> list[str]:
    """Set notes into lines; what has no room any more is counted.

    >>> from mesotrope.words import PLAINLY
    >>> _lines(["piston firm", "boot torn", "hose cracked", "lands rusted"], 24, 2, PLAINLY)
    ['piston firm, boot torn', 'hose cracked and 1 more']
    """
    lines: list[str] = []
    for number, note in enumerate(map(say, notes)):
        if lines and len(lines[-1]) + len(note) + 2 <= signs:
            lines[-1] += f", {note}"
        elif len(lines) < most:
            lines.append(note)
        else:
            rest = verbatim(len(notes) - number)
            lines[-1] = say(said("{notes} and {count} more", notes=verbatim(lines[-1]), count=rest))
            break
    return lines


def noteworthy(found: CornerFindings, limits: Mapping[str, float]) -> list[Sayable]:
    """What was found of a corner's parts that is not as it should be, in few words."""
    out: list[Sayable] = []
    for which in ("upper", "lower"):
        state = getattr(found.pin, which) if found.pin else None
        boot = getattr(found.pin_boot, which) if found.pin_boot else None
        out += (
            [said("{which} pin {state}", which=which, state=_plainly(state))]
            if state and state not in UNREMARKABLE
            else []
        )
        out += (
            [said("{which} pin boot {state}", which=which, state=_plainly(boot))]
            if boot and boot not in UNREMARKABLE
            else []
        )
    worst = [word for word in found.piston_pushback or [] if word and word not in UNREMARKABLE]
    if worst:
        out.append(said("piston {state}", state=max(worst, key=["firm", "immovable"].index)))
    for name, words in (
        ("piston_boot", marked("boot {state}")), ("hose", marked("hose {state}")),
        ("bleeder", marked("bleeder {state}")), ("bracket_lands", marked("lands {state}")),
        ("parking_lever", marked("lever {state}")), ("parking_shoes", marked("shoes {state}")),
        ("shield", marked("shield {state}")), ("retaining_pin", marked("retaining pin {state}")),
    ):  # fmt: skip
        value = getattr(found, name)
        if value and value not in UNREMARKABLE:
            out.append(said(words, state=marked("not uppermost") if value == "low" else _plainly(value)))
    for name, words in (
        ("pad_fit", marked("{side} pad {state}")), ("pad_condition", marked("{side} lining {state}")),
        ("rotor_face", marked("{side} rotor face {state}")),
    ):  # fmt: skip
        group = getattr(found, name)
        for side in ("inner", "outer"):
            value = getattr(group, side) if group else None
            if value and value not in UNREMARKABLE:
                out.append(said(words, side=side, state=_plainly(value)))
    if found.leak in ("seep", "drip"):
        out.insert(0, marked("leaks"))
    for side in ("inner", "outer"):
        gap = getattr(found.pad_gap_mm, side) if found.pad_gap_mm else None
        if gap is not None and gap >= limits["gap_noted_mm"]:
            out.append(said("{side} gap {figure}", side=side, figure=fine_mm(gap, None)))
    return out


def _plainly(value: str) -> str:
    return value.replace("_", " ")


def inward(pen: Pen) -> str:
    """Text beside the caliper grows toward the vehicle's middle."""
    return "start" if pen.place(1) > pen.place(0) else "end"
