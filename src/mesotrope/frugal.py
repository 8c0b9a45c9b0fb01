"""How a process uses its machine: one thread for its arithmetic, and memory that is free is given back."""

from __future__ import annotations

import ctypes
from contextlib import suppress

from threadpoolctl import threadpool_limits

#: The allocator's knobs by their numbers in `malloc.h`: from how many free bytes at its end on memory is given back,
#: and from how many on a piece is a mapping of its own, which is given back at once.
M_TRIM_THRESHOLD, M_MMAP_THRESHOLD = -1, -3

#: Arrays smaller than this are made and forgotten all the time: to give them back would cost more than it saves.
FREE_BYTES = 4_000_000


def be_frugal() -> None:
    """Keep this process small and to itself; where the C library has no such knobs, only its threads are limited.

    The allocator raises both thresholds by itself with every large array that is freed, and then keeps what it has.
    """
    threadpool_limits(1)  # the arrays are small: threads would wait for each other
    with suppress(AttributeError, OSError):
        mallopt = ctypes.CDLL(None).mallopt
        for knob in (M_TRIM_THRESHOLD, M_MMAP_THRESHOLD):
            mallopt(knob, FREE_BYTES)
