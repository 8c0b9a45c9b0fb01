"""Transactions that are done again where the database undid them for others' sake."""

from __future__ import annotations

import functools
import random
import time
from collections.abc import Callable
from typing import ParamSpec, TypeVar

from sqlalchemy.exc import IntegrityError, OperationalError

from mesotrope.metrics import DONE_AGAIN

Result = TypeVar("Result")
Given = ParamSpec("Given")

#: What the server answers when it undid a transaction for others' sake: a deadlock, a lock that was not had in time.
UNDONE_BY_THE_SERVER = (1213, 1205)

#: What it answers where a row with the same key is there already.
DOUBLE = 1062

#: A change that looks first for what it would write twice: where somebody was faster with the same, it is done again
#: and finds it.
UNDONE_OR_DONE = (*UNDONE_BY_THE_SERVER, DOUBLE)

TRIES = 4


def code_of(error: OperationalError | IntegrityError) -> int | None:
    """The server's number of an error."""
    arguments = error.orig.args if error.orig is not None else ()
    return arguments[0] if arguments and isinstance(arguments[0], int) else None


def again(work: Callable[[], Result], *, undone: tuple[int, ...] = UNDONE_BY_THE_SERVER) -> Result:
    """Do a whole transaction, and again where the server undid it for others' sake.

    undone : the server's numbers at which it is done again.
    """
    for _ in range(TRIES - 1):
        try:
            return work()
        except (OperationalError, IntegrityError) as error:
            if (number := code_of(error)) not in undone:
                raise
            DONE_AGAIN.labels(number).inc()
            time.sleep(random.uniform(0.005, 0.05))
    return work()


def done_again(use_case: Callable[Given, Result]) -> Callable[Given, Result]:
    """A use case of one transaction, which is done again as a whole where the server undid it for others' sake, or
    where somebody was faster with the same new row: then it finds it."""

    @functools.wraps(use_case)
    def whole(*args: Given.args, **named: Given.kwargs) -> Result:
        return again(lambda: use_case(*args, **named), undone=UNDONE_OR_DONE)

    return whole
