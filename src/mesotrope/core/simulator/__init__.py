"""A physical forward model of brakes, their faults and their measuring.

It makes vehicles whose truth is known, for the bench of instruments, the demo and the calibration report. It shares no
numbers with the knowledge base: forces, distances, heat and friction are worked out here from their own figures, and
words such as *stiff* come from a force that a hand judges, with the hand's mistakes.
"""

from mesotrope.core.simulator.inspection import inspect_vehicle
from mesotrope.core.simulator.truth import SimulatedVehicle, simulate_built, simulate_vehicle

__all__ = ["SimulatedVehicle", "inspect_vehicle", "simulate_built", "simulate_vehicle"]
