#!/usr/bin/env bash
# Writes the locks: every dependency pinned with its hashes, no registry named.
set -eu
cd "$(dirname "$0")/.."
lock() { .venv/bin/uv pip compile --universal --python-version 3.11 --generate-hashes --no-emit-index-url --no-annotate --no-header -q "$@"; }
lock -o requirements/run.txt pyproject.toml
lock --extra develop -c requirements/run.txt -o requirements/develop.txt pyproject.toml
echo pyagrum | lock --no-deps -o requirements/reference.txt -
echo "uv==$(.venv/bin/uv --version | cut -d' ' -f2)" | lock -o requirements/setup.txt -
