"""The drawing of each working: it moves with the figures."""

from __future__ import annotations

import math
from collections.abc import Callable

from mesotrope.core.language.reliance import relies_on
from mesotrope.core.language.saying import fine_mm, joined, marked, ml, plain, said, verbatim
from mesotrope.core.physics.fluid import boiling_point_c
from mesotrope.core.physics.wear import fit_wear
from mesotrope.core.workings import Result
from mesotrope.web.plate.graph import Frame, axes, band, curve, dot, scale, steps, vessel
from mesotrope.web.plate.pen import Pen, Plate
from mesotrope.words import Speaker

RELIES_ON = relies_on(marked("workings"), "drag_free_nm", "drag_fault_nm", "drag_unsafe_nm")

WIDTH, HEIGHT = 220.0, 110.0


def draw(result: Result, say: Speaker) -> Plate:
    """Draw a working's result; one that has no drawing of its own is drawn as a rule with its first figure."""
    pen = Pen(say=say)
    _DRAWINGS.get(result.working.name, _rule)(pen, result, say)
    found = [
        said("{what} {value}", what=f.label, value=verbatim(result.values[f.name]))
        for f in result.working.found
        if f.name in result.values
    ]
    words = say(said("{title}: {values}", title=result.working.title, values=joined(found)))
    return Plate(WIDTH, HEIGHT, tuple(pen.shapes), words)


def _rule(pen: Pen, result: Result, say: Speaker) -> None:
    found = next((f for f in result.working.found if isinstance(result.values.get(f.name), float)), None)
    if found is None:
        return
    value = result.values[found.name]
    top = max(steps(0, abs(value) * 1.5 or 1.0, 4))
    scale(pen, 20, 60, 180, max(top, abs(value)), abs(value), [])
    pen.text("plate-caption", WIDTH / 2, 30, said(found.label))


def _drag(pen: Pen, result: Result, say: Speaker) -> None:
    torque = float(result.values.get("drag_torque_nm") or result.given.get("drag_torque_nm") or 0.0)
    pen.circle("plate-rotor", 42, 46, 30)
    pen.circle("plate-free", 42, 46, 12)
    turns = result.given.get("turns")
    sweep = 2 * math.pi * ((turns % 1) or 1.0) if turns else 1.2
    arc = [(42 + 36 * math.sin(a), 46 - 36 * math.cos(a)) for a in (sweep * n / 24 for n in range(25))]
    pen.curve("plate-pedal", arc)
    pen.circle("plate-fast", *arc[-1], 2.4)
    if result.given.get("pull_n") is not None:
        pen.line("plate-dimension plate-heavy", 42, 46, 72, 46)
        pen.line("plate-pedal", 72, 46, 72, 16)
        pen.text("plate-note", 76, 20, f"{result.given['pull_n']:g} N", "start")
    limit = result.knowledge.limit
    marks = [
        (limit["drag_free_nm"], said("free")),
        (limit["drag_fault_nm"], said("fault")),
        (limit["drag_unsafe_nm"], said("unsafe heat")),
    ]
    scale(pen, 92, 60, 118, 30, torque, marks)
    pen.text("plate-figure", 151, 92, say.units.with_unit(torque, "N.m", 1))


def _temperature(pen: Pen, result: Result, say: Speaker) -> None:
    value = float(result.values.get("rotor_c") or result.values.get("rise_k") or 0.0)
    high = max(200.0, 100 * math.ceil(value / 100))
    vessel(pen, 100, 10, 22, 84, high, value, said("rotor, °C") if "rotor_c" in result.values else said("rise, K"))


def _fluid_returned(pen: Pen, result: Result, say: Speaker) -> None:
    given = result.given
    x, lead, high = 20.0, 24.0, 46.0
    thick = 11.0

    def pad(at: float, worn: float, direction: int) -> None:
        left = max(0.4, thick - worn)
        pen.box("plate-backing", at - direction * 4, lead, at, lead + high)
        pen.box("plate-lining", at, lead, at + direction * left, lead + high)
        pen.box("plate-ghost", at + direction * left, lead, at + direction * thick, lead + high)

    pad(x + 4, given["outer_wear_mm"], 1)
    rotor = max(2.0, 22 - given["rotor_wear_mm"])
    pen.box("plate-rotor", x + 15, lead - 6, x + 15 + rotor, lead + high + 6)
    pad(x + 52, given["inner_wear_mm"], -1)
    out = given["inner_wear_mm"] + (
        given["outer_wear_mm"] + given["rotor_wear_mm"] if given["caliper"] == "floating" else 0
    )
    shift = min(20.0, out)
    pen.box("plate-free", x + 56, lead + 8, x + 90 - shift, lead + high - 8)
    pen.box("plate-unmeasured", x + 90 - shift, lead + 8, x + 90, lead + high - 8)
    pen.ticked("plate-dimension plate-heavy", x + 90 - shift, x + 90, lead + high + 2, 1.5)
    pen.text(
        "plate-difference plate-heavy",
        x + 90,
        lead + high + 10,
        said("goes home by {distance}", distance=fine_mm(out, 1)),
    )
    value = result.values["volume_ml"]
    vessel(pen, 172, 10, 26, 80, max(60.0, 10 * math.ceil(value / 10)), value, say.units.with_unit(value, "mL", 1))


def _reservoir(pen: Pen, result: Result, say: Speaker) -> None:
    top, bottom, left, right = 26.0, 78.0, 60.0, 140.0

    def y(level: float) -> float:
        return min(94.0, max(8.0, bottom - level * (bottom - top)))

    level = result.given["level"]
    pen.box("plate-fluid", left, y(level), right, 96)
    pen.curve("plate-vessel", [(left, 8), (left, 96), (right, 96), (right, 8)])
    for words, at in ((said("MAX"), 1.0), (said("MIN"), 0.0)):
        pen.line("plate-dimension plate-heavy", left - 4, y(at), left + 4, y(at))
        pen.text("plate-difference", left - 6, y(at) + 1.6, words, "end")
    for words, at in (
        (said("as the wear explains"), result.values["expected_level"]),
        (said("with pistons home"), result.values["level_after"]),
    ):
        pen.line("plate-expected", left + 4, y(at), right + 6, y(at))
        pen.text("plate-difference", right + 8, y(at) + 1.6, words, "start")


def _pedal(pen: Pen, result: Result, say: Speaker) -> None:
    travel = result.values["pedal_travel_mm"]
    share = result.values.get("share_of_travel", travel / 140)
    pen.line("plate-axis", 40, 98, 200, 98)
    rest, floor = (120.0, 50.0), (80.0, 92.0)
    x, y = (r + (f - r) * min(1.0, share) for r, f in zip(rest, floor, strict=True))
    pen.line("plate-caliper", 70, 10, *rest)
    pen.line("plate-pedal", 70, 10, x, y)
    pen.circle("plate-fast", x, y, 4)
    pen.text("plate-figure", 170, 60, say.units.with_unit(travel, "mm", 0, fine=True))
    pen.text("graph-words", 170, 68, said("of pedal lost to gaps"))


def _strokes(pen: Pen, result: Result, say: Speaker) -> None:
    count = result.values["strokes"]
    whole = min(40, math.floor(count))
    for n in range(whole):
        x, y = 20 + 9 * (n % 20), 30 + 34 * (n // 20)
        pen.box("plate-lining", x, y, x + 5, y + 22)
    rest = count - math.floor(count)
    if rest > 0.02 and whole < 40:
        x, y = 20 + 9 * (whole % 20), 30 + 34 * (whole // 20)
        pen.box("plate-unmeasured", x, y, x + 5, y + 22)
        pen.box("plate-lining", x, y + 22 * (1 - rest), x + 5, y + 22)
    pen.text("plate-figure", WIDTH / 2, 104, said("{count} strokes", count=plain(count, "", 1)))


def _jar(pen: Pen, result: Result, say: Speaker) -> None:
    full = result.values["full_change_ml"]
    vessel(pen, 90, 10, 34, 84, full, result.values["bleed_ml"], said("let out"))
    pen.text("plate-note", 130, 12, said("all new at {volume}", volume=ml(full)), "start")


def _forces(pen: Pen, result: Result, say: Speaker) -> None:
    if "imbalance_percent" in result.values:
        bars = [(said("left"), result.given["left_n"]), (said("right"), result.given["right_n"])]
    else:
        bars = [(said("pedal"), result.given["pedal_force_n"]), (said("clamp"), result.values["clamp_force_n"])]
    most = max(value for _, value in bars) or 1.0
    for number, (words, value) in enumerate(bars):
        y = 24 + 34 * number
        pen.box("plate-lining", 40, y, 40 + 150 * value / most, y + 18)
        pen.text("graph-words", 36, y + 11, words, "end")
        pen.text("plate-note", 42, y + 24, f"{value:.0f} N", "start")


def _wedge(pen: Pen, result: Result, say: Speaker) -> None:
    thick = 7.0
    ends = {end: (result.given[f"{end}_rim"] + result.given[f"{end}_hub"]) / 2 for end in ("lead", "trail")}
    for number, (title, first, second) in enumerate((
        (said("along, lead to trail"), ends["lead"], ends["trail"]),
        (said("across, rim to hub"), (result.given["lead_rim"] + result.given["trail_rim"]) / 2,
         (result.given["lead_hub"] + result.given["trail_hub"]) / 2),
    )):  # fmt: skip
        y = 30 + 46 * number
        pen.box("plate-backing", 30, y, 190, y + 5)
        pen.area("plate-lining", (30, y), (30, y - first * 2.2), (190, y - second * 2.2), (190, y))
        pen.line("plate-limit", 26, y - thick, 194, y - thick)
        pen.text("plate-note", 26, y - first, say.units.shown(first, "mm", 1), "end")
        pen.text("plate-note", 194, y - second, say.units.shown(second, "mm", 1), "start")
        pen.text("graph-words", 110, y + 11, title)


def _wear(pen: Pen, result: Result, say: Speaker) -> None:
    given = result.given
    xs, ys, limit = given["odometer_km"], given["thickness_mm"], given["limit_mm"]
    fit = fit_wear(xs, ys, [given["gauge_mm"]] * len(xs), limit)
    end = fit.last_km + max(0.0, fit.left_km)
    frame = Frame(26, 14, 178, 72, min(xs), end * 1.08 + 1, 0, max(ys) * 1.1)
    axes(pen, frame, said("distance, {unit}", unit=verbatim(say.unit("km"))),
         said("thickness, {unit}", unit=verbatim(say.unit("mm"))),
         lambda v: say.units.shown(v, "km"), lambda v: say.units.shown(v, "mm", 1))  # fmt: skip
    along = [frame.x_low + (frame.x_high - frame.x_low) * n / 30 for n in range(31)]
    line = [(x, fit.thickness_mm(x)) for x in along]
    band(
        pen,
        frame,
        "graph-band",
        [(x, m.value - 1.645 * m.sd) for x, m in line],
        [(x, m.value + 1.645 * m.sd) for x, m in line],
    )
    curve(pen, frame, "graph-line", [(x, m.value) for x, m in line])
    curve(pen, frame, "plate-limit", [(frame.x_low, limit), (frame.x_high, limit)])
    for x, y in zip(xs, ys, strict=True):
        dot(pen, frame, "graph-dot", x, y)


def _rotor(pen: Pen, result: Result, say: Speaker) -> None:
    given = result.given
    left = result.values["left_km"]
    frame = Frame(
        26,
        14,
        178,
        72,
        0,
        max(left, given["next_pads_km"]) * 1.1 + 1,
        given["discard_mm"] - 0.4,
        given["thinnest_mm"] + 0.1,
    )
    axes(pen, frame, said("distance, {unit}", unit=verbatim(say.unit("km"))),
         said("rotor, {unit}", unit=verbatim(say.unit("mm"))),
         lambda v: say.units.shown(v, "km"), lambda v: say.units.shown(v, "mm", 1, fine=True))  # fmt: skip
    rate = given["wear_mm_per_1000_km"] / 1000
    curve(
        pen,
        frame,
        "graph-line",
        [(0, given["thinnest_mm"]), (frame.x_high, given["thinnest_mm"] - rate * frame.x_high)],
    )
    curve(pen, frame, "plate-limit", [(0, given["discard_mm"]), (frame.x_high, given["discard_mm"])])
    dot(pen, frame, "graph-dot", given["next_pads_km"], result.values["thickness_after_next_pads_mm"], 2.2)


def _boiling(pen: Pen, result: Result, say: Speaker) -> None:
    dry, wet, water = result.values["dry_c"], result.values["wet_c"], result.given["water_percent"]
    frame = Frame(26, 14, 178, 72, 0, max(5.0, water * 1.1), 100, dry + 10)
    boils = said("boils at, {unit}", unit=verbatim(say.unit("C")))
    axes(pen, frame, said("water, %"), boils, y_shown=lambda v: say.units.shown(v, "C"))
    xs = [frame.x_high * n / 40 for n in range(41)]
    wet_at = result.knowledge.limit["wet_water_percent"]
    curve(pen, frame, "graph-line", [(x, boiling_point_c(dry, wet, x, wet_at)) for x in xs])
    curve(pen, frame, "plate-limit", [(0, wet), (frame.x_high, wet)])
    dot(pen, frame, "graph-dot", water, result.values["boiling_c"], 2.4)


def _bedding(pen: Pen, result: Result, say: Speaker) -> None:
    points = [(x / 60, y) for x, y in result.details["curve"]]
    temperature_curve(
        pen,
        Frame(26, 14, 178, 72, 0, max(1.0, points[-1][0]), 0, max(60.0, result.values["peak_c"] * 1.15)),
        points,
        say,
    )


def temperature_curve(pen: Pen, frame: Frame, points: list[tuple[float, float]], say: Speaker) -> None:
    """Rotor temperature over minutes."""
    rotor = said("rotor, {unit}", unit=verbatim(say.unit("C")))
    axes(pen, frame, said("minutes"), rotor, y_shown=lambda v: say.units.shown(v, "C"))
    curve(pen, frame, "graph-line", points)


def _convert(pen: Pen, result: Result, say: Speaker) -> None:
    for number, (unit, words) in enumerate(
        ((result.given["from"], result.given["value"]), (result.given["to"], f"{result.values['value']:.6g}"))
    ):
        y = 36 + 40 * number
        pen.line("graph-axis", 20, y, 200, y)
        for n in range(19):
            pen.line("graph-axis", 20 + 10 * n, y, 20 + 10 * n, y + (5 if n % 5 == 0 else 3))
        pen.text("plate-figure", 110, y - 4, f"{words} {unit}")
    pen.line("plate-dimension plate-heavy", 110, 42, 110, 68)


def _vin(pen: Pen, result: Result, say: Speaker) -> None:
    number = result.given["number"].strip().upper().replace(" ", "")
    for n, sign in enumerate(number[:17]):
        x = 10 + 12 * n
        style = ("plate-free" if result.values["valid"] else "plate-stiff") if n == 8 else "plate-unmeasured"
        pen.box(style, x, 40, x + 10, 56)
        pen.text("plate-caption", x + 5, 51, sign)
    pen.text("graph-words", 111, 66, said("check digit"))
    pen.text("graph-words", 123, 36, said("model year"))


_DRAWINGS: dict[str, Callable[[Pen, Result, Speaker], None]] = {
    "drag-from-spin": _drag, "drag-from-pull": _drag, "drag-heat": _drag, "drag-temperature": _temperature,
    "fluid-returned": _fluid_returned, "fluid-balance": _reservoir, "pedal-travel-lost": _pedal,
    "pedal-strokes": _strokes, "refill-strokes": _strokes, "bleed-volume": _jar, "clamp-force": _forces,
    "brake-imbalance": _forces, "pad-taper": _wedge, "wear-life": _wear, "rotor-life": _rotor,
    "boiling-point": _boiling, "stop-heat": _temperature, "bedding-plan": _bedding, "convert": _convert, "vin": _vin,
}  # fmt: skip
