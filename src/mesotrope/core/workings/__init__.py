"""Every calculation of the trade as something a person can compute with: on the screen, on the command line.

A *working* names what is given and what is found, its formula, its source and an example; computing one reads figures
as people write them, says which defaults it used, and carries uncertainty where the instruments have one.
"""

from mesotrope.core.workings.catalogue import WORKINGS, working_named
from mesotrope.core.workings.compute import Result, compute

__all__ = ["WORKINGS", "Result", "compute", "working_named"]
