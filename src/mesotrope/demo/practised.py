"""What the demo's apprentice has practised, and what a lead has set for them."""

from __future__ import annotations

import datetime
from dataclasses import replace

from sqlalchemy import select

from mesotrope.core.language.corner import Corner
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.practice.acts import Act
from mesotrope.core.practice.judged import Commitment
from mesotrope.services.practice import commit, do_act, start_run
from mesotrope.services.practice_progress import set_vehicle
from mesotrope.services.signing_in import Who, nobody_of
from mesotrope.store.session import Database
from mesotrope.store.tables import Person

RIGHT, LEFT = Corner.FRONT_RIGHT, Corner.FRONT_LEFT

#: Lesson by lesson: how many days ago, what was done, and what was committed to. The first takes a hose for a piston.
RUNS: tuple[tuple[int, int, tuple[Act, ...], Commitment], ...] = (
    (2, 9, (Act("test", "spin", RIGHT), Act("press"), Act("test", "spin", RIGHT), Act("test", "pedal_response", RIGHT),
            Act("test", "pad_mm", RIGHT), Act("test", "pin", RIGHT)),
     Commitment(frozenset({(RIGHT, "piston_not_releasing")}), frozenset({(RIGHT, "replace_caliper")}), True)),
    (4, 3, (Act("press"), Act("test", "spin", LEFT), Act("test", "spin", RIGHT), Act("test", "window_pad_mm", LEFT),
            Act("test", "pin", LEFT), Act("test", "pad_mm", LEFT)),
     Commitment(frozenset({(LEFT, "slide_pins_seized")}),
                frozenset({(LEFT, "replace_pins_and_boots"), (LEFT, "replace_pads")}), True)),
)  # fmt: skip


def add_practice(database: Database, knowledge: Knowledge, workshop_id: int, now: datetime.datetime) -> None:
    """Practice of the first workshop's apprentice; nothing where there is none."""
    lead, apprentice = _person(database, workshop_id, "lead"), _person(database, workshop_id, "apprentice")
    if not lead or not apprentice:
        return
    for number, days, acts, commitment in RUNS:
        then = now - datetime.timedelta(days=days)
        run = start_run(database, knowledge, number, False, by=apprentice, now=then)
        for act in acts:
            do_act(database, knowledge, run, act, by=apprentice, now=then)
        commit(database, knowledge, run, commitment, by=apprentice, now=then)
    note = "the driver feels one side: look at both"
    set_vehicle(database, knowledge, apprentice.person_id, 3, note, by=lead, now=now)


def _person(database: Database, workshop_id: int, role: str) -> Who | None:
    with database.of_workshop(workshop_id) as session:
        row = session.scalar(select(Person).where(Person.role == role).order_by(Person.id))
        found = row and (row.id, row.name)
    return replace(nobody_of(database, workshop_id), person_id=found[0], name=found[1], role=role) if found else None
