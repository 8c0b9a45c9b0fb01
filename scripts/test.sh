#!/usr/bin/env bash
# Every check, in the order in which they fail fastest. The browser has a pytest call of its own. Three workers on two
# cores: many tests wait for a database or a browser.
set -eu
cd "$(dirname "$0")/.."
.venv/bin/ruff check --quiet .
.venv/bin/ruff format --check --quiet .
.venv/bin/mypy
.venv/bin/lint-imports
.venv/bin/python -m pytest src tests --ignore=tests/browser -n 3 --dist worksteal
.venv/bin/python -m pytest tests/browser -n 3 --dist worksteal
