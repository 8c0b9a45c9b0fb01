"""Practice cases by trade reasoning: what was found, what a master technician would name, do, and not do.

Source of every case: common practice (faults, what is due, decisions); none was made from the engine's own answers.
A place is "fl", "fr", "rl", "rr", "f", "r" or "v" for the whole vehicle.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from tests.documents import ALL_FREE, pad, pads

FREE, LIGHT, DRAGS = {"turns": 4, "seconds": 5}, {"turns": 2, "seconds": 1.9}, {"turns": 1, "seconds": 1.2}
FAST = {"turns": 0, "seconds": 0}
GOOD: dict[str, Any] = {"spin": FREE, "pad_mm": pads(7.0, 7.2), **ALL_FREE}
FIRM = {"pedal_travel": 0.3, "pedal_feel": "firm", "pedal_hold": "holds", "pedal_pump": "no_change"}
FOUR = ("fl", "fr", "rl", "rr")
PINS = {"pin": {"upper": "seized", "lower": "seized"}, "pin_condition": {"upper": "corroded", "lower": "pitted"}}
STUCK = {"piston_pushback": ["immovable"], "piston_boot": "torn", "spin": FAST}
BOUND = {"pad_fit": {"inner": "bound", "outer": "free"}, "bracket_lands": "pitted"}
CABLE = {"axles": {"rear": {"caliper": "floating", "pistons": 1, "parking_brake": "integral_cable"}}}
HAT = {"axles": {"rear": {"caliper": "floating", "pistons": 1, "parking_brake": "drum_in_hat"}}}
BIKE = {"kind": "motorcycle", "front_discs": 2}


@dataclass(frozen=True)
class Case:
    """One vehicle. named, not_named: "place fault"; done, not_done: "place action"; verdict: any of these words.

    open, settled : places at which something is open, or nothing is; next : "place finding", one of which comes first.
    """

    name: str
    found: dict[str, dict[str, Any]]
    named: tuple[str, ...] = ()
    not_named: tuple[str, ...] = ()
    done: tuple[str, ...] = ()
    not_done: tuple[str, ...] = ()
    verdict: str = ""
    system: dict[str, Any] | None = None
    vehicle: dict[str, Any] | None = None
    visit: dict[str, Any] | None = None
    open: tuple[str, ...] = ()
    settled: tuple[str, ...] = ()
    next: tuple[str, ...] = ()


def good(**other: dict[str, Any]) -> dict[str, dict[str, Any]]:
    """Four corners, all well but for those given."""
    return {place: GOOD | other.get(place, {}) for place in FOUR}


CASES = [
    # Several things wrong at once.
    Case("a neglected car: pins rusted in at four corners, old and over-full fluid",
         {place: GOOD | PINS | {"spin": LIGHT, "pad_mm": pads(3.4, 7.0)} for place in FOUR},
         (*(f"{p} slide_pins_seized" for p in FOUR), "v fluid_degraded", "v reservoir_overfilled"),
         done=("fl replace_bracket", "rr replace_bracket", "v flush_fluid"), verdict="replace",
         system=FIRM | {"fluid_colour": "black", "fluid_age_months": 80.0, "fluid_water_percent": 4.5,
                        "fluid_level": 1.3}),
    Case("four corners, four different faults",
         {"fl": GOOD | PINS | {"spin": LIGHT, "pad_mm": pads(3.4, 7.2)}, "fr": GOOD | STUCK | {"pad_mm": pads(3.2, 5.0)},
          "rl": GOOD | BOUND | {"spin": LIGHT, "pad_mm": pads(4.0, 6.4)},
          "rr": GOOD | {"spin": DRAGS, "parking_lever": "stuck", "parking_cable_slackened": "frees",
                        "pad_mm": pads(4.4, 4.8)}},
         ("fl slide_pins_seized", "fr piston_seized_applied", "rl pad_bound_inner", "rr parking_brake_holding"),
         done=("fr replace_caliper",), verdict="unsafe", vehicle=CABLE),
    Case("three corners with pistons fast in their bores",
         good(fl=STUCK | {"pad_mm": pads(3.2, 5.0)}, fr=STUCK | {"pad_mm": pads(3.4, 5.2)},
              rl=STUCK | {"pad_mm": pads(3.6, 5.0)}),
         ("fl piston_seized_applied", "fr piston_seized_applied", "rl piston_seized_applied"), ("rr piston_seized_applied",),
         ("fl replace_caliper", "fr replace_caliper", "rl replace_caliper"), verdict="unsafe"),
    Case("two corners bound, air in the pedal, brown fluid",
         good(fl=BOUND | {"spin": LIGHT, "pad_mm": pads(4.2, 6.6)}, fr=BOUND | {"spin": LIGHT, "pad_mm": pads(4.0, 6.6)}),
         ("fl pad_bound_inner", "fr pad_bound_inner", "v air_in_hydraulics"),
         done=("fl replace_bracket", "v bleed_system", "v flush_fluid"),
         system={"pedal_travel": 0.7, "pedal_feel": "spongy", "pedal_hold": "holds", "pedal_pump": "rises",
                 "fluid_colour": "brown"}),
    Case("pins, bound pad and a thin rotor at one corner",
         good(fl=PINS | BOUND | {"spin": DRAGS, "pad_mm": pads(3.2, 6.8), "rotor_mm": [22.6, 22.7]}),
         ("fl slide_pins_seized", "fl pad_bound_inner", "fl rotor_worn_or_damaged"),
         done=("fl replace_rotor", "fr replace_rotor", "fl replace_bracket"), verdict="replace"),
    # Dragging wheels.
    Case("rear wheel drags, one side worn to 2 mm, everything free on the bench",
         good(rl={"spin": DRAGS, "pad_mm": pads(2.0, 2.5)}), not_named=("rl slide_pins_seized", "rl pad_bound_inner"),
         done=("rl replace_pads", "rr replace_pads"), verdict="replace", system=FIRM),
    Case("drags, all free on the bench, bleeder and cable change nothing",
         good(rl={"spin": DRAGS, "pad_mm": pads(3.6, 4.2), "bleeder_opened": "no_change",
                  "parking_cable_slackened": "no_change", "parking_lever": "returns", "piston_boot": "torn"}),
         ("rl piston_not_releasing",), ("rl hose_restricted",), verdict="replace", vehicle=CABLE),
    Case("opening the bleeder frees it, the line at the master does not",
         good(fr={"spin": DRAGS, "pad_mm": pads(5.2, 5.4), "bleeder_opened": "frees",
                  "line_loosened_at_master": "no_change", "hose": "swollen"}),
         ("fr hose_restricted",), ("fr piston_not_releasing",), ("fr replace_hose", "v bleed_system"), verdict="replace"),
    Case("all four drag, the line at the master frees them, no free play",
         {place: GOOD | {"spin": DRAGS, "line_loosened_at_master": "frees"} for place in FOUR},
         ("v master_cylinder_not_releasing",), ("fl hose_restricted", "rr piston_not_releasing"),
         ("v adjust_pushrod",), system=FIRM | {"pedal_release": "no_free_play"}),
    Case("slackening the cable frees it, the lever is stuck",
         good(rl={"spin": DRAGS, "parking_lever": "stuck", "parking_cable_slackened": "frees", "pad_mm": pads(4.6, 5.0)}),
         ("rl parking_brake_holding",), ("rl hose_restricted",), ("rl free_parking_brake_lever",), vehicle=CABLE),
    Case("both rears hot, pads fine, shoes tight",
         good(rl={"spin": DRAGS, "hub_temperature_c": 120.0, "parking_shoes": "tight"},
              rr={"spin": DRAGS, "hub_temperature_c": 125.0, "parking_shoes": "tight"}),
         ("rl parking_brake_holding", "rr parking_brake_holding"), ("rl hose_restricted",), ("rl adjust_parking_brake",),
         vehicle=HAT, visit={"ambient_c": 15}),
    Case("rumbles and turns hard whatever is opened, pads normal",
         good(fl={"spin": DRAGS, "bearing": "rough", "noise": "rumble", "bleeder_opened": "no_change",
                  "caliper_bolts_slackened": "no_change"}),
         ("fl bearing_or_driveline_drag",), ("fl piston_not_releasing",), ("fl inspect_bearing_or_driveline",)),
    Case("both driven wheels turn a little hard, alike: the driveline",
         good(fl={"spin": LIGHT}, fr={"spin": LIGHT}), not_named=("fl piston_not_releasing", "fr piston_not_releasing"),
         vehicle={"driven": "front"}),
    Case("scrapes, spins freely, cool, the shield touches",
         good(fl={"noise": "scrape", "shield": "touching"}), ("fl shield_contact",), ("fl rotor_worn_or_damaged",),
         ("fl straighten_shield",), verdict="service"),
    Case("a rotten shield that scrapes is the shield", good(fl={"noise": "scrape", "shield": "rotten"}),
         ("fl shield_contact",), done=("fl straighten_shield",), verdict="service"),
    Case("a piston fast in its bore, the inner lining nearly gone, hot",
         good(fr=STUCK | {"pad_mm": pads(2.2, 4.4), "rotor_face": {"inner": "blued", "outer": "smooth"}}),
         ("fr piston_seized_applied",), done=("fr replace_caliper", "fl replace_pads"), verdict="unsafe"),
    Case("the outer pad worn first, both pins fast",
         good(fl=PINS | {"spin": DRAGS, "pad_mm": pads(7.6, 3.6)}), ("fl slide_pins_seized",),
         ("fl piston_seized_applied",), ("fl replace_pads", "fr replace_pads")),
    Case("one pin stuck, both pads wedges",
         good(rl={"pin": {"upper": "seized", "lower": "free"}, "spin": LIGHT,
                  "pad_mm": {"inner": pad(4.4, 6.6), "outer": pad(6.8, 4.8)}}),
         ("rl slide_pin_seized_one",), ("rl piston_not_releasing",), ("rl replace_pads", "rl clean_and_lubricate_slides")),
    Case("two rim places 7.9, two hub places 4.2: no slip of the gauge",
         good(fl={"pad_mm": {"inner": {"lead_rim": 7.9, "trail_rim": 7.9, "lead_hub": 4.2, "trail_hub": 4.2},
                             "outer": pad(7.4)}}),
         ("fl pad_or_hardware_misfitted",), done=("fl replace_pads",)),
    Case("a clip the wrong way round", good(fl={"hardware": "clip_reversed", "noise": "click"}),
         ("fl pad_or_hardware_misfitted",), done=("fl refit_pads_and_hardware",)),
    Case("the bleeder is not uppermost", good(fl={"bleeder": "low"}), ("fl pad_or_hardware_misfitted",),
         done=("fl refit_pads_and_hardware",)),
    Case("a gap, thick linings, scaled faces, nothing moves: stuck in its bore",
         good(rr={"pad_gap_mm": {"inner": 1.6, "outer": 1.2}, "pad_mm": pads(9.4, 9.5), "piston_pushback": ["immovable"],
                  "pedal_response": {"inner": "still", "outer": "still"},
                  "rotor_face": {"inner": "rust_scaled", "outer": "rust_scaled"}}, rl={"pad_mm": pads(4.0, 4.2)}),
         ("rr piston_seized_released",), ("rl piston_seized_applied",), ("rr replace_caliper",), verdict="unsafe"),
    Case("retaining pin rusted in, inner pad bound, a fixed caliper",
         good(fl=BOUND | {"retaining_pin": "seized", "spin": LIGHT, "pad_mm": pads(3.8, 6.0)}),
         ("fl pad_bound_inner",), done=("fl free_retaining_pin", "fl replace_bracket"),
         vehicle={"axles": {"front": {"caliper": "fixed", "pistons": 4, "piston_diameter_mm": [40, 44]}}}),
    # Conditions.
    Case("linings at their limit, even all round", good(fl={"pad_mm": pads(2.8, 2.9)}, fr={"pad_mm": pads(2.8, 2.9)}),
         ("fl worn_out_normally", "fr worn_out_normally"), ("fl slide_pins_seized",), ("fl replace_pads", "fr replace_pads"),
         verdict="replace"),
    Case("worn out and a thin rotor: the rotor did not wear the lining",
         good(fl={"pad_mm": pads(2.8, 2.9), "rotor_mm": [22.5]}, fr={"pad_mm": pads(2.8, 2.9), "rotor_mm": [23.6]}),
         ("fl worn_out_normally", "fl rotor_worn_or_damaged"), done=("fl replace_rotor", "fr replace_rotor")),
    Case("everything measured and nothing wrong", good(), not_named=("fl piston_not_releasing",), verdict="sound",
         system=FIRM),
    Case("an oiled lining, the other side pulls", good(fl={"pad_condition": {"inner": "oiled", "outer": "oiled"}}),
         ("fl lining_contaminated",), done=("fl replace_pads", "fr replace_pads"), verdict="replace",
         system=FIRM | {"pull_braking": "right"}),
    Case("metal on metal", good(fl={"pad_condition": {"inner": "metal_to_metal"}, "pad_mm": {"inner": pad(0.0), "outer": pad(3.5)}}),
         done=("fl replace_pads", "fl replace_rotor", "fr replace_rotor"), verdict="unsafe"),
    Case("a pad fitted backwards", good(fl={"pad_condition": {"inner": "backwards"}}), ("fl pad_or_hardware_misfitted",),
         done=("fl replace_pads",), verdict="unsafe"),
    Case("different linings left and right", good(fl={"pad_material": "EE"}, fr={"pad_material": "FF"}),
         done=("fl replace_pads", "fr replace_pads"), verdict="replace"),
    Case("a cut wear sensor on thick linings", good(fl={"wear_sensor": "cut"}), done=("fl replace_wear_sensor",),
         verdict="service"),
    Case("a lip of 3 mm that nobody measured", good(fl={"rotor_lip_mm": 3.0}), verdict="service", open=("fl",)),
    Case("a rotor that varies", good(fl={"rotor_mm": [24.5, 24.53, 24.5, 24.46]}), done=("fl resurface_rotor",),
         system=FIRM | {"vibration": "pedal"}),
    Case("a cracked rotor", good(rl={"rotor_face": {"inner": "cracked", "outer": "smooth"}}),
         done=("rl replace_rotor", "rr replace_rotor"), verdict="unsafe"),
    Case("a twisted hose", good(fl={"hose": "twisted"}), done=("fl refit_hose", "v bleed_system"), verdict="service"),
    Case("a cracked hose", good(fl={"hose": "cracked"}), done=("fl replace_hose", "v bleed_system"), verdict="replace"),
    Case("a torn piston boot on a piston that moves", good(fl={"piston_boot": "torn"}), done=("fl rebuild_caliper",),
         verdict="replace"),
    Case("a wet piston", good(fl={"piston_boot": "wet"}), verdict="unsafe"),
    Case("dry pins, no more", good(fl={"pin_condition": {"upper": "dry", "lower": "dry"}}),
         not_named=("fl slide_pins_seized",), done=("fl clean_and_lubricate_slides", "fr clean_and_lubricate_slides"),
         not_done=("fl replace_caliper",), verdict="service"),
    Case("rust on four corners and nothing sticks",
         {p: GOOD | {"bracket_lands": "rusted", "bleeder": "rusted", "pin_condition": {"upper": "corroded", "lower": "dry"}}
          for p in FOUR}, not_named=tuple(f"{p} pad_bound_inner" for p in FOUR), done=("fl clean_bracket_lands",),
         not_done=("fl replace_caliper",), verdict="service"),
    Case("play in a bearing", good(fl={"bearing": "play"}), done=("fl inspect_bearing_or_driveline",), verdict="unsafe"),
    Case("shoes off their lining, the parking brake holds nothing", good(rl={"parking_shoes": "delaminated"}),
         done=("rl replace_parking_brake_shoes", "rr replace_parking_brake_shoes", "v adjust_parking_brake"),
         verdict="replace", vehicle=HAT, system=FIRM | {"parking_brake_holds": "no"}),
    # Open questions.
    Case("a hub at 190 °C beside 60, everything else well", good(fl={"hub_temperature_c": 190.0},
         fr={"hub_temperature_c": 60.0}), verdict="unsafe", open=("fl",), visit={"ambient_c": 18}),
    Case("a pedal at nine tenths", good(), verdict="unsafe", system=FIRM | {"pedal_travel": 0.9}, open=("v",)),
    Case("a wheel that turns hard, nothing else looked at", {"fl": {"spin": DRAGS}, "fr": {"spin": FREE}}, open=("fl",),
         not_done=("fl replace_caliper",)),
    Case("it pulls, and all that was found is well", good(), system=FIRM | {"pull_braking": "left"}, open=("v",)),
    Case("a brake lamp alone is no leak", good(), not_named=("v external_leak",), not_done=("v repair_leak",),
         system=FIRM | {"warning_lamp": "brake"}, open=("v",)),
    # The pedal and the fluid.
    Case("spongy, long, rises when pumped, hoses were opened", good(), ("v air_in_hydraulics",),
         ("v master_cylinder_bypass",), ("v bleed_system",),
         system={"pedal_travel": 0.7, "pedal_feel": "spongy", "pedal_hold": "holds", "pedal_pump": "rises"},
         visit={"recent_work": ["hoses"]}),
    Case("sinks under a steady foot, dry everywhere, level as the wear explains", good(),
         ("v master_cylinder_bypass",), ("v external_leak",), verdict="unsafe",
         system={"pedal_travel": 0.3, "pedal_feel": "firm", "pedal_hold": "sinks", "visible_leak": "none",
                 "fluid_level": 0.55, "topped_up_since_service": "no"}),
    Case("wet under the vehicle, the level low", good(), ("v external_leak",), done=("v repair_leak",), verdict="unsafe",
         system=FIRM | {"visible_leak": "underbody", "fluid_level": -0.2}),
    Case("sinks after rear pads with screw-in pistons", good(), done=("v adjust_parking_brake",), verdict="unsafe",
         not_done=("v replace_master_cylinder",), vehicle=CABLE, visit={"recent_work": ["pads_rear"]},
         system={"pedal_hold": "sinks", "pedal_travel": 0.6, "visible_leak": "none"}),
    Case("a hard pedal that does not drop", good(), ("v booster_weak",), done=("v inspect_booster",),
         system=FIRM | {"pedal_feel": "hard", "pedal_on_engine_start": "no_change"}),
    Case("fluid with 4 % of water", good(), ("v fluid_degraded",), done=("v flush_fluid",), verdict="service",
         system=FIRM | {"fluid_water_percent": 4.0}),
    Case("a swollen cap seal and cloudy fluid", good(), ("v fluid_contaminated_mineral_oil",),
         done=("v replace_all_rubber_parts",), verdict="unsafe",
         system=FIRM | {"cap_seal": "swollen", "fluid_colour": "cloudy"}),
    Case("over MAX with worn pads", good(fl={"pad_mm": pads(3.4, 3.6)}, fr={"pad_mm": pads(3.4, 3.6)}),
         ("v reservoir_overfilled",), done=("v correct_fluid_level",), system=FIRM | {"fluid_level": 1.25}),
    Case("both fronts drag, the bleeder and then the line at the master free them",
         {"fl": {"spin": DRAGS}, "fr": {"spin": DRAGS, "bleeder_opened": "frees", "line_loosened_at_master": "frees"}},
         ("v master_cylinder_not_releasing",), ("fl hose_restricted", "fr hose_restricted"),
         done=("v adjust_pushrod",), system={"pedal_release": "no_free_play"}, settled=("fl", "fr")),
    Case("four wheels drag, the cap swollen, the fluid cloudy", {place: {"spin": DRAGS} for place in FOUR},
         ("v fluid_contaminated_mineral_oil",), done=("v replace_all_rubber_parts",), verdict="unsafe",
         system={"cap_seal": "swollen", "fluid_colour": "cloudy", "pedal_release": "slow"}, settled=FOUR),
    Case("a brake lamp, the level at MIN, four worn axle sets", {p: {"pad_mm": pads(2.6, 2.8)} for p in FOUR},
         not_named=("v external_leak",), done=("fl replace_pads", "rr replace_pads"), not_done=("v repair_leak",),
         verdict="replace", system={"warning_lamp": "brake", "fluid_level": 0.0}, settled=("v",)),
    Case("a low pedal that pumps up firm after new pads",
         {p: {"pad_mm": pads(10.8, 10.9)} for p in ("fl", "fr")}, ("v excess_running_clearance",),
         ("fl piston_seized_released", "v air_in_hydraulics"), not_done=("fl replace_caliper", "fr replace_caliper"),
         system={"pedal_travel": 0.65, "pedal_feel": "firm", "pedal_pump": "rises", "pedal_hold": "holds"},
         visit={"recent_work": ["pads_front"]}),
    Case("the steering wheel shakes under braking", {}, (), ("rl rotor_worn_or_damaged",),
         not_done=("fl replace_rotor",), system={"vibration": "steering"}, open=("v",),
         next=("fl rotor_runout_mm", "fr rotor_runout_mm")),
    Case("the parking brake holds nothing, more is not known", {}, system={"parking_brake_holds": "no"}, open=("v",),
         vehicle=CABLE, next=("rl spin", "rr spin", "rl parking_lever", "rr parking_lever")),
    # Where to look next, and what is not ordered before.
    Case("a hub at 200 beside 60, no wheel off yet", {"fl": {"hub_temperature_c": 60.0},
         "fr": {"hub_temperature_c": 200.0}}, verdict="unsafe", open=("fr",), next=("fr spin",),
         not_done=("fr replace_caliper", "fr replace_hose", "fl replace_caliper")),
    Case("it scrapes at one wheel, the rest is well", good(rr={"noise": "scrape"}), open=("rr",), next=("rr shield",),
         not_done=("rr replace_pads", "rr resurface_rotor", "rr replace_rotor")),
    Case("metal on metal inside, the outer lining thick, nothing stripped",
         {"fr": {"noise": "grind", "window_pad_mm": {"inner": 0.0, "outer": 5.0},
                 "rotor_face": {"inner": "grooved", "outer": "smooth"}},
          "fl": {"window_pad_mm": {"inner": 5.0, "outer": 5.0}}}, ("fr rotor_worn_or_damaged",),
         done=("fr replace_rotor", "fr replace_pads"), not_done=("fr replace_bracket", "fr replace_caliper"),
         verdict="unsafe", open=("fr",)),
    Case("slackening the bolts frees it, no pin seen yet",
         {"rr": {"spin": DRAGS, "caliper_bolts_slackened": "frees"}, "rl": {"spin": FREE}}, open=("rr",),
         not_done=("rr replace_bracket", "rr replace_caliper")),
    Case("a bleeder weeps", {"fr": {"leak": "seep", "leak_at": "bleeder"}}, done=("fr repair_leak",), verdict="unsafe",
         not_done=("fr rebuild_caliper", "fr replace_caliper", "fr replace_pads"), system=FIRM),
    Case("a clip is reversed and scrapes", {"fl": {"hardware": "clip_reversed", "noise": "scrape", "spin": FREE},
         "fr": {"hardware": "complete", "spin": FREE}}, ("fl pad_or_hardware_misfitted",),
         done=("fl refit_pads_and_hardware",), not_done=("fl replace_pads",), verdict="service", system=FIRM),
    Case("a glazed lining squeals", good(fr={"noise": "squeal", "pad_condition": {"inner": "glazed", "outer": "glazed"}}),
         done=("fr deglaze_linings",), verdict="service", system=FIRM, settled=("fr",)),
    Case("a cracked hose above a bleeder that does not move", good(fl={"bleeder": "seized", "hose": "cracked"}),
         done=("fl replace_hose", "fl rebuild_caliper", "v bleed_system"), verdict="replace", system=FIRM),
    Case("a bleeder that does not move, nothing to open", good(fl={"bleeder": "seized"}), done=("fl service_bleeder",),
         not_done=("fl rebuild_caliper", "fl replace_caliper"), verdict="service", system=FIRM),
    Case("a lever stuck with its cable slack",
         {"rl": GOOD | {"spin": DRAGS, "parking_lever": "stuck", "parking_cable_slackened": "no_change",
                        "pad_mm": pads(3.5, 4.0)}, "rr": GOOD}, ("rl parking_brake_holding",),
         done=("rl rebuild_caliper",), verdict="replace", vehicle=CABLE),
    Case("hot from the drive, free on the lift, nothing taken off",
         {"fl": {"hub_temperature_c": 150.0, "spin": FREE}, "fr": {"hub_temperature_c": 60.0, "spin": FREE}},
         visit={"ambient_c": 18}, open=("fl",), settled=("fr",), not_done=("fl replace_hose", "fl replace_caliper"),
         next=("fl pedal_response", "fl hose", "fl pad_gap_mm", "fl bearing", "fl noise")),
    Case("hot from the drive, free on the lift: both pads worn alike, the piston goes home firmly",
         {"fl": GOOD | {"hub_temperature_c": 150.0, "pad_mm": pads(5.0, 5.1), "piston_pushback": ["firm"]},
          "fr": {"hub_temperature_c": 60.0, "spin": FREE, "pad_mm": pads(9.0, 9.0)}}, ("fl hose_restricted",),
         ("fr piston_seized_released",), done=("fl replace_hose",), not_done=("fl replace_caliper",),
         visit={"ambient_c": 18}),
    Case("all four hot and held alike after the drive, the pedal slow to come back",
         {place: {"hub_temperature_c": 150.0, "spin": DRAGS} for place in FOUR}, ("v master_cylinder_not_releasing",),
         ("fl hose_restricted", "fr piston_not_releasing"), done=("v adjust_pushrod",), system={"pedal_release": "slow"},
         visit={"ambient_c": 18}),
    # Other vehicles.
    Case("motorcycle: pistons firm where thumbs should do",
         {"fl": {"spin": {"turns": 1, "seconds": 1.2}, "piston_pushback": ["firm", "firm"], "pad_mm": pads(2.4, 2.4)},
          "fr": {"spin": {"turns": 1, "seconds": 1.2}, "piston_pushback": ["easy", "easy"], "pad_mm": pads(3.4, 3.4)}},
         not_named=("fr piston_seized_applied",), done=("fl rebuild_caliper",), verdict="replace", vehicle=BIKE),
    Case("motorcycle: all free and even", {"fl": {"spin": FREE, "pad_mm": pads(3.6, 3.6), "piston_pushback": ["easy"]},
         "fr": {"spin": FREE, "pad_mm": pads(3.6, 3.7), "piston_pushback": ["easy"]}, "r": {"spin": FREE}},
         not_named=("fl piston_not_releasing",), verdict="sound", vehicle=BIKE),
    Case("motorcycle: one lazy piston, the pad a wedge",
         {"fl": {"piston_pushback": ["easy", "immovable"], "pad_mm": {"inner": pad(2.2, 4.0), "outer": pad(2.4, 3.9)},
                 "spin": {"turns": 2, "seconds": 2.4}}, "fr": {"piston_pushback": ["easy", "easy"]}},
         ("fl piston_hung_one_of_several",), ("fr piston_hung_one_of_several",), vehicle=BIKE),
    Case("light truck: two pistons, one immovable",
         good(fl={"piston_pushback": ["easy", "immovable"], "pad_mm": {"inner": pad(4.0, 6.6), "outer": pad(4.6, 6.4)},
                  "spin": LIGHT}), ("fl piston_hung_one_of_several",), done=("fl replace_caliper",),
         vehicle={"kind": "light_truck", "axles": {"front": {"caliper": "floating", "pistons": 2,
                                                           "piston_diameter_mm": [48, 48]}}}),
    Case("light truck: lining at the legal floor", good(fl={"pad_mm": pads(1.5, 3.0)}), done=("fl replace_pads",),
         verdict="unsafe", vehicle={"kind": "light_truck"}),
    Case("after 60 000 km of town both sides at 4 mm: a long life", good(fl={"pad_mm": pads(4.0, 4.2)},
         fr={"pad_mm": pads(4.1, 4.2)}), not_named=("fl piston_not_releasing", "fr hose_restricted"), verdict="sound",
         vehicle={"axles": {"front": {"pads_fitted_odometer_km": 20000}}}, visit={"odometer_km": 80000, "usage": "town"}),
]  # fmt: skip
