"""Every view in metric and in US units: the same figures, each turned as the units library turns it.

Factors: [nist-811], by way of the units library; the pages are the demo's.
"""

from __future__ import annotations

import datetime
import html
import re

import pytest
from starlette.testclient import TestClient

from mesotrope.app import create_app
from mesotrope.core.language.quantity import convert
from mesotrope.demo.load import load_demo
from mesotrope.knowledge import knowledge
from mesotrope.services.passwords import Passwords
from mesotrope.services.signing_in import demo_people, open_session
from mesotrope.settings import Settings
from mesotrope.store.instance import Instance
from mesotrope.store.migrate import migrate
from mesotrope.store.session import Database
from mesotrope.web.cookies import SESSION
from tests.conftest import CHEAP

NOW = datetime.datetime(2026, 5, 4, 12, 0)

#: Each unit of a metric reader beside that of a US one, as they are written.
PAIRS = {"mm": "in", "°C": "°F", "km": "miles", "km/h": "mph", "mL": "fl oz", "N·m": "lb·ft", "N": "lbf", "bar": "psi",
         "kg": "lb"}  # fmt: skip
KEPT = {"mm": "mm", "in": "in", "°C": "C", "°F": "F", "km": "km", "miles": "mi", "km/h": "km/h", "mph": "mph",
        "mL": "mL", "fl oz": "fl_oz", "N·m": "N.m", "lb·ft": "lbf.ft", "N": "N", "lbf": "lbf", "bar": "bar",
        "psi": "psi", "kg": "kg", "lb": "lb"}  # fmt: skip
AMERICAN = {"length": "in", "torque": "lbf.ft", "temperature": "F", "distance": "mi", "volume": "fl_oz", "force": "lbf",
            "pressure": "psi", "mass": "lb"}  # fmt: skip
WRITTEN = "|".join(sorted(map(re.escape, KEPT), key=len, reverse=True))
FIGURE = re.compile(rf"(?<![\w/.])([−-]?\d[\d\u00a0]*(?:\.\d+)?)[ \u00a0]?({WRITTEN})(?![\w²/])")

STAGES = ("take-in", "pedal", "lift?axle=rear", "look?axle=rear", "isolate?axle=rear", "strip?axle=rear",
          "strip?axle=front")  # fmt: skip
AFTER = ("verdict", "card", "prove", "owner", "board", "history", "vehicle")
PAGES = [f"/jobs/{job}/{page}" for job in (1, 2, 4, 9) for page in (*STAGES, *AFTER)]
PAGES += [
    "/bedding",
    "/vehicles/8/wear",
    "/vehicles/8",
    "/due?weeks=104",
    "/workings/stop-heat",
    "/workings/drag-heat",
    "/workings/fluid-returned",
]

#: What is said in every unit at once, whoever reads it.
IN_ALL = re.compile(
    r"\d+ N·m, \d+ lb·ft, \d+ lb·in|\([\d.]+[ \u00a0](?:mL|fl oz)\)|(?s:<dt>(?:Worked example|Source)</dt>.*?</dd>)"
)

#: So much for so far: the distance stays round in any unit.
FOR_SO_FAR = re.compile(r"[Ff]or 1[\s\u00a0]?0+[\s\u00a0](?:km|miles)")


@pytest.fixture(scope="module")
def readers(instance: Instance):
    """Two people of the demo's workshop: one reads metric, one US units."""
    instance.start(("mesotrope_units",))
    url = instance.url("mesotrope_units")
    migrate(url)
    database = Database(url)
    load_demo(database, knowledge(), Passwords.with_cost(16, 1), now=NOW, closed=0)
    app = create_app(Settings(demo=True, development=True, **CHEAP), database, now=lambda: NOW)
    people = {person.name: person.id for person in demo_people(database)}
    clients = []
    for name in ("Bram Oddie", "Ilse Tarrow"):
        client = TestClient(app, base_url="http://testserver", follow_redirects=False)
        client.cookies.set(SESSION, open_session(database, people[name], now=NOW, hours=1))
        clients.append(client)
    metric, american = clients
    token = re.search(r'name="change_token" value="([^"]+)"', american.get("/me").text)[1]
    assert american.post("/me", data=AMERICAN, headers={"X-Change-Token": token}).status_code == 303
    yield metric, american
    database.close()


def text_of(page):
    """What a page says, without what stands in every unit and without what is a source's own."""
    page = IN_ALL.sub("", page.replace("fl\u00a0oz", "fl oz"))
    page = re.sub(r"<(script|style|svg|head|option)\b.*?</\1>", "", page, flags=re.DOTALL)
    return html.unescape(re.sub(r"<[^>]+>", " | ", page))


def figures_of(page):
    found = FIGURE.findall(FOR_SO_FAR.sub("", text_of(page)))
    return [(float(number.replace("\u00a0", "").replace("−", "-")), unit) for number, unit in found]


@pytest.mark.parametrize("page", PAGES)
def test_every_figure_is_the_same_in_both_units(readers, page):
    ours, theirs = (client.get(page) for client in readers)
    assert ours.status_code == theirs.status_code == 200
    metric, american = figures_of(ours.text), figures_of(theirs.text)
    assert [PAIRS[unit] for _, unit in metric] == [unit for _, unit in american]
    for (value, unit), (turned, theirs_unit) in zip(metric, american, strict=True):
        exact = convert(value, KEPT[unit], KEPT[theirs_unit])
        difference = value * 1.8 if unit == "°C" else exact  # of two temperatures
        step = max(abs(convert(1.0, KEPT[unit], KEPT[theirs_unit]) - convert(0.0, KEPT[unit], KEPT[theirs_unit])), 0.01)
        near = max(
            1.01 * step, 0.06 if unit == "mL" else 0.0, 0.03 * abs(exact), 10.0 if unit in ("km", "km/h") else 0.0
        )
        for_so_far = exact * (convert(1.0, "mi", "km") if unit in ("mL", "mm") and "lift" in page else 1.0)
        off = min(abs(turned - meant) for meant in (exact, difference, for_so_far))
        assert off <= near, (value, unit, turned, theirs_unit)


def test_what_is_entered_in_us_units_is_kept_right_and_shown_as_it_was_entered(readers):
    """A runout of 0.004 in is 0.10 mm; a rotor of 0.941 in is no fraction of 32nds."""
    _, american = readers
    token = re.search(r'"X-Change-Token": "([^"]+)"', american.get("/jobs/10/strip").text)[1]
    for number, (path, typed) in enumerate([("rotor_runout_mm", "0.004"), ("rotor_mm.1", "0.941")]):
        answer = american.post(
            "/jobs/10/findings", data={"corner": "front_left", "path": path, "value": typed, "confirmed": "yes"},
            headers={"X-Change-Token": token, "HX-Request": "true", "Idempotency-Key": f"units-{number:012d}"},
        )  # fmt: skip
        assert answer.status_code == 200
        assert float(answer.headers["x-shown"]) == pytest.approx(float(typed))
    kept = american.get("/jobs/10/inspection.json").json()["findings"]["corners"]["front_left"]
    assert kept["rotor_runout_mm"] == pytest.approx(0.1016)
    assert kept["rotor_mm"][0] == pytest.approx(23.9014)
