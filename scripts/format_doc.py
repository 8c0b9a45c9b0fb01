"""Writes docs/format.md and the format's JSON Schema from the vocabulary itself, so that they cannot drift."""

from __future__ import annotations

import json
from pathlib import Path

from mesotrope.core.language.corner import CORNERS
from mesotrope.core.language.inspection import STAGES
from mesotrope.interchange.inspections import SCHEMA_NAME, schema
from mesotrope.interchange.learnt import CLOSED_SCHEMA_NAME, closed_schema
from mesotrope.knowledge import knowledge

HEAD = """# The inspection format

`"format": "mesotrope-inspection", "version": 1`, JSON in UTF-8. Made from the vocabulary by `scripts/format_doc.py`.

Every value is optional, and null is the same as absent: **not looked at is different from looked at and found fine**.
Figures are numbers in the unit of the name. A name that is not in the format is refused, so that a slip of the pen is
not silently lost. A specification that is left out is filled from a default for the vehicle's kind, and said to be one.
[example-inspection.json](example-inspection.json) shows the shape;
[mesotrope-inspection-1.schema.json](mesotrope-inspection-1.schema.json) is the JSON Schema, which every installation
serves at `/formats/mesotrope-inspection-1.schema.json`.

Corners: {corners}. Stages in working order: {stages}.
A key beside another (`leak_at`, `pull_radius_mm`) is a sibling, not nested. `spin` with 0 turns: the wheel cannot be
turned by hand. `pad_mm` has, for `inner` and `outer`, any of `lead_rim`, `lead_hub`, `trail_rim`, `trail_hub`.

Beside the published names this product adds: in `vehicle`, `front_discs` (1 or 2, motorcycles); in an axle,
`rotor_diameter_mm`; in `visit`, `complaint` and `earlier_pads` (`odometer_km` and, by corner, mean `inner` and `outer`
lining at an earlier visit, mm). In the answer: `mechanism` in a suspect, `corner` in a reason, `saves` and `answers` in
a next test, `corners` in the decision, `fits_nothing_well`, `notes`, and the actions `find_the_cause`, `refit_hose`,
`service_bleeder`, `replace_wear_sensor`, `deglaze_linings`, `clean_rotor_faces` and `free_retaining_pin`.

How every finding is answered: `answered` (place and finding: an action, `explained by` a fault, another finding, or
what is no fault (`standing`, `rust`, `wear`, `recent work`), `open`, `watch`, or `outside` of this product), `watched`
(what is no fault yet: its figure, and when to look `again`), `open` (what is not explained, what would explain it with
its share, the next test), `beliefs` (the chance of every fault of every diagnosed
corner and of the system), and `packages` (of each axle, and of the `system`: actions, `price`, `minutes`, `cures`,
`comes_back`, `expected_cost`, `recommended`, `because`; of an axle none is recommended where the cause is to be found
first, or where none cures surely enough: what was decided stands then). `learnt` is null
where the product's own tables answered; with [learnt tables](learning.md) it names the `version` and of how many
`cases`, and on the command line whether they are `used`, and why.
"""


def table(title: str, fields) -> str:
    lines = [
        f"\n## {title}\n",
        "| name | said as | values, or unit and what is possible | stage | minutes |",
        "|---|---|---|---|---|",
    ]
    for field in fields:
        if field.values:
            what = ", ".join(f"`{value}`" for value in field.values)
        elif field.possible:
            what = f"{field.unit or 'number'}, {field.possible[0]:g} to {field.possible[1]:g}"
        else:
            what = "text"
        lines.append(f"| `{field.key}` | {field.label} | {what} | {field.stage} | {field.minutes:g} |")
    return "\n".join(lines) + "\n"


def text() -> str:
    known = knowledge()
    return (
        HEAD.format(corners=", ".join(f"`{c}`" for c in CORNERS), stages=", ".join(STAGES))
        + table("Corner findings", known.corner_fields)
        + table("System findings", known.system_fields)
    )


if __name__ == "__main__":
    docs = Path(__file__).resolve().parents[1] / "docs"
    (docs / "format.md").write_text(text(), encoding="utf-8")
    (docs / SCHEMA_NAME).write_text(json.dumps(schema(), indent=2) + "\n", encoding="utf-8")
    (docs / CLOSED_SCHEMA_NAME).write_text(json.dumps(closed_schema(), indent=2) + "\n", encoding="utf-8")
