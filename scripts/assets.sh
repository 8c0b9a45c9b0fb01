#!/usr/bin/env bash
# Builds the style sheet and the scripts, and writes down what they were built from, so that a test can tell whether they
# are fresh.
set -eu
cd "$(dirname "$0")/.."
web=src/mesotrope/web
npx tailwindcss -i $web/styles/app.css -o $web/static/built/app.css --minify
npx esbuild $web/scripts/app.js $web/scripts/device-worker.js --bundle --minify --format=esm --target=es2022 \
  --outdir=$web/static/built --log-level=warning
python3 - <<'PYTHON'
import hashlib
import pathlib
web = pathlib.Path("src/mesotrope/web")
digest = hashlib.sha256()
sources = [*(web / "templates").rglob("*.html"), *(web / "scripts").rglob("*.js"), web / "styles/app.css"]
for file in sorted(sources):
    digest.update(file.read_bytes())
(web / "static/built/sources").write_text(digest.hexdigest() + "\n")
PYTHON
