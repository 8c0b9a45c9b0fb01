"""What is open, part by part: what was found, what would explain it, and the test to be made next, with where it is
entered."""

from __future__ import annotations

from dataclasses import dataclass

from mesotrope.core.answer.answer import Answer
from mesotrope.core.decision.answered import Open
from mesotrope.core.decision.open_words import explained_in_words
from mesotrope.core.language.corner import Corner, Place
from mesotrope.core.language.saying import said
from mesotrope.web.job.suspects import minutes_words, test_href, test_words
from mesotrope.words import Speaker


@dataclass(frozen=True)
class NextTestLink:
    """The test to be made next. once_more : it was made, and nothing else would tell more."""

    href: str
    words: str
    minutes: str
    once_more: bool


@dataclass(frozen=True)
class OpenRow:
    """where : "" where it is of the whole vehicle; could_be : "" where nothing would explain it."""

    place: Place
    where: str
    what: str
    could_be: str
    next: NextTestLink | None


def open_rows(answer: Answer, job_id: int, say: Speaker) -> tuple[OpenRow, ...]:
    """Everything that is open, in the order of the decision."""
    return tuple(_open_row(one, answer, job_id, say) for one in answer.decision.open)


def _open_row(one: Open, answer: Answer, job_id: int, say: Speaker) -> OpenRow:
    what, where = say(one.what), say(one.place) if isinstance(one.place, Corner) else ""
    return OpenRow(
        one.place,
        where,
        what if where else say.begin(what),
        say(explained_in_words(one, answer.knowledge)),
        _next_of(one, answer, job_id, say),
    )


def _next_of(one: Open, answer: Answer, job_id: int, say: Speaker) -> NextTestLink | None:
    """The next test, with its place where that is another than what is open."""
    known, place = answer.knowledge, one.next_place
    if place is None:
        return None
    test = test_words(one.next_test, known)
    return NextTestLink(
        test_href(place, one.next_test, job_id, known),
        say(test if place == one.place else said("{place}: {test}", place=place, test=test)),
        say(minutes_words(one.next_minutes)),
        one.once_more,
    )
