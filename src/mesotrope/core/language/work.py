"""The shape of what is known of the work: actions, what they cure and cost, schools, cautions, visits."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType
from typing import Annotated, Literal

from pydantic import Field

from mesotrope.core.language.corner import Place
from mesotrope.core.language.known import Chance, Known, Worded

#: An action and where it is done.
Done = tuple[Place, str]


class Action(Known):
    """One thing that is done about a fault, and how it stands to the others and to what was found."""

    id: str
    words: str
    both_sides: str = ""
    spared: dict[str, str] = {}
    as_verdict: str = ""
    needs: str = ""
    not_of: tuple[str, ...] = ()
    brings: tuple[str, ...] = ()
    stands_in_for: tuple[str, ...] = ()
    of_one_age: bool = False
    caliper: bool = False
    pistons_home: bool = False
    opens: bool = False
    bedded: bool = False
    new_rotor: bool = False
    schools: tuple[str, ...] = ()
    renews: dict[str, str] = {}
    mind: str = ""

    @property
    def opens_hydraulics(self) -> bool:
        """Whether hydraulics are opened for it, or by what it brings with it."""
        return self.opens or "bleed_system" in self.brings


class Instead(Known):
    """What is done about a fault in place of all that may be: where the axle has something, or findings there or of the
    whole vehicle have these values; where neither is named, wherever no other is for."""

    needs: str = ""
    found: dict[str, str] = {}
    verdict: Literal["sound", "service", "replace", "unsafe"]
    actions: tuple[str, ...]


class Cure(Known):
    """What is done when a fault is found: verdict and actions, all that may be; `instead`: the first that applies;
    `shown_by`: what shows that it is there, in the order in which it is looked at."""

    fault: str
    verdict: Literal["sound", "service", "replace", "unsafe"]
    actions: tuple[str, ...]
    unsafe: str = ""
    instead: tuple[Instead, ...] = ()
    shown_by: tuple[str, ...] = ()

    def where(self, has: Callable[[str], bool], found: Mapping[str, object] = MappingProxyType({})) -> Cure:
        """What is done where an axle, or a vehicle, has some things and findings have values."""
        for one in self.instead:
            if (not one.needs or has(one.needs)) and all(found.get(name) == value for name, value in one.found.items()):
                return self.model_copy(update={"verdict": one.verdict, "actions": one.actions})
        return self


class Due(Known):
    """What a bad value of a finding is due: one of some words, or a figure over or under a limit.

    At least a verdict with its actions, or an explanation by any of some faults (or groups of them), or both; what must
    be explained and is not stays open. `needs` is what the axle must have, `not_of` of which vehicles it is not said;
    `without` a finding that was not made; `when_opened` what is due too where the hydraulics of the corner are opened.
    `axle`: only there; one of the whole vehicle is explained only there. `explained_when`: by figure, what explains it
    where that figure, a chance, is high enough, `then_actions` what is done then, `then_verdict` what it comes to where
    that is another, and `then_because` why. `next_tests`: what tells more, in the order in which it is looked for.
    """

    finding: str
    scope: Literal["corner", "system"] = "corner"
    values: tuple[str, ...] = ()
    figure: str = ""
    over: str = ""
    under: str = ""
    needs: tuple[str, ...] = ()
    not_of: tuple[str, ...] = ()
    axle: str = ""
    without: str = ""
    verdict: Literal["", "service", "replace", "unsafe"] = ""
    actions: tuple[str, ...] = ()
    when_opened: tuple[str, ...] = ()
    explained_by: tuple[str, ...] = ()
    partner_explains: tuple[str, ...] = ()
    condition_explains: tuple[str, ...] = ()
    explained_when: dict[str, str] = {}
    then_actions: tuple[str, ...] = ()
    then_because: str = ""
    then_verdict: Literal["", "service", "replace", "unsafe"] = ""
    next_tests: tuple[str, ...] = ()
    because: str
    unsafe: str = ""
    outside: bool = False


class Watch(Known):
    """A figure that is no fault yet and is noted: from a share of a limit on, or under a limit of its own.

    `again` says when it is looked at again: in words, or how that is worked out ("wear": by the pads' own wear,
    "age": when the fluid has reached its age). `moot_by` : actions that make an end of it; `owner` : for its owner.
    """

    finding: str
    scope: Literal["corner", "system"] = "corner"
    figure: str
    over: str = ""
    under: str = ""
    because: str
    again: str
    moot_by: tuple[str, ...]
    owner: str


class Complaint(Known):
    """What a driver says, by any of some words of it, and what would explain it: faults, or what was found and is acted
    on, or a figure that is a chance and is high enough. `next_tests` is how it is seen for oneself, in the order in
    which it is looked at; what lies `outside` this product is said to."""

    words: tuple[str, ...]
    explained_by: tuple[str, ...]
    condition_explains: tuple[str, ...] = ()
    explained_when: dict[str, str] = {}
    next_tests: tuple[str, ...] = ()
    #: Whether the side or axle that it names is where the fault is; a pull names where it pulls to.
    names_place: bool = True
    outside: bool = False


class Cost(Known):
    """What one action takes: minutes of labour, price of its parts, and the chance that it comes back within a year.

    For one corner, or with `per` "vehicle" for the vehicle once; beside what it is `within` it takes nothing more.
    """

    id: str
    minutes: Annotated[float, Field(ge=0)]
    parts: Annotated[float, Field(ge=0)]
    part: str = ""
    both_sides: str = ""
    again: Annotated[float, Field(ge=0, lt=1)] = 0.0
    per: Literal["corner", "vehicle"] = "corner"
    within: tuple[str, ...] = ()


class Remedy(Known):
    """How surely each action cures a fault, the sensible ways to do it, and what leaving it costs.

    `one_for_both`: what it hangs on serves both sides of the axle, so that what cures one side cures the other.
    """

    id: str
    left: Literal["drags", "unsafe", "visit"]
    cures: dict[str, Chance]
    ways: tuple[tuple[str, ...], ...] = ()
    corrodes: bool = False
    one_for_both: bool = False


class SchoolChoice(Worded):
    """One way of doing it, with the reason its practitioners give."""

    id: str
    reason: str
    bedding: str = ""


class School(Known):
    """A question in which good practitioners disagree, with the product's default."""

    id: str
    question: str
    default: str
    choice: tuple[SchoolChoice, ...]

    def chosen(self, id_: str) -> SchoolChoice:
        return next(choice for choice in self.choice if choice.id == id_)


class Work(Known):
    """Where in the order of the work an action stands, and what it needs."""

    action: str
    phase: str
    tools: tuple[str, ...] = ()
    fasteners: tuple[str, ...] = ()
    #: What is measured again because of it.
    proves: tuple[str, ...] = ()


class ReturnVisit(Known):
    """Why and when a vehicle comes back after work; `after` names the actions that ask for it, none: all."""

    id: str
    words: str
    owner: str
    because: str
    days: Annotated[int, Field(gt=0)]
    after: tuple[str, ...] = ()


class WrongToOwner(Known):
    """What an owner is told of a fault: what was wrong, and what it did."""

    wrong: str
    did: str


class DoneToOwner(Known):
    """What an owner is told of an action: what was done, against what, and what is still to be done."""

    done: str
    why: str
    to_do: str


class CheckToOwner(Known):
    """What an owner is told of something proved."""

    name: str
    good: str
    bad: str


class PlainWords(Known):
    """Words of the trade that an owner is never told."""

    never: tuple[str, ...]


class OwnerWords(Known):
    """Everything that an owner's sheet says, by fault, by action, and by what was proved."""

    fault: dict[str, WrongToOwner]
    action: dict[str, DoneToOwner]
    check: dict[str, CheckToOwner]
    plain: PlainWords


class Money(Known):
    """Prices that no single action has, in the workshop's currency."""

    currency: str
    labour_per_hour: Annotated[float, Field(gt=0)]
    comeback_minutes: Annotated[float, Field(ge=0)]
    comeback_trust: Annotated[float, Field(ge=0)]
    spoiled_pads_and_rotors: Annotated[float, Field(ge=0)]
    unsafe_at_stake: Annotated[float, Field(ge=0)]
    bit_of_knowing: Annotated[float, Field(ge=0)]
    partner_within_a_year: Chance

    @property
    def labour_per_minute(self) -> float:
        return self.labour_per_hour / 60


class Caution(Known):
    id: str
    words: str
    when: tuple[str, ...]
    needs: tuple[str, ...] = ()
