"""Workshop rules: its prices, minutes, labour rate and schools; every change kept with who and when."""

from __future__ import annotations

import datetime
import math
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from sqlalchemy import ColumnElement, Select, func, select

from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.quantity import parse_quantity
from mesotrope.core.language.saying import at_most_characters, marked, one_of, said, verbatim
from mesotrope.core.plan.packages import with_prices
from mesotrope.core.plan.release import DEMANDS, PROOFS, start_of
from mesotrope.core.plan.sign_off import APPROVAL_RULES
from mesotrope.errors import InvalidInput
from mesotrope.knowledge.provenance import named
from mesotrope.services.signing_in import Who
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import Person, WorkshopRule

#: Prices that no single action has: what they are called, and the most that is believed.
MONEY: dict[str, tuple[str, float]] = {
    "labour_per_hour": (marked("labor, an hour"), 1000),
    "comeback_minutes": (marked("minutes that a comeback takes"), 2000),
    "comeback_trust": (marked("what a comeback costs beside its minutes"), 10_000),
    "spoiled_pads_and_rotors": (marked("pads and rotors that a dragging brake spoils"), 10_000),
    "bit_of_knowing": (marked("what a halving of the doubt is worth"), 10_000),
}

#: How sure is sure enough, in percent: what it is called, the least and the most that may be set.
SURE: dict[str, tuple[str, float, float]] = {
    "explained_chance": (marked("what was found counts as explained when its causes together reach"), 50, 95),
    "least_cure": (marked("a package is recommended only if it cures what is suspected with at least"), 30, 95),
    "of_best_cure": (marked("and with at least this part of the best that any package reaches"), 50, 100),
}

#: Rules that are one of a few words, by their kind: the question, the words, and where each starts.
CHOICES: dict[str, dict[str, tuple[str, dict[str, str], str]]] = {
    "approval": APPROVAL_RULES,
    "proof": {name: (words, DEMANDS, start_of(name)) for name, (words, _) in PROOFS.items()},
    "day": {
        "owner_word": (
            marked("Work begins once the owner agreed"),
            {"yes": marked("the owner's word is asked for"), "no": marked("not asked for")},
            "yes",
        ),
    },
    "archive": {
        "after": (
            marked("Closed visits go into files"),
            {
                "never": marked("never"),
                "3": marked("after three years"),
                "5": marked("after five years"),
                "10": marked("after ten years"),
            },
            "never",
        ),
    },
    "paper": {
        "prices": (marked("The price on the owner's sheet"), {"no": marked("left out"), "yes": "shown"}, "no"),
        "details": (
            marked("How each step is done, on the printed card"),
            {"yes": marked("printed"), "no": marked("left out")},
            "yes",
        ),
    },
}

#: Details of the work card that are the workshop's own, by phase; how long they may be together.
OWN_LINES = "own_lines."
LONGEST_LINES = 2000

#: The most that is believed of an action's minutes and of the price of its parts.
MOST_MINUTES, MOST_PRICE = 3000.0, 100_000.0


#: Keys of what a workshop sets aside of what it learnt: all of it, or a row, named by its table and its own name.
LEARNT = "learnt."
OFF, ROW, SET_ASIDE = "learnt.off", "learnt.row.", marked("set aside")

#: The rules that change answers.
OF_ANSWERS = ("limit.", "cost.", "money.", "sure.", LEARNT)


def row_key(table: str, row: str) -> str:
    """The rule that sets a learnt row aside.

    >>> row_of_key(row_key("pin.upper", "slide_pins_seized"))
    ('pin.upper', 'slide_pins_seized')
    """
    return f"{ROW}{table}|{row}"


def row_of_key(key: str) -> tuple[str, str] | None:
    """The table and row that a rule names; None where it names none."""
    table, bar, row = key.removeprefix(ROW).partition("|")
    return (table, row) if key.startswith(ROW) and bar and table and row else None


@dataclass(frozen=True)
class Rule:
    """One rule as it was set; `value` is None where the starting value holds again. `id` names the setting of it."""

    key: str
    value: Any
    by: str
    at: datetime.datetime
    id: int = 0


def rules_of(database: Database, *, by: Who) -> dict[str, Rule]:
    """The rules that hold in the signed-in person's workshop, by their key: the latest of each."""
    with database.of_workshop(by.workshop_id) as session:
        return rules_in(session)


def rules_in(session: WorkshopSession, ids: Collection[int] | None = None) -> dict[str, Rule]:
    """The rules of a workshop by their key: those that hold, or those set under some numbers."""
    which = _latest() if ids is None else WorkshopRule.id.in_(ids)
    return {rule.key: rule for rule in _read(session, _with_names().where(which))}


def changes_of(database: Database, *, by: Who, most: int) -> list[Rule]:
    """The latest changes of rules, the last first, so many at most."""
    with database.of_workshop(by.workshop_id) as session:
        return _read(session, _with_names().order_by(WorkshopRule.id.desc()).limit(most))


def _latest() -> ColumnElement[bool]:
    """That a rule is the latest of its key."""
    return WorkshopRule.id.in_(select(func.max(WorkshopRule.id)).group_by(WorkshopRule.key))


def _with_names() -> Select[WorkshopRule, str]:
    return select(WorkshopRule, Person.name).outerjoin(Person, Person.id == WorkshopRule.set_by)


def _read(session: WorkshopSession, query: Select[WorkshopRule, str]) -> list[Rule]:
    return [Rule(row.key, row.value, name or "somebody", row.set_at, row.id) for row, name in session.execute(query)]


def read_rule(key: str, text: str, knowledge: Knowledge) -> Any:
    """Read what was written for a rule; None for nothing. Raises `InvalidInput`.

    >>> from mesotrope.knowledge import knowledge
    >>> read_rule("cost.replace_caliper.parts", "118,50", knowledge())
    118.5
    >>> read_rule("school.nuts", "twice", knowledge())
    Traceback (most recent call last):
        ...
    mesotrope.errors.InvalidInput: Wheel nuts: 'twice' cannot be used; allowed: again_after_50, once
    """
    text = text.strip()
    kind, _, rest = key.partition(".")
    if kind == "school" and rest in knowledge.school:
        school = knowledge.school[rest]
        allowed = [choice.id for choice in school.choice]
        if text and text not in allowed:
            raise InvalidInput(school.question, text, one_of(allowed))
        return text or None
    if rest in CHOICES.get(kind, {}):
        question, options, _ = CHOICES[kind][rest]
        if text and text not in options:
            raise InvalidInput(question, text, one_of(options))
        return text or None
    if kind == "limit" and rest in knowledge.limit:
        return _limit(text, rest, knowledge)
    if key == "money.currency":
        if len(text) > 8:
            raise InvalidInput("currency", text, "at most 8 characters are allowed")
        return text or None
    if kind == "money" and rest in MONEY:
        return _number(text, *MONEY[rest])
    if kind == "sure" and rest in SURE:
        return _within(text, *SURE[rest])
    if kind == "detail" and rest in {detail.id for detail in knowledge.details}:
        if text not in ("", "off"):
            raise InvalidInput("detail", text, "allowed: off, or nothing to show it")
        return text or None
    if key.startswith(OWN_LINES) and key.removeprefix(OWN_LINES) in knowledge.phases:
        if len(text) > LONGEST_LINES:
            raise InvalidInput(
                "lines of one's own",
                text[:40],
                at_most_characters(LONGEST_LINES),
            )
        return text or None
    if key == OFF or (kind == "learnt" and rest.startswith("row.") and row_of_key(key)):
        if text not in ("", SET_ASIDE):
            raise InvalidInput(
                "what was learnt",
                text,
                said("allowed: {set_aside}, or nothing to use it again", set_aside=verbatim(SET_ASIDE)),
            )
        return text or None
    action, _, what = rest.partition(".")
    if kind == "cost" and action in knowledge.cost and what in ("minutes", "parts"):
        most = MOST_MINUTES if what == "minutes" else MOST_PRICE
        return _number(text, f"{knowledge.action[action].words}, {what}", most)
    raise InvalidInput("rule", key, "there is no rule of this name")


def _limit(text: str, name: str, knowledge: Knowledge) -> float | None:
    """A limit of the workshop's own, in place of one of common practice: at least half of it and at most double."""
    known = next(limit for limit in knowledge.limits if limit.id == name)
    words, _ = named(name)
    if known.basis == "published":
        raise InvalidInput(
            words,
            text,
            said(
                "it is published ({source}) and no workshop's to change", source=verbatim(knowledge.cite(known.source))
            ),
        )
    return _within(text, words, known.value / 2, 2 * known.value)


#: Figures that a workshop has set in place of the product's, by the key of their rule.
Figures = tuple[tuple[str, Any], ...]


def figures_of(database: Database, *, by: Who) -> Figures:
    """The limits, chances, prices and minutes that the signed-in person's workshop has set in place of the product's,
    and what of what was learnt it has set aside."""
    set_here = select(WorkshopRule.key, WorkshopRule.value).where(_latest())
    with database.of_workshop(by.workshop_id) as session:
        latest = {key: value for key, value in session.execute(set_here) if key.startswith(OF_ANSWERS)}
    return tuple(sorted((key, value) for key, value in latest.items() if value is not None))


def own_knowledge(knowledge: Knowledge, figures: Figures) -> Knowledge:
    """The knowledge with a workshop's own limits, chances, prices and minutes in place of the product's."""
    limits: dict[str, float] = {}
    sure: dict[str, float] = {}
    prices: dict[str, dict[str, float]] = {}
    money: dict[str, Any] = {}
    for key, value in figures:
        kind, _, rest = key.partition(".")
        if kind == "learnt":
            continue  # what was learnt is in the knowledge already
        if kind == "limit":
            limits[rest] = value
        elif kind == "sure":
            sure[rest] = value / 100
        elif kind == "money":
            money[rest] = value
        else:
            action, _, what = rest.partition(".")
            prices.setdefault(action, {})[what] = value

    def ours(rows: Iterable[Any], values: Mapping[str, float]) -> tuple[Any, ...]:
        return tuple(row.model_copy(update={"value": values[row.id]}) if row.id in values else row for row in rows)

    own = {"limits": ours(knowledge.limits, limits), "thresholds": ours(knowledge.thresholds, sure)}
    return with_prices(knowledge.model_copy(update=own), prices, money)


def _within(text: str, name: str, least: float, most: float) -> float | None:
    value = _number(text, name, most)
    if value is not None and value < least:
        allowed = said("allowed: {value} to {value_2}", value=verbatim(f"{least:g}"), value_2=verbatim(f"{most:g}"))
        raise InvalidInput(name, text, allowed)
    return value


def _number(text: str, name: str, most: float) -> float | None:
    if not text:
        return None
    value = parse_quantity(text, "", name=name)
    if not (math.isfinite(value) and 0 <= value <= most):
        raise InvalidInput(name, text, said("allowed: 0 to {most}", most=verbatim(f"{most:g}")))
    return value


def chosen_of(kind: str, rules: Mapping[str, Rule]) -> dict[str, str]:
    """What the workshop chose of every rule of a kind in `CHOICES`, else where each starts."""
    return {
        name: rule.value if (rule := rules.get(f"{kind}.{name}")) and rule.value else start
        for name, (_, _, start) in CHOICES[kind].items()
    }


def schools_of(knowledge: Knowledge, rules: Mapping[str, Rule]) -> dict[str, str]:
    """The school that the workshop follows in every question: its choice, else the product's default."""
    out = {}
    for school in knowledge.schools:
        rule = rules.get(f"school.{school.id}")
        out[school.id] = rule.value if rule and rule.value else school.default
    return out
