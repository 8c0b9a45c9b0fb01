#!/usr/bin/env bash
# Builds the style sheet and writes down what it was built from, so that a test can tell whether it is fresh.
set -eu
cd "$(dirname "$0")/.."
npx tailwindcss -i src/mesotrope/web/styles/app.css -o src/mesotrope/web/static/built/app.css --minify
python3 - <<'PYTHON'
import hashlib
import pathlib
web = pathlib.Path("src/mesotrope/web")
digest = hashlib.sha256()
for file in [*sorted((web / "templates").rglob("*.html")), web / "styles/app.css"]:
    digest.update(file.read_bytes())
(web / "static/built/app.css.sources").write_text(digest.hexdigest() + "\n")
PYTHON
