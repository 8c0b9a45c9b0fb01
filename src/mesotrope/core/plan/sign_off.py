"""Who answers for a verdict: the signature under it, and a lead's approval where the workshop's rules ask for one."""

from __future__ import annotations

import datetime
import hashlib
import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any, Literal

from mesotrope.core.decision.verdict import PlannedAction
from mesotrope.core.language.saying import Sayable, marked, said, verbatim
from mesotrope.core.language.work import Done

#: The rules of approval, with what each allows and where it starts; the apprentice's verdict always needs a lead.
APPROVAL_RULES: dict[str, tuple[str, dict[str, str], str]] = {
    "verdict": (
        marked("Whose verdict a lead approves"),
        {"apprentice": marked("an apprentice's"), "technician": marked("an apprentice's and a technician's")},
        "apprentice",
    ),
    "change": (
        marked("A choice against the recommendation"),
        {"lead": marked("a lead signs it"), "anyone": marked("whoever signs the verdict answers for it")},
        "lead",
    ),
}


@dataclass(frozen=True)
class Signature:
    """Who signed, in which role, when, and which plan: a plan that has changed since is not signed."""

    by: str
    role: str
    at: datetime.datetime
    plan: str


@dataclass(frozen=True)
class SignOff:
    """Where the verdict stands.

    unsigned : nobody has signed it. changed : it is not the one that was signed. waits : for a lead's approval, and
    why. stands : it may be worked by and released on.
    """

    state: Literal["unsigned", "changed", "waits", "stands"]
    words: Sayable
    why: str = ""


def waits_for_a_lead(signed_by: str, why: str) -> Sayable:
    """That a signed verdict waits for a lead, and why."""
    return said("Signed by {name}. It waits for a lead: {why}.", name=verbatim(signed_by), why=why)


def plan_key(verdict: str | None, plan: Iterable[PlannedAction], overruled: Mapping[str, str]) -> str:
    """A short key of what is signed: the verdict, the actions, and what was overruled.

    >>> plan_key("service", [PlannedAction("replace_pads", "front_left", "thin")], {}) == plan_key(
    ...     "service", [PlannedAction("replace_pads", "front_left", "another reason")], {})
    True
    """
    return _key([verdict, sorted((step.corner, step.action) for step in plan), sorted(overruled.items())])


def package_key(actions: Iterable[Done]) -> str:
    """A short key of a package: what is done, and where."""
    return _key(sorted(actions))


def _key(made_from: Any) -> str:
    return hashlib.sha256(json.dumps(made_from).encode()).hexdigest()[:16]


def sign_off(
    plan: str,
    signed: Signature | None,
    approved: Signature | None,
    against_recommendation: bool,
    rules: Mapping[str, str],
    open_without_verdict: bool = False,
) -> SignOff:
    """Say where a verdict stands. rules : the workshop's choice of every one of `APPROVAL_RULES`.

    open_without_verdict : something found is not explained, and nothing else gives the vehicle a verdict.
    """
    if signed is None:
        return SignOff("unsigned", marked("Nobody has signed this verdict yet."))
    if signed.plan != plan:
        return SignOff(
            "changed", said("It has changed since {name} signed it. Sign it again.", name=verbatim(signed.by))
        )
    why = _asks_for_a_lead(signed.role, against_recommendation, rules)
    if open_without_verdict and signed.role != "lead" and not why:
        why = marked("what was found is not explained")
    if not why:
        return SignOff("stands", said("Signed by {name}.", name=verbatim(signed.by)))
    if approved is not None and approved.plan == plan and approved.role == "lead":
        return SignOff(
            "stands",
            said("Signed by {name}, approved by {lead}.", name=verbatim(signed.by), lead=verbatim(approved.by)),
        )
    return SignOff("waits", waits_for_a_lead(signed.by, why), why)


def _asks_for_a_lead(role: str, against_recommendation: bool, rules: Mapping[str, str]) -> str:
    """Why a lead has to approve what this role signed; "" where none has to."""
    if role == "lead":
        return ""
    if role == "apprentice":
        return marked("an apprentice's verdict always needs one")
    if rules["verdict"] == "technician":
        return marked("the workshop's rules ask for one")
    if against_recommendation and rules["change"] == "lead":
        return marked("it goes against the recommendation")
    return ""
