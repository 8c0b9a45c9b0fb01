# Mesotrope. Two commands do everything: make demo, make test.
.DEFAULT_GOAL := help
SHELL := /bin/bash
BIN := .venv/bin

help: ## this list
	@grep -E '^[a-z-]+:.*##' $(MAKEFILE_LIST) | sed 's/:.*##/ ·/'

.venv/run.stamp: requirements/setup.txt requirements/run.txt pyproject.toml scripts/setup.sh
	@scripts/setup.sh run

.venv/develop.stamp: requirements/setup.txt requirements/develop.txt requirements/reference.txt pyproject.toml scripts/setup.sh
	@scripts/setup.sh develop

demo: .venv/run.stamp ## install what is missing, start database and application with made-up data; Ctrl-C stops both
	@scripts/setup.sh packages-run
	@exec $(BIN)/mesotrope serve --demo

test: .venv/develop.stamp ## install what the tests need and run all of them, headless
	@scripts/setup.sh packages-develop
	@scripts/test.sh

lint: .venv/develop.stamp ## style, types and the direction of imports; the pages' scripts too, where there is node
	@$(BIN)/ruff check . && $(BIN)/ruff format --check . && $(BIN)/mypy && $(BIN)/lint-imports
	@if command -v npm >/dev/null; then npm ci --ignore-scripts --silent && npx eslint src/mesotrope/web/scripts; \
	else echo "There is no node here: the scripts were not looked at."; fi

words: .venv/develop.stamp ## write the catalogue of everything that is said, and compile the languages beside it
	@$(BIN)/python scripts/catalogue.py

assets: ## build the style sheet and the pages' scripts (needs node; what is built is committed)
	@npm ci --ignore-scripts --silent
	@scripts/assets.sh

screens: .venv/develop.stamp ## take the pictures in docs/screenshots from the demo data
	@scripts/setup.sh packages-develop
	@$(BIN)/python scripts/screens.py

bench: .venv/develop.stamp ## measure speed and print the figures; BEFORE=revision holds them against an earlier one
	@scripts/setup.sh packages-develop
	@$(BIN)/python scripts/speed.py $(if $(BEFORE),--before $(BEFORE))

bench-chain: .venv/develop.stamp ## one million visits of 300 workshops: every page there beside the demo alone (about half an hour)
	@scripts/setup.sh packages-develop
	@$(BIN)/python -m scripts.bench.chain

calibrate: .venv/develop.stamp ## check the diagnosis on simulated vehicles; writes docs/calibration.md
	@$(BIN)/python scripts/calibrate.py

cluster: .venv/develop.stamp ## three database nodes, two applications and a balancer on this machine; SURVIVE=yes kills them in turn
	@scripts/setup.sh packages-cluster
	@exec $(BIN)/python -m scripts.cluster $(if $(SURVIVE),--survive)

torture: .venv/develop.stamp ## a campaign of faults and forgeries against the running product; writes docs/reliability.md
	@scripts/setup.sh packages-cluster
	@$(BIN)/python scripts/torture.py

lock: ## pin every dependency anew
	@scripts/lock.sh

stop: .venv/run.stamp ## stop what this checkout has running
	@$(BIN)/mesotrope stop

reset-demo: .venv/run.stamp ## throw the demo's database away
	@$(BIN)/mesotrope reset

.PHONY: help demo test lint words assets screens bench bench-chain calibrate cluster torture lock stop reset-demo
