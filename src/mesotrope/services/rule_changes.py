"""Changes of the workshop's rules: by a lead, all that was written or nothing, never over what somebody else set."""

from __future__ import annotations

import datetime
from collections.abc import Collection, Mapping
from typing import Any

from mesotrope.core.language.knowledge import Knowledge
from mesotrope.errors import Clash, NotAllowed
from mesotrope.services.audit import note_by
from mesotrope.services.once import do_once
from mesotrope.services.rule_words import rule_said
from mesotrope.services.rules import CHOICES, Rule, read_rule, rules_in
from mesotrope.services.signing_in import Who
from mesotrope.store.session import Database, WorkshopSession
from mesotrope.store.tables import Workshop, WorkshopRule


def set_rules(
    database: Database,
    knowledge: Knowledge,
    written: Mapping[str, str],
    *,
    seen: Collection[int] | None = None,
    by: Who,
    now: datetime.datetime,
) -> int:
    """Set rules from what was written, all of them or none; an empty text goes back to the starting value.

    Only what differs from the rule that holds is kept as a change; returns how many did, to the same change sent again
    as at first.

    seen : the rules (`Rule.id`) that stood on the page where this was written: only what was changed there counts as
    written. None: all of it. Raises `Clash` where somebody else set one of these otherwise since; `NotAllowed` for
    anybody but a lead; `InvalidInput` for a value that cannot be.
    """
    if by.role != "lead":
        raise NotAllowed("Changing the workshop's rules", "lead")
    values = {key: read_rule(key, text, knowledge) for key, text in written.items()}

    def stands(key: str, value: Any) -> Any:
        return _start(key, knowledge) if value is None else value

    def differing(rules: Mapping[str, Rule]) -> dict[str, Any]:
        there = {key: rules[key].value if key in rules else None for key in values}
        return {key: value for key, value in values.items() if stands(key, value) != stands(key, there[key])}

    def change(session: WorkshopSession) -> int:
        workshop = session.get_one(Workshop, by.workshop_id, with_for_update=True)
        holding = rules_in(session)
        changed = differing(holding)
        if seen is not None:
            mine = differing(rules_in(session, seen))
            changed = {key: value for key, value in changed.items() if key in mine}
            for key in changed:
                if key in holding and holding[key].id not in seen:
                    raise _clash(holding[key], values[key], knowledge)
        for key, value in changed.items():
            session.add(WorkshopRule(key=key, value=value, set_by=by.person_id, set_at=now, workshop_id=by.workshop_id))
        if changed:
            note_by(session, "rules", ", ".join(sorted(changed)), by=by, now=now)
            workshop.rules_version += 1
        return len(changed)

    return do_once(database, "rules", change, dict(written), by=by, now=now)


def _start(key: str, knowledge: Knowledge) -> str | None:
    """Where a rule that is one of a few words starts; a figure's start is no setting of it."""
    kind, _, rest = key.partition(".")
    if kind == "school":
        return knowledge.school[rest].default
    return CHOICES[kind][rest][2] if rest in CHOICES.get(kind, {}) else None


def _clash(theirs: Rule, mine: Any, knowledge: Knowledge) -> Clash:
    name, set_to = rule_said(theirs.key, theirs.value, knowledge)
    return Clash(name, rule_said(theirs.key, mine, knowledge)[1], set_to, theirs.by, theirs.id)
