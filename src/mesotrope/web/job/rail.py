"""The order of work as the rail beside a job shows it."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from dataclasses import dataclass

from mesotrope.core.language.corner import Axle
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.saying import marked
from mesotrope.services.findings import field_at
from mesotrope.services.job_rows import FindingKey
from mesotrope.words import Speaker

#: The order of work as the rail shows it: address, words, and the stages of the vocabulary entered there.
RAIL: tuple[tuple[str, str, tuple[str, ...]], ...] = (
    ("take-in", marked("Take in"), ("intake", "road")),
    ("pedal", marked("Pedal & fluid"), ("pedal", "bonnet")),
    ("lift", marked("Lift & spin"), ("lift",)),
    ("look", marked("Look"), ("wheel_off",)),
    ("isolate", marked("Isolate"), ("isolate",)),
    ("strip", marked("Strip & measure"), ("strip", "measure")),
    ("verdict", marked("Verdict"), ()),
)

#: Stages at which the whole vehicle is asked about, not one axle.
WHOLE_VEHICLE = ("take-in", "pedal")


@dataclass(frozen=True)
class RailStep:
    href: str
    words: str
    current: bool
    state: str
    said: str
    findings: str


def job_address(job_id: int) -> str:
    return f"/jobs/{job_id}"


def stage_href(base: str, stage: str, axle: Axle, exaggerated: bool = False) -> str:
    """The address of a stage; base : of the job, or of a practice run."""
    return f"{base}/{stage}?axle={axle}" + ("&wear=3" if exaggerated else "")


#: What the marks of the rail mean, for those who hear them.
RAIL_STATES = {
    "done": marked("done"),
    "begun": marked("begun"),
    "idle": marked("not needed: it could not change what is to be done"),
    "": marked("open"),
}


def rail_of(
    base: str,
    findings: Iterable[FindingKey],
    worth: Collection[str] | None,
    knowledge: Knowledge,
    current: str,
    axle: Axle,
    exaggerated: bool,
    say: Speaker,
) -> tuple[RailStep, ...]:
    """The order of work with what is done, what is open, and what could not change the decision any more.

    findings : where anything was found; worth : the stages whose tests could still change what is to be done, None
    where that is not told.
    """
    found = {field.stage for place in findings if (field := field_at(place, knowledge))}

    def state(stages: tuple[str, ...]) -> str:
        if not stages:
            return ""
        wanted, begun = set(worth or ()) & set(stages), found & set(stages)
        if begun:
            return "begun" if wanted or worth is None else "done"
        asked_anyway = "intake" in stages or worth is None
        return "idle" if found and not wanted and not asked_anyway else ""

    fields = (*knowledge.corner_fields, *knowledge.system_fields)
    return tuple(
        RailStep(
            href=stage_href(base, address, axle, exaggerated),
            words=say(words),
            current=address == current,
            state=(now := state(stages)),
            said=say(RAIL_STATES[now]) if stages else "",
            findings=" ".join(dict.fromkeys(f.finding.replace("_", "-") for f in fields if f.stage in stages)),
        )
        for address, words, stages in RAIL
    )


def next_stage(base: str, stage: str, axle: Axle, say: Speaker) -> tuple[str, str]:
    """Where the work goes on: the other axle, then the next stage."""
    addresses = [address for address, _, _ in RAIL]
    if axle == Axle.FRONT and stage not in (*WHOLE_VEHICLE, "verdict"):
        return stage_href(base, stage, Axle.REAR), say("Rear axle")
    place = addresses.index(stage) + 1
    if place == len(addresses):
        return "/", say("Back to Today")
    return stage_href(base, addresses[place], Axle.FRONT), say(RAIL[place][1])
