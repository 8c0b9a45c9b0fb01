"""The numbers of the whole vehicle: pedal and fluid, and what was taken in."""

from __future__ import annotations

from mesotrope.core.evidence.job_numbers import beside
from mesotrope.core.language.reliance import relies_on
from mesotrope.core.language.saying import fine_mm, joined, marked, ml, plain, said, verbatim
from mesotrope.web.job.panel import Note, Scene, spread

RELIES_ON = relies_on(
    marked("numbers of the job"),
    "temperature_look_k",
    "temperature_fault_k",
    "imbalance_major_percent",
    "imbalance_dangerous_steered_percent",
)

READINGS = {
    "as_expected": marked("what the wear explains"),
    "topped_up": marked("higher than the wear explains: somebody topped it up, and a fault may hide"),
    "losing": marked("lower than the wear explains: look for a leak"),
}


LEVEL = marked("Fluid level against wear")


def pedal_notes(scene: Scene) -> list[Note]:
    numbers, say = scene.numbers, scene.say
    notes = []
    if numbers.balance:
        balance = numbers.balance
        excess = spread(balance.excess_ml, "mL", say, 0)
        more = said("{volume} more than explained", volume=excess)
        notes.append(Note(LEVEL, more, READINGS[balance.reading], balance.reading != "as_expected", ""))
    elif numbers.taken_up_ml is None:
        missing = joined(numbers.unmeasured, ", ") if numbers.unmeasured else marked("the linings")
        to_measure = said("linings to measure: {places}", places=missing)
        notes.append(Note(LEVEL, marked("not known yet"), to_measure, False, ""))
    fluid = numbers.fluid
    if fluid.verdict:
        label = said("Fluid, {grade}", grade=verbatim(numbers.hydraulics.grade))
        notes.append(Note(label, fluid.verdict, joined(fluid.reasons), fluid.verdict != "fine", ""))
    notes += travel_notes(scene)
    for name in numbers.axles:
        corner = next(here for here in numbers.corners if here.startswith(name))
        bleed = numbers.corners[corner].bleed
        full = said("until it is all new: {volume}", volume=ml(bleed.full_change_ml))
        label = said("To bleed one corner of the {axle} axle", axle=name)
        notes.append(Note(label, ml(bleed.bleed_ml), full, False, ""))
    words = marked("never let the reservoir run dry")
    strokes = plain(numbers.refill_strokes, "", 0)
    notes.append(Note(marked("Strokes between refills while bleeding"), strokes, words, False, ""))
    return notes


def travel_notes(scene: Scene) -> list[Note]:
    numbers = scene.numbers
    if numbers.lost_travel_mm is None or numbers.lost_travel_share is None:
        return []
    words = {
        True: marked("explains the low pedal that was felt"), None: marked("of the travel there is"),
        False: marked("does not explain the low pedal that was felt: look for air, or a clearance not seen"),
    }[numbers.travel_explained]  # fmt: skip
    value = joined((fine_mm(numbers.lost_travel_mm, 0), verbatim(f"{100 * numbers.lost_travel_share:.0f} %")), ", ")
    return [Note(marked("Pedal travel lost to the gaps seen"), value, words, numbers.travel_explained is False, "")]


HOTTER = {True: marked("{apart}, left hotter"), False: marked("{apart}, right hotter")}

#: What is said of a difference in brake force: whether it is dangerous, and whether it is a major defect.
IMBALANCES = {
    (True, True): marked("dangerous on a steered axle"), (True, False): marked("dangerous on a steered axle"),
    (False, True): marked("a major defect"), (False, False): marked("allowed"),
}  # fmt: skip


def take_in_notes(scene: Scene) -> list[Note]:
    notes, limit = [], scene.knowledge.limit
    for name, axle in scene.numbers.axles.items():
        if (apart := axle.temperature_difference_k) is not None:
            words = beside(apart, limit["temperature_look_k"], limit["temperature_fault_k"])
            weighty = words != "usual"
            value = said(HOTTER[apart > 0], apart=plain(abs(apart), "K", 0))
            notes.append(Note(said("Temperatures of the {axle} axle", axle=name), value, words, weighty, ""))
        if (percent := axle.imbalance_percent) is not None:
            dangerous = name == "front" and percent > limit["imbalance_dangerous_steered_percent"]
            major = percent > limit["imbalance_major_percent"]
            words = IMBALANCES[dangerous, major]
            label = said("Brake force imbalance of the {axle} axle", axle=name)
            notes.append(Note(label, verbatim(f"{percent:.0f} %"), words, major, ""))
    return notes
