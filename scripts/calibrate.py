"""Checks the diagnosis against simulated vehicles whose truth is known, and writes docs/calibration.md."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence
from functools import partial
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))
from scripts.calibration.cases import cases, each
from scripts.calibration.ceiling import Ceiling
from scripts.calibration.learning import SIZES, write_learning
from scripts.calibration.practising import practise, write_practice
from scripts.calibration.regret import regret_of
from scripts.calibration.report import (
    decision_table,
    draw_minutes,
    draw_reliability,
    fault_table,
    figures,
    regret_table,
    settled_table,
    table_of,
)
from scripts.calibration.settling import settle
from scripts.calibration.weighing import weighed_of, weighing_table

ROOT = Path(__file__).resolve().parents[1]

#: Vehicles to learn from and to be tested on never have the same seed.
LEARNT_SEED, TESTED_SEED, SETTLED_SEED = 1001, 2002, 3003

STAGES = {"all findings": "measure", "up to wheels-off": "wheel_off"}


def main(arguments: Sequence[str] | None = None) -> None:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--learnt", type=int, default=6000, help="vehicles the classifier learns from")
    asked.add_argument("--tested", type=int, default=3000, help="vehicles both are tested on")
    asked.add_argument("--settled", type=int, default=200, help="vehicles worked test by test")
    asked.add_argument(
        "--closed", type=int, nargs="*", default=SIZES, help="closed cases of a second world learnt from"
    )
    asked.add_argument("--held-out", type=int, default=400, help="vehicles of that world to be predicted")
    asked.add_argument("--only-learning", action="store_true", help="nothing but what is learnt from closed cases")
    asked.add_argument("--practised", type=int, default=200, help="numbers of practice worked three ways")
    asked.add_argument("--only-practice", action="store_true", help="nothing but the paths through mystery vehicles")
    asked.add_argument("--into", type=Path, default=ROOT / "docs")
    size = asked.parse_args(arguments)
    if size.practised:
        write_practice(size.into, list(each(practise, range(size.practised))))
    if size.only_practice:
        return
    if size.closed:
        write_learning(size.into, size.closed, size.held_out)
    if size.only_learning:
        return
    tables, tested = {}, []
    for name, upto in STAGES.items():
        ceiling = Ceiling(cases(size.learnt, LEARNT_SEED, upto, answered=False), LEARNT_SEED)
        these = cases(size.tested, TESTED_SEED, upto)
        tables[name] = figures(these, ceiling.scores(these))
        tested = tested or these
        print(table_of(tables), flush=True)
    regrets = list(each(partial(regret_of, seed=TESTED_SEED), range(size.tested // 2)))
    weighed = [one for some in each(partial(weighed_of, seed=TESTED_SEED), range(size.tested)) for one in some]
    settled = list(each(partial(settle, seed=SETTLED_SEED), range(size.settled)))
    draw_reliability(size.into / "calibration", tables)
    draw_minutes(size.into / "calibration", settled)
    words = (ROOT / "scripts" / "calibration" / "calibration.md").read_text(encoding="utf-8")
    parts = {
        "tested": size.tested, "learnt": size.learnt, "settled": size.settled, "table": table_of(tables),
        "faults": fault_table(tested), "minutes": settled_table(settled),
        "regret": regret_table(regrets), "decisions": decision_table(regrets), "weighing": weighing_table(weighed),
    }  # fmt: skip
    for name, part in parts.items():
        words = words.replace(f"{{{name}}}", str(part))
    (size.into / "calibration.md").write_text(words, encoding="utf-8")


if __name__ == "__main__":
    main()
