"""The debrief of a mystery: the commitment against the truth, the path taken beside the best path, and the points."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.practice import PracticeFigures
from mesotrope.core.language.saying import Sayable, marked, plain, said
from mesotrope.core.practice.acts import Act
from mesotrope.core.practice.judged import Commitment, Judged, judge
from mesotrope.core.practice.paths import Path, best_path, path_taken
from mesotrope.core.practice.vehicle import Mystery


@dataclass(frozen=True)
class Deducted:
    """Points that were lost, and for what."""

    points: int
    why: Sayable


@dataclass(frozen=True)
class Debrief:
    """All that is said of a run when it is over."""

    mystery: Mystery
    judged: Judged
    taken: Path
    best: Path
    deducted: tuple[Deducted, ...]
    points: int

    @property
    def needless(self) -> int:
        """Tests that could not have changed what was to be done."""
        return sum(one.needless for one in self.taken.told)

    @property
    def hints(self) -> int:
        return sum(one.step.act.kind == "hint" for one in self.taken.told)

    @property
    def mishaps(self) -> tuple[Sayable, ...]:
        return tuple(one.step.mishap for one in self.taken.told if one.step.mishap)

    @property
    def spoiled(self) -> int:
        """Readings that were not what they would have been."""
        return sum(bool(one.step.spoiled) for one in self.taken.told)


def debrief(
    mystery: Mystery, acts: Sequence[Act], commitment: Commitment, knowledge: Knowledge, *, pictures: bool = False
) -> Debrief:
    """Work a run out to its end."""
    judged = judge(mystery, commitment, knowledge)
    taken = path_taken(mystery, acts, knowledge, pictures=pictures)
    best = best_path(mystery, knowledge)
    lost = tuple(_lost(judged, taken, best, knowledge.practice, knowledge))
    whole = round(knowledge.practice.points["whole"])
    return Debrief(mystery, judged, taken, best, lost, max(0, whole - sum(one.points for one in lost)))


def _lost(judged: Judged, taken: Path, best: Path, figures: PracticeFigures, knowledge: Knowledge) -> list[Deducted]:
    points, told = figures.points, [one.step for one in taken.told]
    hints = [step.act.what for step in told if step.act.kind == "hint"]
    currency = knowledge.money.currency
    lost: list[tuple[float, Sayable]] = [
        (points["missed_danger"] * judged.missed_danger, marked("a vehicle that must not be driven was let go")),
        (points["false_alarm"] * judged.false_alarm, marked("a vehicle was kept that may be driven")),
        *((points["fault_missed"], said("not named: {fault}, {place}", fault=knowledge.words(fault), place=place))
          for place, fault in judged.missed),
        *((points["fault_wrong"], said("named, but not there: {fault}, {place}", fault=knowledge.words(fault),
                                       place=place)) for place, fault in judged.wrong),
        *((points["mishap"], step.mishap) for step in told if step.mishap),
        (points["unpressed"] * any(step.spoiled for step in told),
         marked("a wheel was spun when it could not drag as it does on the road")),
        *((points[f"hint_{what}"] * hints.count(what), said("hints: {count}", count=plain(hints.count(what))))
          for what in sorted(set(hints))),
        (min(points["most_for_minutes"], max(0.0, taken.minutes - best.minutes) / points["minutes_a_point"]),
         said("{minutes} min more than the best path", minutes=plain(round(taken.minutes - best.minutes)))),
        (min(points["most_for_money"], judged.over / points["money_a_point"]),
         said("the work costs {money} {currency} more than the best", money=plain(round(judged.over)),
              currency=currency)),
    ]  # fmt: skip
    return [Deducted(round(count), why) for count, why in lost if round(count) > 0]
