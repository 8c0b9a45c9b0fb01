"""Is it better? Each closed case is predicted with the expert's tables and with the learnt ones, then learnt from.

The learnt tables are used only while they lead: over the last cases their log score has to be better beyond twice its
standard error, and neither their first suspects nor their calibration may be worse.

Source: the prequential approach, [dawid].
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any

from mesotrope.core.language.corner import Place
from mesotrope.core.language.faults import NO_FAULT
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.learning.closed import ClosedCase

#: Over how many of the last cases the lead is judged, and how few are too few.
LAST, LEAST = 100, 40

#: A hidden fault that was found although it had less than this chance contradicts what was measured. Where more than so
#: many cases do, or one fault makes up more than so much of all that was found, the last cases are held back.
CONTRADICTED, MOST_CONTRADICTING, MOST_OF_ONE = 0.003, 0.2, 0.7

#: No chance is taken for surer than this when it is scored.
SUREST = 1e-6

#: Into how many parts chances are sorted for calibration.
TENTHS = 10


@dataclass(frozen=True)
class Predicted:
    """How well one case was predicted: the log score, whether the first suspect was there (None: nothing was), and for
    every tenth of the chances how many were said, how sure in sum, and how many were true; which hidden faults were
    found, and whether that contradicts what was measured."""

    log_score: float
    hit: bool | None
    said: tuple[tuple[float, float, float], ...]
    found: tuple[str, ...] = ()
    contradicts: bool = False


def predicted_from(document: Mapping[str, Any]) -> Predicted:
    """A prediction as it was kept."""
    said = tuple((a, b, c) for a, b, c in document["said"])
    kept = document["log_score"], document["hit"], said, tuple(document["found"]), document["contradicts"]
    return Predicted(*kept)


def predicted(case: ClosedCase, chances: Mapping[tuple[Place, str], float], knowledge: Knowledge) -> Predicted:
    """Hold what was said of a case against what was found, at the places of which all is known."""
    score, tenths = 0.0, [[0.0, 0.0, 0.0] for _ in range(TENTHS)]
    faults = {suspect: p for suspect, p in chances.items() if suspect[1] not in (NO_FAULT, knowledge.worn.id)}
    for suspect, chance in faults.items():
        if suspect[0] not in case.known:
            continue
        there = suspect in case.found
        score += math.log(max(SUREST, chance if there else 1 - chance))
        tenth = tenths[min(TENTHS - 1, int(chance * TENTHS))]
        for at, more in enumerate((1.0, chance, float(there))):
            tenth[at] += more
    score += sum(math.log(SUREST) for suspect in case.found if suspect not in faults)
    hit = max(faults, key=lambda suspect: faults[suspect]) in case.found if faults and case.found else None
    hidden = [suspect for suspect in case.found if not knowledge.fault[suspect[1]].condition]
    contradicts = any(faults.get(suspect, 0.0) < CONTRADICTED for suspect in hidden) if faults else False
    names = tuple(sorted(fault for _, fault in hidden))
    return Predicted(score, hit, tuple((a, b, c) for a, b, c in tenths), names, contradicts)


def calibration_error(some: Sequence[Predicted]) -> float:
    """How far what was said lies from what was true, in the mean over all that was said of more than a tenth."""
    sums = [[sum(one.said[tenth][at] for one in some) for at in range(3)] for tenth in range(1, TENTHS)]
    count = sum(said for said, _, _ in sums)
    return sum(abs(sure - true) for _, sure, true in sums) / count if count else 0.0


def hits(some: Sequence[Predicted]) -> float | None:
    """The share of first suspects that were there; None where nothing was found in any."""
    told = [one.hit for one in some if one.hit is not None]
    return sum(told) / len(told) if told else None


def implausible(some: Sequence[Predicted]) -> str:
    """Why closed cases are held back as they stand; empty where they are not. `some` : as the expert predicted them."""
    contradicting = sum(one.contradicts for one in some)
    if len(some) >= LEAST and contradicting > MOST_CONTRADICTING * len(some):
        return f"held back: {contradicting} of the last {len(some)} contradict what was measured"
    found = [fault for one in some for fault in one.found]
    commonest = max(set(found), key=found.count, default="")
    if len(found) >= LEAST and found.count(commonest) > MOST_OF_ONE * len(found):
        return f"held back: {found.count(commonest)} of the last {len(found)} faults found are the same, {commonest}"
    return ""


def _fewer_hits(expert: Sequence[Predicted], learnt: Sequence[Predicted]) -> bool:
    """Whether more first suspects were lost than won, beyond what chance does to so few: the sign test's standard
    error. Source: [practice]."""
    lost = sum(a.hit is True and b.hit is False for a, b in zip(expert, learnt, strict=True))
    won = sum(a.hit is False and b.hit is True for a, b in zip(expert, learnt, strict=True))
    return lost - won > math.sqrt(lost + won)


def _calibration_noise(some: Sequence[Predicted]) -> float:
    """What chance does to the calibration error of so few: the standard error of a chance of one in two."""
    said = sum(one.said[tenth][0] for one in some for tenth in range(1, TENTHS))
    return 0.5 / math.sqrt(said) if said else 0.0


@dataclass(frozen=True)
class Standing:
    """How the learnt tables stand beside the expert's over the last cases."""

    cases: int
    expert_log_score: float
    learnt_log_score: float
    lead: float
    lead_standard_error: float
    expert_hits: float | None
    learnt_hits: float | None
    expert_calibration_error: float
    learnt_calibration_error: float
    leads: bool
    because: str

    def held_back(self, because: str) -> Standing:
        """The same where new cases are held back: why is said, and what stood before them goes on."""
        return replace(self, because=f"{self.because}; new ones {because}")

    def document(self) -> dict[str, Any]:
        return {name: round(v, 6) if isinstance(v, float) else v for name, v in asdict(self).items()}


def standing(expert: Sequence[Predicted], learnt: Sequence[Predicted]) -> Standing:
    """Judge the lead over the last `LAST` cases."""
    expert, learnt = expert[-LAST:], learnt[-LAST:]
    count = len(expert)
    leads_by = [b.log_score - a.log_score for a, b in zip(expert, learnt, strict=True)]
    lead = sum(leads_by) / count if count else 0.0
    spread = math.sqrt(sum((one - lead) ** 2 for one in leads_by) / (count - 1) / count) if count > 1 else 0.0
    errors = calibration_error(expert), calibration_error(learnt)
    hit = hits(expert), hits(learnt)
    because = ""
    if held_back := implausible(expert):
        because = held_back
    elif count < LEAST:
        because = f"too few closed cases: {count} of at least {LEAST}"
    elif lead <= 2 * spread:
        because = "the lead is not beyond twice its standard error"
    elif _fewer_hits(expert, learnt):
        because = "fewer first suspects are right"
    elif errors[1] > errors[0] + _calibration_noise(expert):
        because = "what is said is less true"
    return Standing(
        count,
        sum(one.log_score for one in expert) / count if count else 0.0,
        sum(one.log_score for one in learnt) / count if count else 0.0,
        lead,
        spread,
        *hit,
        *errors,
        leads=not because,
        because=because or "they lead",
    )
