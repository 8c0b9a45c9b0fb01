"""How a vehicle may leave: what keeps it, what a workshop demands to see proved, what is confirmed by name.

Basis: common practice.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from mesotrope.core.language.saying import Sayable, marked, placed, said
from mesotrope.core.plan.hand_back import Check

#: How a vehicle leaves, and what that is called.
RELEASES = {
    "released": marked("released"),
    "restricted": marked("released with restriction"),
    "unsafe": marked("unsafe, not released"),
}

#: What can be demanded before a release: what it is called, and whether it is where a workshop starts.
PROOFS: dict[str, tuple[str, bool]] = {
    "pedal": (marked("pedal firm and holding"), True),
    "leak": (marked("no leak under pressure"), True),
    "level": (marked("fluid level"), True),
    "nuts": (marked("wheels torqued"), True),
    "parking_brake": (marked("parking brake, where the work touched it"), True),
    "drag": (marked("spin of the wheels worked on"), True),
    "warmth": (marked("hub temperatures after a drive"), False),
    "lining": (marked("new linings measured"), False),
    "rotor": (marked("rotors measured"), False),
}

#: Whether a proof is demanded, and where each starts.
DEMANDS = {"must": marked("must be proved"), "may": marked("may be left out by name")}


def start_of(proof: str) -> str:
    return "must" if PROOFS[proof][1] else "may"


def possible_releases(
    checks: Sequence[Check],
    *,
    found_unsafe: bool,
    put_right: bool,
    stop_gap: str,
    approved: bool,
    demanded: Mapping[str, str] | None = None,
) -> dict[str, Sayable]:
    """Every way in which the vehicle may leave, with why it may not ("" where it may).

    found_unsafe : it came in unsafe. put_right : every planned action is ticked off. stop_gap : what was only tided
    over, "" for nothing. approved : the verdict stands, with a lead's approval where one is needed. demanded : by
    proof, whether the workshop demands it; none where nothing was worked on.

    >>> possible_releases([], found_unsafe=False, put_right=True, stop_gap="piston wound out", approved=True)
    {'released': Said(message='a stop-gap stands: {what}', gaps=(('what', 'piston wound out'),)), 'restricted': '', \
'unsafe': ''}
    """
    danger = [placed(check.where, check.because) for check in checks if check.unsafe]
    wrong = [placed(check.where, check.because) for check in checks if check.state == "bad"]
    missing = [check for check in checks if check.state == "open" and (demanded or {}).get(check.proof) == "must"]
    never: Sayable = ""
    if danger:
        never = danger[0]
    elif not approved:
        never = marked("the verdict is not signed and approved yet")
    elif found_unsafe and not put_right:
        never = marked("it came in unsafe, and not every action that puts it right is ticked off")
    elif missing:
        first = placed(missing[0].where, missing[0].words)
        never = said("this workshop wants it proved: {what}", what=first)
    free = never or (said("a stop-gap stands: {what}", what=stop_gap) if stop_gap else wrong[0] if wrong else "")
    return {"released": free, "restricted": never, "unsafe": ""}
