"""The posterior beside a general-purpose inference library on the same network and the same evidence.

The network is written out a second time for the library, as the tests do that hold the two against each other to nine
places. It grows fault by fault; the library's tables grow by a factor with each, ours by a row. Where a single table
passes `MOST_ROWS` the library is not asked any more, and that is said: of a full corner it would need more rows than
any machine holds.
"""

from __future__ import annotations

import math
import statistics
from collections.abc import Callable, Iterator

import pyagrum

from mesotrope.core.inference.posterior import Posterior
from mesotrope.core.language.inspection import Inspection
from mesotrope.core.language.knowledge import Knowledge
from mesotrope.knowledge import knowledge
from tests.core.inference.test_diagnosis_reference import CASES, ONLY_FRONT, Reference, _posterior, _small_knowledge
from tests.documents import inspect

#: The largest table that is written out for the library, rows.
MOST_ROWS = 300_000

#: Faults of a corner that join the small network one by one.
JOIN = ("piston_seized_applied", "pad_bound_inner", "hose_restricted", "slide_pin_seized_one", "pad_bound_outer")

CASE = "one corner drags"


def library_rows(timed_ms: Callable[[Callable[[], object], int], list[float]]) -> Iterator[str]:
    """Lines of a table: how large the network is, what the library takes, what ours takes, and how many times."""
    whole, small, names = knowledge(), _small_knowledge(), [fault.id for fault in _small_knowledge().faults]
    for more in range(len(JOIN) + 1):
        chosen = (*JOIN[:more], *names)
        known = small.model_copy(update={"faults": tuple(whole.fault[name] for name in chosen)})
        rows = _rows(known, ages=len(known.age.km))
        size = f"two corners of {len(chosen) - 1} faults, one of the system"
        inspection = inspect(CASES[CASE], None, **ONLY_FRONT)
        ours = statistics.median(timed_ms(lambda known=known, at=inspection: _ours(known, at), 30))  # type: ignore[misc]
        if rows > MOST_ROWS:
            yield f"| {size} | stops: a table of {rows:,} rows | {ours:.1f} | |"
            break
        reference = Reference(known, inspection)
        theirs = statistics.median(timed_ms(lambda reference=reference: _infer(reference), 5))  # type: ignore[misc]
        yield f"| {size} | {theirs:.1f} | {ours:.1f} | {theirs / ours:.1f} |"
    full = _rows(whole.model_copy(update={"wear": small.wear}), ages=len(whole.age.km))
    yield f"| four corners of {_corner_faults(whole)} faults (the vehicle) | a table of {full:.1e} rows | see above | |"


def _corner_faults(known: Knowledge) -> int:
    return sum(fault.scope == "corner" for fault in known.faults)


def _rows(known: Knowledge, ages: int) -> int:
    """Rows of the largest table: what a pad has worn, by every way of every fault, drag, age and normal wear."""
    ways = math.prod(1 + len(fault.mechanism) for fault in known.faults if fault.scope == "corner")
    system = 1 + sum(len(fault.mechanism) for fault in known.faults if fault.scope == "system")
    return ways * system * len(known.drag.torque_nm) * ages * known.wear.points


def _ours(known: Knowledge, inspection: Inspection) -> object:
    made: Posterior = _posterior(known, inspection)
    return made.suspects()


def _infer(reference: Reference) -> object:
    """The library's fastest exact method; its tables are written out beforehand."""
    inference = pyagrum.LazyPropagation(reference.net)
    inference.setEvidence(reference.seen)
    inference.makeInference()
    return [inference.posterior(name) for name in reference.net.names() if ":" in name]
