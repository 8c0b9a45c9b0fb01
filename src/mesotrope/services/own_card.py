"""What people add to a work card: steps, parts and their numbers, notes, steps struck out; a workshop's own ways."""

from __future__ import annotations

import datetime
from collections.abc import Collection, Mapping
from typing import Any

from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import at_most_characters, marked, one_of, said, verbatim
from mesotrope.core.plan.card_step import CardStep
from mesotrope.core.plan.how_it_is_done import OwnWays
from mesotrope.core.plan.parts import Part
from mesotrope.core.plan.work_card import Own
from mesotrope.errors import InvalidInput
from mesotrope.services.meanwhile import with_theirs
from mesotrope.services.proving import Lines, StepsOf, done_for
from mesotrope.services.records import StandingRecords, add_numbered, keep_record, needed
from mesotrope.services.rules import OWN_LINES, Rule
from mesotrope.services.signing_in import Who
from mesotrope.store.session import Database

LONGEST_LINE = 200

#: As many of one part are believed.
MOST_PARTS = 99

#: What a step or part of one's own is called on the card: this, and its number in the job.
OWN = "own_"


def own_of(records: StandingRecords, rules: Mapping[str, Rule]) -> Own:
    """Everything that people added to a job's card, with the workshop's ways."""
    steps, parts, numbers = [], [], {}
    for (kind, subject), record in records.items():
        if kind == "own_step":
            steps.append(CardStep(f"{OWN}{subject}", record.value["phase"], record.value["words"]))
        elif kind == "own_part":
            parts.append(Part(record.value["words"], record.value["count"], record.value["number"], subject))
        elif kind == "part_number":
            numbers[subject] = record.value
    return Own(tuple(steps), tuple(parts), numbers, ways_of(rules))


def ways_of(rules: Mapping[str, Rule]) -> OwnWays:
    """The details that a workshop leaves out, and its own lines, by phase."""
    left_out = {key.removeprefix("detail.") for key, rule in rules.items() if key.startswith("detail.") and rule.value}
    lines = {
        key.removeprefix(OWN_LINES): tuple(line.strip() for line in str(rule.value).splitlines() if line.strip())
        for key, rule in rules.items()
        if key.startswith(OWN_LINES) and rule.value
    }
    return OwnWays(frozenset(left_out), lines)


def _line(text: str, name: str) -> str:
    if len(text.strip()) > LONGEST_LINE:
        raise InvalidInput(name, text, at_most_characters(LONGEST_LINE))
    return text.strip()


def add_step(
    database: Database, knowledge: Knowledge, job_id: int, phase: str, words: str, *, by: Who, now: datetime.datetime
) -> None:
    """Add a step of one's own to a phase. Raises `InvalidInput`."""
    if phase not in knowledge.phases:
        raise InvalidInput("phase", phase, one_of(knowledge.phases.values()))
    value = {"phase": phase, "words": _line(needed(words, "step"), "step")}
    add_numbered(database, job_id, "own_step", value, by=by, now=now)


def add_part(
    database: Database, job_id: int, words: str, number: str, count: str, *, by: Who, now: datetime.datetime
) -> None:
    """Add a part of one's own, with its number where it is known. Raises `InvalidInput`."""
    count = count.strip() or "1"
    if not (count.isascii() and count.isdigit() and 0 < int(count[:3]) <= MOST_PARTS):
        raise InvalidInput("how many", count, said("allowed: 1 to {most}", most=verbatim(MOST_PARTS)))
    value = {"words": _line(needed(words, "part"), "part"), "number": _line(number, "number"), "count": int(count)}
    add_numbered(database, job_id, "own_part", value, by=by, now=now)


def take_away(database: Database, job_id: int, kind: str, number: str, *, by: Who, now: datetime.datetime) -> None:
    """Take a step or a part of one's own off the card again. Raises `InvalidInput`."""
    if kind not in ("own_step", "own_part"):
        raise InvalidInput("what is taken away", kind, "a step or a part of one's own")
    keep_record(database, job_id, kind, number, None, by=by, now=now)


def number_part(
    database: Database, job_id: int, parts: Collection[str], part: str, number: str, seen: Lines = None,
    *, by: Who, now: datetime.datetime,
) -> None:  # fmt: skip
    """Write the number of a part down; nothing takes it back. seen : it, as the page showed it. Raises `InvalidInput`,
    `Overtaken`."""
    if part not in parts:
        raise InvalidInput("part", part, "it is not on this work card")
    _keep_line(database, job_id, "part_number", part, "number", _line(number, "number"), seen, by, now)


def strike_step(
    database: Database, job_id: int, steps: StepsOf, step: str, struck: bool, reason: str,
    seen: Collection[str] | None = None, *, by: Who, now: datetime.datetime,
) -> None:  # fmt: skip
    """Strike a step out with a reason (declined, not needed), or take it in again. Raises as `done_for`."""
    kept = done_for(step, steps, seen if struck else None)
    note = needed(reason, marked("why the step is struck out")) if struck else ""
    keep_record(database, job_id, "struck", step, kept if struck else None, by=by, now=now, note=note)


def note_on_step(
    database: Database, job_id: int, steps: Collection[str], step: str, words: str, seen: Lines = None,
    *, by: Who, now: datetime.datetime,
) -> None:  # fmt: skip
    """Note something on a step; nothing takes it back. seen : the note, as the page showed it. Raises `InvalidInput`,
    `Overtaken`."""
    if step not in steps:
        raise InvalidInput("step", step, "it is not on this work card")
    _keep_line(database, job_id, "step_note", step, "words", _line(words, "note"), seen, by, now)


def _keep_line(
    database: Database, job_id: int, kind: str, subject: str, name: str, line: str, seen: Lines,
    by: Who, now: datetime.datetime,
) -> None:  # fmt: skip
    """Keep one line, or that there is none any more, unless somebody else wrote another meanwhile."""

    def beside(theirs: Any) -> str | None:
        return with_theirs({name: line}, seen, {name: theirs or ""})[name] or None

    keep_record(database, job_id, kind, subject, line or None, by=by, now=now, beside=beside)
