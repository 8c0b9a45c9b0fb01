"""The debrief in words and as a picture: a missed danger first, then the truth, the paths side by side, the money."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from mesotrope.core.inference.posterior import Suspect
from mesotrope.core.language.corner import Corner, listed
from mesotrope.core.language.faults import NO_FAULT
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.quantity import percent
from mesotrope.core.language.work import Done
from mesotrope.core.practice.debrief import Debrief
from mesotrope.core.practice.judged import Bill
from mesotrope.core.practice.numbers import written
from mesotrope.core.practice.paths import Path, Told
from mesotrope.core.practice.physics_told import why
from mesotrope.core.simulator.parts import Fault
from mesotrope.services.practice import Run
from mesotrope.web.plate.graph import Frame, axes, curve
from mesotrope.web.plate.pen import Pen, Plate
from mesotrope.web.practice.bay_page import found_rows, minutes_said, step_words
from mesotrope.words import Speaker

#: From how many decibans on a test told a lot, or something, in words; below that, nothing worth its minutes.
A_LOT_DB, SOMETHING_DB = 8.0, 2.5


@dataclass(frozen=True)
class TruthRow:
    """A fault that was there: whether it was named, and what the simulation gave it."""

    words: str
    named: bool
    about: str


@dataclass(frozen=True)
class PathRow:
    """One step of a path: what it found, why it read so, and what it told."""

    clock: str
    words: str
    found: str
    why: str
    told: str
    weight: str
    belief: str
    flags: tuple[str, ...]
    needless: bool


@dataclass(frozen=True)
class BillRows:
    work: tuple[str, ...]
    price: str
    left: str
    whole: str


@dataclass(frozen=True)
class DebriefPage:
    number: str
    difficulty: str
    lesson: str
    complaint: str
    missed_danger: bool
    false_alarm: bool
    danger: tuple[str, ...]
    safe_said: bool
    truth: tuple[TruthRow, ...]
    wrong: tuple[str, ...]
    points: int
    whole: int
    deducted: tuple[tuple[str, int], ...]
    minutes: str
    best_minutes: str
    needless: int
    settling: str
    taken: tuple[PathRow, ...]
    best: tuple[PathRow, ...]
    picture: Plate
    chosen: BillRows
    best_work: BillRows
    over: str


def debrief_page(run: Run, told: Debrief, knowledge: Knowledge, say: Speaker) -> DebriefPage:
    judged, figures = told.judged, knowledge.practice
    currency, settling = knowledge.money.currency, told.best.settling
    return DebriefPage(
        number=written(run.number), difficulty=figures.words[told.mystery.difficulty], lesson=told.mystery.lesson,
        complaint=told.mystery.complaint, missed_danger=judged.missed_danger, false_alarm=judged.false_alarm,
        danger=tuple(map(say, judged.danger)), safe_said=judged.safe_said,
        truth=tuple(_truth(one, told, knowledge, say) for one in told.mystery.truth),
        wrong=tuple(_suspect(one, knowledge, say) for one in judged.wrong), points=told.points,
        whole=round(figures.points["whole"]), deducted=tuple((say(one.why), one.points) for one in told.deducted),
        minutes=minutes_said(told.taken.minutes), best_minutes=minutes_said(told.best.minutes), needless=told.needless,
        settling=f"{step_words(settling.step, knowledge, say)}, after {minutes_said(settling.step.clock)}"
        if settling else "",
        taken=tuple(_row(one, told, knowledge, say) for one in told.taken.told),
        best=tuple(_row(one, told, knowledge, say) for one in told.best.told),
        picture=_beliefs(told.taken, told.best), chosen=_bill(judged.chosen, currency, knowledge, say),
        best_work=_bill(judged.best, currency, knowledge, say),
        over=f"{judged.over:.0f} {currency}" if judged.over >= 1 else "",
    )  # fmt: skip


def capitalized(words: str) -> str:
    """Words as a sentence begins.

    >>> capitalized("front left: spin the wheel")
    'Front left: spin the wheel'
    """
    return words[:1].upper() + words[1:]


def _suspect(one: Suspect, knowledge: Knowledge, say: Speaker) -> str:
    place, fault = one
    return f"{say(place)}: {say(knowledge.words(fault))}"


def _truth(one: Suspect, told: Debrief, knowledge: Knowledge, say: Speaker) -> TruthRow:
    fault = next((f for f in told.mystery.vehicle.faults if (f.corner, f.name) == one), None)
    return TruthRow(_suspect(one, knowledge, say), one in told.judged.right, _about(fault, knowledge, say))


def _about(fault: Fault | None, knowledge: Knowledge, say: Speaker) -> str:
    if fault is None:
        return "worn down to their limit by braking alone"
    graver = [one for one in knowledge.practice.severity if one.value <= fault.severity + 0.15]
    words = graver[-1].words if graver else knowledge.practice.severity[0].words
    return f"{words}, for {say.units.with_unit(round(fault.onset_km, -2), 'km')}"


def _row(one: Told, told: Debrief, knowledge: Knowledge, say: Speaker) -> PathRow:
    step = one.step
    found = step.found or step.shown
    rows = found_rows(step.act.place, found.items(), knowledge, say)
    flags = [say(step.spoiled), say(step.mishap)]
    if step.act.kind == "read" and any(step.shown.get(path) != value for path, value in step.found.items()):
        shown = found_rows(step.act.place, step.shown.items(), knowledge, say)
        flags.append(f"the instrument showed {_said(shown)}")
    return PathRow(
        clock=minutes_said(step.clock), words=capitalized(step_words(step, knowledge, say)), found=_said(rows),
        why=say(why(told.mystery, step, knowledge)), told=_told(one), weight=f"{one.weight_db:+.0f}".replace("-", "−"),
        belief=_belief(one, knowledge, say), flags=tuple(flag for flag in flags if flag), needless=one.needless,
    )  # fmt: skip


def _said(rows: Iterable[tuple[str, str]]) -> str:
    return ", ".join(f"{label} {value}".strip() for label, value in rows)


def _told(one: Told) -> str:
    """What a step told, in words: towards the truth, or away from it."""
    if one.step.act.kind not in ("test", "read") or (one.step.act.kind == "test" and not one.step.found):
        return ""
    size = abs(one.weight_db)
    if size < SOMETHING_DB:
        return "told nothing new"
    much = "told a lot" if size >= A_LOT_DB else "told something"
    return much if one.weight_db > 0 else f"misled: {much}, the wrong way"


def _belief(one: Told, knowledge: Knowledge, say: Speaker) -> str:
    if not one.leading:
        return "nobody suspected yet"
    suspect, chance = one.leading
    return f"{_suspect(suspect, knowledge, say)}, {percent(chance)}" if suspect[1] != NO_FAULT else ""


def _bill(bill: Bill, currency: str, knowledge: Knowledge, say: Speaker) -> BillRows:
    return BillRows(
        tuple(_work(bill.work, knowledge, say)), f"{bill.price:.0f} {currency}", f"{bill.left:.0f} {currency}",
        f"{bill.whole:.0f} {currency}",
    )  # fmt: skip


def _work(work: Iterable[Done], knowledge: Knowledge, say: Speaker) -> list[str]:
    """Work in words, an action at both sides of an axle as one."""
    by_action: dict[str, list[Corner]] = {}
    out = []
    for place, action in sorted(work, key=lambda done: (listed(done[0]), done[1])):
        if isinstance(place, Corner):
            by_action.setdefault(action, []).append(place)
        else:
            out.append(say(knowledge.action[action].words))
    for action, corners in by_action.items():
        where = ", ".join(corner.words for corner in corners)
        out.append(f"{where}: {say(knowledge.action[action].words)}")
    return out


# -- the picture -------------------------------------------------------------------------------------------------

Line = Sequence[tuple[float, float]]


def _stepped(path: Path, chance_of: Sequence[float]) -> list[tuple[float, float]]:
    """A belief over the minutes: it stands until the next step ends."""
    out = [(0.0, 0.0)]
    for one, chance in zip(path.told, chance_of, strict=True):
        out += [(one.step.clock, out[-1][1]), (one.step.clock, chance)]
    return out


def _beliefs(taken: Path, best: Path) -> Plate:
    """What could be believed over the minutes: the truth (its weakest part) as a line, the strongest wrong suspect
    dashed; one's own path above, the best path below."""
    pen, longest = Pen(), max(taken.minutes, best.minutes, 10.0)
    for top, path, words in ((8.0, taken, "your path"), (60.0, best, "the best path")):
        frame = Frame(18, top, 190, 30, 0, longest, 0, 1)
        axes(pen, frame, "min", words, y_shown=lambda y: f"{100 * y:.0f} %")
        truth = _stepped(path, [min(one.truth) for one in path.told])
        wrong = _stepped(path, [one.wrong[1] if one.wrong else 0.0 for one in path.told])
        curve(pen, frame, "graph-line graph-line-outer", [*wrong, (path.minutes, wrong[-1][1])])
        curve(pen, frame, "graph-line", [*truth, (path.minutes, truth[-1][1])])
    said = (
        f"belief in the truth: {percent(min(taken.told[-1].truth)) if taken.told else 'none'} at the end of your path, "
        f"{percent(min(best.told[-1].truth)) if best.told else 'none'} at the end of the best"
    )
    return Plate(216.0, 108.0, tuple(pen.shapes), said)
