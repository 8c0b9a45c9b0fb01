"""The suspect board: every suspect against every finding, with weights."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from mesotrope.core.evidence.pieces import Evidence, Isolated, Tapered, Worn
from mesotrope.core.inference.posterior import Suspect
from mesotrope.core.inference.story import StoryStep
from mesotrope.core.language.corner import Place
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import Sayable, marked, placed


@dataclass(frozen=True)
class Column:
    """One finding that was made, as the board heads it."""

    finding: str
    aspect: str
    sentences: tuple[Sayable, ...]


@dataclass(frozen=True)
class BoardRow:
    """One suspect with its chance and the weight of every finding, decibans; `struck` where it is cleared."""

    fault: str
    words: str
    probability: float
    struck: bool
    decibans: tuple[float, ...]


@dataclass(frozen=True)
class Board:
    """The board of one corner, or of the whole vehicle."""

    corner: Place
    columns: tuple[Column, ...]
    rows: tuple[BoardRow, ...]


def _aspect(item: Evidence) -> str:
    """What of a finding is meant, where one finding tells several things."""
    if isinstance(item, Tapered):
        return marked("end to end") if item.direction == "fore_aft" else marked("rim to hub")
    if isinstance(item, Isolated):
        return marked("that it dragged")
    return marked("thickness") if isinstance(item, Worn) else ""


def board_of(
    corner: Place, steps: Sequence[StoryStep], chances: Mapping[Suspect, float], knowledge: Knowledge
) -> Board:
    """Lay out the findings and suspects of one corner; findings that weigh nothing there have no column.

    steps : the story of the posterior, in the order of the work.
    """
    known = knowledge.threshold
    suspects = [fault for where, fault in chances if where == corner and fault in knowledge.fault]
    none = knowledge.none.id
    if (corner, none) in chances:
        suspects.append(none)
    weights = {fault: [step.weight((corner, fault)) for step in steps] for fault in suspects}
    used = [
        number
        for number, step in enumerate(steps)
        if step.said_at(corner) and any(abs(weights[fault][number]) >= known["least_decibans"] for fault in suspects)
    ]
    columns = tuple(
        Column(
            steps[n].evidence[0].finding,
            _aspect(steps[n].evidence[0]),
            tuple(placed(item.corner, item.sentence) for item in steps[n].said_at(corner)),
        )
        for n in used
    )
    rows = [
        BoardRow(
            fault,
            knowledge.words(fault),
            chances[corner, fault],
            chances[corner, fault] < known["cleared_chance"],
            tuple(weights[fault][n] for n in used),
        )
        for fault in suspects
    ]
    shown = [
        row
        for row in rows
        if row.probability >= known["board_chance"]
        or any(abs(weight) >= known["board_decibans"] for weight in row.decibans)
    ]
    return Board(corner, columns, tuple(sorted(shown, key=lambda row: (row.struck, -row.probability, row.fault))))
