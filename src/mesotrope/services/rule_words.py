"""What a rule of the workshop is called, and what it was set to, in words."""

from __future__ import annotations

from typing import Any

from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import Sayable, marked, said, verbatim
from mesotrope.knowledge.provenance import named
from mesotrope.services.rules import CHOICES, MONEY, OWN_LINES, SURE, row_of_key


def rule_said(key: str, value: Any, known: Knowledge) -> tuple[Sayable, Sayable]:
    """The name of a rule and its value in words; None as the value: it starts anew where the product does.

    >>> from mesotrope.knowledge import knowledge
    >>> [str(words) for words in rule_said("money.labour_per_hour", 95.0, knowledge())]
    ['labor, an hour', '95']
    """
    kind, _, rest = key.partition(".")
    action, _, what = rest.partition(".")
    if kind == "school":
        school = known.school[rest]
        return school.question, school.chosen(value).said if value else said("the product's default")
    if kind == "limit":
        return named(rest)[0], _set_to(value)
    if kind == "sure":
        return SURE[rest][0], _set_to(value, " %")
    if kind == "learnt":
        return _of_learnt(key), value or said("used again")
    if kind == "detail":
        name = next((detail.said for detail in known.details if detail.id == rest), rest)
        return name, said("left out") if value else said("shown")
    if key.startswith(OWN_LINES):
        name = said("lines of one’s own: {phase}", phase=known.phases[rest])
        return name, verbatim(value) if value else said("none")
    if kind in CHOICES:
        question, options, start = CHOICES[kind][rest]
        return question, options[value or start]
    if kind == "cost":
        return said("{action}: {what}", action=known.action[action].words, what=what), _set_to(value)
    return MONEY.get(rest, (marked("currency"), 0))[0], _set_to(value)


def _of_learnt(key: str) -> Sayable:
    row = row_of_key(key)
    if not row:
        return said("what was learnt")
    table, entry = (verbatim(part.replace("_", " ")) for part in row)
    return said("what was learnt: {table}, {entry}", table=table, entry=entry)


def written_plainly(value: Any) -> str:
    """A value as it stands in a field."""
    return f"{value:g}" if isinstance(value, int | float) else str(value)


def _set_to(value: Any, unit: str = "") -> Sayable:
    return said("the starting value") if value is None else verbatim(f"{written_plainly(value)}{unit}")
