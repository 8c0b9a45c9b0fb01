"""Pages on paper and the calendar file: they open, hold what they should, and fetch nothing."""

from __future__ import annotations

import datetime
import io
import json
import subprocess
import sys
import time
from base64 import b64encode
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pypdfium2
import pytest
from icalendar import Calendar
from PIL import Image

from mesotrope.errors import Busy
from mesotrope.interchange.calendar import Appointment, to_calendar
from mesotrope.interchange.paper import Typesetter, to_pdf
from mesotrope.interchange.typesetting import _OursOnly, set_what_is_asked

PAGE = "<html><body><h1>Red van</h1><p>inner − outer 4.8 mm, 30 N·m, ½ ✓</p>{}</body></html>"


def opened(html, paper="a4"):
    return pypdfium2.PdfDocument(to_pdf(html, paper))


@pytest.mark.parametrize(("paper", "size_mm"), [("a4", (210, 297)), ("letter", (215.9, 279.4))])
def test_the_papers_are_as_wide_and_high_as_iso_216_and_ansi_say(paper, size_mm):
    """ISO 216 A4 and ANSI/ASME Y14.1 A, from memory."""
    width, height = opened(PAGE.format(""), paper)[0].get_size()
    assert (width / 72 * 25.4, height / 72 * 25.4) == pytest.approx(size_mm, abs=0.1)


def test_signs_of_the_trade_are_there_and_in_our_own_font():
    document = opened(PAGE.format(""))
    text = document[0].get_textpage().get_text_bounded()
    assert "inner − outer 4.8 mm, 30 N·m" in text
    fonts = {part.get_font().get_base_name() for part in document[0].get_objects() if hasattr(part, "get_font")}
    ours = {name for name in fonts if "Atkinson-Hyperlegible" in name}
    assert len(ours) == 2  # the heading's weight and the text's


def test_the_page_is_black_on_white_and_not_empty():
    picture = opened(PAGE.format(""))[0].render(scale=1).to_pil().convert("L")
    assert picture.getpixel((2, 2)) == 255
    assert picture.getextrema()[0] < 60


def test_a_picture_inside_the_page_is_set_and_anything_outside_is_not_fetched():
    made = io.BytesIO()
    Image.new("RGB", (8, 8), "red").save(made, "PNG")
    inside = f'<img src="data:image/png;base64,{b64encode(made.getvalue()).decode()}" width="200">'
    assert (255, 0, 0) in [color for _, color in opened(PAGE.format(inside))[0].render().to_pil().getcolors(1 << 16)]
    for outside in ("file:///etc/passwd", "http://127.0.0.1:1/x.png", "https://example.org/x.png"):
        with pytest.raises(ValueError, match="disallowed protocol"):
            _OursOnly().fetch(outside)
        assert len(opened(PAGE.format(f'<img src="{outside}">'))) == 1


@pytest.fixture
def typesetter():
    made = Typesetter()
    yield made
    made.stop()


@pytest.mark.parametrize("is_gone", [True, False])
def test_a_typesetter_that_was_killed_is_started_again(typesetter, is_gone):
    """Whether it is gone already or only about to be: of the first nothing is left open."""
    assert typesetter.to_pdf(PAGE, "a4").startswith(b"%PDF")
    first = typesetter._process
    first.kill()
    if is_gone:
        first.wait()
    assert typesetter.to_pdf(PAGE, "a4").startswith(b"%PDF")
    assert typesetter._process.pid != first.pid
    assert (first.stdin.closed, first.stdout.closed) == (True, True)


def test_pages_asked_for_at_once_are_each_their_own(typesetter):
    with ThreadPoolExecutor(4) as people:
        numbers = range(6)
        written = list(people.map(lambda number: typesetter.to_pdf(PAGE.format(f"page {number}"), "a4"), numbers))
    for number, one in zip(numbers, written, strict=True):
        assert f"page {number}" in pypdfium2.PdfDocument(one)[0].get_textpage().get_text_bounded()


def test_a_page_that_takes_too_long_is_given_up_in_words():
    endless = Typesetter(sets_for_s=0.01)
    with pytest.raises(Busy, match=r"The page could not be set on paper\. Nothing was changed; try again in a moment"):
        endless.to_pdf(PAGE.format("<p>word</p>" * 20_000), "a4")
    endless.stop()


def test_a_page_that_cannot_be_set_leaves_the_next_one_alone():
    pages = [{"html": None, "paper": "a4"}, {"html": PAGE, "paper": "letter"}]
    answers = io.BytesIO()
    set_what_is_asked(io.BytesIO(b"".join(json.dumps(page).encode() + b"\n" for page in pages)), answers)
    first, second, rest = answers.getvalue().split(b"\n", 2)
    assert "failed" in json.loads(first)
    assert len(rest) == json.loads(second)["bytes"]
    assert rest.startswith(b"%PDF")


def test_it_ends_with_whoever_it_works_for():
    words = (
        "from mesotrope.interchange.paper import Typesetter; made = Typesetter(); made.get_ready(); "
        "print(made._process.pid, flush=True); import os; os._exit(0)"
    )
    said = subprocess.run([sys.executable, "-c", words], capture_output=True, text=True, check=True)
    gone = Path(f"/proc/{said.stdout.strip()}/stat")
    for _ in range(200):
        if not gone.exists() or gone.read_text().split()[2] == "Z":
            return
        time.sleep(0.1)
    pytest.fail("the typesetter goes on")


def test_a_calendar_keeps_its_days_its_identities_and_what_cannot_be_in_a_line():
    days = [
        Appointment("nuts-7", "Red van: nuts; again, please", "paint\nsettles", datetime.date(2026, 2, 28)),
        Appointment("fluid-7", "Red van: fluid", "water", datetime.date(2028, 2, 29)),
    ]
    read = Calendar.from_ical(to_calendar(days, datetime.datetime(2026, 2, 21, 8)))
    events = read.walk("VEVENT")
    assert [(str(e["summary"]), str(e["description"]), e["dtstart"].dt) for e in events] == [
        (day.what, day.why, day.day) for day in days
    ]
    assert [str(e["uid"]) for e in events] == ["nuts-7@mesotrope", "fluid-7@mesotrope"]
    assert events[0]["dtend"].dt == datetime.date(2026, 3, 1)
    assert all(len(e.walk("VALARM")) == 1 for e in events)


def test_the_same_appointments_are_the_same_file():
    day = [Appointment("nuts-7", "Nuts", "again", datetime.date(2026, 2, 28))]
    now = datetime.datetime(2026, 2, 21, 8)
    assert to_calendar(day, now) == to_calendar(day, now)
