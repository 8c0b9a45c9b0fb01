"""What a job waits for, worked out from how it stands: the first thing that has to happen before it can go on."""

from __future__ import annotations

import datetime
from collections.abc import Mapping
from dataclasses import dataclass

from mesotrope.core.language.saying import Sayable, marked, plain, said, verbatim

#: What a job can wait for, in the order in which it comes; each in words.
STATES: Mapping[str, str] = {
    "inspect": marked("to be inspected"),
    "next_test": marked("next test"),
    "verdict": marked("verdict to be signed"),
    "approval": marked("lead’s approval"),
    "owner": marked("owner’s word"),
    "parts": marked("parts"),
    "work": marked("work"),
    "proof": marked("proof"),
    "release": "release",
    "collect": marked("to be collected"),
    "unsafe": marked("unsafe: it stays"),
    "other": marked("something else"),
}

#: What only people know, and may say of a job.
SETTABLE = ("owner", "parts", "other")

#: What parts wait for, in words.
PARTS = {"to_order": marked("to be ordered"), "more": marked("more to be ordered"), "ordered": "ordered"}

#: What somebody outside has to do: nobody's minutes go by here meanwhile.
OUTSIDE = ("owner", "parts", "other", "collect", "unsafe")


@dataclass(frozen=True)
class Told:
    """What somebody said that a job waits for: words, and the day on which it is expected."""

    state: str
    words: str = ""
    until: datetime.date | None = None


@dataclass(frozen=True)
class JobFacts:
    """How a job stands.

    found : anything was; test : the next test that could change what is to be done, "" where enough is known;
    sign_off : as `mesotrope.core.plan.sign_off` says; work : anything is planned; agreed : the owner's word stands, or
    is not asked for; asked_again : it stood, and more was planned since; parts : "none", "to_order", "ordered", "here",
    or "more" where more came since they were ordered; steps, done : of the work card; unproved : how much is not
    measured again; released : how it left, "" where it did not.
    """

    found: bool
    test: Sayable = ""
    sign_off: str = "unsigned"
    why_approval: Sayable = ""
    work: bool = False
    agreed: bool = False
    asked_again: bool = False
    parts: str = "none"
    steps: int = 0
    done: int = 0
    unproved: int = 0
    released: str = ""
    told: Told | None = None


@dataclass(frozen=True)
class Waiting:
    """What a job waits for; `detail` says which, in words; `until` the day on which it is expected."""

    state: str
    detail: Sayable = ""
    until: datetime.date | None = None

    @property
    def said(self) -> Sayable:
        words = STATES[self.state]
        if self.state == "other" and self.detail:
            return self.detail
        return said("{words}: {detail}", words=words, detail=verbatim(self.detail)) if self.detail else words


def waits_for(job: JobFacts) -> Waiting:
    """The first thing that has to happen.

    What a person said it waits for goes before what the job itself says, until the vehicle has left.

    >>> waits_for(JobFacts(found=False)).state, waits_for(JobFacts(found=True)).state
    ('inspect', 'verdict')
    >>> waits_for(JobFacts(found=True, sign_off="stands", work=True, agreed=True, steps=12, done=4)).detail.gaps[0][1]
    Figure(value=5, unit='', digits=None, sd=None, fine=False)
    """
    if job.released:
        return Waiting("unsafe" if job.released == "unsafe" else "collect")
    if job.told is not None:
        return Waiting(job.told.state, job.told.words, job.told.until)
    if not job.found:
        return Waiting("inspect")
    if job.sign_off in ("unsigned", "changed"):
        if job.test and job.sign_off == "unsigned":
            return Waiting("next_test", job.test)
        return Waiting("verdict", marked("it changed since it was signed") if job.sign_off == "changed" else "")
    if job.sign_off == "waits":
        return Waiting("approval", job.why_approval)
    begun = job.done > 0
    if job.work and not job.agreed and (job.asked_again or not begun):
        return Waiting("owner", marked("what came since") if job.asked_again else marked("whether it may be done"))
    if job.work and (job.parts == "more" or (job.parts in ("to_order", "ordered") and not begun)):
        return Waiting("parts", PARTS[job.parts])
    if job.done < job.steps:
        step = said("step {step} of {steps}", step=plain(job.done + 1), steps=plain(job.steps))
        return Waiting("work", step)
    if job.unproved:
        return Waiting("proof", said("{count} to be measured", count=plain(job.unproved)))
    return Waiting("release")


def minutes_to_go(job: JobFacts, planned_minutes: float, test_minutes: float, usual: Mapping[str, float]) -> float:
    """Minutes of work that are still to go, before the vehicle can leave.

    planned_minutes : of everything that is planned; test_minutes : of the next tests; usual : the knowledge's minutes
    of a day. Of what nobody has looked at yet, the usual minutes are taken. Basis: common practice.

    >>> usual = {"inspect_minutes": 40, "work_minutes": 75, "prove_minutes": 15}
    >>> minutes_to_go(JobFacts(found=False), 0, 0, usual)
    130.0
    >>> minutes_to_go(JobFacts(True, sign_off="stands", work=True, steps=10, done=5), 80, 9, usual)
    55.0
    """
    if job.released:
        return 0.0
    if not job.found:
        return float(usual["inspect_minutes"] + usual["work_minutes"] + usual["prove_minutes"])
    if job.sign_off in ("unsigned", "changed"):
        return float(test_minutes + planned_minutes + usual["prove_minutes"])
    left = planned_minutes * (1 - job.done / job.steps) if job.steps else planned_minutes
    return float(left + usual["prove_minutes"])
