"""What each working computes from the figures that were given."""

from __future__ import annotations

from mesotrope.core.language.knowledge import Knowledge
from mesotrope.core.language.quantity import Measure, convert, parse_quantity
from mesotrope.core.language.reliance import relies_on
from mesotrope.core.language.saying import marked, mm, plain, said, verbatim
from mesotrope.core.language.vin import read_vin
from mesotrope.core.physics import drag, fluid, heat, hydraulics, pads, rotors, wear
from mesotrope.core.workings.model import Values
from mesotrope.errors import InvalidInput

RELIES_ON = relies_on(
    marked("workings"),
    "taper_fault_mm",
    "taper_scrap_mm",
    "wet_water_percent",
    "water_change_percent",
    "imbalance_major_percent",
    "imbalance_dangerous_steered_percent",
    "reservoir_margin_level",
    "depth_gauge_mm",
    "fluid_level",
)


def run_drag_from_spin(v: Values, k: Knowledge) -> Values:
    return {"drag_torque_nm": drag.drag_torque_from_spin_nm(v["turns"], v["seconds"], v["inertia_kg_m2"])}


def run_drag_from_pull(v: Values, k: Knowledge) -> Values:
    return {"drag_torque_nm": v["pull_n"] * v["radius_mm"] / 1000}


def run_drag_heat(v: Values, k: Knowledge) -> Values:
    torque, radius = v["drag_torque_nm"], v["wheel_radius_mm"]
    return {
        "power_w": heat.drag_heat_w(torque, v["speed_kmh"], radius),
        "force_n": heat.drag_force_n(torque, radius),
        "fuel_l_per_100_km": heat.drag_fuel_l_per_100_km(torque, radius, k.heat),
    }


def run_drag_temperature(v: Values, k: Knowledge) -> Values:
    power = heat.drag_heat_w(v["drag_torque_nm"], v["speed_kmh"], v["wheel_radius_mm"])
    steady = heat.steady_temperature_c(power, v["speed_kmh"], v["rotor_diameter_mm"], v["ambient_c"], k.heat)
    return {"rotor_c": steady}


def _diameters(v: Values) -> list[float]:
    """The pistons of one side: one diameter for each, or one for all of them."""
    diameters, count = v["piston_diameter_mm"], v["pistons"]
    side = count
    if v["caliper"] == "fixed" and count is not None:
        side = max(1, count // 2)
    if side is None or len(diameters) == side:
        return list(diameters)
    if len(diameters) == 1:
        return list(diameters) * int(side)
    raise InvalidInput(
        "piston_diameter_mm",
        diameters,
        said("one diameter, or one for each of the {side} pistons of a side", side=verbatim(f"{side:g}")),
    )


def run_fluid_returned(v: Values, k: Knowledge) -> Values:
    returned = (
        hydraulics.fluid_returned_fixed_ml if v["caliper"] == "fixed" else hydraulics.fluid_returned_floating_ml
    )(_diameters(v), v["inner_wear_mm"], v["outer_wear_mm"], v["rotor_wear_mm"])
    return {"volume_ml": returned, "volume_us_fl_oz": convert(returned, "mL", "fl_oz")}


def run_fluid_balance(v: Values, k: Knowledge) -> Values:
    level = Measure(v["level"], k.gauge["fluid_level"])
    balance = hydraulics.fluid_balance(
        level, Measure(v["taken_up_ml"], 0.08 * v["taken_up_ml"] + 0.5), v["min_to_max_ml"]
    )
    home = hydraulics.homecoming(
        v["level"], v["returning_ml"], v["min_to_max_ml"], v["max_to_brim_ml"], k.limit["reservoir_margin_level"]
    )
    return {
        "expected_level": balance.expected_level.value, "excess_ml": balance.excess_ml.value,
        "excess_sd_ml": balance.excess_ml.sd, "level_after": home.level_after, "overflow_ml": home.overflow_ml,
        "take_out_ml": home.take_out_ml, "details": {"reading": balance.reading},
        "warnings": [READINGS[balance.reading]],
    }  # fmt: skip


READINGS = {
    "as_expected": marked("the level is what the wear explains, within its uncertainty"),
    "topped_up": marked("it stands higher than the wear explains: somebody topped it up"),
    "losing": marked("it stands lower than the wear explains: look for a leak"),
}


def run_pedal_travel_lost(v: Values, k: Knowledge) -> Values:
    travel = hydraulics.pedal_travel_mm(v["volume_ml"], v["master_bore_mm"], v["pedal_ratio"])
    out: Values = {"pedal_travel_mm": travel}
    if v["stroke_mm"]:
        out["share_of_travel"] = travel / (v["stroke_mm"] * v["pedal_ratio"])
    return out


def run_pedal_strokes(v: Values, k: Knowledge) -> Values:
    return {"strokes": hydraulics.pedal_strokes(v["volume_ml"], v["master_bore_mm"], v["useful_stroke_mm"])}


def run_refill_strokes(v: Values, k: Knowledge) -> Values:
    return {"strokes": hydraulics.refill_strokes(v["usable_ml"], v["master_bore_mm"], v["useful_stroke_mm"])}


def run_bleed_volume(v: Values, k: Knowledge) -> Values:
    out = hydraulics.bleed_volume(
        v["line_length_mm"], v["line_bore_mm"], v["caliper_ml"], v["bleed_times"], v["change_times"]
    )
    return {"content_ml": out.content_ml, "bleed_ml": out.bleed_ml, "full_change_ml": out.full_change_ml}


def run_clamp_force(v: Values, k: Knowledge) -> Values:
    out = hydraulics.clamp(
        v["pedal_force_n"], v["pedal_ratio"], v["boost"], v["master_bore_mm"], v["piston_diameter_mm"], v["friction"],
        v["effective_radius_mm"],
    )  # fmt: skip
    return {
        "pressure_bar": out.pressure_bar, "pressure_kpa": convert(out.pressure_bar, "bar", "kPa"),
        "pressure_psi": convert(out.pressure_bar, "bar", "psi"), "clamp_force_n": out.clamp_force_n,
        "brake_torque_nm": out.brake_torque_nm,
    }  # fmt: skip


def run_brake_imbalance(v: Values, k: Knowledge) -> Values:
    percent = hydraulics.brake_imbalance_percent(v["left_n"], v["right_n"])
    warnings = []
    if percent > k.limit["imbalance_dangerous_steered_percent"]:
        share = 100 - k.limit["imbalance_dangerous_steered_percent"]
        warnings.append(
            said("dangerous on a steered axle: one side brakes less than {share} of the other", share=plain(share, "%"))
        )
    elif percent > k.limit["imbalance_major_percent"]:
        share = 100 - k.limit["imbalance_major_percent"]
        warnings.append(said("a major defect: one side brakes less than {share} of the other", share=plain(share, "%")))
    return {"imbalance_percent": percent, "warnings": warnings}


def run_pad_taper(v: Values, k: Knowledge) -> Values:
    points = {place: v[place] for place in pads.PLACES}
    pad = pads.pad_measure(points, k.gauge["depth_gauge_mm"])
    assert pad.fore_aft
    assert pad.radial
    return {
        "mean_mm": pad.mean.value, "fore_aft_mm": pad.fore_aft.value, "radial_mm": pad.radial.value,
        "thinnest_mm": pad.thinnest_mm,
        "warnings": [said("a taper over {fault} is a fault, over {scrap} the pad is scrap",
                          fault=mm(k.limit["taper_fault_mm"], None), scrap=mm(k.limit["taper_scrap_mm"], None))]
        if abs(pad.fore_aft.value) > k.limit["taper_fault_mm"] else [],
    }  # fmt: skip


def run_rotor_life(v: Values, k: Knowledge) -> Values:
    life = rotors.rotor_life(v["thinnest_mm"], v["discard_mm"], v["wear_mm_per_1000_km"], v["next_pads_km"])
    words = (
        marked("it outlasts the next pads")
        if life.outlasts_next_pads
        else marked("it does not outlast the next pads: offer it now")
    )
    return {
        "left_km": life.left_km, "thickness_after_next_pads_mm": life.thickness_after_next_pads_mm,
        "details": {"outlasts_next_pads": life.outlasts_next_pads}, "warnings": [words],
    }  # fmt: skip


def run_wear_life(v: Values, k: Knowledge) -> Values:
    fit = wear.fit_wear(v["odometer_km"], v["thickness_mm"], [v["gauge_mm"]] * len(v["thickness_mm"]), v["limit_mm"])
    return {
        "rate_mm_per_1000_km": fit.rate_mm_per_1000_km.value, "left_km": fit.left_km, "left_km_low": fit.left_km_low,
        "left_km_high": fit.left_km_high, "details": {"rate_sd_mm_per_1000_km": fit.rate_mm_per_1000_km.sd},
    }  # fmt: skip


def run_boiling_point(v: Values, k: Knowledge) -> Values:
    grade = k.fluid_grade[v["grade"]]
    boils = fluid.boiling_point_c(grade.dry_c, grade.wet_c, v["water_percent"], k.limit["wet_water_percent"])
    change = v["water_percent"] >= k.limit["water_change_percent"]
    words = (
        said("change it: {limit} water or more", limit=plain(k.limit["water_change_percent"], "%")) if change else ""
    )
    return {"boiling_c": boils, "dry_c": grade.dry_c, "wet_c": grade.wet_c, "warnings": [words] if change else []}


def run_stop_heat(v: Values, k: Knowledge) -> Values:
    return {
        "rise_k": heat.stop_heat_k(
            v["mass_kg"], v["from_kmh"], v["to_kmh"], v["axle_share"], v["rotor_mass_kg"], v["specific_heat_j_kg_k"]
        )
    }


def run_bedding_plan(v: Values, k: Knowledge) -> Values:
    plan = heat.bedding_plan(
        k.bedding_school[v["school"]], k.heat, v["mass_kg"], v["axle_share"], v["rotor_mass_kg"], v["ambient_c"]
    )
    slowings = [
        {"from_kmh": s.from_kmh, "to_kmh": s.to_kmh, "before_c": round(s.before_c, 1), "after_c": round(s.after_c, 1),
         "pause_s": s.pause_s}
        for s in plan.slowings
    ]  # fmt: skip
    return {
        "slowings": float(len(plan.slowings)), "peak_c": plan.peak_c, "distance_km": plan.distance_km,
        "minutes": plan.minutes, "details": {"plan": slowings, "curve": [list(p) for p in plan.curve]},
        "warnings": list(plan.warnings),
    }  # fmt: skip


def run_convert(v: Values, k: Knowledge) -> Values:
    return {"value": convert(parse_quantity(v["value"], "", name="value"), v["from"], v["to"])}


def run_vin(v: Values, k: Knowledge) -> Values:
    reading = read_vin(v["number"])
    years = list(reading.model_years)
    told = [said("model year {year}", year=verbatim(years[0]))] if years else []
    if len(years) > 1:
        told = [said("model year {year} or {other}", year=verbatim(years[0]), other=verbatim(years[1]))]
    return {
        "valid": reading.valid, "expected_check_digit": reading.expected_check_digit,
        "details": {"model_years": list(reading.model_years)}, "warnings": told,
    }  # fmt: skip
