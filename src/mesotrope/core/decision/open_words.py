"""What is open, in words: what was found, what would explain it, and the next test with its minutes."""

from __future__ import annotations

from mesotrope.core.decision.answered import Open
from mesotrope.core.language.corner import VEHICLE
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import Sayable, chance_of, joined, placed, plain, said
from mesotrope.core.language.vocabulary import VocabularyField


def open_in_words(one: Open, knowledge: Knowledge) -> Sayable:
    """Say what is open: "rear left turns hard; could be seal 45 %, parking brake 30 %; next: slacken the cable"."""
    return placed(one.place, open_under(one, knowledge))


def open_under(one: Open, knowledge: Knowledge) -> Sayable:
    """The same under a heading that names the place."""
    could_be, field = explained_in_words(one, knowledge), knowledge.field_of_finding.get(one.next_test)
    told = (
        said("{what}; could be {explanations}", what=one.what, explanations=could_be) if one.explained_by else one.what
    )
    if field is None:
        return told
    message = "{why}; nothing else would tell more: {test}, once more" if one.once_more else "{why}; next: {test}"
    return said(message, why=told, test=done_in_words(field, one.next_minutes))


def explained_in_words(one: Open, knowledge: Knowledge, most: int = 3) -> Sayable:
    """The likeliest of what would explain it, each with its chance; nothing where nothing would."""
    return joined(
        (
            said(
                "{fault} {share}",
                fault=knowledge.words(fault)
                if place in (one.place, VEHICLE)
                else placed(place, knowledge.words(fault)),
                share=chance_of(share),
            )
            for place, fault, share in one.explained_by[:most]
        ),
        ", ",
    )


def done_in_words(field: VocabularyField, minutes: float) -> Sayable:
    """A test as what is done, with the minutes that it takes, getting at it among them."""
    return said("{test}, {minutes}", test=field.doing, minutes=plain(minutes, "min"))
