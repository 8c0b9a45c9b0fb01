"""Practice over HTTP: taking, working, committing, the debrief, pictures, and what a lead makes and sets."""

from __future__ import annotations

import re

import pytest

from mesotrope.core.practice.bay import Bay
from mesotrope.core.practice.numbers import Drawn, number_of_drawn
from mesotrope.core.practice.paths import best_path
from mesotrope.core.practice.vehicle import mystery_of
from mesotrope.knowledge import knowledge
from mesotrope.web.practice.pictures import picture_of
from mesotrope.words import PLAINLY
from tests.documents import flat
from tests.web.test_own_words import FOREIGN

RIGHT = "front_right"
HTMX = {"HX-Request": "true", "HX-Target": "work"}


def text(page):
    return re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", page.text))


@pytest.fixture
def apprentice(someone, client_of):
    return client_of(someone(role="apprentice"))


def take(client, number, pictures=""):
    answer = client.post("/practice/take", data={"number": str(number), "pictures": pictures})
    assert answer.status_code == 303, text(answer)
    return answer.headers["location"].rsplit("/", 1)[0]


def do(client, run, what="", place="system", kind="test", **more):
    return client.post(f"{run}/act", data={"kind": kind, "what": what, "place": place, "stage": "lift", **more},
                       headers=HTMX)  # fmt: skip


def commit(client, run, **form):
    return client.post(f"{run}/commit", data=form, headers=HTMX)


def test_a_vehicle_is_taken_by_number_and_by_kind_and_difficulty(apprentice):
    run = take(apprentice, "4 711 12")
    page = text(apprentice.get(f"{run}/take-in"))
    assert mystery_of(471112, knowledge()).complaint in page
    assert "Practice. A simulated vehicle, number 471 112" in page
    drawn = apprentice.post("/practice/take", data={"kind": "motorcycle", "difficulty": "nothing"})
    assert drawn.status_code == 303
    home = text(apprentice.get("/practice"))
    assert "Not finished" in home
    assert "471 112" in home
    for bad, words in (({"number": "12 apples"}, "digits as they were handed out"),
                       ({"kind": "boat", "difficulty": "nothing"}, "allowed: car"), ({}, "allowed: car")):  # fmt: skip
        refused = apprentice.post("/practice/take", data=bad, headers=HTMX)
        assert refused.status_code == 422
        assert words in refused.text


def test_every_test_of_a_stage_is_a_button_with_its_minutes_and_no_field(apprentice):
    run = take(apprentice, 2)
    page = flat(apprentice.get(f"{run}/lift").text)
    assert 'aria-label="front left: spin the wheel, 1 min"' in page
    assert "data-entry" not in page
    assert "Suspects" not in page
    assert "Check next" not in page
    assert "hose" not in text(apprentice.get(f"{run}/take-in")).lower()
    for stage in ("pedal", "look", "isolate", "strip"):
        assert apprentice.get(f"{run}/{stage}?axle=rear").status_code == 200
    for stage in ("verdict", "card", "nowhere"):
        assert apprentice.get(f"{run}/{stage}").status_code == 404


def test_a_test_is_made_and_stands_with_its_reading_and_the_clock_runs(apprentice):
    run = take(apprentice, 2)
    assert do(apprentice, run, kind="press").status_code == 303
    assert do(apprentice, run, "spin", RIGHT).headers["location"] == f"{run}/lift?axle=front"
    page = text(apprentice.get(f"{run}/lift"))
    assert "turns 0.75 seconds 0.6 s" in page
    assert "1.5 min" in page
    again = do(apprentice, run, "spin", RIGHT)
    assert again.status_code == 422
    assert "This cannot be done now: it is made." in again.text
    assert "spin the wheel first" in text(apprentice.get(f"{run}/isolate?axle=rear"))


def test_help_is_only_given_when_it_is_asked_for(apprentice):
    run = take(apprentice, 2)
    do(apprentice, run, kind="press")
    do(apprentice, run, "spin", RIGHT)
    assert "practice-hint" not in apprentice.get(f"{run}/lift").text
    do(apprentice, run, "suspects", kind="hint")
    told = apprentice.get(f"{run}/lift").text
    assert re.search(r'practice-hint".*?%', told, re.DOTALL)
    do(apprentice, run, "bearing", RIGHT)
    assert "practice-hint" not in apprentice.get(f"{run}/lift").text


def test_a_commitment_is_whole_or_refused_in_words_and_kept_for_another_try(apprentice):
    run = take(apprentice, 2)
    for form, words in (
        ({}, "may it be driven"),
        ({"safe": "yes"}, "name at least one, or say that nothing is wrong"),
        ({"safe": "yes", "nothing": "yes", "fault_1": "hose_restricted", "fault_1_at": RIGHT}, "take one of the two"),
        ({"safe": "yes", "fault_1": "hose_restricted"}, "choose where"),
        ({"safe": "yes", "fault_1": "gremlins", "fault_1_at": RIGHT}, "choose one of the list"),
        ({"safe": "yes", "nothing": "yes", "work_2": "replace_hose", "work_2_at": "roof"}, "choose where"),
        ({"safe": "yes", "fault_1": "hose_restricted", "fault_1_at": "rear"}, "a corner that this vehicle has"),
    ):
        refused = commit(apprentice, run, **form)
        assert refused.status_code == 422, form
        assert words in refused.text, form
    assert apprentice.get(f"{run}/commit").status_code == 200


def test_from_the_take_in_to_the_debrief(apprentice):
    run = take(apprentice, 2)
    for what in ("spin", "hose", "bleeder_opened"):
        do(apprentice, run, kind="press") if what == "spin" else None
        assert do(apprentice, run, what, RIGHT).status_code == 303
    done = commit(apprentice, run, safe="yes", fault_1="hose_restricted", fault_1_at=RIGHT, work_1="replace_hose",
                  work_1_at=RIGHT)  # fmt: skip
    assert done.headers["HX-Redirect"] == f"{run}/debrief"
    page = text(apprentice.get(f"{run}/debrief"))
    settled = best_path(mystery_of(2, knowledge()), knowledge()).settling.step.clock
    for words in (
        "If the wheel lets go when its bleeder is opened", "Front right: hose holds pressure".lower(), "named",
        "held by 9.4 N·m hose holds pressure", "What could be believed, minute by minute", "The best path",
        f"front right: look at the hose, after {settled:g} min", "front right: open the bleeder", "Told a lot",
    ):  # fmt: skip
        assert words.lower() in page.lower(), words
    assert "a danger was missed" not in page.lower()
    for address in ("take-in", "commit", "lift"):
        assert apprentice.get(f"{run}/{address}").headers["location"] == f"{run}/debrief"
    home = text(apprentice.get("/practice"))
    assert "Telling hose from piston" in home
    assert "1 of 1 right" in home


def test_a_missed_danger_is_said_first(apprentice):
    number = number_of_drawn(Drawn("car", "neglected", 2), knowledge().practice)
    run = take(apprentice, number)
    commit(apprentice, run, safe="yes", nothing="yes")
    page = apprentice.get(f"{run}/debrief").text
    assert page.index("A danger was missed") < page.index("The truth") < page.index("Your path")
    assert "you let it be driven" in text(apprentice.get(f"{run}/debrief")).lower()


def test_a_debrief_waits_for_the_commitment(apprentice):
    run = take(apprentice, 2)
    assert apprentice.get(f"{run}/debrief").headers["location"] == f"{run}/take-in"


def test_a_picture_shows_what_is_read_and_nowhere_its_figure(apprentice):
    run = take(apprentice, 4, pictures="yes")
    do(apprentice, run, "pad_mm", "front_left")
    page = apprentice.get(f"{run}/strip").text
    assert page.count("a gauge face to be read") == 8
    bay = Bay(mystery_of(4, knowledge()), knowledge(), pictures=True)
    from mesotrope.core.language.corner import Corner
    from mesotrope.core.practice.bay import Act

    shown = bay.do(Act("test", "pad_mm", Corner.FRONT_LEFT)).shown
    block = re.search(r'id="test-front-left-pad-mm".*?</form>', page, re.DOTALL)[0]
    visible = re.sub(r'(points|x1|y1|x2|y2|cx|cy|x|y|r)="[^"]*"', "", block)
    for value in shown.values():
        assert not re.search(rf"(?<![\d.]){re.escape(str(value))}(?![\d.])", visible)
    refused = apprentice.post(f"{run}/read", data={"what": "pad_mm", "place": "front_left", "stage": "strip"},
                              headers=HTMX)  # fmt: skip
    assert "write down what the picture shows" in refused.text
    typed = {f"read {path}": str(value) for path, value in shown.items()}
    typed |= {"what": "pad_mm", "place": "front_left", "stage": "strip", "axle": "front"}
    four = typed | {"read pad_mm.inner.lead_rim": "four"}
    wrong = apprentice.post(f"{run}/read", headers=HTMX, data=four)
    assert wrong.status_code == 422
    kept = apprentice.post(f"{run}/read", headers=HTMX, data=typed)
    assert kept.headers["location"] == f"{run}/strip?axle=front"
    after = text(apprentice.get(f"{run}/strip"))
    assert f"inner lead rim {shown['pad_mm.inner.lead_rim']} mm" in after


@pytest.mark.parametrize(
    ("finding", "shown"),
    [("spin", {"spin.turns": 1.5, "spin.seconds": 2.5}), ("pedal_hold", {"pedal_hold": "sinks"}),
     ("pedal_travel", {"pedal_travel": 0.4}), ("fluid_level", {"fluid_level": 0.5}),
     ("hub_temperature_c", {"hub_temperature_c": 90.0}), ("window_pad_mm", {"window_pad_mm.inner": 4.5})],
)  # fmt: skip
def test_each_instrument_has_its_picture(finding, shown):
    picture = picture_of(finding, shown, Bay(mystery_of(1, knowledge()), knowledge()), PLAINLY)
    assert picture.about
    if finding == "spin":
        assert (picture.wheel.degrees, picture.wheel.seconds) == (540, 2.5)
    elif finding == "pedal_hold":
        assert picture.pedal.to_degrees > picture.pedal.from_degrees
    else:
        assert len(picture.faces) == len(shown)
        assert all(plate.shapes for _, plate in picture.faces)


def test_a_pedal_that_holds_does_not_move_on_its_picture():
    holds = picture_of("pedal_hold", {"pedal_hold": "holds"}, None, PLAINLY).pedal
    assert holds.to_degrees == holds.from_degrees


def test_a_motorcycle_is_spoken_of_as_one(apprentice):
    run = take(apprentice, number_of_drawn(Drawn("motorcycle", "one_fault", 1), knowledge().practice), pictures="yes")
    for what in ("pedal_travel", "pedal_hold", "smell"):
        do(apprentice, run, what)
    do(apprentice, run, "next", kind="hint")
    for stage in ("take-in", "pedal", "lift", "look", "isolate", "strip"):
        assert FOREIGN.findall(text(apprentice.get(f"{run}/{stage}"))) == [], stage
    commit(apprentice, run, safe="yes", nothing="yes")
    page = text(apprentice.get(f"{run}/debrief"))
    assert [page[max(0, m.start() - 40) : m.end() + 10] for m in FOREIGN.finditer(page)] == []


# -- a lead ------------------------------------------------------------------------------------------------------


def test_a_lead_makes_a_vehicle_from_faults_and_hands_out_its_number(someone, client_of, apprentice):
    client = client_of(someone(role="lead"))
    form = {"kind": "car", "fault_1": "hose_restricted", "at_1": "front_left", "severity_1": "clear", "age_1": "some",
            "draw": "0"}  # fmt: skip
    made = client.post("/practice/make", data=form, headers=HTMX)
    assert "1\u00a0000\u00a0418\u00a0400" in made.text
    run = take(apprentice, "1 000 418 400")  # in another workshop: the same vehicle
    assert apprentice.get(f"{run}/take-in").status_code == 200
    for change, words in (
        ({"kind": "boat"}, "allowed: car"), ({"at_1": ""}, "choose where"), ({"severity_1": "dire"}, "one of the list"),
        ({"draw": "x"}, "0 to 99 is allowed"),
        ({"fault_1": "parking_brake_holding"}, "a vehicle of this kind can have"),
    ):  # fmt: skip
        refused = client.post("/practice/make", data=form | change, headers=HTMX)
        assert refused.status_code == 422, change
        assert words in refused.text, change
    asked = flat(client.get("/practice/make?kind=motorcycle&found=rear:pad_bound_outer").text)
    assert '<option value="pad_bound_outer" selected>' in asked


def test_a_lead_sees_progress_and_sets_a_vehicle_and_nobody_else_does(someone, client_of):
    lead = someone(role="lead")
    learner = someone(role="apprentice", workshop=lead.workshop)
    mine, theirs = client_of(lead), client_of(learner)
    assert learner.name in text(mine.get("/practice/people"))
    page = f"/practice/people/{learner.person_id}"
    assert mine.post(f"{page}/set", data={"number": "2", "note": "hose or piston"}).status_code == 303
    assert "hose or piston" in text(mine.get(page))
    assert f"Set by {lead.name}" in text(theirs.get("/practice"))
    assert mine.post(f"{page}/set", data={"number": "11"}, headers=HTMX).status_code == 422
    for address in ("/practice/people", page, "/practice/make"):
        assert theirs.get(address).status_code == 403
    run = take(theirs, 2)
    commit(theirs, run, safe="yes", nothing="yes")
    assert "The truth" in mine.get(f"{run}/debrief").text
    assert client_of(someone(role="lead")).get(f"{run}/debrief").status_code == 404


def test_figures_are_in_the_readers_units(someone, client_of, database, clock):
    from sqlalchemy import text as sql

    who = someone(role="apprentice")
    with database.engine.begin() as connection:
        units = '{"length": "in", "distance": "mi", "temperature": "F", "torque": "lbf.ft", "force": "lbf"}'
        connection.execute(sql("update people set units = :u where id = :i"), {"u": units, "i": who.person_id})
    client = client_of(who)
    run = take(client, 4)
    do(client, run, "pad_mm", "front_left")
    do(client, run, "rotor_mm", "front_left")
    strip = text(client.get(f"{run}/strip"))
    assert re.search(r"inner lead rim \d+/32|inner lead rim 0?\.\d+", strip)
    assert not re.search(r"\d mm\b", strip)
    commit(client, run, safe="yes", nothing="yes")
    page = text(client.get(f"{run}/debrief"))
    assert not re.search(r"\d (mm|km|N·m|°C)\b", page)
