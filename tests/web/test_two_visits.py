"""Simulated vehicles that come twice: one axle is done before the other is looked at, all of it is proved, and half a
year later they come again with nothing wrong. Common practice throughout."""

from __future__ import annotations

import json
import re
from dataclasses import replace

import numpy as np
import pytest

from mesotrope.core.language.corner import VEHICLE
from mesotrope.core.language.inspection import parse_inspection
from mesotrope.core.simulator import inspect_vehicle, simulate_built
from mesotrope.core.simulator.build import make_build
from mesotrope.core.simulator.drawn import draw_faults
from mesotrope.knowledge import knowledge
from mesotrope.services.findings import job_of, places_of, record_all
from mesotrope.services.jobs import add_document, open_job
from mesotrope.services.proving import tick_step
from tests.documents import flat

PAGES = ("take-in", "strip", "verdict", "card", "prove", "owner", "board", "history", "vehicle", "measurements")

#: What no page shows to anybody.
RAW = re.compile(r"\bNone\b|\bnan\b|\binf\b|\{[a-z_]+\}|\[\]|\b[a-z]+_(mm|km|nm|c)\b")

#: What is measured once the work is done, where it is as it should be.
AS_IT_SHOULD = {
    "spin.turns": "5", "spin.seconds": "6", "leak": "none", "pedal_hold": "holds", "pedal_feel": "firm",
    "visible_leak": "none", "fluid_level": "MAX", "parking_brake_holds": "yes", "hub_temperature_c": "45",
}  # fmt: skip

#: Parts that are good for longer than half a year.
LASTING = {"replace_pads", "replace_rotor", "replace_hose", "replace_caliper", "rebuild_caliper"}

DAYS, KM = 183, 6000


class Workshop:
    """One lead who takes a vehicle in, finds, signs, does, proves and releases, over HTTP where a page is for it."""

    def __init__(self, app, database, clock, lead, client):
        self.shop, self.database, self.clock, self.lead, self.client = app.state.shop, database, clock, lead, client
        self.job = 0

    def take_in(self, document):
        with self.database.of_workshop(self.lead.workshop_id) as session, session.begin():
            found, by = parse_inspection(json.dumps(document)), self.lead.person_id
            self.job = add_document(session, found, by=by, now=self.clock(), state="open").id

    def find(self, document, corners):
        found = {"system": {}, "corners": corners}
        places = places_of(parse_inspection(json.dumps({"vehicle": document["vehicle"], "findings": found})))
        with self.database.of_workshop(self.lead.workshop_id) as session, session.begin():
            job = job_of(session, self.job, for_writing=True)
            record_all(session, job, places.items(), "more-", by=self.lead.person_id, now=self.clock())

    def look(self):
        for page in PAGES:
            shown = self.client.get(f"/jobs/{self.job}/{page}")
            assert shown.status_code == 200, page
            assert not (raw := RAW.search(flat(re.sub(r"<[^>]+>", " ", shown.text)))), (page, raw)

    def post(self, page, **data):
        answer = self.client.post(f"/jobs/{self.job}/{page}", data=data)
        assert answer.status_code == 303, (page, data, flat(answer.text)[-300:])

    @property
    def planned(self):
        return self.shop.planned(self.lead, self.job)

    def work(self):
        self.post("verdict/sign", reason="looked at, and to be watched")
        self.post("day/owner", what="yes")
        if self.planned.work:
            self.client.post(f"/jobs/{self.job}/ordered")  # nothing, where no part is needed
        steps = {step.id: step.done_for for step in self.planned.card.steps}
        for step in steps:
            tick_step(self.database, self.job, step, steps, True, by=self.lead, now=self.clock())
        self.clock.forward(20)

    def prove(self, build):
        page = self.client.get(f"/jobs/{self.job}/prove").text
        for form in re.findall(r'<form[^>]*action="[^"]*prove/after"[^>]*>(.*?)</form>', page, re.DOTALL):
            corner, path = (re.search(rf'name="{name}" value="([^"]+)"', form) for name in ("corner", "path"))
            new = {} if corner[1] == VEHICLE else _new(build, corner[1])
            if value := AS_IT_SHOULD.get(path[1]) or new.get(path[1].partition(".")[0]):
                self.post("prove/after", corner=corner[1], path=path[1], value=value)

    def release(self):
        page = self.client.get(f"/jobs/{self.job}/prove").text
        without = re.search(r'name="without" value="([^"]+)"', page)
        self.post("prove/release", how="released", **({"without": without[1]} if without else {}))


def _new(build, corner):
    axle = next(build.axle_of(name) for name in build.corners if name == corner)
    return {"pad_mm": f"{axle.pad_new_mm:.1f}", "rotor_mm": f"{axle.rotor_new_mm:.1f}"}


def _come_again(build, before, done, seed):
    """The vehicle with what was done to it, driven on and as it should be: what was not renewed is what it was."""
    axles, renewed = {}, {axle: ("replace_pads" in done.get(axle, ())) for axle in build.axles}
    for name, axle in build.axles.items():
        axles[name] = replace(axle, distance_km=float(KM + (0 if renewed[name] else axle.distance_km)))
    sound = replace(build, odometer_km=build.odometer_km + KM, axles=axles, fluid_age_months=6.0, rust=0.2)
    after = simulate_built(np.random.default_rng([2, seed]), sound, (), spotless=True)
    for corner, now in after.corners.items():
        was, axle = before.corners[corner], build.axle_of(corner)
        now.rotor_mm = [axle.rotor_new_mm - 0.05] * 4 if "replace_rotor" in done.get(corner, ()) else was.rotor_mm
        if not renewed[corner.axle]:
            for pad, old in ((now.inner, was.inner), (now.outer, was.outer)):
                pad.mean_mm = max(axle.pad_limit_mm + 1.0, old.mean_mm - 0.2)
    document = inspect_vehicle(np.random.default_rng([3, seed]), after)
    for axle in document["vehicle"]["axles"].values():
        axle.pop("pads_fitted_odometer_km", None)
    document["findings"]["system"].pop("fluid_age_months", None)
    return document


@pytest.mark.parametrize("seed", [4, 11, 27])
def test_a_vehicle_that_was_put_right_in_two_goes_comes_again_sound(seed, app, client_of, someone, database, clock):
    random = np.random.default_rng([1, seed])
    build = make_build(random, "car")
    vehicle = simulate_built(random, build, draw_faults(random, build))
    document = inspect_vehicle(random, vehicle)
    document["vehicle"]["registration"] = plate = f"0-TWO-{seed}"
    document["visit"] = {**document.get("visit", {}), "odometer_km": round(build.odometer_km)}
    lead = someone("lead")
    workshop = Workshop(app, database, clock, lead, client_of(lead))

    corners = document["findings"].pop("corners")
    front, rear = ({c: at for c, at in corners.items() if c.startswith(axle)} for axle in ("front", "rear"))
    workshop.take_in(document | {"findings": document["findings"] | {"corners": rear}})
    workshop.work()
    workshop.find(document, front)
    workshop.look()
    workshop.work()
    workshop.prove(build)
    workshop.release()
    workshop.look()
    work = workshop.planned.work

    done = {}
    for place, action in work:
        for where in (place, getattr(place, "axle", place)):
            done.setdefault(where, set()).add(action)
    again = _come_again(build, vehicle, done, seed)
    again["vehicle"]["registration"] = plate
    again["visit"] = {**again.get("visit", {}), "odometer_km": round(build.odometer_km + KM)}
    clock.forward(DAYS * 24 * 60)
    workshop.client = client_of(lead)
    workshop.take_in(again)
    workshop.look()
    here = workshop.planned
    assert here.answer.decision.unsafe == ()
    assert not {(place, action) for place, action in here.work if action in LASTING} & set(work)
    changed = (VEHICLE, "flush_fluid") in work
    found = open_job(database, workshop.job, by=lead, knowledge=knowledge()).inspection
    assert found.system.fluid_age_months == (6 if changed else None)
    assert (VEHICLE, "flush_fluid") not in here.work or not changed
    for corner in build.corners:
        if "replace_pads" in done.get(corner, ()):
            front_or_rear = getattr(found.vehicle.axles, corner.axle)
            assert front_or_rear.pads_fitted_odometer_km == round(build.odometer_km)
