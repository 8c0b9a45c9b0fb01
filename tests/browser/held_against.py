"""What every page is held against: accessibility, and that nothing runs out of it at any width."""

from __future__ import annotations

from axe_playwright_python.sync_playwright import Axe

#: A desk, a tablet held upright, a phone.
WIDTHS = (1280, 820, 390)

#: What is asked of a page, whose style sheets are its own and need no fetching: colours apart, which take the longest.
ASKED = {"resultTypes": ["violations"], "preload": False}
ALL = {**ASKED, "rules": {"color-contrast": {"enabled": False}}}
OF_COLOURS = {**ASKED, "runOnly": ["color-contrast"]}

#: Leaves out of a long list, or a table, what has the same colours as three before it.
MARK_ALIKE = """() => {
    for (const parent of document.querySelectorAll("main, main *")) {
        const seen = {};
        for (const child of parent.children) {
            const kind = `${child.tagName} ${child.getAttribute("class") ?? ""} ${child.getAttribute("style") ?? ""}`;
            seen[kind] = (seen[kind] ?? 0) + 1;
            child.toggleAttribute("data-alike", seen[kind] > 3);
        }
    }
}"""


def serious_faults(page):
    """The serious faults of the page that is open; of its colours in the light and in the dark."""
    found = Axe().run(page, options=ALL).response["violations"]
    page.evaluate(MARK_ALIKE)
    for light in ("dark", "light"):
        page.emulate_media(color_scheme=light)
        asked = "(asked) => axe.run({ exclude: [['[data-alike]']] }, asked)"
        found += page.evaluate(asked, OF_COLOURS)["violations"]
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
