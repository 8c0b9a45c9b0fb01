"""The whole inspection over HTTP: taking in, entering, two people, photographs, files, the bench."""

from __future__ import annotations

import io
import json
import re
import zipfile

import pytest
from starlette.testclient import TestClient

from mesotrope.core.language.corner import VEHICLE
from mesotrope.core.language.units import Units
from mesotrope.core.plan.release import RELEASES
from mesotrope.knowledge import knowledge
from mesotrope.services.findings import record_finding
from mesotrope.services.jobs import find_vehicles, open_job, take_in
from mesotrope.services.people import choose_units
from mesotrope.services.proving import release
from mesotrope.services.signing_in import open_session
from mesotrope.web.cookies import SESSION
from tests.documents import document, flat, pads
from tests.services.test_photographs import picture
from tests.web.test_pages import HTMX, enter, signed_in  # noqa: F401  (a fixture)


@pytest.fixture
def stranger(app, database, someone, clock):
    """A client of somebody in another workshop."""
    client = TestClient(app, follow_redirects=False)
    client.cookies.set(SESSION, open_session(database, someone().person_id, now=clock(), hours=1))
    client.headers["X-Change-Token"] = re.search(r'name="change_token" value="([^"]+)"', client.get("/").text)[1]
    return client


# -- entries ---------------------------------------------------------------------------------------------------


def test_an_entry_answers_with_its_number_and_how_it_is_written(signed_in):  # noqa: F811
    client, _, job = signed_in
    part = enter(client, job, "pad_mm.inner.lead_rim", "7,50")
    assert part.headers["x-shown"] == "7.5"
    page = client.get(f"/jobs/{job}/strip").text
    field = re.search(r'<input[^>]*id="front-left-pad-mm-inner-lead-rim"[^>]*>', page)[0]
    assert f'data-seen="{part.headers["x-entry"]}"' in field
    assert 'value="7.5"' in field


def test_a_clash_shows_both_values_and_who(signed_in, database, someone, clock):  # noqa: F811
    client, who, job = signed_in
    other = someone(workshop=who.workshop)
    record_finding(database, knowledge(), job, "front_left", "pin.upper", "seized", by=other, now=clock(),
                   idempotency_key="other-000001")  # fmt: skip
    part = enter(client, job, "pin.upper", "free", seen_entry="0")
    assert part.status_code == 409
    assert f"{other.name} entered seized in the meantime; you entered free" in part.text
    assert 'data-stand="theirs" value="seized"' in part.text
    assert 'data-stand="mine" value="free"' in part.text


def test_the_age_of_fluid_that_was_changed_here_is_known_and_not_asked_for(client_of, someone, database, clock):
    who, work = someone(), [(VEHICLE, "flush_fluid")]

    def comes():
        return take_in(
            database, knowledge(), label="Van", kind="car", registration="0-FLU-1", odometer_km=None, usage="",
            complaint="", confirmed=True, by=who, now=clock(),
        )  # fmt: skip

    release(
        database, comes(), "released", "", [], dict.fromkeys(RELEASES, ""), done=work, planned=work, by=who,
        now=clock(),
    )  # fmt: skip
    clock.forward(365.25 * 24 * 60)
    client, again = client_of(who), comes()
    page = flat(client.get(f"/jobs/{again}/take-in").text)
    assert "12 months: it was changed here on 2026-05-04; enter an age only if it was changed since" in page
    assert "ask when the fluid was changed" not in page
    enter(client, again, "fluid_age_months", "3", corner="system")
    assert "it was changed here" not in client.get(f"/jobs/{again}/take-in").text


def test_undo_says_which_field_has_what_again(signed_in):  # noqa: F811
    client, _, job = signed_in
    enter(client, job, "pin.upper", "free", "key-00000001")
    enter(client, job, "pin.upper", "seized", "key-00000002")
    undone = client.post(
        f"/jobs/{job}/undo", data={"stage": "strip"}, headers={**HTMX, "Idempotency-Key": "undo-000001"}
    )
    assert (undone.headers["x-field"], undone.headers["x-shown"]) == ("front_left-pin-upper".replace("_", "-"), "free")
    client.post(f"/jobs/{job}/undo", headers={**HTMX, "Idempotency-Key": "undo-000002"})
    nothing = client.post(f"/jobs/{job}/undo", headers={**HTMX, "Idempotency-Key": "undo-000003"})
    assert nothing.status_code == 204


def test_the_history_shows_every_entry_with_what_stood_before(signed_in):  # noqa: F811
    client, who, job = signed_in
    enter(client, job, "pad_mm.inner.lead_rim", "7.5", "key-00000001")
    enter(client, job, "pad_mm.inner.lead_rim", "7.2", "key-00000002")
    page = client.get(f"/jobs/{job}/history").text
    assert page.index("7.2 mm") < page.index("7.5 mm")
    assert page.count(who.name) >= 2
    assert "nothing" in page


def test_others_entries_come_as_events(signed_in, monkeypatch):  # noqa: F811
    monkeypatch.setattr("mesotrope.web.job.routes.STREAM_S", 0.5)
    client, who, job = signed_in
    enter(client, job, "pin.upper", "seized")
    answer = client.get(f"/jobs/{job}/events", params={"after": 0})
    assert answer.headers["content-type"].startswith("text/event-stream")
    [told] = json.loads(re.search(r"data: (.*)", answer.text)[1])
    assert (told["field"], told["shown"], told["by"], told["mine"]) == (
        "front-left-pin-upper",
        "seized",
        who.name,
        True,
    )


def test_the_refresh_of_a_stage_brings_only_its_parts(signed_in):  # noqa: F811
    client, _, job = signed_in
    part = client.get(f"/jobs/{job}/strip/refresh").text
    assert 'id="suspects"' in part
    assert "<html" not in part


@pytest.mark.parametrize("stage", ["take-in", "pedal", "lift", "look", "isolate", "strip"])
def test_every_field_of_a_stage_can_be_entered(signed_in, database, stage):  # noqa: F811
    """Each field takes a value that the vocabulary permits, and the document holds it."""
    client, who, job = signed_in
    page = flat(client.get(f"/jobs/{job}/{stage}?axle=rear").text)
    fields = re.findall(r'data-id="[^"]+" data-corner="([^"]+)" data-path="([^"]+)"', page)
    assert fields
    for number, (corner, path) in enumerate(fields):
        value = re.search(
            rf'name="{corner}-{path}"'.replace("_", "-").replace(".", "-") + r'[^>]*value="([^"]+)"', page
        )
        number_of = {
            "pad_material": "FF",
            "fluid_level": "0.5",
            "pedal_travel": "0.3",
            "fluid_boiling_c": "180",
            "pull_radius_mm": "300",
            "rotor_runout_mm": "0.05",
        }
        text = value[1] if value else number_of.get(path, "9")
        part = enter(client, job, path, text, f"key-{number:08d}", corner=corner, confirmed="yes", stage=stage)
        assert part.status_code == 200, (corner, path, text, part.text)
    assert set(open_job(database, job, by=who, knowledge=knowledge()).findings) >= set(fields)


# -- vehicles --------------------------------------------------------------------------------------------------


def test_a_known_vehicle_is_offered_while_its_plate_is_typed(signed_in, stranger):  # noqa: F811
    client = signed_in[0]
    client.post("/jobs", data={"label": "Green van", "registration": "0-XYZ-7"})
    assert "Green van" in client.get("/vehicles", params={"search": "xyz"}).text
    assert "Not known here" in client.get("/vehicles", params={"search": "nothing"}).text
    assert "Green van" not in stranger.get("/vehicles", params={"search": "xyz"}).text


def test_a_returning_vehicle_is_taken_in_by_choosing_it(signed_in):  # noqa: F811
    client, *_ = signed_in
    first = (
        client.post("/jobs", data={"label": "Green van", "registration": "0-XYZ-8"}).headers["location"].split("/")[2]
    )
    number = re.search(r'name="vehicle_id" value="(\d+)"', flat(client.get("/vehicles?search=0-XYZ-8").text))[1]
    asked = client.post("/jobs", data={"vehicle_id": number, "label": "", "odometer": "84,200"})
    assert (asked.status_code, "is it 84200 or 84.200?" in asked.text) == (422, True)
    asked = client.post("/jobs", data={"vehicle_id": number, "label": "", "complaint": "it pulls"})
    assert (asked.status_code, f"in the shop already, as job {first}" in asked.text) == (422, True)
    assert f'value="{number}" checked' in flat(asked.text)  # what was chosen and typed is still there
    assert "it pulls</textarea>" in asked.text
    done = client.post("/jobs", data={"vehicle_id": number, "label": "", "complaint": "it pulls", "confirmed": "true"})
    page = client.get(done.headers["location"]).text
    assert "Green van" in page
    assert "0-XYZ-8" in page


@pytest.mark.parametrize(
    ("vin", "said"),
    [
        ("1M8GDM9AXKP042788", "Check digit is right."),
        ("1M8GDM9A1KP042788", "should be X"),
        ("12", "17 characters"),
        ("", ""),
    ],
)
def test_a_vin_says_what_is_wrong_with_it(signed_in, vin, said):  # noqa: F811
    assert said in signed_in[0].get("/vin", params={"vin": vin}).text


def test_the_specification_is_kept_and_defaults_are_marked(signed_in, database):  # noqa: F811
    client, who, job = signed_in
    page = client.get(f"/jobs/{job}/vehicle").text
    assert 'placeholder="default: 11"' in page
    done = client.post(f"/jobs/{job}/vehicle", data={
        "label": "Red van", "kind": "light_truck", "front.pad_new_mm": "12,5", "front.caliper": "fixed",
        "front.piston_diameter_mm": "42 38.1", "rear.parking_brake": "drum_in_hat", "reservoir.min_to_max_ml": "180",
        "visit.odometer_km": "120 500", "visit.usage": "towing", "visit.work.hoses": "yes", "visit.complaint": "pulls",
    })  # fmt: skip
    assert done.status_code == 303
    kept = open_job(database, job, by=who, knowledge=knowledge()).inspection
    assert kept.vehicle.axles.front.piston_diameter_mm == [42, 38.1]
    assert (kept.vehicle.kind, kept.vehicle.axles.front.pad_new_mm) == ("light_truck", 12.5)
    assert (kept.visit.odometer_km, kept.visit.recent_work) == (120500, ["hoses"])
    assert "parking brake drum in the rotor&#39;s hat" in client.get(f"/jobs/{job}/take-in").text


@pytest.mark.parametrize(
    ("typed", "message"),
    [
        ({"front.pad_new_mm": "thick"}, "front axle, lining when new"),
        ({"front.pad_new_mm": "3", "front.pad_limit_mm": "3"}, "it must be below pad_new_mm"),
        ({"mass_kg": "-4"}, "allowed: 50 to 12000"),
        ({"kind": "boat"}, "allowed: car, light_truck, motorcycle"),
        ({"vin": "123"}, "17 characters are needed"),
        ({"model_year": "soon"}, "a whole number is needed"),
    ],
)
def test_a_specification_that_cannot_be_is_refused_and_what_was_typed_stays(signed_in, database, typed, message):  # noqa: F811
    client, who, job = signed_in
    page = client.post(f"/jobs/{job}/vehicle", data={"label": "Other name", **typed})
    assert page.status_code == 422
    assert message in page.text
    assert 'value="Other name"' in page.text
    assert open_job(database, job, by=who, knowledge=knowledge()).label == "Red <van>"


def test_units_are_kept_for_the_person(signed_in):  # noqa: F811
    client, _, job = signed_in
    enter(client, job, "pad_mm.inner.lead_rim", "25.4 mm", confirmed="yes")
    assert client.post("/me", data={"length": "in", "temperature": "F"}).status_code == 303
    page = client.get(f"/jobs/{job}/strip").text
    assert 'id="front-left-pad-mm-inner-lead-rim" value="1.000"' in page
    assert client.post("/me", data={"length": "ell"}).status_code == 422


def test_sentences_and_figures_are_in_the_persons_units(signed_in, database):  # noqa: F811
    client, who, job = signed_in
    enter(client, job, "spin.turns", "1", "key-00000001")
    enter(client, job, "spin.seconds", "1.2", "key-00000002")
    choose_units(database, Units(torque="lbf.ft"), by=who)
    page = client.get(f"/jobs/{job}/lift").text
    assert "lb·ft" in page
    assert "N·m" not in page


# -- photographs -----------------------------------------------------------------------------------------------


def _shoot(client, job, data, **more):
    form = {"corner": "rear_left", "stage": "look", **more}
    return client.post(f"/jobs/{job}/photographs", data=form, files={"picture": ("a.jpg", data)}, headers=HTMX)


def test_a_photograph_is_shown_and_taken_away(signed_in, stranger):  # noqa: F811
    client, _, job = signed_in
    part = _shoot(client, job, picture(320, 200))
    number = re.search(r"photographs/(\d+)\.jpg", part.text)[1]
    address = f"/jobs/{job}/photographs/{number}.jpg"
    assert client.get(address).content[:2] == b"\xff\xd8"
    assert len(client.get(address, params={"size": "small"}).content) <= len(client.get(address).content)
    assert stranger.get(address).status_code == 404
    assert stranger.post(f"/jobs/{job}/photographs/{number}/remove", data={"corner": "rear_left"}).status_code == 404
    gone = client.post(f"/jobs/{job}/photographs/{number}/remove", data={"corner": "rear_left"}, headers=HTMX)
    assert "<img" not in gone.text


def test_what_is_no_picture_is_refused_in_place(signed_in):  # noqa: F811
    client, _, job = signed_in
    part = _shoot(client, job, b"<script>alert(1)</script>")
    assert part.status_code == 422
    assert "it is not a whole JPEG, PNG or WebP picture" in part.text
    assert _shoot(client, job, picture(), corner="middle").status_code == 422


# -- files -----------------------------------------------------------------------------------------------------


def _upload(client, address, name, data):
    return client.post(address, files={"file": (name, data)})


def test_documents_open_jobs_all_or_none(signed_in, database):  # noqa: F811
    client, who, _ = signed_in
    good = [document({"front_left": {"pad_mm": pads(5, 6)}}, label=f"Imported {n}") for n in range(3)]
    assert _upload(client, "/import", "a.json", json.dumps(good)).headers["location"] == "/"
    assert len(find_vehicles(database, "Imported", by=who)) == 3
    bad = json.dumps([{**good[0], "vehicle": {"label": "Other"}}, {"version": 9}])
    refused = _upload(client, "/import", "a.json", bad)
    assert refused.status_code == 422
    assert "document 2" in refused.text
    assert find_vehicles(database, "Other", by=who) == []


def test_a_job_goes_out_as_an_archive_and_comes_back(signed_in, stranger):  # noqa: F811
    client, _, job = signed_in
    enter(client, job, "pin.upper", "seized")
    _shoot(client, job, picture())
    archive = client.get(f"/jobs/{job}/archive.zip").content
    assert "manifest.json" in zipfile.ZipFile(io.BytesIO(archive)).namelist()
    assert stranger.get(f"/jobs/{job}/archive.zip").status_code == 404
    back = _upload(stranger, "/import", "job.zip", archive)
    assert back.status_code == 303
    number = re.search(r"/jobs/(\d+)/", back.headers["location"])[1]
    found = stranger.get(f"/jobs/{number}/inspection.json").json()["findings"]["corners"]
    assert found["front_left"] == {"pin": {"upper": "seized"}}


def test_a_table_goes_out_and_comes_back_into_another_job_once(signed_in):  # noqa: F811
    client, _, job = signed_in
    enter(client, job, "pad_mm.inner.lead_rim", "7.5", "key-00000001")
    enter(client, job, "pad_material", "=1+1", "key-00000002")
    table = client.get(f"/jobs/{job}/measurements.csv")
    assert "'=1+1" in table.text
    other = client.post("/jobs", data={"label": "Second"}).headers["location"].split("/")[2]
    for _ in range(2):
        assert _upload(client, f"/jobs/{other}/measurements", "m.csv", table.content).status_code == 303
    found = client.get(f"/jobs/{other}/inspection.json").json()["findings"]["corners"]["front_left"]
    assert (found["pad_mm"]["inner"]["lead_rim"], found["pad_material"]) == (7.5, "=1+1")
    assert client.get(f"/jobs/{other}/history").text.count("<tr><td class") == 2


def test_a_table_with_a_fault_changes_nothing(signed_in):  # noqa: F811
    client, _, job = signed_in
    refused = _upload(client, f"/jobs/{job}/measurements", "m.csv", b"corner,finding,value\nfront_left,hose,purple\n")
    assert refused.status_code == 422
    assert "row 2, hose" in refused.text
    assert not client.get(f"/jobs/{job}/inspection.json").json()["findings"].get("corners")


def test_the_schema_is_open_to_everybody_at_its_address(app):
    answer = TestClient(app).get("/formats/mesotrope-inspection-1.schema.json")
    assert answer.status_code == 200
    assert answer.json()["title"] == "mesotrope-inspection, version 1"


# -- the bench -------------------------------------------------------------------------------------------------


def test_the_bench_reads_a_simulated_vehicle_or_a_value_set_by_hand(signed_in):  # noqa: F811
    client = signed_in[0]
    assert client.get("/bench").text.count("data-instrument=") == 7
    asked = {"instrument": "micrometer", "corner": "front_left", "place": "place 1", "vehicle": 9}
    assert re.fullmatch(r"[\d.]+ mm", client.get("/bench/reading", params=asked).json()["line"])
    by_hand = client.get("/bench/reading", params={"instrument": "torque_wrench", "value": 110}).json()["line"]
    assert by_hand.endswith(" N·m")


@pytest.mark.parametrize(
    ("asked", "status"),
    [({"instrument": "spoon"}, 404), ({"instrument": "micrometer", "corner": "middle"}, 422),
     ({"instrument": "depth_gauge", "value": 400}, 422), ({"instrument": "depth_gauge", "value": "nan"}, 422)],
)  # fmt: skip
def test_what_the_bench_cannot_read_is_refused(signed_in, asked, status):  # noqa: F811
    assert signed_in[0].get("/bench/reading", params=asked, headers=HTMX).status_code == status


def test_a_temperature_taken_in_is_read_in_the_unit_it_is_shown_in(signed_in):  # noqa: F811
    """68 °F is 20 °C exactly: kept, shown again to the same person, and kept again unchanged."""
    client, _, job = signed_in
    assert client.post("/me", data={"temperature": "F"}).status_code == 303
    typed = {"label": "Red van", "kind": "car", "visit.ambient_c": "68"}
    assert client.post(f"/jobs/{job}/vehicle", data=typed).status_code == 303
    page = client.get(f"/jobs/{job}/vehicle").text
    field = re.search(r'.{0,80}<input[^>]*name="visit\.ambient_c"[^>]*>', page, re.DOTALL)[0]
    assert 'value="68"' in field
    assert "°F" in field
    assert client.get(f"/jobs/{job}/inspection.json").json()["visit"]["ambient_c"] == pytest.approx(20.0)


@pytest.mark.parametrize(
    ("typed", "message"),
    [({"visit.odometer_km": "99999999"}, "allowed: 0 to"), ({"rear.pad_new_mm": "900"}, "allowed:")],
)
def test_vehicle_and_visit_are_kept_together_or_not_at_all(signed_in, typed, message):  # noqa: F811
    client, _, job = signed_in
    before = client.get(f"/jobs/{job}/inspection.json").json()
    good = {"label": "Other name", "kind": "car", "visit.complaint": "it pulls"}
    refused = client.post(f"/jobs/{job}/vehicle", data={**good, **typed})
    assert refused.status_code == 422
    assert message in refused.text
    assert client.get(f"/jobs/{job}/inspection.json").json() == before


def test_what_is_found_at_a_wheel_with_a_drum_is_entered_and_answered(signed_in):  # noqa: F811
    client, _, job = signed_in
    drums = {"label": "Red van", "kind": "car", "rear.caliper": "drum", "rear.parking_brake": "lever_on_drum"}
    assert client.post(f"/jobs/{job}/vehicle", data=drums).status_code == 303
    page = client.get(f"/jobs/{job}/lift?axle=rear").text
    assert "What is found of its wheels is answered" in page
    assert "rear-left-bearing" in page
    for stage, of_disc in (("look", "rotor-face-inner"), ("strip", "pad-mm-inner-lead-rim")):
        assert f"front-left-{of_disc}" in client.get(f"/jobs/{job}/{stage}?axle=front").text
        assert f"rear-left-{of_disc}" not in client.get(f"/jobs/{job}/{stage}?axle=rear").text
    assert enter(client, job, "bearing", "play", corner="rear_left", stage="lift").status_code == 200
    assert "Not to be driven until put right" in client.get(f"/jobs/{job}/verdict").text
