#!/usr/bin/env bash
# Every check. Types are looked at beside the first tests; the browser has a pytest call of its own. On two cores three
# workers are soonest where many tests wait for a database or a process, and two where each has a browser beside it.
set -eu
cd "$(dirname "$0")/.."
unset PYTHONDONTWRITEBYTECODE # where it is set, each of the many processes compiles anew what it imports
export OMP_NUM_THREADS=1 OPENBLAS_NUM_THREADS=1 # every core has its worker: threads of arithmetic would wait for each other
.venv/bin/ruff check --quiet .
.venv/bin/ruff format --check --quiet .
.venv/bin/lint-imports
.venv/bin/mypy &
types=$!
.venv/bin/python -m pytest src tests --ignore=tests/browser -n 3 --dist worksteal
wait "$types"
.venv/bin/python -m pytest tests/browser -n 2 --dist worksteal
