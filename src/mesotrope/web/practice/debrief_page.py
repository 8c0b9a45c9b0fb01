"""The debrief in words and as a picture: a missed danger first, then the truth, the paths side by side, the money."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from mesotrope.core.inference.posterior import Suspect
from mesotrope.core.language.corner import Corner, listed
from mesotrope.core.language.faults import NO_FAULT
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import AsWritten, Sayable, plain, said
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
        number=written(run.number),
        difficulty=say(figures.words[told.mystery.difficulty]),
        lesson=say(told.mystery.lesson),
        complaint=told.mystery.complaint,
        missed_danger=judged.missed_danger,
        false_alarm=judged.false_alarm,
        danger=tuple(map(say, judged.danger)),
        safe_said=judged.safe_said,
        truth=tuple(_truth(one, told, knowledge, say) for one in told.mystery.truth),
        wrong=tuple(_suspect(one, knowledge, say) for one in judged.wrong),
        points=told.points,
        whole=round(figures.points["whole"]),
        deducted=tuple((say(one.why), one.points) for one in told.deducted),
        minutes=say(minutes_said(told.taken.minutes)),
        best_minutes=say(minutes_said(told.best.minutes)),
        needless=told.needless,
        settling=say(
            said(
                "{step}, after {minutes}",
                step=AsWritten(step_words(settling.step, knowledge, say)),
                minutes=minutes_said(settling.step.clock),
            )
        )
        if settling
        else "",
        taken=tuple(_row(one, told, knowledge, say) for one in told.taken.told),
        best=tuple(_row(one, told, knowledge, say) for one in told.best.told),
        picture=_beliefs(told.taken, told.best, say),
        chosen=_bill(judged.chosen, currency, knowledge, say),
        best_work=_bill(judged.best, currency, knowledge, say),
        over=f"{judged.over:.0f} {currency}" if judged.over >= 1 else "",
    )


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
        return say("worn down to their limit by braking alone")
    graver = [one for one in knowledge.practice.severity if one.value <= fault.severity + 0.15]
    words = graver[-1].words if graver else knowledge.practice.severity[0].words
    return say(said("{how}, for {distance}", how=words, distance=plain(round(fault.onset_km, -2), "km")))


def _row(one: Told, told: Debrief, knowledge: Knowledge, say: Speaker) -> PathRow:
    step = one.step
    found = step.found or step.shown
    rows = found_rows(step.act.place, found.items(), knowledge, say)
    flags = [say(step.spoiled), say(step.mishap)]
    if step.act.kind == "read" and any(step.shown.get(path) != value for path, value in step.found.items()):
        shown = found_rows(step.act.place, step.shown.items(), knowledge, say)
        flags.append(say(said("the instrument showed {reading}", reading=AsWritten(_said(shown)))))
    return PathRow(
        clock=say(minutes_said(step.clock)),
        words=capitalized(step_words(step, knowledge, say)),
        found=_said(rows),
        why=say(why(told.mystery, step, knowledge)),
        told=say(_told(one)),
        weight=f"{one.weight_db:+.0f}".replace("-", "−"),
        belief=_belief(one, knowledge, say),
        flags=tuple(flag for flag in flags if flag),
        needless=one.needless,
    )


def _said(rows: Iterable[tuple[str, str]]) -> str:
    return ", ".join(f"{label} {value}".strip() for label, value in rows)


def _told(one: Told) -> Sayable:
    """What a step told, in words: towards the truth, or away from it."""
    if one.step.act.kind not in ("test", "read") or (one.step.act.kind == "test" and not one.step.found):
        return ""
    size = abs(one.weight_db)
    if size < SOMETHING_DB:
        return said("told nothing new")
    much = said("told a lot") if size >= A_LOT_DB else said("told something")
    return much if one.weight_db > 0 else said("misled: {much}, the wrong way", much=much)


def _belief(one: Told, knowledge: Knowledge, say: Speaker) -> str:
    if not one.leading:
        return say("nobody suspected yet")
    suspect, chance = one.leading
    return f"{_suspect(suspect, knowledge, say)}, {say.chance(chance)}" if suspect[1] != NO_FAULT else ""


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
        where = ", ".join(map(say, corners))
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


def _beliefs(taken: Path, best: Path, say: Speaker) -> Plate:
    """What could be believed over the minutes: the truth (its weakest part) as a line, the strongest wrong suspect
    dashed; one's own path above, the best path below."""
    pen, longest = Pen(say=say), max(taken.minutes, best.minutes, 10.0)
    for top, path, words in ((8.0, taken, said("your path")), (60.0, best, said("the best path"))):
        frame = Frame(18, top, 190, 30, 0, longest, 0, 1)
        axes(pen, frame, said("min"), words, y_shown=lambda y: f"{100 * y:.0f} %")
        truth = _stepped(path, [min(one.truth) for one in path.told])
        wrong = _stepped(path, [one.wrong[1] if one.wrong else 0.0 for one in path.told])
        curve(pen, frame, "graph-line graph-line-outer", [*wrong, (path.minutes, wrong[-1][1])])
        curve(pen, frame, "graph-line", [*truth, (path.minutes, truth[-1][1])])
    last = {
        name: AsWritten(say.chance(min(path.told[-1].truth))) if path.told else said("none")
        for name, path in (("taken", taken), ("best", best))
    }
    words = said("belief in the truth: {taken} at the end of your path, {best} at the end of the best", **last)
    return Plate(216.0, 108.0, tuple(pen.shapes), say(words))
