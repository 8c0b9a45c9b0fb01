"""Workings, bedding, wear log and sources over HTTP."""

from __future__ import annotations

import html
import re

import pytest

from mesotrope.core.language.units import Units
from mesotrope.core.workings import WORKINGS
from mesotrope.knowledge import knowledge
from mesotrope.knowledge.provenance import sourced_values
from mesotrope.services.jobs import open_job
from mesotrope.services.people import choose_units
from mesotrope.words import PLAINLY
from tests.web.test_pages import enter, entered_whole, signed_in  # noqa: F401  (a fixture)


@pytest.mark.parametrize("working", WORKINGS, ids=lambda w: w.name)
def test_every_working_has_a_page_with_drawing_example_and_source(signed_in, working):  # noqa: F811
    page = signed_in[0].get(f"/workings/{working.name}")
    assert page.status_code == 200
    assert working.formula.split("    ")[0].replace("'", "&#39;") in page.text
    assert '<svg viewBox="0 0 220.0 110.0"' in page.text
    assert "Worked example" in page.text


def test_a_link_carries_its_figures_with_their_units(signed_in, database):  # noqa: F811
    client, who, _ = signed_in
    page = client.get("/workings/drag-from-pull", params={"pull_n": "40", "radius_mm": "300"}).text
    link = re.search(r'href="(/workings/drag-from-pull\?[^"]+)"', page)[1].replace("&amp;", "&")
    assert "radius_mm=300%20mm" in link
    choose_units(database, Units(length="in", torque="lbf.ft"), by=who)
    other = client.get(link).text
    assert "8.85" in other  # 12 N·m in lb·ft
    assert "lb·ft" in other


def test_a_figure_that_cannot_be_is_said_on_the_page(signed_in):  # noqa: F811
    page = signed_in[0].get("/workings/drag-from-pull", params={"pull_n": "<b>", "radius_mm": "300"})
    assert page.status_code == 422
    assert "a number is needed" in page.text
    assert (
        "<b>"
        not in page.text.split('id="result"')[1]
        .split("</section>")[0]
        .replace("<b>", "", 0)
        .split("entry-problem")[1][:80]
    )


def test_a_working_that_is_none_is_not_found(signed_in):  # noqa: F811
    assert signed_in[0].get("/workings/horoscope").status_code == 404


def test_the_bedding_schools_stand_side_by_side(signed_in):  # noqa: F811
    client = signed_in[0]
    page = client.get("/bedding").text
    assert page.count('class="plan"') == 3
    assert "only on a closed straight with nobody behind" in page
    assert client.get("/bedding", params={"mass_kg": "heavy"}).status_code == 422


def test_the_wear_log_is_the_own_workshops_only(signed_in, database, someone, clock):  # noqa: F811
    client, who, job = signed_in
    enter(client, job, "pad_mm.inner.lead_rim", "7.0")
    vehicle = open_job(database, job, by=who, knowledge=knowledge()).vehicle_id
    page = client.get(f"/vehicles/{vehicle}/wear")
    assert "No visit with a distance and a measured part yet" in page.text
    assert client.get(f"/vehicles/{vehicle + 9999}/wear").status_code == 404


def test_sources_lists_every_value_of_the_knowledge(signed_in):  # noqa: F811
    page = signed_in[0].get("/sources").text
    values = sourced_values(knowledge())
    assert page.count("<tr>") >= len(values)
    for value in values:
        assert html.escape(PLAINLY(value.name)) in page or value.group not in ("Limits", "Gauge errors")
        assert value.used_in, f"{value.name} is kept and nothing uses it"
        assert value.source
        published = value.source not in ("common practice",) and value.group in ("Limits", "Fluid grades")
        assert not published or "from memory" in value.source


def test_the_figures_of_a_stage_stand_on_its_page(signed_in):  # noqa: F811
    client, _, job = signed_in
    enter(client, job, "pad_mm.inner.lead_rim", "6.0")
    part = entered_whole(client, job, "pad_mm.outer.lead_rim", "8.0", "key-00000002", stage="strip")
    assert "Worked out from these" in part
    assert "−2.00 ± " in part
    assert "Take out first" in part
    spun = entered_whole(client, job, "spin.turns", "0", "key-00000003", stage="lift")
    assert "at least" in spun


@pytest.mark.parametrize(
    ("entries", "stage", "said"),
    [  # limits: common practice
        ({"pad_mm.inner.lead_rim": "6.0", "pad_mm.outer.lead_rim": "7.4"}, "strip", "over 1.0\u00a0mm: worth a look"),
        ({"pad_mm.inner.lead_rim": "4.0", "pad_mm.outer.lead_rim": "7.4"}, "strip", "over 2.0\u00a0mm: a fault"),
        ({"pad_mm.inner.lead_rim": "5.0", "pad_mm.inner.trail_rim": "7.0"}, "strip", "over 1.5\u00a0mm: a fault"),
        ({"rotor_runout_mm": "0.14"}, "strip", "over 0.10\u00a0mm: worth a look"),
        ({"rotor_mm.1": "24.00", "rotor_mm.2": "24.03"}, "strip", "over 0.02\u00a0mm: worth a look"),
        ({"pull_n": "90", "pull_radius_mm": "300"}, "lift", "over 20\u00a0N·m: unsafe heat"),
        ({"pull_n": "40", "pull_radius_mm": "300"}, "lift", "over 8\u00a0N·m: a fault"),
    ],
)
def test_a_difference_beyond_the_usual_is_named_with_its_limit(signed_in, entries, stage, said):  # noqa: F811
    client, _, job = signed_in
    for number, (path, text) in enumerate(entries.items()):
        part = entered_whole(client, job, path, text, f"key-{number:08d}", confirmed="yes", stage=stage)
    assert said in part


def test_what_is_usual_is_not_remarked_on(signed_in):  # noqa: F811
    client, _, job = signed_in
    enter(client, job, "pad_mm.inner.lead_rim", "6.8")
    part = entered_whole(client, job, "pad_mm.outer.lead_rim", "7.4", "key-00000002", stage="strip")
    assert "worth a look" not in part
    assert ": a fault" not in part


def test_left_and_right_are_compared_with_their_limit(signed_in):  # noqa: F811
    client, _, job = signed_in
    enter(client, job, "pad_mm.outer.lead_rim", "8.0", corner="front_left")
    part = entered_whole(
        client, job, "pad_mm.outer.lead_rim", "6.0", "key-00000002", corner="front_right", stage="strip"
    )
    assert "Left less right" in part
    assert "over 1.5\u00a0mm: a fault" in part


def test_drag_is_told_with_its_heat_fuel_and_lining(signed_in):  # noqa: F811
    client, _, job = signed_in
    enter(client, job, "pull_n", "40", stage="lift")
    part = entered_whole(client, job, "pull_radius_mm", "300", "key-00000002", stage="lift")
    for label in ("Drag torque", "Its heat at", "Fuel for 100 km", "Lining of each pad for 1\u00a0000 km"):
        assert label in part


def test_fluid_to_bleed_each_axle_is_told_at_the_pedal(signed_in):  # noqa: F811
    client, _, job = signed_in
    part = entered_whole(client, job, "fluid_level", "0.5", corner="system", stage="pedal")
    assert "To bleed one corner of the front axle" in part
    assert "until it is all new" in part


def test_a_level_that_was_seen_is_not_called_assumed(signed_in):  # noqa: F811
    client, _, job = signed_in
    part = entered_whole(client, job, "pad_mm.inner.lead_rim", "6.0", stage="strip")
    assert "MAX is assumed" in part
    enter(client, job, "fluid_level", "0.5", "key-00000002", corner="system")
    part = entered_whole(client, job, "pad_mm.outer.lead_rim", "6.2", "key-00000003", stage="strip")
    assert "MAX is assumed" not in part
    assert "it would stand at" in part
