"""How right the diagnosis is, in figures and pictures: docs/calibration.md."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path

import matplotlib as mpl
import numpy as np
from sklearn.metrics import brier_score_loss

from mesotrope.core.inference.posterior import Suspect
from mesotrope.knowledge import knowledge
from scripts.calibration.cases import Case
from scripts.calibration.regret import GRAVER, SHOWS_NOTHING, Regret
from scripts.calibration.settling import Settled

mpl.use("svg")
import matplotlib.pyplot as plt

#: From this chance on a fault counts as named.
NAMED = 0.5

#: Chances are gathered in bins of this width; one with fewer cases than this says little.
BIN, FEW = 0.1, 100


@dataclass(frozen=True)
class Reliability:
    """For every bin of stated chances: how many, their mean, and the share that was true."""

    count: np.ndarray
    stated: np.ndarray
    true: np.ndarray

    @property
    def error(self) -> float:
        """Expected calibration error: the mean distance of stated from true, weighed by how often it is stated."""
        return float((self.count * np.abs(self.stated - self.true)).sum() / self.count.sum())

    @property
    def farthest(self) -> float:
        """The greatest distance of stated from true in any bin that has `FEW` cases or more."""
        return float(np.abs(self.stated - self.true)[self.count >= FEW].max(initial=0.0))


def reliability(stated: Sequence[float], true: Sequence[bool]) -> Reliability:
    """Gather stated chances in bins and see how often each came true.

    >>> made = reliability([0.05, 0.05, 0.95, 0.95], [False, False, True, False])
    >>> made.count.tolist(), made.true.tolist(), round(made.error, 3)
    ([2, 2], [0.0, 0.5], 0.25)
    """
    p, y = np.array(stated, dtype=float), np.array(true, dtype=float)
    place = np.minimum((p / BIN).astype(int), round(1 / BIN) - 1)
    used = np.unique(place)
    bins = [place == number for number in used]
    return Reliability(
        np.array([inside.sum() for inside in bins]),
        np.array([p[inside].mean() for inside in bins]),
        np.array([y[inside].mean() for inside in bins]),
    )


@dataclass(frozen=True)
class Figures:
    """What the report says of one set of cases."""

    vehicles: int
    top_right: float
    ceiling: float
    top: Reliability
    listed: Reliability
    brier: float
    brier_of_nothing: float
    false_alarms: float


def top_right(tested: Sequence[Case], scores: Sequence[dict[Suspect, float]]) -> float:
    """Of the vehicles with a fault, the share whose highest score is one of their faults."""
    faulty = [(case, score) for case, score in zip(tested, scores, strict=True) if case.truth]
    return sum(max(score, key=lambda s: score[s]) in case.truth for case, score in faulty) / len(faulty)


def figures(tested: Sequence[Case], ceiling: Sequence[dict[Suspect, float]]) -> Figures:
    every = [(p, suspect in case.truth) for case in tested for suspect, p in case.chances.items()]
    stated, true = [p for p, _ in every], [y for _, y in every]
    listed = [(p, y) for p, y in every if p >= 0.05]
    healthy = [(case, corner) for case in tested for corner in case.healthy_corners]
    alarms = sum(
        any(p >= NAMED for (where, _), p in case.chances.items() if where == corner) for case, corner in healthy
    )
    base = float(np.mean(true))
    return Figures(
        len(tested),
        top_right(tested, [case.chances for case in tested]),
        top_right(tested, ceiling),
        reliability([case.chances[case.top] for case in tested], [case.top in case.truth for case in tested]),
        reliability([p for p, _ in listed], [y for _, y in listed]),
        float(brier_score_loss(true, np.clip(stated, 0, 1))),
        base * (1 - base),
        alarms / len(healthy),
    )


def by_fault(tested: Sequence[Case]) -> list[tuple[str, int, float, float, int]]:
    """For every fault: how often it is there, named, among the three likeliest, and how often named falsely."""
    there, named, third, falsely = Counter[str](), Counter[str](), Counter[str](), Counter[str]()
    for case in tested:
        first = sorted(case.chances, key=lambda suspect: -case.chances[suspect])[:3]
        for suspect in case.truth:
            there[suspect[1]] += 1
            named[suspect[1]] += case.chances.get(suspect, 0.0) >= NAMED
            third[suspect[1]] += suspect in first
        for suspect, p in case.chances.items():
            falsely[suspect[1]] += p >= NAMED and suspect not in case.truth
    return [(f, n, named[f] / n, third[f] / n, falsely[f]) for f, n in sorted(there.items(), key=lambda item: -item[1])]


# -- pictures ----------------------------------------------------------------------------------------------------


STYLE = {"font.size": 11, "svg.hashsalt": "mesotrope", "svg.fonttype": "none", "axes.spines.top": False,
         "axes.spines.right": False}  # fmt: skip


def draw_reliability(folder: Path, tables: dict[str, Figures]) -> None:
    """What is said against what is true, for each set of cases."""
    folder.mkdir(parents=True, exist_ok=True)
    with plt.rc_context(STYLE):
        figure, axes = plt.subplots(1, 2, figsize=(9, 4.3), sharey=True)
        for axis, (name, made) in zip(axes, tables.items(), strict=True):
            axis.plot([0, 1], [0, 1], color="0.6", linewidth=1)
            for curve, color, words in (
                (made.top, "#1d4f91", "top suspect"),
                (made.listed, "#24272b", "every suspect"),
            ):
                axis.plot(curve.stated, curve.true, marker="o", color=color, label=words)
            axis.set(xlabel="said", title=name, xlim=(0, 1), ylim=(0, 1))
        axes[0].set_ylabel("true")
        axes[0].legend(frameon=False)
        keep(figure, folder / "reliability.svg")


def draw_minutes(folder: Path, settled: Sequence[Settled]) -> None:
    """How soon vehicles are settled, against the whole fixed order."""
    folder.mkdir(parents=True, exist_ok=True)
    with plt.rc_context(STYLE):
        figure, axis = plt.subplots(figsize=(9, 3.6))
        bins = np.arange(0, max(s.fixed_minutes for s in settled) + 20, 10)
        axis.hist([s.minutes for s in settled], bins, color="#1d4f91", label="by the next test offered")
        axis.hist([s.fixed_minutes for s in settled], bins, color="0.75", label="the whole fixed order")
        axis.set(xlabel="minutes until settled", ylabel="vehicles")
        axis.legend(frameon=False)
        keep(figure, folder / "minutes.svg")


def keep(figure: plt.Figure, path: Path) -> None:
    figure.tight_layout()
    figure.savefig(path, metadata={"Date": None})
    plt.close(figure)


# -- words -------------------------------------------------------------------------------------------------------


def percent(share: float) -> str:
    return f"{100 * share:.1f} %"


def table_of(tables: dict[str, Figures]) -> str:
    rows: list[tuple[str, str, list[str]]] = [
        ("top suspect right, vehicles with a fault", "", [percent(m.top_right) for m in tables.values()]),
        ("the same by gradient boosting (ceiling)", "", [percent(m.ceiling) for m in tables.values()]),
        (
            "share of that ceiling",
            "99 and 96 %",
            [percent(m.top_right / m.ceiling) if m.ceiling else "it got none" for m in tables.values()],
        ),
        ("expected calibration error, top suspect", "under 0.03", [f"{m.top.error:.3f}" for m in tables.values()]),
        ("expected calibration error, all listed", "", [f"{m.listed.error:.3f}" for m in tables.values()]),
        (
            "farthest tenth with 100 cases or more, all listed",
            "0.06",
            [f"{m.listed.farthest:.3f}" for m in tables.values()],
        ),
        ("the same, top suspect", "", [f"{m.top.farthest:.3f}" for m in tables.values()]),
        ("Brier score of every suspect", "", [f"{m.brier:.4f}" for m in tables.values()]),
        ("the same if always said as often as it is", "", [f"{m.brier_of_nothing:.4f}" for m in tables.values()]),
        ("healthy corners with a fault named", "under 3 %", [percent(m.false_alarms) for m in tables.values()]),
    ]
    head = "| | target | " + " | ".join(tables) + " |\n|---|---|" + "---|" * len(tables)
    return "\n".join([head, *(f"| {name} | {target} | {' | '.join(cells)} |" for name, target, cells in rows)])


def settled_table(settled: Sequence[Settled]) -> str:
    faulty = [one for one in settled if one.faulty]
    n = len(settled)
    minutes, fixed = sum(s.minutes for s in settled) / n, sum(s.fixed_minutes for s in settled) / n
    rows = [
        ("minutes", f"{minutes:.0f}", f"{fixed:.0f}"),
        ("tests", f"{sum(s.tests for s in settled) / n:.0f}", f"{sum(s.fixed_tests for s in settled) / n:.0f}"),
        ("top suspect right, vehicles with a fault", percent(sum(s.right for s in faulty) / len(faulty)),
         percent(sum(s.fixed_right for s in faulty) / len(faulty))),
    ]  # fmt: skip
    lines = ["| | by the next test offered | the whole fixed order |", "|---|---|---|"]
    lines += [f"| {name} | {ours} | {theirs} |" for name, ours, theirs in rows]
    return "\n".join(lines) + f"\n\nSettled in {percent(minutes / fixed)} of the minutes (target: at most 60 %)."


def regret_table(regrets: Sequence[Regret]) -> str:
    faulty = [one for one in regrets if one.faulty]
    n = len(faulty)
    best = sum(one.best for one in faulty) / n

    def row(words: str, costs: Sequence[float]) -> str:
        more = [cost - one.best for cost, one in zip(costs, faulty, strict=True)]
        none = sum(value < 1 for value in more) / n
        return f"| {words} | {best + sum(more) / n:.0f} | {sum(more) / n:.0f} | {percent(none)} |"

    return "\n".join([
        "| | expected cost | regret | no regret |", "|---|---|---|---|",
        row("knowing the truth", [one.best for one in faulty]),
        row("the package recommended", [one.recommended for one in faulty]),
        row("only what a hard rule demands", [one.left for one in faulty]),
        row("calipers, pads and rotors, both sides", [one.renewed for one in faulty]),
    ])  # fmt: skip


def decision_table(regrets: Sequence[Regret]) -> str:
    """How often decisions cure, call a faulty vehicle sound, or miss a danger."""
    cured = [one.cures for one in regrets if one.cures is not None]
    dangers = [one for one in regrets if one.danger]
    missed = Counter(one.missed for one in dangers if one.missed)
    wrongly = sum(one.sound_wrongly for one in regrets)
    calipers, needless = sum(one.calipers for one in regrets), sum(one.needless for one in regrets)
    return "\n".join([
        "| | |", "|---|---|",
        f"| the recommended packages cure, knowing the truth | {percent(sum(cured) / max(1, len(cured)))} |",
        f"| calipers rebuilt or renewed that no fault there and no rule asked for | {needless} of {calipers} |",
        f"| of them: in the package of the least expected cost too | {sum(one.needless_anyway for one in regrets)} |",
        f"| *sound* said of a vehicle with a fault that shows | {wrongly} of {len(regrets)} |",
        f"| dangers missed: not called unsafe, and nothing open | {missed.total()} of {len(dangers)} |",
        *(f"| of them: {why} | {missed[why]} |" for why in GRAVER),
        f"| dangers missed once what is offered next was made, until enough was known | {_in_the_end(dangers)} |",
        f"| of them: {SHOWS_NOTHING} | {_in_the_end(one for one in dangers if one.missed == SHOWS_NOTHING)} |",
    ])  # fmt: skip


def _in_the_end(dangers: Iterable[Regret]) -> int:
    return sum(one.missed_in_the_end for one in dangers)


def fault_table(tested: Sequence[Case]) -> str:
    lines = ["| fault | there | named | among the first three | named falsely |", "|---|---|---|---|---|"]
    for fault, there, named, third, falsely in by_fault(tested):
        words = knowledge().words(fault)
        lines.append(f"| {words} | {there} | {percent(named)} | {percent(third)} | {falsely} |")
    return "\n".join(lines)
