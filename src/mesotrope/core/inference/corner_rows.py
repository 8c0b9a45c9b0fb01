"""The rows of a corner: every combination of its faults that there is room for, put in order.

Hidden faults compete for room at a corner, conditions (a thin rotor, an oiled lining) take none: see `faults.toml`.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import combinations, product

import numpy as np

from mesotrope.core.inference.corner_space import CornerSpace, Part
from mesotrope.core.language.faults import Fault
from mesotrope.core.language.knowledge import Knowledge

#: As many hidden faults are thought of at one corner, those that visit it counted; one fewer beside a condition.
MOST_AT_A_CORNER = 3


def sets_of(ways: Sequence[Sequence[Part]], most: int) -> list[tuple[Part, ...]]:
    """Every choice of up to `most` faults, each by each of its ways; smaller sets first."""
    return [chosen for size in range(most + 1) for faults in combinations(ways, size) for chosen in product(*faults)]


def _own_sets(ways: Sequence[Sequence[Part]], room: int) -> list[tuple[Part, ...]]:
    """Every choice of a corner's own faults: hidden ones up to the room, conditions beside one fewer."""
    hidden = [parts for parts in ways if not parts[0][0].condition]
    conditions = [parts for parts in ways if parts[0][0].condition]
    alone, *beside = sets_of(conditions, len(conditions))
    out = [(*chosen, *alone) for chosen in sets_of(hidden, room)]
    return out + [(*chosen, *some) for chosen in sets_of(hidden, max(room - 1, 0)) for some in beside]


def _voices(faults: Sequence[Fault], knowledge: Knowledge) -> list[list[str]]:
    """The faults that speak to what is outside the corner: to findings of the whole vehicle, together those whose every
    row is alike, for of them only how many there are tells; and to the other side of the axle, each by itself."""
    out: dict[tuple[object, ...], list[str]] = {}
    for fault in faults:
        rows = tuple((row.key, told) for row in knowledge.system_likelihoods if (told := row.rows_of(fault.id)))
        if rows or fault.both_sides:
            out.setdefault((fault.id if fault.both_sides else "", *rows), []).append(fault.id)
    return list(out.values())


def corner_space(
    knowledge: Knowledge, ways: Sequence[Sequence[Part]], variants: tuple[tuple[Part, ...], ...]
) -> CornerSpace:
    """Build the rows of a corner.

    ways : for every fault that the corner can have, its ways; variants : every set of faults of the system that can
    visit it.
    """
    faults = tuple(parts[0][0] for parts in ways)
    place = {fault.id: index for index, fault in enumerate(faults)}
    total = {parts[0][0].id: sum(m.share for _, m in parts) for parts in ways}
    voices = _voices(faults, knowledge)

    def voiced(row: tuple[int, tuple[Part, ...]]) -> tuple[int, ...]:
        ids = {fault.id for fault, _ in row[1]}
        return tuple(len(ids.intersection(voice)) for voice in voices)

    def order(row: tuple[int, tuple[Part, ...]]) -> tuple[object, ...]:
        variant, chosen = row
        ids = sorted(place[fault.id] for fault, _ in chosen)
        hidden = any(not fault.condition for fault, _ in chosen)
        return variant, hidden, voiced(row), len(ids), ids

    rows = [
        (number, chosen)
        for number, visitors in enumerate(variants)
        for chosen in _own_sets(ways, MOST_AT_A_CORNER - len(visitors))
    ]
    rows.sort(key=order)
    keys = [order(row) for row in rows]
    kind_start = [n for n, key in enumerate(keys) if n == 0 or key[:3] != keys[n - 1][:3]]
    state_start = [n for n, key in enumerate(keys) if n == 0 or key != keys[n - 1]]

    def held(row: int, names: Sequence[str]) -> list[float]:
        ids = {fault.id for fault, _ in rows[row][1]}
        return [float(name in ids) for name in names]

    return CornerSpace(
        faults=faults,
        variants=variants,
        parts=tuple(chosen for _, chosen in rows),
        row_variant=np.array([number for number, _ in rows]),
        share=np.array([np.prod([m.share / total[f.id] for f, m in chosen]) for _, chosen in rows]),
        state_start=np.array(state_start),
        state_faults=np.array([held(row, [f.id for f in faults]) for row in state_start]).reshape(
            len(state_start), len(faults)
        ),
        kind_start=np.array(kind_start),
        spoken=tuple(voice[0] for voice in voices),
        kind_faults=np.array([voiced(rows[row]) for row in kind_start], float).reshape(len(kind_start), len(voices)),
        kind_hidden=np.array([float(any(not f.condition for f, _ in rows[row][1])) for row in kind_start]),
        knowledge=knowledge,
    )
