"""The numbers that stand beside the entries of a stage, without being asked for."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from urllib.parse import quote, urlencode

from mesotrope.core.evidence.job_numbers import AxleNumbers, CornerNumbers, JobNumbers, beside
from mesotrope.core.evidence.measures import PADS, CornerMeasures
from mesotrope.core.evidence.sentences import difference_in_words
from mesotrope.core.evidence.specification import AxleSpecification
from mesotrope.core.evidence.wear_log import WearLog, rotor_outlasts_next_pads
from mesotrope.core.language.corner import Axle, Corner
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.quantity import Measure
from mesotrope.core.language.reliance import relies_on
from mesotrope.core.language.saying import fine_mm, joined, plain, said
from mesotrope.core.language.units import THOUSANDS, Units
from mesotrope.words import Speaker

RELIES_ON = relies_on(
    "numbers of the job",
    "told_at_kmh",
    "drag_fault_nm",
    "drag_unsafe_nm",
    "inner_outer_look_mm",
    "inner_outer_fault_mm",
    "left_right_fault_mm",
    "taper_fault_mm",
    "temperature_look_k",
    "temperature_fault_k",
    "runout_mm",
    "variation_mm",
    "imbalance_major_percent",
    "imbalance_dangerous_steered_percent",
    "useful_stroke_share",
)


@dataclass(frozen=True)
class Row:
    """One quantity, a cell for each corner of the axle."""

    label: str
    cells: tuple[str, ...]


@dataclass(frozen=True)
class Note:
    """One quantity of the axle or the vehicle. `weighty` is beyond what is usual; `href` leads to its working."""

    label: str
    value: str
    note: str
    weighty: bool
    href: str


@dataclass(frozen=True)
class NumbersPanel:
    columns: tuple[str, ...]
    rows: tuple[Row, ...]
    notes: tuple[Note, ...]

    @property
    def anything(self) -> bool:
        return bool(self.rows or self.notes)


@dataclass(frozen=True)
class Scene:
    """What a panel is made from."""

    stage: str
    axle_name: Axle
    axle: AxleSpecification
    corners: tuple[Corner, ...]
    measures: dict[Corner, CornerMeasures]
    inspection: Inspection
    numbers: JobNumbers
    log: WearLog | None
    say: Speaker
    knowledge: Knowledge


def numbers_panel(scene: Scene) -> NumbersPanel:
    """The panel of a stage; empty where nothing was found that it could compute with."""
    make_rows, make_notes = _ROWS.get(scene.stage), _NOTES.get(scene.stage)
    rows, notes = make_rows(scene) if make_rows else [], make_notes(scene) if make_notes else []
    said = tuple(row for row in rows if any(cell != "" for cell in row.cells))
    return NumbersPanel(tuple(where.words for where in scene.corners), said, tuple(notes))


def working(name: str, **given: object) -> str:
    """The address of a working that carries these figures."""
    carried = {key: f"{value:.6g}" if isinstance(value, float) else str(value) for key, value in given.items()}
    return f"/workings/{name}?{urlencode(carried, quote_via=quote)}"


def _spread(measure: Measure | None, unit: str, say: Speaker, digits: int) -> str:
    if measure is None:
        return ""

    def said(figure: float, to: int) -> str:
        return say.units.shown(figure, unit, to) if unit else f"{figure:.{to}f}"

    digits += not any(digit in said(measure.sd, digits) for digit in "123456789")  # never "± 0"
    low, value = said(measure.sd, digits), said(measure.value, digits)
    return f"{value} ± {low} {say.units.written(unit) if unit else ''}".rstrip()


# -- lift ------------------------------------------------------------------------------------------------------


def _lift_rows(scene: Scene) -> list[Row]:
    say, here = scene.say, [scene.numbers.corners.get(corner) for corner in scene.corners]
    drags = [scene.measures[corner].drag for corner in scene.corners]
    torque = tuple(
        ("at least " if d.held_fast else "") + _spread(Measure(d.torque_nm, d.sd_nm), "N.m", say, 1) if d else ""
        for d in drags
    )
    heat = tuple(f"{c.heat_w:.0f} W" if c and c.heat_w is not None else "" for c in here)
    fuel = tuple(_fuel(c, say) for c in here)
    lining = tuple(_lining(c, say) for c in here)
    at = say(plain(scene.knowledge.limit["told_at_kmh"], "km/h", 0))
    return [
        Row("Drag torque", torque),
        Row(f"Its heat at {at}", heat),
        Row(f"Fuel for 100 {say.units.written('km')}, about", fuel),
        Row(f"Lining of each pad for 1{THOUSANDS}000 {say.units.written('km')}, about", lining),
    ]


def _fuel(corner: CornerNumbers | None, say: Speaker) -> str:
    if corner is None or corner.fuel_l_per_100_km is None:
        return ""
    return say.units.with_unit(1000 * say.units.per_distance(corner.fuel_l_per_100_km, 100), "mL", 0)


def _lining(corner: CornerNumbers | None, say: Speaker) -> str:
    if corner is None or corner.lining_mm_per_1000_km is None:
        return ""
    worn_mm = say.units.per_distance(corner.lining_mm_per_1000_km, 1000)
    return f"{say.units.shown(worn_mm, 'mm', 2, fine=True)} {say.units.written('mm')}"


def _lift_notes(scene: Scene) -> list[Note]:
    say, limit = scene.say, scene.knowledge.limit
    notes = []
    for corner in scene.corners:
        drag = scene.measures[corner].drag
        if drag and drag.torque_nm > limit["drag_fault_nm"]:
            unsafe = drag.torque_nm > limit["drag_unsafe_nm"]
            over = say.units.with_unit(limit["drag_unsafe_nm" if unsafe else "drag_fault_nm"], "N.m", 0)
            words = f"over {over}: {'unsafe heat' if unsafe else 'a fault'}"
            value = say.units.with_unit(drag.torque_nm, "N.m", 1)
            notes.append(Note(f"Drag {corner.words}", value, words, True, ""))
    return notes + _left_against_right(scene)


def _left_against_right(scene: Scene) -> list[Note]:
    axle = scene.numbers.axles.get(scene.axle_name)
    if not axle or not axle.drag_ratio:
        return []
    ratio = axle.drag_ratio
    apart = abs(ratio.value - 1) > 2 * ratio.sd
    words = "the wheels differ" if apart else "alike within what a spin can tell"
    return [Note("Left against right", f"{ratio.value:.1f} ± {ratio.sd:.1f} times", words, apart, "")]


# -- strip and measure -----------------------------------------------------------------------------------------


def _strip_rows(scene: Scene) -> list[Row]:
    say, measured = scene.say, [scene.measures[corner] for corner in scene.corners]
    here = [scene.numbers.corners.get(corner) for corner in scene.corners]
    rows = []
    for side in PADS:
        means = tuple(_spread(p.mean if (p := getattr(m, side)) else None, "mm", say, 2) for m in measured)
        used = tuple(_used(c, side, say) for c in here)
        rows += [
            Row(f"{side.capitalize()} lining, mean", means),
            Row(f"{side.capitalize()} used, left to the limit", used),
        ]
    split = tuple(
        f"{_spread(s, 'mm', say, 2)}, {say(difference_in_words(s))}" if (s := m.inner_minus_outer) else ""
        for m in measured
    )
    rows.append(Row("Inner less outer", split))
    rows.append(Row("Rotor, thinnest and left", tuple(_rotor(c, say) for c in here)))
    life = tuple(_life(scene, corner) for corner in scene.corners)
    return [*rows, Row("Distance left", life)]


def _used(corner: CornerNumbers | None, side: str, say: Speaker) -> str:
    use = corner.pads.get(side) if corner else None
    if not use:
        return ""
    angle = f", wedge {abs(use.angle_deg):.1f}°" if use.angle_deg is not None and abs(use.angle_deg) >= 0.2 else ""
    left = say.units.with_unit(use.left_mm.value, "mm", 1) if use.left_mm.value > 0 else "none"
    return f"{min(999, max(0, use.used_percent)):.0f} %, {left}{angle}"


def _rotor(corner: CornerNumbers | None, say: Speaker) -> str:
    rotor = corner.rotor if corner else None
    if not rotor:
        return ""
    thinnest, left = (fine_mm(measure.value) for measure in (rotor.thinnest, rotor.left))
    if rotor.variation:
        return say(said("{thinnest}, {left} left, varies {by}", thinnest=thinnest, left=left,
                        by=fine_mm(rotor.variation.value, 3)))  # fmt: skip
    return say(said("{thinnest}, {left} left", thinnest=thinnest, left=left))


def _life(scene: Scene, corner: Corner) -> str:
    """Distance left of the lining that ends first, with its 90 % interval."""
    if scene.log is None:
        return ""
    fitted = [s for s in scene.log.series if s.corner == corner and s.part != "rotor" and s.fit]
    if not fitted:
        measured = any(s.corner == corner for s in scene.log.series)
        return "no wear measurable yet" if measured else ""
    first = min(fitted, key=lambda s: s.fit.left_km if s.fit else 0.0)
    assert first.fit is not None
    band = (first.fit.left_km_low, first.fit.left_km_high)
    low, high = (scene.say.units.shown(max(0.0, round(km, -2)), "km") for km in band)
    if first.fit.left_km_high <= 0:
        return f"at its limit ({first.part})"
    return f"{low} to {high} {scene.say.units.written('km')} ({first.part})"


#: What is said of a rotor that the next pads would outlast.
ROTOR_TOO_SOON = "falls under discard before the next pads are worn: offer it now"


def _strip_notes(scene: Scene) -> list[Note]:
    axle = scene.numbers.axles.get(scene.axle_name)
    notes = _homecoming(scene, axle) if axle and axle.returning_ml else []
    notes += _beyond_usual(scene)
    for corner in scene.corners:
        found = rotor_outlasts_next_pads(scene.log, corner) if scene.log else None
        if found:
            left_km, outlasts = found
            words = "outlasts the next pads" if outlasts else ROTOR_TOO_SOON
            km = scene.say.units.with_unit(max(0.0, left_km), "km")
            notes.append(Note(f"Rotor {corner.words}", km, words, not outlasts, ""))
    return notes


def _beyond_usual(scene: Scene) -> list[Note]:
    """Differences larger than the trade calls usual, each with its limit."""
    limit, notes = scene.knowledge.limit, []
    for label, value, look, fault in _compared(scene):
        said = "usual" if value is None else beside(value, limit.get(look), limit.get(fault))
        if value is not None and said != "usual":
            digits = 3 if abs(value) < 1 else 1
            over = scene.say.units.with_unit(limit[fault if said == "a fault" else look], "mm", min(digits, 2))
            notes.append(Note(label, scene.say.units.with_unit(value, "mm", digits), f"over {over}: {said}", True, ""))
    return notes


def _compared(scene: Scene) -> Iterator[tuple[str, float | None, str, str]]:
    """What is held against a limit: its label, its value, and the limits' names for worth a look and for a fault."""
    for corner in scene.corners:
        words, here, numbers = corner.words, scene.measures[corner], scene.numbers.corners.get(corner)
        split = here.inner_minus_outer
        both = ("inner_outer_look_mm", "inner_outer_fault_mm")
        yield (f"Inner less outer, {words}", split.value if split else None, *both)
        for side in PADS:
            pad = getattr(here, side)
            taper = pad.fore_aft.value if pad and pad.fore_aft else None
            yield f"Taper of the {side} pad, {words}", taper, "", "taper_fault_mm"
        varies = numbers.rotor.variation if numbers and numbers.rotor else None
        yield f"Rotor thickness variation, {words}", varies.value if varies else None, "variation_mm", ""
        yield f"Rotor runout, {words}", scene.inspection.corner(corner).rotor_runout_mm, "runout_mm", ""
    if len(scene.corners) == 2:
        left, right = (scene.measures[corner] for corner in scene.corners)
        apart = left.minus(right)
        yield "Left less right", apart.value if apart else None, "", "left_right_fault_mm"


def _homecoming(scene: Scene, axle: AxleNumbers) -> list[Note]:
    say, numbers = scene.say, scene.numbers
    assert axle.returning_ml
    assert axle.home
    assert axle.strokes
    home, hydraulics = axle.home, numbers.hydraulics
    both = Units(volume="fl_oz") if say.units.volume == "mL" else Units()
    back = f"{_spread(axle.returning_ml, 'mL', say, 0)} ({both.with_unit(axle.returning_ml.value, 'mL', 1)})"
    level = scene.inspection.system.fluid_level is not None
    words = "the level was not looked at: MAX is assumed" if not level else f"it would stand at {home.level_after:.2f}"
    over = home.overflow_ml > 0
    take = say.units.with_unit(home.take_out_ml, "mL", 0) if home.take_out_ml >= 1 else "nothing"
    note = (
        f"else {say.units.with_unit(home.overflow_ml, 'mL', 0)} run over"
        if over
        else "to bring it to MAX with pistons home"
    )
    stroke = hydraulics.stroke_mm * scene.knowledge.limit["useful_stroke_share"]
    low, high = max(1.0, axle.strokes.value - axle.strokes.sd), axle.strokes.value + axle.strokes.sd
    strokes, pump = f"{low:.0f} to {high + 0.5:.0f}", "pump before the vehicle moves"
    return [
        Note("Fluid that comes back from this axle", back, words, over, working(
            "fluid-balance", level=1.0, taken_up_ml=0.0, min_to_max_ml=hydraulics.min_to_max_ml,
            returning_ml=axle.returning_ml.value, max_to_brim_ml=hydraulics.max_to_brim_ml)),
        Note("Take out first", take, note, over, ""),
        Note("Strokes to bring the pedal back", strokes, pump, False,
             working("pedal-strokes", volume_ml=axle.returning_ml.value, master_bore_mm=hydraulics.bore_mm,
                     useful_stroke_mm=stroke)),
    ]  # fmt: skip


# -- pedal, look, take in --------------------------------------------------------------------------------------

READINGS = {
    "as_expected": "what the wear explains",
    "topped_up": "higher than the wear explains: somebody topped it up, and a fault may hide",
    "losing": "lower than the wear explains: look for a leak",
}


def _pedal_notes(scene: Scene) -> list[Note]:
    numbers, say = scene.numbers, scene.say
    notes = []
    if numbers.balance:
        balance = numbers.balance
        spread = _spread(balance.excess_ml, "mL", say, 0)
        notes.append(Note("Fluid level against wear", f"{spread} more than explained", READINGS[balance.reading],
                          balance.reading != "as_expected", ""))  # fmt: skip
    elif numbers.taken_up_ml is None:
        missing = ", ".join(corner.words for corner in numbers.unmeasured) or "the linings"
        notes.append(Note("Fluid level against wear", "not known yet", f"linings to measure: {missing}", False, ""))
    fluid = numbers.fluid
    if fluid.verdict:
        said = say(joined(fluid.reasons))
        notes.append(Note(f"Fluid, {numbers.hydraulics.grade}", fluid.verdict, said, fluid.verdict != "fine", ""))
    notes += _travel(scene)
    for name in numbers.axles:
        corner = next(here for here in numbers.corners if here.startswith(name))
        bleed = numbers.corners[corner].bleed
        full = f"until it is all new: {say.units.with_unit(bleed.full_change_ml, 'mL', 0)}"
        value = say.units.with_unit(bleed.bleed_ml, "mL", 0)
        notes.append(Note(f"To bleed one corner of the {name} axle", value, full, False, ""))
    words = "never let the reservoir run dry"
    notes.append(Note("Strokes between refills while bleeding", f"{numbers.refill_strokes:.0f}", words, False, ""))
    return notes


def _travel(scene: Scene) -> list[Note]:
    numbers = scene.numbers
    if numbers.lost_travel_mm is None or numbers.lost_travel_share is None:
        return []
    words = {
        True: "explains the low pedal that was felt", None: "of the travel there is",
        False: "does not explain the low pedal that was felt: look for air, or a clearance not seen",
    }[numbers.travel_explained]  # fmt: skip
    lost = scene.say.units.with_unit(numbers.lost_travel_mm, "mm", 0, fine=True)
    value = f"{lost}, {100 * numbers.lost_travel_share:.0f} %"
    return [Note("Pedal travel lost to the gaps seen", value, words, numbers.travel_explained is False, "")]


def _take_in_notes(scene: Scene) -> list[Note]:
    notes, limit = [], scene.knowledge.limit
    for name, axle in scene.numbers.axles.items():
        if (apart := axle.temperature_difference_k) is not None:
            words = beside(apart, limit["temperature_look_k"], limit["temperature_fault_k"])
            weighty = words != "usual"
            hotter = "left" if apart > 0 else "right"
            value = f"{scene.say(plain(abs(apart), 'K', 0))}, {hotter} hotter"
            notes.append(Note(f"Temperatures of the {name} axle", value, words, weighty, ""))
        if (percent := axle.imbalance_percent) is not None:
            dangerous = name == "front" and percent > limit["imbalance_dangerous_steered_percent"]
            major = percent > limit["imbalance_major_percent"]
            words = "dangerous on a steered axle" if dangerous else "a major defect" if major else "allowed"
            notes.append(Note(f"Brake force imbalance of the {name} axle", f"{percent:.0f} %", words, major, ""))
    return notes


_ROWS = {"lift": _lift_rows, "strip": _strip_rows}
_NOTES = {
    "take-in": _take_in_notes, "pedal": _pedal_notes, "lift": _lift_notes, "look": _travel, "strip": _strip_notes,
}  # fmt: skip
