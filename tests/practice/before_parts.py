"""Practice cases of what is looked at before parts are ordered, and of work that makes other work needless. Source of
each: common practice."""

from __future__ import annotations

from tests.documents import pads
from tests.practice.case import BIKE, CABLE, DRAGS, ELECTRIC, FAST, FIRM, FOUR, FREE, GOOD, Case, good

HELD = {"spin": {"turns": 0.6, "seconds": 0.8}, "line_loosened_at_master": "frees"}
CLEAN_OIL = {"cap_seal": "sound", "fluid_colour": "amber"}
TWISTED = {"hose": "twisted", "spin": DRAGS, "bleeder_opened": "frees", "line_loosened_at_master": "no_change"}

BEFORE_PARTS = [
    # An electric parking brake has no lever and no cable.
    Case("electric parking brake: a rear wheel that no hand turns, its pads worn alike",
         {"rl": {"spin": FAST, "bleeder_opened": "no_change", "pad_mm": pads(3.5, 3.6)}, "rr": GOOD},
         ("rl parking_brake_holding",), done=("rl replace_parking_brake_actuator", "rl replace_pads"),
         not_done=("rl free_parking_brake_lever", "rl replace_parking_brake_cable", "rl adjust_parking_brake"),
         verdict="unsafe", vehicle=ELECTRIC),
    Case("electric parking brake: its actuator comes back slowly", good(rr={"parking_lever": "slow", "spin": DRAGS}),
         ("rr parking_brake_holding",), done=("rr replace_parking_brake_actuator",),
         not_done=("rr free_parking_brake_lever",), vehicle=ELECTRIC, system=FIRM),
    Case("parking brake by cable: its lever comes back slowly", good(rr={"parking_lever": "slow", "spin": DRAGS}),
         ("rr parking_brake_holding",), done=("rr free_parking_brake_lever",),
         not_done=("rr replace_parking_brake_actuator",), vehicle=CABLE, system=FIRM),
    # Seal or hose, and nobody opened the bleeder.
    Case("worn and dragging on one side, all free on the bench, the vehicle pulls as it coasts",
         {"fl": GOOD | {"spin": {"turns": 1.5, "seconds": 1.6}, "pad_mm": pads(2.4, 2.9)}, "fr": GOOD},
         done=("fl replace_pads",), open=("fl",), next=("fl bleeder_opened", "fl hose"), verdict="replace",
         system={"pull_coasting": "left", "pull_braking": "none"}),
    Case("a wheel hardly brakes on the rollers, nobody took it off", {}, open=("rl",), verdict="unsafe",
         system={"brake_force_n": {"front_left": 2800, "front_right": 2750, "rear_left": 400, "rear_right": 1800}}),
    # The pushrod before the master cylinder.
    Case("all four held, the line at the master frees them, nobody looked at the pedal's free play",
         dict.fromkeys(("fl", "fr", "rl", "rr"), HELD), ("v master_cylinder_not_releasing",), open=("v",),
         next=("v pedal_release",), done=("v adjust_pushrod",), not_done=("v replace_master_cylinder",),
         system=CLEAN_OIL),
    Case("the same, and the pedal has its free play", dict.fromkeys(("fl", "fr", "rl", "rr"), HELD),
         ("v master_cylinder_not_releasing",), done=("v replace_master_cylinder", "v bleed_system"),
         not_done=("v adjust_pushrod",), system=CLEAN_OIL | {"pedal_release": "full"}),
    # Which fault of the whole vehicle it is.
    Case("a low pedal that pumps up after rear pads, nothing looked at", {}, ("v excess_running_clearance",),
         open=("v",), next=tuple(f"{place} pad_gap_mm" for place in FOUR), done=("v adjust_parking_brake",),
         not_done=("v replace_master_cylinder",), vehicle=CABLE, visit={"recent_work": ["pads_rear"]},
         system={"pedal_travel": 0.75, "pedal_feel": "firm", "pedal_pump": "rises", "pedal_hold": "holds"}),
    # A sensor warns before the lining is at its limit.
    Case("a wear sensor cut, its lining a hair over the limit, the wear lamp on",
         good(fl={"wear_sensor": "cut", "pad_mm": pads(3.1, 3.4)}, fr={"pad_mm": pads(3.3, 3.5)}), settled=("fl", "v"),
         done=("fl replace_pads", "fr replace_pads", "fl replace_wear_sensor"), verdict="replace",
         system=FIRM | {"warning_lamp": "wear"}),
    # What makes other work needless.
    Case("a twisted hose that holds pressure is renewed, not refitted", {"fr": TWISTED, "fl": {"spin": FREE}},
         ("fr hose_restricted",), done=("fr replace_hose", "v bleed_system"), not_done=("fr refit_hose",)),
    Case("one lining oiled, the other glazed: new pads, nothing deglazed",
         good(fr={"pad_condition": {"inner": "oiled", "outer": "glazed"}, "piston_boot": "wet"}),
         done=("fr replace_pads", "fl replace_pads", "fr rebuild_caliper"), not_done=("fr deglaze_linings",),
         verdict="unsafe", system=FIRM),
    Case("a glazed rotor face is cleaned, the linings are left", good(fr={"rotor_face": {"inner": "glazed"}}),
         done=("fr clean_rotor_faces",), not_done=("fr deglaze_linings", "fr replace_pads"), verdict="service",
         system=FIRM),
    # Prove where, before stripping: what no hand turns may be held by its hose.
    Case("a front wheel that no hand turns, nothing else looked at", {"fl": {"spin": FAST}, "fr": {"spin": FREE}},
         open=("fl",), next=("fl bleeder_opened",), verdict="unsafe", system=FIRM | {"pedal_release": "full"}),
    Case("the same, and it comes free at the bleeder", {"fl": {"spin": FAST, "bleeder_opened": "frees",
         "line_loosened_at_master": "no_change"}, "fr": {"spin": FREE}}, ("fl hose_restricted",),
         ("fl piston_seized_applied",), done=("fl replace_hose", "v bleed_system"), not_done=("fl replace_caliper",),
         verdict="unsafe", system=FIRM | {"pedal_release": "full"}),
    Case("a wheel that hardly turns a quarter of a turn", {"fl": {"spin": {"turns": 0.3, "seconds": 0.4}}},
         not_done=("fl replace_caliper",), open=("fl",), verdict="unsafe"),
    # Heat at the rotor comes from what rubs it.
    Case("a blued rotor that is thin, its pads alike: no bearing heated it",
         {"fl": {"rotor_mm": [22.8, 22.9], "pad_mm": pads(5.0, 5.1),
                 "rotor_face": {"inner": "blued", "outer": "blued"}},
          "fr": {"rotor_mm": [24.1, 24.1], "pad_mm": pads(5.2, 5.2)}}, ("fl rotor_worn_or_damaged",),
         ("fl bearing_or_driveline_drag",), done=("fl replace_rotor", "fr replace_rotor"), open=("fl",), system=FIRM),
    Case("a rotor that runs out, and nothing else: the hub's face and the rotor's place on it first",
         good(fl={"rotor_runout_mm": 0.14}), done=("fl resurface_rotor",), verdict="service", system=FIRM),
    Case("a rotor that varies, read at two places, the steering wheel shakes",
         good(fl={"rotor_mm": [24.5, 24.53]}, fr={"rotor_mm": [24.5, 24.5]}), ("fl rotor_worn_or_damaged",),
         ("fr rotor_worn_or_damaged",), done=("fl resurface_rotor",), settled=("fr", "v"), verdict="service",
         system=FIRM | {"vibration": "steering"}),
    Case("a rear wheel comes free as the cable is slackened, its lever returns",
         {"rl": {"spin": DRAGS, "parking_cable_slackened": "frees", "parking_lever": "returns"}, "rr": {"spin": FREE}},
         ("rl parking_brake_holding",), ("rl piston_not_releasing",),
         done=("rl adjust_parking_brake",), not_done=("rl replace_caliper",), vehicle=CABLE, system=FIRM),
    # A scored face is cleaned; it is resurfaced where new pads go on it.
    Case("a scored rotor face under thick pads", good(fr={"rotor_face": {"inner": "scored", "outer": "smooth"}}),
         done=("fr clean_rotor_faces",), not_done=("fr replace_pads", "fl replace_pads", "fr resurface_rotor"),
         verdict="service", system=FIRM),
    Case("a scored rotor face under pads at their limit",
         good(fr={"rotor_face": {"inner": "scored", "outer": "smooth"}, "pad_mm": pads(2.6, 2.8)}),
         done=("fr replace_pads", "fl replace_pads", "fr resurface_rotor"), not_done=("fl resurface_rotor",),
         verdict="replace", system=FIRM),
    # A caliper on the wrong side is changed over; clips were not at fault. Hoses are of one age.
    Case("both front bleeders low after new calipers, the pedal spongy",
         {"fl": {"bleeder": "low"}, "fr": {"bleeder": "low"}}, ("fl pad_or_hardware_misfitted", "v air_in_hydraulics"),
         not_done=("fl replace_hardware", "fr replace_hardware"),
         done=("fl refit_pads_and_hardware", "fr refit_pads_and_hardware", "v bleed_system"), verdict="service",
         visit={"recent_work": ["calipers"]}, system={"pedal_feel": "spongy", "pedal_pump": "rises"}),
    Case("a swollen hose, nobody looked at the other", good(fl={"hose": "swollen"}), verdict="replace", system=FIRM,
         done=("fl replace_hose", "fr replace_hose", "v bleed_system")),
    Case("a swollen hose, the other was looked at hard and is sound",
         good(fl={"hose": "swollen"}, fr={"hose": "sound"}), done=("fl replace_hose", "v bleed_system"),
         not_done=("fr replace_hose",), verdict="replace", system=FIRM),
    # When new calipers go in, the fluid is changed; where one is rebuilt it is bled.
    Case("a piston fast in its bore, clear fluid", good(fr={"piston_pushback": ["immovable"], "spin": FAST}),
         ("fr piston_seized_applied",), done=("fr replace_caliper", "v flush_fluid", "v bleed_system"),
         verdict="unsafe", system=FIRM | {"fluid_colour": "clear", "fluid_age_months": 6}),
    Case("a torn boot, clear fluid", good(fr={"piston_boot": "torn"}), verdict="replace",
         done=("fr rebuild_caliper", "v bleed_system"), not_done=("v flush_fluid",),
         system=FIRM | {"fluid_colour": "clear", "fluid_age_months": 6}),
    # What the wear does not explain is a leak until shown otherwise, and no brake that drags took the fluid.
    Case("the brake lamp is on, the fluid under MIN, thick linings, no leak seen",
         {place: {"pad_mm": pads(9.0, 9.0)} for place in FOUR}, not_named=("v external_leak",), open=("v",),
         next=tuple(f"{place} leak" for place in FOUR), done=("v correct_fluid_level",), not_done=("v repair_leak",),
         system={"fluid_level": -0.2, "warning_lamp": "brake", "visible_leak": "none", "pedal_hold": "holds"}),
    # A motorcycle has no booster, and its front discs one wheel.
    Case("motorcycle: a lever that is hard", {}, not_named=("v booster_weak",), not_done=("v inspect_booster",),
         open=("v",), next=("v pedal_release",), verdict="service", vehicle=BIKE, system={"pedal_feel": "hard"}),
    Case("motorcycle: one caliper holds the wheel of both discs",
         {"fl": {"spin": {"turns": 0.5, "seconds": 0.3}, "piston_pushback": ["immovable", "immovable"],
                 "pad_mm": pads(1.6, 1.7), "retaining_pin": "free"},
          "fr": {"spin": {"turns": 0.5, "seconds": 0.3}, "piston_pushback": ["easy", "easy"], "pad_mm": pads(3.4, 3.4),
                 "pad_fit": {"inner": "free", "outer": "free"}, "retaining_pin": "free"}},
         ("fl piston_seized_applied",), ("fr piston_seized_applied",), settled=("fr",), vehicle=BIKE),
]  # fmt: skip
