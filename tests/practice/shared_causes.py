"""Practice cases in which several wheels have one cause, or one reading has none. Source of each: common practice."""

from __future__ import annotations

from tests.documents import pads
from tests.practice.case import CABLE, DRAGS, FOUR, FREE, GOOD, HAT, STOOD, Case, good

LOW = {"pedal_travel": 0.65, "pedal_pump": "rises", "pedal_hold": "holds", "pedal_feel": "firm"}
GAP = {"pad_gap_mm": {"inner": 0.5, "outer": 0.5}}
MOVES = {"pedal_response": {"inner": "moves_and_returns", "outer": "moves_and_returns"}}
STILL = {"pedal_response": {"inner": "still", "outer": "still"}}
HOT = {"hub_temperature_c": 150.0, "spin": FREE}
TIGHT_SHOES = {"spin": DRAGS, "parking_cable_slackened": "no_change", "parking_shoes": "tight", "pad_mm": pads(7, 7.2)}
RUSTED = {"bleeder": "rusted"}
TRUCK_BY_AXLE = {"kind": "light_truck", "circuit_split": "front_rear"}

SHARED_CAUSES = [
    # Pads that stand off at both wheels of an axle: pistons that work and have far to go, or two that are stuck.
    Case("low pedal that pumps up, both fronts' pads stand off after pads were renewed", {"fl": GAP, "fr": GAP},
         ("v excess_running_clearance",), ("fl piston_seized_released", "v air_in_hydraulics"),
         not_done=("fl replace_caliper", "v bleed_system"), system=LOW, visit={"recent_work": ["pads_front"]}),
    Case("the same, nothing renewed, and a helper sees the pads move", {"fl": GAP | MOVES, "fr": GAP | MOVES},
         ("v excess_running_clearance",), ("fl piston_seized_released",), not_done=("fl replace_caliper",), system=LOW),
    Case("both rears' pads stand off, their faces scaled, nothing moves", {"rl": GAP | STOOD | STILL,
         "rr": GAP | STOOD | STILL}, ("rl piston_seized_released", "rr piston_seized_released"),
         ("v excess_running_clearance",), ("rl replace_caliper", "rr replace_caliper"), verdict="unsafe", system=LOW,
         vehicle=HAT),
    Case("pads stand off at one wheel alone, the pedal low", {"fl": GAP, "fr": {"pad_gap_mm": {"inner": 0.15,
         "outer": 0.15}}}, ("fl piston_seized_released",), ("v excess_running_clearance",), system=LOW,
         verdict="unsafe"),
    # The master cylinder, by the circuits it feeds.
    Case("both fronts drag, the pedal without free play, nobody knows how the circuits are split",
         {"fl": {"spin": DRAGS}, "fr": {"spin": DRAGS}, "rl": {"spin": FREE}, "rr": {"spin": FREE}},
         not_named=("fl hose_restricted", "fl piston_not_releasing"), done=("v adjust_pushrod",),
         next=("v cap_seal", "v pedal_release"), system={"pedal_release": "no_free_play"}),
    Case("both fronts of a truck drag, bleeder and line at the master free them", {"fl": {"spin": DRAGS,
         "bleeder_opened": "frees", "line_loosened_at_master": "frees"}, "fr": {"spin": DRAGS}, "rl": {"spin": FREE},
         "rr": {"spin": FREE}}, ("v master_cylinder_not_releasing",), ("fl hose_restricted",), ("v adjust_pushrod",),
         ("fl replace_hose",), vehicle=TRUCK_BY_AXLE, system={"pedal_release": "no_free_play"}),
    Case("a wheel and the one across drag, the bleeder frees it", {"fl": {"spin": DRAGS}, "rr": {"spin": DRAGS,
         "bleeder_opened": "frees"}, "fr": {"spin": FREE}, "rl": {"spin": FREE}},
         next=("rr line_loosened_at_master",), vehicle={"circuit_split": "diagonal"}),
    Case("every wheel hot, all free on the lift", dict.fromkeys(FOUR, HOT), open=("v",), next=("v pedal_release",),
         visit={"ambient_c": 18}),
    Case("every wheel hot after a mountain road, all free", dict.fromkeys(FOUR, HOT), settled=("v",), verdict="sound",
         visit={"ambient_c": 18, "usage": "mountains"}),
    # The parking brake.
    Case("shoes in the hat set too tight at both rears: slackening the cable does nothing",
         {"rl": TIGHT_SHOES, "rr": TIGHT_SHOES}, ("rl parking_brake_holding", "rr parking_brake_holding"),
         done=("rl adjust_parking_brake", "rr adjust_parking_brake"), not_done=("rl replace_caliper",), vehicle=HAT),
    Case("the level a little under MIN, the linings hardly worn, no leak to be seen", {place: {"pad_mm": pads(9.0, 9.0)}
         for place in FOUR}, open=("v",), next=("v pedal_hold",), not_done=("v correct_fluid_level",),
         system={"fluid_level": -0.2, "visible_leak": "none"}, vehicle=CABLE),
    # What is no fault.
    Case("bleeders rusted all round", good(**dict.fromkeys(FOUR, RUSTED)), settled=FOUR, verdict="service",
         done=("fl service_bleeder",), not_done=("fl find_the_cause",)),
    Case("one place of a pad reads far lower than its other three", {"fl": GOOD | {"pad_mm": {"inner": {"lead_rim": 7.9,
         "lead_hub": 7.9, "trail_rim": 7.8, "trail_hub": 4.2}, "outer": pads(7.6, 7.6)["outer"]}}, "fr": GOOD},
         not_named=("fl slide_pin_seized_one", "fl pad_or_hardware_misfitted"), open=("fl",)),
]  # fmt: skip
