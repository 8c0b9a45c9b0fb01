"""What every page is held against: accessibility, and that nothing runs out of it at any width."""

from __future__ import annotations

from axe_playwright_python.sync_playwright import Axe

#: A desk, a tablet held upright, a phone.
WIDTHS = (1280, 820, 390)

#: What is asked of a page, whose style sheets are its own and need no fetching; in the dark only the colours differ.
ALL = {"resultTypes": ["violations"], "preload": False}
OF_COLOURS = {**ALL, "runOnly": ["color-contrast"]}


def serious_faults(page):
    """The serious faults of the page that is open: in the light by all rules, in the dark by those of colours."""
    found = Axe().run(page, options=ALL).response["violations"]
    page.emulate_media(color_scheme="dark")
    found += page.evaluate("(asked) => axe.run(document, asked)", OF_COLOURS)["violations"]
    page.emulate_media(color_scheme="light")
    return [(v["id"], v["nodes"][0]["html"][:160]) for v in found if v["impact"] in ("serious", "critical")]


def runs_out_at(page):
    """The widths at which the page that is open runs sideways, with everything in it unfolded."""
    out = []
    page.evaluate("document.querySelectorAll('details').forEach((one) => { one.open = true; })")
    for width in WIDTHS:
        page.set_viewport_size({"width": width, "height": 900})
        if page.evaluate("document.documentElement.scrollWidth") > width:
            out.append(width)
    return out
