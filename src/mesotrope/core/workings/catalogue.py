"""The catalogue of workings. Each is one entry: what is given, what is found, formula, source, example."""

from __future__ import annotations

from mesotrope.core.language.quantity import UNITS
from mesotrope.core.language.saying import marked, said, verbatim
from mesotrope.core.physics import pads
from mesotrope.core.workings.model import FoundFigure, Given, Working
from mesotrope.core.workings.running import (
    run_bedding_plan,
    run_bleed_volume,
    run_boiling_point,
    run_brake_imbalance,
    run_clamp_force,
    run_convert,
    run_drag_from_pull,
    run_drag_from_spin,
    run_drag_heat,
    run_drag_temperature,
    run_fluid_balance,
    run_fluid_returned,
    run_pad_taper,
    run_pedal_strokes,
    run_pedal_travel_lost,
    run_refill_strokes,
    run_rotor_life,
    run_stop_heat,
    run_vin,
    run_wear_life,
)
from mesotrope.errors import InvalidInput

GEOMETRY = "[physics]"
LIMPERT = "[limpert]"


def _wheel(name: str = "wheel_radius_mm") -> Given:
    return Given(name, marked("wheel radius"), "r", "mm", low=100, high=800, default="310")


CALIPER = Given("caliper", "caliper", kind="word", words=("floating", "fixed"), default="floating")
PISTONS = Given("pistons", marked("pistons (floating: of the one side; fixed: all)"), "n", default="", low=1, high=8)
DIAMETERS = Given(
    "piston_diameter_mm", marked("piston diameters of one side"), "d", "mm", kind="numbers", low=5, high=150
)
BORE = Given("master_bore_mm", marked("master cylinder bore"), "D", "mm", low=3, high=80, relative_sd=0.005)
STROKE = Given("useful_stroke_mm", marked("useful stroke of the master cylinder"), "s", "mm", low=1, high=100)
RATIO = Given("pedal_ratio", marked("pedal ratio"), "i", low=1, high=15)
MASS = Given("mass_kg", marked("mass of the vehicle"), "m", "kg", low=30, high=20000)
SHARE = Given("axle_share", marked("the axle's share of the braking"), "a", low=0, high=1)
ROTOR_MASS = Given("rotor_mass_kg", marked("mass of one rotor"), "M", "kg", low=0.1, high=100)
TORQUE = Given("drag_torque_nm", marked("drag torque"), "T", "N.m", high=5000)
SPEED = Given("speed_kmh", marked("road speed"), "v", "km/h", high=400)


WORN = {"inner": marked("inner lining worn"), "outer": marked("outer lining worn"), "rotor": marked("rotor wear")}


def _worn(side: str, symbol: str) -> Given:
    return Given(
        f"{side}_wear_mm",
        WORN[side],
        symbol,
        "mm",
        high=60,
        sd=0.15,
        lining=side != "rotor",
    )


WORKINGS: tuple[Working, ...] = (
    Working(
        "drag-from-spin", marked("Drag from a spin"), marked("Drag"), "T = I · 4π · N / t²",
        (Given("turns", marked("turns until it stops"), "N", low=0.05, high=200, sd=0.25),
         Given("seconds", marked("seconds until it stops"), "t", "s", low=0.05, high=600, sd=0.2),
         Given("inertia_kg_m2", marked("inertia of wheel, tire, hub and rotor, kg·m²"), "I", low=0.01, high=50, default="1.0",
               relative_sd=0.15)),
        (FoundFigure("drag_torque_nm", marked("drag torque"), "N.m", 2, "T"),), run_drag_from_spin,
        "uniform deceleration; common practice: under 3 N·m free, over 8 N·m a fault, over 20 N·m unsafe heat",
        {"turns": "3", "seconds": "4", "inertia_kg_m2": "1.1"},
        marked("Turns and seconds together give the torque, whatever the vigor of the spin."),
    ),
    Working(
        "drag-from-pull", marked("Drag from a pull"), marked("Drag"), "T = F · r",
        (Given("pull_n", marked("steady pull on the scale"), "F", "N", high=5000, relative_sd=0.1),
         Given("radius_mm", marked("radius of that pull"), "r", "mm", low=5, high=1000)),
        (FoundFigure("drag_torque_nm", marked("drag torque"), "N.m", 2, "T"),), run_drag_from_pull, "statics",
        {"pull_n": "40", "radius_mm": "300"}, marked("What keeps the wheel turning counts, not what starts it."),
    ),
    Working(
        "drag-heat", marked("Heat of a dragging brake"), marked("Drag"), "P = T · v / r",
        (TORQUE, SPEED, _wheel()),
        (FoundFigure("power_w", "heat", "W", 0, "P"), FoundFigure("force_n", marked("force at the road"), "N", 1),
         FoundFigure("fuel_l_per_100_km", marked("fuel for 100 km, an estimate"), "l", 2)), run_drag_heat,
        "power of a torque; the fuel figure is an estimate, common practice",
        {"drag_torque_nm": "8", "speed_kmh": "90", "wheel_radius_mm": "310"},
    ),
    Working(
        "drag-temperature", marked("Temperature of a dragging rotor"), marked("Drag"), "P = h · A · (T − T₀)",
        (TORQUE, SPEED, _wheel(), Given("rotor_diameter_mm", marked("rotor diameter"), "D", "mm", low=80, high=700),
         Given("ambient_c", marked("outside"), "T₀", "C", low=-50, high=60, default="20")),
        (FoundFigure("rotor_c", marked("rotor in the long run"), "C", 0, "T"),), run_drag_temperature,
        "Newton cooling; film coefficients by common practice",
        {"drag_torque_nm": "8", "speed_kmh": "90", "wheel_radius_mm": "310", "rotor_diameter_mm": "260"}, estimate=True,
    ),
    Working(
        "fluid-returned", marked("Fluid that comes back"), marked("Hydraulics"), "floating V = n · πd²/4 · (wi + wo + wr)    fixed V = Σ πd²/4 · (w + wr/2) on each side",
        (CALIPER, PISTONS, DIAMETERS, _worn("inner", "wi"), _worn("outer", "wo"), _worn("rotor", "wr")),
        (FoundFigure("volume_ml", "fluid", "mL", 1, "V"), FoundFigure("volume_us_fl_oz", marked("the same in US fluid ounces"), "", 2)),
        run_fluid_returned, f"{GEOMETRY}; common practice: one or two US fluid ounces come back from a worn front axle",
        {"caliper": "floating", "pistons": "1", "piston_diameter_mm": "54", "inner_wear_mm": "5.0",
         "outer_wear_mm": "4.8", "rotor_wear_mm": "0.4"},
        marked("It rises in the reservoir as the pistons go home: take it out first."),
    ),
    Working(
        "fluid-balance", marked("Is the level what the wear explains?"), marked("Hydraulics"), "L = 1 − V / Vm    Δ = (l − L) · Vm",
        (Given("level", marked("level seen, 0 at MIN, 1 at MAX"), "l", low=-2, high=3),
         Given("taken_up_ml", marked("fluid that all pistons hold for wear"), "V", "mL", high=5000),
         Given("min_to_max_ml", marked("reservoir from MIN to MAX"), "Vm", "mL", low=1, high=5000),
         Given("returning_ml", marked("fluid that comes back now"), "Vr", "mL", high=5000, default="0"),
         Given("max_to_brim_ml", marked("reservoir from MAX to the brim"), "Vb", "mL", high=5000, default="60")),
        (FoundFigure("expected_level", marked("level the wear explains"), "", 2, "L"), FoundFigure("excess_ml", marked("more than explained"), "mL", 0, "Δ"),
         FoundFigure("excess_sd_ml", marked("its standard uncertainty"), "mL", 0), FoundFigure("level_after", marked("level with pistons home"), "", 2),
         FoundFigure("overflow_ml", marked("runs over"), "mL", 0), FoundFigure("take_out_ml", marked("take out first"), "mL", 0)),
        run_fluid_balance, "volume balance; the reservoir is taken as filled to MAX when the pads were new",
        {"level": "0.9", "taken_up_ml": "75", "min_to_max_ml": "150", "returning_ml": "60", "max_to_brim_ml": "60"},
    ),
    Working(
        "pedal-travel-lost", marked("Pedal travel lost to gaps"), marked("Hydraulics"), "s = V / (πD²/4) · i",
        (Given("volume_ml", marked("fluid to close the gaps"), "V", "mL", high=1000), BORE, RATIO,
         Given("stroke_mm", marked("stroke of the master cylinder"), "S", "mm", default="", low=1, high=200)),
        (FoundFigure("pedal_travel_mm", marked("pedal travel"), "mm", 1, "s"), FoundFigure("share_of_travel", marked("share of the travel there is"), "", 2)),
        run_pedal_travel_lost, GEOMETRY, {"volume_ml": "5.1", "master_bore_mm": "22.2", "pedal_ratio": "4.0", "stroke_mm": "34"},
        marked("A low pedal that the gaps explain needs no air to explain it."),
    ),
    Working(
        "pedal-strokes", marked("Strokes to bring the pedal back"), marked("Hydraulics"), "n = V / (πD²/4 · s)",
        (Given("volume_ml", marked("fluid the calipers take up again"), "V", "mL", high=5000), BORE, STROKE),
        (FoundFigure("strokes", marked("full strokes"), "", 1, "n"),), run_pedal_strokes,
        f"{GEOMETRY}; common practice: 5 to 7 on a typical front axle",
        {"volume_ml": "61", "master_bore_mm": "22.2", "useful_stroke_mm": "28"}, marked("Pump before the vehicle moves."),
    ),
    Working(
        "refill-strokes", marked("Strokes between refills"), marked("Hydraulics"), "n = ½ · V / (πD²/4 · s)",
        (Given("usable_ml", marked("reservoir down to the port"), "V", "mL", high=5000), BORE, STROKE),
        (FoundFigure("strokes", marked("strokes, with the safety half"), "", 1, "n"),), run_refill_strokes,
        f"{GEOMETRY}; common practice: refill every 10 to 15 strokes",
        {"usable_ml": "220", "master_bore_mm": "22.2", "useful_stroke_mm": "10"}, marked("Never let the reservoir run dry."),
    ),
    Working(
        "bleed-volume", marked("Fluid to let out at a corner"), marked("Hydraulics"), "V₀ = πd²/4 · L + Vc    V = k · V₀",
        (Given("line_length_mm", marked("length of the line"), "L", "mm", high=20000),
         Given("line_bore_mm", marked("bore of the line"), "d", "mm", low=0.5, high=15, default="3.4"),
         Given("caliper_ml", marked("content of the caliper"), "Vc", "mL", high=1000),
         Given("bleed_times", marked("times the content, bubble-free"), "k", low=0.5, high=10, default="1.5"),
         Given("change_times", marked("times the content, all new"), "k", low=1, high=20, default="3")),
        (FoundFigure("content_ml", marked("content of line and caliper"), "mL", 0, "V₀"), FoundFigure("bleed_ml", marked("until no bubble comes"), "mL", 0),
         FoundFigure("full_change_ml", marked("for a full change"), "mL", 0)), run_bleed_volume,
        f"{GEOMETRY}; the multiples are common practice", {"line_length_mm": "4000", "caliper_ml": "40"},
    ),
    Working(
        "clamp-force", marked("Pressure, clamp force and torque"), marked("Hydraulics"), "p = F·i·b / (πD²/4)    N = p · Σ πd²/4    M = 2µ · N · r",
        (Given("pedal_force_n", marked("pedal force"), "F", "N", high=5000), RATIO,
         Given("boost", marked("multiplication of the booster, 1 for none"), "b", low=1, high=15, default="1"), BORE, DIAMETERS,
         Given("friction", marked("friction of the lining"), "µ", low=0.05, high=1, default="0.38"),
         Given("effective_radius_mm", marked("effective radius"), "r", "mm", low=20, high=400)),
        (FoundFigure("pressure_bar", marked("line pressure"), "bar", 1, "p"), FoundFigure("pressure_kpa", marked("the same"), marked("kPa"), 0),
         FoundFigure("pressure_psi", marked("the same"), "psi", 0), FoundFigure("clamp_force_n", marked("clamp force"), "N", 0, "N"),
         FoundFigure("brake_torque_nm", marked("brake torque of the corner"), "N.m", 0, "M")), run_clamp_force, LIMPERT,
        {"pedal_force_n": "300", "pedal_ratio": "4", "boost": "4", "master_bore_mm": "22.2", "piston_diameter_mm": "57",
         "effective_radius_mm": "118"},
    ),
    Working(
        "brake-imbalance", marked("Imbalance of an axle"), marked("Hydraulics"), "(larger − smaller) / larger · 100 %",
        (Given("left_n", marked("brake force left"), "Fl", "N", high=200000, relative_sd=0.05),
         Given("right_n", marked("brake force right"), "Fr", "N", high=200000, relative_sd=0.05)),
        (FoundFigure("imbalance_percent", marked("imbalance"), "%", 1),), run_brake_imbalance,
        "[eu-2014-45], Annex I, 1.2.1", {"left_n": "2400", "right_n": "1800"},
    ),
    Working(
        "pad-taper", marked("Taper of a lining"), marked("Pads & rotors"), "t = m + a·x + b·y, the best plane through four places",
        tuple(Given(place, f"{'leading' if place.startswith('lead') else 'trailing'} end, {place.split('_')[1]} edge", "", "mm",
                    high=60, sd=0.15, lining=True) for place in pads.PLACES),
        (FoundFigure("mean_mm", marked("mean"), "mm", 2, "m", lining=True), FoundFigure("fore_aft_mm", marked("leading less trailing end"), "mm", 2, "a", lining=True),
         FoundFigure("radial_mm", marked("rim less hub edge"), "mm", 2, "b", lining=True), FoundFigure("thinnest_mm", marked("thinnest place"), "mm", 1, lining=True)),
        run_pad_taper, "least squares; common practice: over 1.5 mm a fault",
        {"lead_rim": "5.0", "lead_hub": "5.4", "trail_rim": "7.0", "trail_hub": "7.4"},
    ),
    Working(
        "wear-life", marked("Distance left of a lining"), marked("Pads & rotors"), "t = a + b·x by least squares    left = (limit − a)/b − x",
        (Given("odometer_km", marked("distances at the visits"), "x", "km", kind="numbers", high=5e6),
         Given("thickness_mm", marked("thicknesses then"), "t", "mm", kind="numbers", high=60, lining=True),
         Given("limit_mm", "limit", "", "mm", high=60, default="3", lining=True),
         Given("gauge_mm", marked("standard uncertainty of a reading"), "u", "mm", low=0.0001, high=5, default="0.15")),
        (FoundFigure("rate_mm_per_1000_km", marked("wear for 1 000 km"), "mm", 3, "−1000 b"), FoundFigure("left_km", marked("distance left"), "km", 0),
         FoundFigure("left_km_low", marked("90 % interval, from"), "km", 0), FoundFigure("left_km_high", "to", "km", 0)), run_wear_life,
        "weighted least squares; interval by [jcgm-100]",
        {"odometer_km": "0, 20000, 40000", "thickness_mm": "11.0, 9.0, 7.0", "limit_mm": "3", "gauge_mm": "0.15"},
        marked("Noise is not extrapolated: where no wear is measurable yet, that is the answer."),
    ),
    Working(
        "rotor-life", marked("Will the rotor outlast the next pads?"), marked("Pads & rotors"), "x = 1000 · (t − td) / r",
        (Given("thinnest_mm", marked("thinnest place"), "t", "mm", low=1, high=100, sd=0.005),
         Given("discard_mm", marked("discard thickness"), "td", "mm", low=1, high=100),
         Given("wear_mm_per_1000_km", marked("wear of the rotor for 1 000 km"), "r", "mm", low=1e-5, high=10),
         Given("next_pads_km", marked("the next pads are expected to go"), "", "km", high=1e6)),
        (FoundFigure("left_km", marked("distance to the discard thickness"), "km", 0, "x"),
         FoundFigure("thickness_after_next_pads_mm", marked("thickness after the next pads"), "mm", 2)), run_rotor_life,
        "linear wear; the maker's discard thickness",
        {"thinnest_mm": "23.9", "discard_mm": "23.0", "wear_mm_per_1000_km": "0.015", "next_pads_km": "50000"},
    ),
    Working(
        "boiling-point", marked("Boiling point from water"), marked("Fluid"), "T = dry · (wet/dry)^(w / 3.7)",
        (Given("grade", marked("grade"), kind="word", words=("DOT 3", "DOT 4", "DOT 5", "DOT 5.1", "ISO class 6"), default="DOT 4"),
         Given("water_percent", "water, %", "w", low=0, high=100, sd=0.4)),
        (FoundFigure("boiling_c", marked("boils at about"), "C", 0, "T"), FoundFigure("dry_c", marked("the grade, dry"), "C", 0),
         FoundFigure("wet_c", marked("the grade, wet"), "C", 0)), run_boiling_point,
        "[fmvss-116], S5.1.1 and S5.1.2; [iso-4925]; the curve between is [practice]",
        {"grade": "DOT 4", "water_percent": "2.0"}, estimate=True,
    ),
    Working(
        "stop-heat", marked("Heat of one stop"), "Heat", "ΔT = ½·m·(v₁² − v₂²)·a/2 / (M·c)",
        (MASS, Given("from_kmh", "from", "v₁", "km/h", high=400), Given("to_kmh", "to", "v₂", "km/h", high=400, default="0"),
         SHARE, ROTOR_MASS,
         Given("specific_heat_j_kg_k", marked("specific heat of iron, J/(kg·K)"), "c", low=100, high=2000, default="480")),
        (FoundFigure("rise_k", marked("rise of one of the axle's two rotors"), "K", 1, "ΔT"),), run_stop_heat, LIMPERT,
        {"mass_kg": "1450", "from_kmh": "100", "to_kmh": "0", "axle_share": "0.7", "rotor_mass_kg": "7.5",
         "specific_heat_j_kg_k": "480"},
        marked("All of the energy is taken as going into the rotors; the rubbing face and the pads get hotter than this mean."),
    ),
    Working(
        "bedding-plan", marked("Bedding pads in"), "Heat", "each slowing ½·m·(v₁² − v₂²)·a/2 / (M·c(T)), cooling e^(−t/τ(v))",
        (Given("school", marked("school"), kind="word", words=("gentle_driving", "medium_slowings", "steps_and_hard_stops"),
               default="medium_slowings"),
         MASS, SHARE, ROTOR_MASS, Given("ambient_c", marked("outside"), "", "C", low=-50, high=60, default="20")),
        (FoundFigure("slowings", marked("slowings"), "", 0), FoundFigure("peak_c", marked("hottest, mean of the rotor"), "C", 0),
         FoundFigure("distance_km", "distance", "km", 1), FoundFigure("minutes", "minutes", "", 0)), run_bedding_plan,
        f"{LIMPERT} for the heat; the schools are common practice",
        {"school": "medium_slowings", "mass_kg": "1450", "axle_share": "0.7", "rotor_mass_kg": "7.5"}, estimate=True,
    ),
    Working(
        "convert", marked("Convert"), marked("Units & numbers"), "value · factor",
        (Given("value", "value", kind="text"), Given("from", "from", kind="word", words=tuple(UNITS)),
         Given("to", "to", kind="word", words=tuple(UNITS))),
        (FoundFigure("value", "value", "", 4),), run_convert, "the units library's factors, which follow [nist-811]",
        {"value": "9/32", "from": "in", "to": "mm"},
    ),
    Working(
        "vin", marked("Check a VIN"), marked("Units & numbers"), "Σ weight · value mod 11",
        (Given("number", "VIN", kind="text"),),
        (FoundFigure("valid", marked("check digit is right")), FoundFigure("expected_check_digit", marked("check digit should be"))), run_vin,
        "[cfr-565-15]; [iso-3779]", {"number": "1M8GDM9AXKP042788"},
    ),
)  # fmt: skip

_BY_NAME = {working.name: working for working in WORKINGS}


def working_named(name: str) -> Working:
    """The working of a name. Raises `InvalidInput` naming all there are."""
    if name not in _BY_NAME:
        raise InvalidInput("working", name, said("there are {choices}", choices=verbatim(", ".join(_BY_NAME))))
    return _BY_NAME[name]
