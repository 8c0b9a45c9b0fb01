"""The numbers that stand beside the entries of a stage, without being asked for."""

from __future__ import annotations

from collections.abc import Iterator

from mesotrope.core.evidence.job_numbers import AxleNumbers, CornerNumbers, beside
from mesotrope.core.evidence.measures import PADS
from mesotrope.core.evidence.sentences import difference_in_words
from mesotrope.core.evidence.wear_log import rotor_outlasts_next_pads
from mesotrope.core.language.corner import Corner
from mesotrope.core.language.quantity import Measure
from mesotrope.core.language.reliance import relies_on
from mesotrope.core.language.saying import Figure, Sayable, fine_mm, joined, marked, ml, mm, nm, plain, said, verbatim
from mesotrope.core.language.units import THOUSANDS, Units
from mesotrope.core.physics.drag import DragMeasure
from mesotrope.web.job.numbers_whole import pedal_notes, take_in_notes, travel_notes
from mesotrope.web.job.panel import Note, NumbersPanel, Row, Scene, spread, working
from mesotrope.words import Speaker

RELIES_ON = relies_on(
    marked("numbers of the job"),
    "told_at_kmh",
    "drag_fault_nm",
    "drag_unsafe_nm",
    "inner_outer_look_mm",
    "inner_outer_fault_mm",
    "left_right_fault_mm",
    "taper_fault_mm",
    "runout_mm",
    "variation_mm",
    "useful_stroke_share",
)


def numbers_panel(scene: Scene) -> NumbersPanel:
    """The panel of a stage; empty where nothing was found that it could compute with."""
    make_rows, make_notes = _ROWS.get(scene.stage), _NOTES.get(scene.stage)
    rows, notes = make_rows(scene) if make_rows else [], make_notes(scene) if make_notes else []
    say, filled = scene.say, (row for row in rows if any(cell != "" for cell in row.cells))
    return NumbersPanel(
        tuple(map(say, scene.corners)),
        tuple(Row(say(row.label), tuple(map(say, row.cells))) for row in filled),
        tuple(Note(say(note.label), say(note.value), say(note.note), note.weighty, note.href) for note in notes),
    )


# -- lift ------------------------------------------------------------------------------------------------------


def _lift_rows(scene: Scene) -> list[Row]:
    say, here = scene.say, [scene.numbers.corners.get(corner) for corner in scene.corners]
    drags = [scene.measures[corner].drag for corner in scene.corners]
    torque = tuple(
        said("at least {torque}", torque=_torque(d, say)) if d and d.held_fast else _torque(d, say) if d else ""
        for d in drags
    )
    heat = tuple(plain(c.heat_w, "W", 0) if c and c.heat_w is not None else "" for c in here)
    fuel = tuple(_fuel(c, say) for c in here)
    lining = tuple(_lining(c, say) for c in here)
    at, km = plain(scene.knowledge.limit["told_at_kmh"], "km/h", 0), say.unit("km")
    return [
        Row(marked("Drag torque"), torque),
        Row(said("Its heat at {speed}", speed=at), heat),
        Row(said("Fuel for {distance}, about", distance=verbatim(f"100 {km}")), fuel),
        Row(said("Lining of each pad for {distance}, about", distance=verbatim(f"1{THOUSANDS}000 {km}")), lining),
    ]


def _torque(drag: DragMeasure, say: Speaker) -> Sayable:
    return spread(Measure(drag.torque_nm, drag.sd_nm), "N.m", say, 1)


def _fuel(corner: CornerNumbers | None, say: Speaker) -> Sayable:
    if corner is None or corner.fuel_l_per_100_km is None:
        return ""
    return ml(1000 * say.units.per_distance(corner.fuel_l_per_100_km, 100))


def _lining(corner: CornerNumbers | None, say: Speaker) -> Sayable:
    if corner is None or corner.lining_mm_per_1000_km is None:
        return ""
    worn_mm = say.units.per_distance(corner.lining_mm_per_1000_km, 1000)
    return fine_mm(worn_mm)


def _lift_notes(scene: Scene) -> list[Note]:
    limit = scene.knowledge.limit
    notes = []
    for corner in scene.corners:
        drag = scene.measures[corner].drag
        if drag and drag.torque_nm > limit["drag_fault_nm"]:
            unsafe = drag.torque_nm > limit["drag_unsafe_nm"]
            over = nm(limit["drag_unsafe_nm" if unsafe else "drag_fault_nm"], 0)
            words = said(OVER[unsafe], limit=over)
            notes.append(Note(said("Drag {place}", place=corner), nm(drag.torque_nm), words, True, ""))
    return notes + _left_against_right(scene)


OVER = {True: marked("over {limit}: unsafe heat"), False: marked("over {limit}: a fault")}


def _left_against_right(scene: Scene) -> list[Note]:
    axle = scene.numbers.axles.get(scene.axle_name)
    if not axle or not axle.drag_ratio:
        return []
    ratio = axle.drag_ratio
    apart = abs(ratio.value - 1) > 2 * ratio.sd
    words = marked("the wheels differ") if apart else marked("alike within what a spin can tell")
    value = said("{ratio} times", ratio=Figure(ratio.value, "", 1, ratio.sd))
    return [Note(marked("Left against right"), value, words, apart, "")]


# -- strip and measure -----------------------------------------------------------------------------------------


def _strip_rows(scene: Scene) -> list[Row]:
    say, measured = scene.say, [scene.measures[corner] for corner in scene.corners]
    here = [scene.numbers.corners.get(corner) for corner in scene.corners]
    rows = []
    for side in PADS:
        means = tuple(spread(p.mean if (p := getattr(m, side)) else None, "mm", say, 2) for m in measured)
        used = tuple(_used(c, side) for c in here)
        rows += [
            Row(MEANS[side], means),
            Row(USED[side], used),
        ]
    split = tuple(
        joined((spread(s, "mm", say, 2), difference_in_words(s)), ", ") if (s := m.inner_minus_outer) else ""
        for m in measured
    )
    rows.append(Row(marked("Inner less outer"), split))
    rows.append(Row(marked("Rotor, thinnest and left"), tuple(map(_rotor, here))))
    life = tuple(_life(scene, corner) for corner in scene.corners)
    return [*rows, Row(marked("Distance left"), life)]


MEANS = {"inner": marked("Inner lining, mean"), "outer": marked("Outer lining, mean")}
USED = {"inner": marked("Inner used, left to the limit"), "outer": marked("Outer used, left to the limit")}


def _used(corner: CornerNumbers | None, side: str) -> Sayable:
    use = corner.pads.get(side) if corner else None
    if not use:
        return ""
    parts: list[Sayable] = [verbatim(f"{min(999, max(0, use.used_percent)):.0f} %")]
    parts.append(mm(use.left_mm.value) if use.left_mm.value > 0 else marked("none"))
    if use.angle_deg is not None and abs(use.angle_deg) >= 0.2:
        parts.append(said("wedge {angle}", angle=verbatim(f"{abs(use.angle_deg):.1f}°")))
    return joined(parts, ", ")


def _rotor(corner: CornerNumbers | None) -> Sayable:
    rotor = corner.rotor if corner else None
    if not rotor:
        return ""
    thinnest, left = (fine_mm(measure.value) for measure in (rotor.thinnest, rotor.left))
    if rotor.variation:
        by = fine_mm(rotor.variation.value, 3)
        return said("{thinnest}, {left} left, varies {by}", thinnest=thinnest, left=left, by=by)
    return said("{thinnest}, {left} left", thinnest=thinnest, left=left)


def _life(scene: Scene, corner: Corner) -> Sayable:
    """Distance left of the lining that ends first, with its 90 % interval."""
    if scene.log is None:
        return ""
    fitted = [s for s in scene.log.series if s.corner == corner and s.part != "rotor" and s.fit]
    if not fitted:
        measured = any(s.corner == corner for s in scene.log.series)
        return marked("no wear measurable yet") if measured else ""
    first = min(fitted, key=lambda s: s.fit.left_km if s.fit else 0.0)
    assert first.fit is not None
    band = (first.fit.left_km_low, first.fit.left_km_high)
    low, high = (scene.say.units.shown(max(0.0, round(km, -2)), "km") for km in band)
    if first.fit.left_km_high <= 0:
        return said("at its limit ({part})", part=first.part)
    high = f"{high} {scene.say.unit('km')}"
    return said("{low} to {high} ({part})", low=verbatim(low), high=verbatim(high), part=first.part)


#: What is said of a rotor that the next pads would outlast.
ROTOR_TOO_SOON = marked("falls under discard before the next pads are worn: offer it now")


def _strip_notes(scene: Scene) -> list[Note]:
    axle = scene.numbers.axles.get(scene.axle_name)
    notes = _homecoming(scene, axle) if axle and axle.returning_ml else []
    notes += _beyond_usual(scene)
    for corner in scene.corners:
        found = rotor_outlasts_next_pads(scene.log, corner) if scene.log else None
        if found:
            left_km, outlasts = found
            words = marked("outlasts the next pads") if outlasts else ROTOR_TOO_SOON
            km = verbatim(scene.say.units.with_unit(max(0.0, left_km), "km"))
            notes.append(Note(said("Rotor {place}", place=corner), km, words, not outlasts, ""))
    return notes


def _beyond_usual(scene: Scene) -> list[Note]:
    """Differences larger than the trade calls usual, each with its limit."""
    limit, notes = scene.knowledge.limit, []
    for label, value, look, fault in _compared(scene):
        so = "usual" if value is None else beside(value, limit.get(look), limit.get(fault))
        if value is not None and so != "usual":
            digits = 3 if abs(value) < 1 else 1
            over = mm(limit[fault if so == "a fault" else look], min(digits, 2))
            notes.append(Note(label, mm(value, digits), said("over {limit}: {so}", limit=over, so=so), True, ""))
    return notes


def _compared(scene: Scene) -> Iterator[tuple[Sayable, float | None, str, str]]:
    """What is held against a limit: its label, its value, and the limits' names for worth a look and for a fault."""
    for corner in scene.corners:
        here, numbers = scene.measures[corner], scene.numbers.corners.get(corner)
        split = here.inner_minus_outer
        both = ("inner_outer_look_mm", "inner_outer_fault_mm")
        yield (said("Inner less outer, {place}", place=corner), split.value if split else None, *both)
        for side in PADS:
            pad = getattr(here, side)
            taper = pad.fore_aft.value if pad and pad.fore_aft else None
            yield said("Taper of the {side} pad, {place}", side=side, place=corner), taper, "", "taper_fault_mm"
        varies = numbers.rotor.variation if numbers and numbers.rotor else None
        variation = varies.value if varies else None
        yield said("Rotor thickness variation, {place}", place=corner), variation, "variation_mm", ""
        runout = scene.inspection.corner(corner).rotor_runout_mm
        yield said("Rotor runout, {place}", place=corner), runout, "runout_mm", ""
    if len(scene.corners) == 2:
        left, right = (scene.measures[corner] for corner in scene.corners)
        apart = left.minus(right)
        yield marked("Left less right"), apart.value if apart else None, "", "left_right_fault_mm"


def _homecoming(scene: Scene, axle: AxleNumbers) -> list[Note]:
    say, numbers = scene.say, scene.numbers
    assert axle.returning_ml
    assert axle.home
    assert axle.strokes
    home, hydraulics = axle.home, numbers.hydraulics
    both = Units(volume="fl_oz") if say.units.volume == "mL" else Units()
    again = verbatim(both.with_unit(axle.returning_ml.value, "mL", 1))
    back = said("{figure} ({again})", figure=spread(axle.returning_ml, "mL", say, 0), again=again)
    level = scene.inspection.system.fluid_level is not None
    words = (
        said("it would stand at {level}", level=plain(home.level_after, "", 2))
        if level
        else marked("the level was not looked at: MAX is assumed")
    )
    over = home.overflow_ml > 0
    take = ml(home.take_out_ml) if home.take_out_ml >= 1 else marked("nothing")
    note = (
        said("else {volume} run over", volume=ml(home.overflow_ml))
        if over
        else marked("to bring it to MAX with pistons home")
    )
    stroke = hydraulics.stroke_mm * scene.knowledge.limit["useful_stroke_share"]
    low, high = max(1.0, axle.strokes.value - axle.strokes.sd), axle.strokes.value + axle.strokes.sd
    strokes = said("{low} to {high}", low=plain(low, "", 0), high=plain(high + 0.5, "", 0))
    pump = marked("pump before the vehicle moves")
    return [
        Note(marked("Fluid that comes back from this axle"), back, words, over, working(
            "fluid-balance", level=1.0, taken_up_ml=0.0, min_to_max_ml=hydraulics.min_to_max_ml,
            returning_ml=axle.returning_ml.value, max_to_brim_ml=hydraulics.max_to_brim_ml)),
        Note(marked("Take out first"), take, note, over, ""),
        Note(marked("Strokes to bring the pedal back"), strokes, pump, False,
             working("pedal-strokes", volume_ml=axle.returning_ml.value, master_bore_mm=hydraulics.bore_mm,
                     useful_stroke_mm=stroke)),
    ]  # fmt: skip


_ROWS = {"lift": _lift_rows, "strip": _strip_rows}
_NOTES = {
    "take-in": take_in_notes, "pedal": pedal_notes, "lift": _lift_notes, "look": travel_notes, "strip": _strip_notes,
}  # fmt: skip
