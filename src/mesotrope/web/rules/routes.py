"""Workshop rules: schools, prices, minutes and the labour rate, with who set each and when."""

from __future__ import annotations

import datetime
from dataclasses import dataclass
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import Sayable, marked, said, verbatim
from mesotrope.knowledge.provenance import named
from mesotrope.services.rules import (
    CHOICES,
    MONEY,
    OWN_LINES,
    SURE,
    Rule,
    changes_of,
    chosen_of,
    row_of_key,
    rules_of,
    schools_of,
    set_rules,
)
from mesotrope.web.context import AtTheDoor, Changing, SignedIn
from mesotrope.web.rendering import render

router = APIRouter(prefix="/rules")

#: So many changes are shown.
MOST_CHANGES = 40


#: What each kind of choice is headed with.
TITLES = {
    "approval": said("Who answers for a verdict"), "proof": said("What is proved before a release"),
    "archive": said("Old visits"), "day": said("The day"), "paper": said("On paper"),
}  # fmt: skip


@dataclass(frozen=True)
class Figure:
    """One figure of the rules: what the workshop has set, and what holds without."""

    key: str
    set: str
    start: str


def _figure(key: str, start: float | str, rules: dict[str, Rule]) -> Figure:
    rule = rules.get(key)
    own = "" if rule is None or rule.value is None else _said(rule.value)
    return Figure(key, own, _said(start))


def _said(value: Any) -> str:
    return f"{value:g}" if isinstance(value, int | float) else str(value)


@router.get("")
def rules_page(request: Request, shop: AtTheDoor, who: SignedIn, kept: int | None = None) -> Response:
    known, rules = shop.knowledge, rules_of(shop.database, by=who)
    money = [("currency", _figure("money.currency", known.money.currency, rules))]
    money += [
        (words, _figure(f"money.{name}", getattr(known.money, name), rules)) for name, (words, _) in MONEY.items()
    ]
    actions = [
        (
            known.action[cost.id].words, cost.part, cost.per,
            _figure(f"cost.{cost.id}.minutes", cost.minutes, rules),
            _figure(f"cost.{cost.id}.parts", cost.parts, rules),
        )
        for cost in known.costs if cost.id != "no_action"
    ]  # fmt: skip
    chosen = schools_of(known, rules)
    schools = [(school, chosen[school.id], rules.get(f"school.{school.id}")) for school in known.schools]
    limits = [(limit, *named(limit.id), _figure(f"limit.{limit.id}", limit.value, rules)) for limit in known.limits]
    sure = [
        (words, _figure(f"sure.{name}", round(100 * known.threshold[name]), rules))
        for name, (words, *_) in SURE.items()
    ]
    choices = [
        (kind, title, [
            (f"{kind}.{name}", question, options, chosen_of(kind, rules)[name], rules.get(f"{kind}.{name}"))
            for name, (question, options, _) in CHOICES[kind].items()
        ])
        for kind, title in TITLES.items()
    ]  # fmt: skip
    changes = [_change(rule, known) for rule in changes_of(shop.database, by=who, most=MOST_CHANGES)]
    return render(
        "rules/page.html", request, who=who, money=money, actions=actions, schools=schools,
        choices=choices, details=_details(known, rules), limits=limits, sure=sure, changes=changes,
        cite=shop.knowledge.cite, may_change=who.role == "lead", kept=kept,
    )  # fmt: skip


def _details(known: Knowledge, rules: dict[str, Rule]) -> list[tuple[str, str, list[tuple[str, Sayable, bool]], str]]:
    """How each step is done, by phase: each line with whether it is shown, and the workshop's own lines."""
    phase_of = {name: work.phase for name, work in known.work.items()} | {"before_wheel_off": "open", "open_up": "open"}
    by_phase: dict[str, list[tuple[str, Sayable, bool]]] = {phase: [] for phase in known.phases}
    for detail in known.details:
        step = known.step_groups.get(detail.step, (detail.step,))[0]
        phase = detail.phase or phase_of.get(step) or PHASE_OF_STEP.get(step, "other")
        rule = rules.get(f"detail.{detail.id}")
        by_phase[phase].append((f"detail.{detail.id}", detail.said, not (rule and rule.value)))
    out = []
    for phase, words in known.phases.items():
        own = rules.get(f"{OWN_LINES}{phase}")
        out.append((f"{OWN_LINES}{phase}", words, by_phase[phase], str(own.value) if own and own.value else ""))
    return out


#: The phase of steps that no action makes.
PHASE_OF_STEP = {
    "pistons_home": "pistons_home", "bleed_order": "bleed", "torque": "torque", "close_up": "torque", "nuts": "wheels",
    "pump": "prove", "leak_check": "prove", "bed": "drive", "temperatures": "drive", "nuts_again": "drive",
}  # fmt: skip


def _change(rule: Rule, known: Knowledge) -> tuple[Sayable, Sayable, str, datetime.datetime]:
    kind, _, rest = rule.key.partition(".")
    action, _, what = rest.partition(".")
    name: Sayable
    value: Sayable
    if kind == "school":
        name = known.school[rest].question
        value = known.school[rest].chosen(rule.value).said if rule.value else said("the product's default")
    elif kind == "limit":
        name, value = named(rest)[0], _set_to(rule)
    elif kind == "sure":
        name, value = SURE[rest][0], _set_to(rule, " %")
    elif kind == "learnt":
        row = row_of_key(rule.key)
        name = said("what was learnt")
        if row:
            table, entry = (verbatim(part.replace("_", " ")) for part in row)
            name = said("what was learnt: {table}, {entry}", table=table, entry=entry)
        value = rule.value or said("used again")
    elif kind == "detail":
        name = next((detail.said for detail in known.details if detail.id == rest), rest)
        value = said("left out") if rule.value else said("shown")
    elif rule.key.startswith(OWN_LINES):
        name = said("lines of one’s own: {phase}", phase=known.phases[rest])
        value = verbatim(rule.value) if rule.value else said("none")
    elif kind in CHOICES:
        name, options, start = CHOICES[kind][rest]
        value = options[rule.value or start]
    else:
        name = (
            said("{action}: {what}", action=known.action[action].words, what=what)
            if kind == "cost"
            else MONEY.get(rest, (marked("currency"), 0))[0]
        )
        value = _set_to(rule)
    return name, value, rule.by, rule.at


def _set_to(rule: Rule, unit: str = "") -> Sayable:
    return said("the starting value") if rule.value is None else verbatim(f"{_said(rule.value)}{unit}")


@router.post("")
async def keep_rules(request: Request, shop: AtTheDoor, who: Changing) -> Response:
    form = await request.form()
    lengths = {True: 2000, False: 200}
    typed = {
        key: str(value)
        for key, value in form.items()
        if "." in key and len(str(value)) <= lengths[key.startswith(OWN_LINES)]
    }
    kept = set_rules(shop.database, shop.knowledge, typed, by=who, now=shop.now())
    return RedirectResponse(f"/rules?kept={kept}", status_code=303)
