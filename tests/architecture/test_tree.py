"""The checkout itself: what is shipped, what is built, and what no file may name."""

from __future__ import annotations

import hashlib
import re
import subprocess
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
WEB = ROOT / "src/mesotrope/web"


def _tracked() -> list[Path]:
    names = subprocess.run(["git", "ls-files"], cwd=ROOT, capture_output=True, text=True, check=True).stdout.split("\n")
    return [ROOT / name for name in names if name]


def test_the_built_style_sheet_and_scripts_are_fresh():
    """`make assets` writes down what they were built from; what was changed since then needs a new build."""
    digest = hashlib.sha256()
    sources = [*(WEB / "templates").rglob("*.html"), *(WEB / "scripts").rglob("*.js"), WEB / "styles/app.css"]
    for file in sorted(sources):
        digest.update(file.read_bytes())
    assert (WEB / "static/built/sources").read_text().strip() == digest.hexdigest()


def test_no_lock_names_a_registry():
    for file in [*(ROOT / "requirements").glob("*.txt"), ROOT / "package-lock.json"]:
        text = file.read_text()
        assert "://" not in text or file.name == "package-lock.json"
        assert '"resolved"' not in text
        assert "index-url" not in text


def test_every_dependency_is_pinned_with_a_hash():
    for file in (ROOT / "requirements").glob("*.txt"):
        for block in re.split(r"\n(?=\S)", file.read_text().strip()):
            assert "==" in block
            assert "--hash=sha256:" in block


def test_everything_shipped_has_its_licence_and_notice():
    notice = (ROOT / "NOTICE").read_text()
    assert "Apache License" in (ROOT / "LICENSE").read_text()
    for name, licence in [
        ("htmx", "static/vendor/htmx-LICENSE.txt"),
        ("Idiomorph", "scripts/vendor/idiomorph-LICENSE.txt"),
        ("Atkinson Hyperlegible Next", "static/fonts/LICENSE.txt"),
    ]:
        assert name in notice
        assert (WEB / licence).read_text()


def test_the_screenshots_are_few_and_linked_from_the_readme():
    readme = (ROOT / "README.md").read_text()
    pictures = list((ROOT / "docs/screenshots").glob("*.png"))
    assert 0 < len(pictures) < 20
    for picture in pictures:
        assert f"docs/screenshots/{picture.name}" in readme


def test_a_line_of_a_template_and_a_module_can_be_read_whole():
    """A line of at most 160 characters stands on a screen beside its neighbour, a module of 400 lines is read in one go
    (common practice)."""
    long = [
        f"{template.relative_to(ROOT)}:{number}"
        for template in (WEB / "templates").rglob("*.html")
        for number, line in enumerate(template.read_text().splitlines(), 1)
        if len(line) > 160
    ]
    modules = [file for file in (ROOT / "src").rglob("*.py") if len(file.read_text().splitlines()) > 400]
    assert long + modules == []


def test_templates_decide_nothing_about_the_trade():
    """No comparison with a figure in a template: rounding, limits and words are the views' work."""
    for template in (WEB / "templates").rglob("*.html"):
        assert not re.search(r"{%[^%]*[<>]=?\s*\d", template.read_text()), template.name


def test_the_format_page_is_made_from_the_vocabulary():
    from scripts.format_doc import text

    assert (ROOT / "docs/format.md").read_text(encoding="utf-8") == text()


def test_the_example_document_is_answered():
    from mesotrope.core.answer.answer import diagnose
    from mesotrope.core.language.inspection import parse_inspection
    from mesotrope.knowledge import knowledge

    answered = diagnose(parse_inspection((ROOT / "docs/example-inspection.json").read_bytes()), knowledge())
    assert answered.suspects[0].fault == "piston_not_releasing"


def test_no_query_asks_for_true_in_the_way_that_finds_no_index():
    """MariaDB goes through every row of the workshop for `IS true`, and uses the index for `= true`."""
    sources = (ROOT / "src/mesotrope").rglob("*.py")
    assert not [file.name for file in sources if re.search(r"\.is_(not)?\((True|False)\)", file.read_text())]
