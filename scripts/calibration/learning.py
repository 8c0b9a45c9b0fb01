"""How much is learnt from how many closed cases of a second world: a picture, and the table in docs/learning.md."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path

from mesotrope.core.learning.counts import total
from mesotrope.core.learning.prequential import Predicted, calibration_error, hits
from mesotrope.demo.closed_year import closed_case
from mesotrope.services.learning import on_all_cores, predict_by, read_by_expert
from scripts.calibration.report import STYLE, keep, percent, plt

#: After how many closed cases what was learnt is held against the expert's tables.
SIZES = (50, 200, 1000, 5000)

#: The vehicles that nothing was learnt from have numbers from here on.
HELD_OUT = 1_000_000

#: Where docs/learning.md holds the table.
BEGIN, END = "<!-- learnt: begin -->", "<!-- learnt: end -->"


@dataclass(frozen=True)
class Learnt:
    """How held-out cases were predicted after so many closed cases; 0: by the expert's tables."""

    cases: int
    log_score: float
    hits: float
    calibration: float

    @classmethod
    def of(cls, cases: int, told: Sequence[Predicted]) -> Learnt:
        mean = sum(one.log_score for one in told) / len(told)
        return cls(cases, mean, hits(told) or 0.0, calibration_error(told))


def closed_line(number: int) -> str:
    return json.dumps(closed_case(number))


def learning_curve(sizes: Sequence[int], held_out: int) -> list[Learnt]:
    """Learn from the first of a second world's closed cases, and predict others by it."""
    with on_all_cores(max(sizes) + held_out) as each:
        tested = list(each(_closed, [str(HELD_OUT + number) for number in range(held_out)]))
        out = [Learnt.of(0, [predicted for _, predicted in each(read_by_expert, tested)])]
        read: list[object] = []
        for size in sizes:
            lines = list(each(_closed, [str(number) for number in range(len(read), size)]))
            read += [counts for counts, _ in each(read_by_expert, lines)]
            told = list(each(partial(predict_by, total(read)), tested))
            out.append(Learnt.of(size, told))
            print(out[-1], flush=True)
    return out


def _closed(number: str) -> str:
    return closed_line(int(number))


def learnt_table(curve: Sequence[Learnt]) -> str:
    """The curve as a table."""
    head = "| closed cases | first suspect right | log score, a vehicle | calibration error |\n|---|---|---|---|"
    rows = [
        f"| {'none: the expert’s tables' if not one.cases else f'{one.cases:,}'} | {percent(one.hits)} "
        f"| {one.log_score:.2f} | {one.calibration:.3f} |"
        for one in curve
    ]
    return "\n".join([head, *rows])


def draw_learning(folder: Path, curve: Sequence[Learnt]) -> None:
    """First suspects and log score over the number of closed cases."""
    folder.mkdir(parents=True, exist_ok=True)
    expert, learnt = curve[0], curve[1:]
    with plt.rc_context(STYLE):
        figure, axes = plt.subplots(1, 2, figsize=(9, 3.6))
        for axis, name, values, before in (
            (axes[0], "first suspect right, %", [100 * one.hits for one in learnt], 100 * expert.hits),
            (axes[1], "log score, a vehicle", [one.log_score for one in learnt], expert.log_score),
        ):
            axis.plot([one.cases for one in learnt], values, "o-", color="#1d4f91", label="learnt")
            axis.axhline(before, color="0.5", linestyle="--", label="the expert’s tables")
            axis.set(xscale="log", xlabel="closed cases learnt from", ylabel=name)
            axis.set_xticks([one.cases for one in learnt], [f"{one.cases:,}" for one in learnt])
            axis.minorticks_off()
        axes[1].legend(frameon=False)
        keep(figure, folder / "learning.svg")


def write_learning(into: Path, sizes: Sequence[int], held_out: int) -> list[Learnt]:
    """Make the picture, and the table in the document, where it is there."""
    curve = learning_curve(sizes, held_out)
    draw_learning(into / "calibration", curve)
    document = into / "learning.md"
    if document.exists():
        text = document.read_text(encoding="utf-8")
        before, after = text.partition(BEGIN)[0], text.partition(END)[2]
        document.write_text(f"{before}{BEGIN}\n{learnt_table(curve)}\n{END}{after}", encoding="utf-8")
    return curve
