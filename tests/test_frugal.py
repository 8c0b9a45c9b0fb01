"""A process gives back what it no longer needs."""

from __future__ import annotations

import subprocess
import sys

#: Forgets one large array, as a diagnosis does, then makes sixty and forgets all but the last of them; prints how much
#: memory is left in use, MB. Left to itself the allocator then keeps what stands before the one that is in use.
WORK = """
import sys
import numpy as np
if sys.argv[1] == "frugal":
    from mesotrope.frugal import be_frugal
    be_frugal()
large = np.ones(3_750_000)
del large
arrays = [np.ones(750_000) for _ in range(60)]
del arrays[:-1]
print(int(next(line for line in open("/proc/self/status") if line.startswith("VmRSS")).split()[1]) // 1000)
"""


def left_mb(how: str) -> int:
    return int(subprocess.run([sys.executable, "-c", WORK, how], capture_output=True, text=True, check=True).stdout)


def test_arrays_that_were_freed_are_given_back():
    """Sixty of 6 MB each: 360 MB."""
    assert left_mb("frugal") < 100 < left_mb("left to itself")


#: Makes two hundred arrays of 400 kB and forgets every other one; prints how much is in use, MB, before what is free
#: is given back and after.
BETWEEN = """
import numpy as np
from mesotrope.frugal import be_frugal, give_back, taken_mb
be_frugal()
arrays = [np.ones(50_000) for _ in range(200)]
arrays[::2] = [None] * 100
print(taken_mb())
give_back()
print(taken_mb())
"""


def test_what_is_free_between_what_is_kept_is_given_back_on_asking():
    """A hundred of 400 kB: 40 MB."""
    done = subprocess.run([sys.executable, "-c", BETWEEN], capture_output=True, text=True, check=True)
    before, after = map(float, done.stdout.split())
    assert after < before - 30


def test_arithmetic_has_one_thread():
    from threadpoolctl import threadpool_info

    from mesotrope.frugal import be_frugal

    be_frugal()
    assert {pool["num_threads"] for pool in threadpool_info()} <= {1}
