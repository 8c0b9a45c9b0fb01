"""What a job's vehicle is going to get: the packages weighed, those chosen, the plan, and who answers for it."""

from __future__ import annotations

import datetime
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from mesotrope.core.answer.answer import Answer
from mesotrope.core.decision.verdict import VERDICTS, PlannedAction
from mesotrope.core.language.corner import VEHICLE, Corner, place_named
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import marked, one_of, said
from mesotrope.core.language.work import Done
from mesotrope.core.plan.comparison import Comparison
from mesotrope.core.plan.overruling import Overruling, as_overruled
from mesotrope.core.plan.packages import compare_all, plan_of
from mesotrope.core.plan.sign_off import Signature, SignOff, package_key, plan_key, sign_off
from mesotrope.core.plan.worth import Weighed
from mesotrope.errors import InvalidInput, NotAllowed, PlanChanged
from mesotrope.services.job_rows import OpenJob
from mesotrope.services.records import Record, StandingRecords, keep_record, needed, records_of, standing
from mesotrope.services.rules import Rule, chosen_of, rules_of, schools_of
from mesotrope.services.signing_in import Who
from mesotrope.store.session import Database
from mesotrope.store.tables import Job

#: Actions that nobody chooses for a corner: they follow from the others.
NOT_CHOSEN = ("no_action", "bleed_system")


@dataclass(frozen=True)
class Plan:
    """The packages of each axle, which was chosen in place of the recommended one, the actions, the signatures."""

    comparisons: tuple[Comparison, ...]
    chosen: dict[Weighed, frozenset[Done]]
    actions: tuple[PlannedAction, ...]
    key: str
    sign_off: SignOff
    records: StandingRecords
    rules: dict[str, Rule]
    #: How much was recorded, what was taken back too: it only grows.
    recorded: int = 0
    #: Something found is not explained, and nothing else gives the vehicle a verdict.
    unexplained: bool = False
    #: The learnt version whose tables answered; 0: the expert's.
    learnt: int = 0

    @property
    def against(self) -> frozenset[Weighed]:
        """The axles whose package was chosen against what the evidence says."""
        return _against(self.comparisons, self.chosen)

    @property
    def overruled(self) -> dict[Corner, Overruled]:
        """By corner, the verdicts that somebody set against the product's."""
        return _overruled(self.records)


def plan_for(database: Database, knowledge: Knowledge, job: OpenJob, answer: Answer, *, by: Who) -> Plan:
    """Put together what is planned for a job, as its people chose; `knowledge` with the workshop's own prices."""
    rules = rules_of(database, by=by)
    kept = records_of(database, job.id, by=by)
    records = standing(kept)
    comparisons = tuple(compare_all(answer, job.inspection, knowledge, schools_of(knowledge, rules)))
    chosen = _chosen(comparisons, records)
    actions = tuple(plan_of(answer.decision.actions, comparisons, chosen))
    overruled = {corner: one.what for corner, one in _overruled(records).items()}
    actions = tuple(as_overruled(actions, overruled, knowledge))
    key = plan_key(answer.decision.verdict, actions, {corner: one.verdict for corner, one in overruled.items()})
    signed, approved = (_signature(records.get((kind, ""))) for kind in ("signed", "approved"))
    unexplained = bool(answer.decision.open) and answer.decision.verdict is None
    against = bool(_against(comparisons, chosen) or overruled)
    stands = sign_off(key, signed, approved, against, chosen_of("approval", rules), unexplained)
    learnt = answer.knowledge.learnt
    version = learnt.version if learnt else 0
    return Plan(comparisons, chosen, actions, key, stands, records, rules, len(kept), unexplained, version)


@dataclass(frozen=True)
class Overruled:
    """A verdict that somebody set against the product's, with who and when."""

    what: Overruling
    by: str
    at: datetime.datetime


def _overruled(records: StandingRecords) -> dict[Corner, Overruled]:
    """What was overruled, by corner; once only the verdict was kept, and the plan stayed."""
    out = {}
    for (kind, subject), record in records.items():
        place = place_named(subject)
        if kind == "overruled" and isinstance(place, Corner):
            value = record.value if isinstance(record.value, dict) else {"as": record.value, "actions": None}
            actions = None if value["actions"] is None else tuple(value["actions"])
            out[place] = Overruled(Overruling(value["as"], actions, record.note), record.by, record.at)
    return out


def _chosen(comparisons: Sequence[Comparison], records: StandingRecords) -> dict[Weighed, frozenset[Done]]:
    """By axle, the package that was chosen, where it is still among those that the hard rules allow."""
    out = {}
    for comparison in comparisons:
        record = records.get(("package", comparison.axle))
        actions = _done(record.value) if record else frozenset()
        first = 1 if comparison.recommends else 0
        offered = [package.actions for package in comparison.packages[first:]]
        if record and actions in offered:
            out[comparison.axle] = actions
    return out


def _against(comparisons: Iterable[Comparison], chosen: Mapping[Weighed, frozenset[Done]]) -> frozenset[Weighed]:
    return frozenset(one.axle for one in comparisons if one.axle in chosen and chosen[one.axle] != one.by_evidence)


def _done(kept: Sequence[tuple[str, str]]) -> frozenset[Done]:
    """The actions of a package as they were kept; the whole vehicle was once written as nothing."""
    return frozenset((place_named(place) or VEHICLE, action) for place, action in kept)


def _signature(record: Record | None) -> Signature | None:
    return Signature(record.by, record.role, record.at, record.value) if record else None


def require_same(plan: Plan, seen: str) -> None:
    """Raise `PlanChanged` where the plan is not the one that a page showed, by its key; "" where it did not say."""
    if seen and seen != plan.key:
        raise PlanChanged()


#: Stands for choosing no package where none is recommended.
NO_PACKAGE = -1


def choose_package(
    database: Database, plan: Plan, job_id: int, axle: str, number: int, reason: str, seen: str = "",
    *, by: Who, now: datetime.datetime,
) -> None:  # fmt: skip
    """Choose a package of an axle by its place in the comparison; what the evidence says needs no reason.

    seen : the key of the package that the page showed there. Raises `InvalidInput` for a package that is not there, or
    without a reason; `PlanChanged` where another stands there now.
    """
    comparison = next((one for one in plan.comparisons if one.axle == axle), None)
    if comparison is not None and not comparison.recommends and number == NO_PACKAGE:
        keep_record(database, job_id, "package", axle, None, by=by, now=now, note="")
        return
    if comparison is None or not 0 <= number < len(comparison.packages):
        raise InvalidInput("package", number, "choose one of those that are weighed for this axle")
    package = comparison.packages[number]
    if seen and seen != package_key(package.actions):
        raise PlanChanged()
    actions = sorted(list(place) for place in package.actions)
    recommended = number == 0 and comparison.recommends
    by_evidence = package.actions == comparison.by_evidence
    note = "" if by_evidence else needed(reason, marked("reason for another package than the recommended one"))
    keep_record(database, job_id, "package", axle, None if recommended else actions, by=by, now=now, note=note)


def overrule_verdict(
    database: Database, answer: Answer, job_id: int, corner: str, verdict: str, actions: Sequence[str], reason: str,
    *, by: Who, now: datetime.datetime,
) -> None:  # fmt: skip
    """Set a corner's verdict against the product's, with what is done there instead and a reason; the product's own
    verdict without any action goes back to it.

    The hard rules stay on the page: an unsafe vehicle is called unsafe whoever overrules. Raises `InvalidInput` for a
    verdict that needs work and names none, or for work that a sound corner does not need; `NotAllowed` for an
    apprentice.
    """
    if by.role == "apprentice":
        raise NotAllowed("Overruling a verdict", "technician or lead")
    place = place_named(corner)
    if not isinstance(place, Corner) or place not in answer.decision.corners:
        raise InvalidInput("corner", corner, one_of(answer.decision.corners))
    if verdict not in VERDICTS:
        raise InvalidInput(
            said("verdict, {place}", place=place),
            verdict,
            one_of(VERDICTS),
        )
    known = answer.knowledge.action
    for action in actions:
        if action not in known or action in NOT_CHOSEN:
            raise InvalidInput("what is done there", action, "choose from the list")
    same = verdict == answer.decision.corners[place].verdict and not actions
    if not same and verdict == "sound" and actions:
        raise InvalidInput(said("verdict, {place}", place=place), verdict, "work is named: a sound corner needs none")
    if not same and verdict != "sound" and not actions:
        raise InvalidInput(said("verdict, {place}", place=place), verdict, "name what is done there")
    note = "" if same else needed(reason, marked("reason for another verdict than the product's"))
    value = None if same else {"as": verdict, "actions": sorted(set(actions))}
    keep_record(database, job_id, "overruled", corner, value, by=by, now=now, note=note)


def sign_verdict(
    database: Database, plan: Plan, job_id: int, *, by: Who, now: datetime.datetime, reason: str = ""
) -> None:
    """Sign the verdict as it stands; from then on the job keeps the learnt tables that answered, so that what the
    workshop learns later takes no signature away. Raises `InvalidInput` for a lead who closes what is not explained
    without a reason."""
    note = _reason_for_closing(plan, reason) if by.role == "lead" else ""

    def keeps_its_tables(job: Job) -> None:
        job.signed_with = plan.learnt

    keep_record(database, job_id, "signed", "", plan.key, by=by, now=now, note=note, also=keeps_its_tables)


def _reason_for_closing(plan: Plan, reason: str) -> str:
    """Why what is not explained may be closed; nothing where all is."""
    return needed(reason, marked("reason for closing what is not explained")) if plan.unexplained else ""


def approve_verdict(
    database: Database, plan: Plan, job_id: int, *, by: Who, now: datetime.datetime, reason: str = ""
) -> None:
    """Approve the verdict that was signed. Raises `NotAllowed` for anybody but a lead, `InvalidInput` if none waits, or
    what is not explained is closed without a reason."""
    if by.role != "lead":
        raise NotAllowed("Approving a verdict", "lead")
    approved = plan.records.get(("approved", ""))
    if approved and plan.sign_off.state == "stands" and (approved.value, approved.by) == (plan.key, by.name):
        return  # sent again, for its answer was lost
    if plan.sign_off.state != "waits":
        raise InvalidInput("approval", plan.sign_off.state, "no signed verdict waits for one")
    keep_record(database, job_id, "approved", "", plan.key, by=by, now=now, note=_reason_for_closing(plan, reason))
