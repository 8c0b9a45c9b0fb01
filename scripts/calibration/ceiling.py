"""What a general-purpose classifier reaches on the same vehicles: gradient boosting, one corner a row.

It learns from thousands of simulated vehicles, which no workshop has; what it cannot tell apart, noise and missing
findings hide from anybody.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from sklearn.ensemble import HistGradientBoostingClassifier

from mesotrope.core.inference.posterior import Suspect
from mesotrope.core.language.corner import VEHICLE, Place
from scripts.calibration.cases import Case, Row

NOTHING = "nothing"

#: Findings of the corners that the classifier of the whole system is told the least, middle and most of.
OF_ALL_CORNERS = (
    "drag", "hub_temperature_c", "inner worn", "outer worn", "pad_gap_mm.inner", "pad_gap_mm.outer", "leak",
    "bleeder_opened", "line_loosened_at_master", "pedal_response.inner", "pedal_response.outer",
)  # fmt: skip


def _around(case: Case, corner: str) -> Row:
    """A corner as the classifier sees it: its own findings, its partner's, the mildest and worst, the whole."""
    row = {f"own {name}": value for name, value in case.by_corner[corner].items()}
    partner = corner.partner
    if partner in case.by_corner:
        row |= {f"partner {name}": value for name, value in case.by_corner[partner].items()}
    for name in ("drag", "hub_temperature_c", "inner worn", "outer worn"):
        here = [case.by_corner[other][name] for other in case.corners if name in case.by_corner[other]]
        if here:
            row |= {f"least {name}": min(here), f"most {name}": max(here)}
    side = {"left": 1.0, "right": 2.0}.get(corner.side, 0.0)
    row |= {f"system {name}": value for name, value in case.system.items()}
    for pull in ("system pull_braking", "system pull_coasting"):
        if pull in row:  # none, left, right: turned into toward, away
            row[pull] = 0.0 if row[pull] == 0 else 1.0 if row[pull] == side else 2.0
    return row


def _whole(case: Case) -> Row:
    row = {f"system {name}": value for name, value in case.system.items()}
    for name in OF_ALL_CORNERS:
        here = sorted(case.by_corner[corner][name] for corner in case.corners if name in case.by_corner[corner])
        if here:
            row |= {f"least {name}": here[0], f"middle {name}": here[len(here) // 2], f"most {name}": here[-1]}
    return row


class _Table:
    """Rows as an array with the columns that were seen in training; what is missing stays missing."""

    def __init__(self, rows: Sequence[Row]) -> None:
        self.columns = {name: place for place, name in enumerate(sorted({name for row in rows for name in row}))}

    def of(self, rows: Sequence[Row]) -> np.ndarray:
        out = np.full((len(rows), len(self.columns)), np.nan)
        for number, row in enumerate(rows):
            for name, value in row.items():
                if name in self.columns:
                    out[number, self.columns[name]] = value
        return out


class Ceiling:
    """A classifier of corners and one of the whole system, together giving every suspect a score."""

    def __init__(self, learnt: Sequence[Case], seed: int) -> None:
        rows = [_around(case, corner) for case in learnt for corner in case.corners]
        labels = [_label(case, corner) for case in learnt for corner in case.corners]
        self.corner_table, self.corner = _Table(rows), _boosted(seed)
        self.corner.fit(self.corner_table.of(rows), labels)
        wholes = [_whole(case) for case in learnt]
        self.whole_table, self.whole = _Table(wholes), _boosted(seed)
        self.whole.fit(self.whole_table.of(wholes), [_label(case, VEHICLE) for case in learnt])

    def scores(self, tested: Sequence[Case]) -> list[dict[Suspect, float]]:
        places = [(number, corner) for number, case in enumerate(tested) for corner in case.corners]
        chances = self.corner.predict_proba(self.corner_table.of([_around(tested[n], corner) for n, corner in places]))
        wholes = self.whole.predict_proba(self.whole_table.of([_whole(case) for case in tested]))
        out: list[dict[Suspect, float]] = [
            {
                (VEHICLE, str(fault)): float(p)
                for fault, p in zip(self.whole.classes_, row, strict=True)
                if fault != NOTHING
            }
            for row in wholes
        ]
        for (number, corner), row in zip(places, chances, strict=True):
            out[number] |= {
                (corner, str(fault)): float(p)
                for fault, p in zip(self.corner.classes_, row, strict=True)
                if fault != NOTHING
            }
        return out


def _label(case: Case, place: Place) -> str:
    return min((fault for where, fault in case.truth if where == place), default=NOTHING)


#: So many trees for each label: more tell no better what is left to tell.
ROUNDS = 160


def _boosted(seed: int) -> HistGradientBoostingClassifier:
    return HistGradientBoostingClassifier(
        max_iter=ROUNDS, learning_rate=0.08, max_leaf_nodes=15, min_samples_leaf=12, l2_regularization=1.0,
        max_features=0.5, early_stopping=False, random_state=seed,
    )  # fmt: skip
