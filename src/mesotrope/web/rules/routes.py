"""Workshop rules: schools, prices, minutes and the labour rate, with who set each and when."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import Sayable, said
from mesotrope.errors import Clash
from mesotrope.knowledge.provenance import named
from mesotrope.services.rule_changes import set_rules
from mesotrope.services.rule_words import rule_said, written_plainly
from mesotrope.services.rules import (
    CHOICES,
    MONEY,
    OWN_LINES,
    SURE,
    Rule,
    changes_of,
    chosen_of,
    rules_of,
    schools_of,
)
from mesotrope.web.context import AtTheDoor, Changing, SignedIn, Typed, from_htmx, texts_of
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
    own = "" if rule is None or rule.value is None else written_plainly(rule.value)
    return Figure(key, own, written_plainly(start))


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
    changes = [
        (*rule_said(rule.key, rule.value, known), rule.by, rule.at)
        for rule in changes_of(shop.database, by=who, most=MOST_CHANGES)
    ]
    seen = ",".join(str(rule.id) for rule in rules.values())
    return render(
        "rules/page.html", request, who=who, money=money, actions=actions, schools=schools,
        choices=choices, details=_details(known, rules), limits=limits, sure=sure, changes=changes,
        cite=shop.knowledge.cite, may_change=who.role == "lead", kept=kept, seen=seen,
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


@router.post("")
def keep_rules(request: Request, shop: AtTheDoor, who: Changing, form: Typed) -> Response:
    lengths = {True: 2000, False: 200}
    typed = {
        key: value
        for key, value in texts_of(form).items()
        if "." in key and len(value) <= lengths[key.startswith(OWN_LINES)]
    }
    seen = None
    if told := [str(value) for value in form.getlist("seen")]:
        seen = {int(one) for value in told for one in value.split(",") if one.isascii() and one.isdecimal()}
    try:
        kept = set_rules(shop.database, shop.knowledge, typed, seen=seen, by=who, now=shop.now())
    except Clash as clash:
        if not from_htmx(request):
            raise
        return render("rules/_clash.html", request, status=409, clash=clash)
    return RedirectResponse(f"/rules?kept={kept}", status_code=303)
