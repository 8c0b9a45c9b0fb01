"""The arrays that the core reckons with."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.intp]
Truths = NDArray[np.bool_]

#: How places that are known to be there are taken from an array: numpy then does not check each, in half the time.
UNCHECKED: Literal["clip"] = "clip"
