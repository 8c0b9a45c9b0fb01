"""The suspects beside a job, and what to check next."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from mesotrope.core.answer.reasons import SuspectAnswer
from mesotrope.core.decision.worth_of_a_test import NextTest
from mesotrope.core.language.corner import Axle, Corner, Place
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.odds import odds_of
from mesotrope.core.language.saying import Sayable, plain, said
from mesotrope.web.job.rail import RAIL, job_address, stage_href
from mesotrope.web.places import entry_id
from mesotrope.words import Speaker

#: As many suspects stand beside a job.
MOST_SUSPECTS = 5


@dataclass(frozen=True)
class SuspectRow:
    """One line of the suspects: where, what, how likely in words and as a figure, and the heaviest reason.

    key : by which the same suspect is found again in the next answer; reason : "" where it is not worked out yet;
    sure : whether it is listed for certain, else only where it stood before.
    """

    key: str
    where: str
    words: str
    odds: str
    percent: str
    width: int
    reason: str
    mechanism: str
    sure: bool = True


@dataclass(frozen=True)
class NextRow:
    href: str
    words: str
    minutes: str
    because: str
    foretold: tuple[tuple[str, str], ...]


def next_row(test: NextTest, job_id: int, knowledge: Knowledge, say: Speaker) -> NextRow:
    return NextRow(
        href=test_href(test.corner, test.finding, job_id, knowledge),
        words=say.begin(said("{place}: {test}", place=test.corner, test=test_words(test.finding, knowledge))),
        minutes=say(minutes_words(test.minutes)),
        because=say(test.because),
        foretold=tuple(
            (f"{say(told.answer)} ({say.chance(told.chance)})", f"{say(told.leads)} {say.chance(told.probability)}")
            for told in test.foretold
        ),
    )


def test_href(place: Place, finding: str, job_id: int, knowledge: Knowledge) -> str:
    """Where a test of a place is entered."""
    axle = place.axle if isinstance(place, Corner) else Axle.FRONT
    href = stage_href(job_address(job_id), _address_of(finding, knowledge), axle)
    return f"{href}#{_first_entry(place, finding)}"


def minutes_words(minutes: float) -> Sayable:
    return said("{minutes}\N{NO-BREAK SPACE}min", minutes=plain(minutes))


def next_rows(tests: Sequence[NextTest], job_id: int, knowledge: Knowledge, say: Speaker) -> tuple[NextRow, ...]:
    """The tests offered; the same look at both sides of an axle is one walk, and offered as one."""
    out: list[NextRow] = []
    taken: set[tuple[Place, str]] = set()
    offered = {(test.corner, test.finding): test for test in tests}
    for test in tests:
        if (test.corner, test.finding) in taken:
            continue
        row = next_row(test, job_id, knowledge, say)
        partner = test.corner.partner if isinstance(test.corner, Corner) else None
        other = offered.get((partner, test.finding)) if partner else None
        if other and isinstance(test.corner, Corner):
            taken.add((other.corner, other.finding))
            doing = test_words(test.finding, knowledge)
            both = said("{axle} left and right: {test}", axle=test.corner.axle, test=doing)
            row = replace(
                row, words=say.begin(both), minutes=say(minutes_words(test.minutes + other.minutes - other.way_minutes))
            )
        out.append(row)
    return tuple(out)


def _address_of(finding: str, knowledge: Knowledge) -> str:
    stage = knowledge.field_of_finding[finding].stage
    return next((address for address, _, stages in RAIL if stage in stages), "look")


def test_words(finding: str, knowledge: Knowledge) -> str:
    field = knowledge.field_of_finding[finding]
    return field.doing or field.label


def _first_entry(corner: Place, finding: str) -> str:
    first = {
        "spin": "spin.turns",
        "pad_mm": "pad_mm.inner.lead_rim",
        "pin": "pin.upper",
        "pin_condition": "pin_condition.upper",
        "pin_boot": "pin_boot.upper",
        "piston_pushback": "piston_pushback.1",
        "rotor_mm": "rotor_mm.1",
        "brake_force_n": "brake_force_n.front_left",
    }
    sided = ("pad_fit", "pad_condition", "pad_gap_mm", "window_pad_mm", "pedal_response", "rotor_face")
    path = f"{finding}.inner" if finding in sided else first.get(finding, finding)
    return entry_id(corner, path)


def suspect_row(suspect: SuspectAnswer, knowledge: Knowledge, say: Speaker) -> SuspectRow:
    reasons = suspect.reasons_for
    return SuspectRow(
        key=entry_id(suspect.corner, suspect.fault),
        where=say(suspect.corner),
        words=say(suspect.words),
        odds=say(odds_of(suspect.probability, knowledge)),
        percent=say.chance(suspect.probability),
        width=max(1, round(100 * suspect.probability)),
        reason=say(reasons[0].under(suspect.corner)) if reasons else "",
        mechanism=say(suspect.mechanism),
    )


def doubt_row(suspect: SuspectAnswer, knowledge: Knowledge, say: Speaker) -> SuspectRow:
    doubt = 1 - suspect.probability
    against = suspect.reasons_against
    reason = say(against[0].under(suspect.corner)) if against else ""
    words = say("something may be wrong; no single fault stands out yet")
    key = entry_id(suspect.corner, "in-doubt")
    odds = say(odds_of(doubt, knowledge))
    return SuspectRow(key, say(suspect.corner), words, odds, say.chance(doubt), round(100 * doubt), reason, "")
