# Two commands do everything: `make demo` serves the application with its demo, `make test` checks it.
SHELL := /bin/bash
PYTHON ?= python3
BIN := .venv/bin
STAMPS := .stamps
BUILT := src/jade_lantern/studio/built/index.html
PORT ?= 8000
# Without bytecode each start compiles some thousand modules again, which takes 3 of its 5 seconds.
unexport PYTHONDONTWRITEBYTECODE

# The locks name everything, so nothing is resolved; bytecode is made when a module is first used.
PIP := $(BIN)/python -m pip install --quiet --disable-pip-version-check --no-deps --no-compile

# Run a command, and say every eight seconds that it is still going on.
ticking = (while sleep 8; do echo "  … still at it"; done) & tick=$$!; $(1); code=$$?; \
	kill $$tick; wait $$tick 2>/dev/null; exit $$code

.PHONY: demo test bench screenshots lint types set-up clean

# Python and Node are set up side by side.
demo:
	@$(MAKE) --no-print-directory -j 2 $(STAMPS)/first $(BUILT)
	@echo "Starting …"
	@$(BIN)/jade-lantern demo --port $(PORT)

# Two workers with a processor each: every pool has one thread. What is checked without running
# anything goes on beside the tests. A browser that draws in software can be late on a loaded
# machine, so a test of it that fails is run again, and the report says so.
ONE_THREAD := JADE_LANTERN_THREADS=1 OMP_NUM_THREADS=1 OPENBLAS_NUM_THREADS=1 NUMBA_NUM_THREADS=1
PYTEST := $(ONE_THREAD) $(BIN)/python -m pytest -n 2 --dist worksteal --durations=30

test:
	@$(MAKE) --no-print-directory -j 2 $(STAMPS)/dev $(STAMPS)/warm $(STAMPS)/chromium $(BUILT)
	@$(MAKE) --no-print-directory -j 2 tests lint test-web

.PHONY: tests test-web
tests:
	$(PYTEST) tests/core tests/studio
	$(PYTEST) --reruns 2 tests/browser

test-web: | lint
	cd web && npm run --silent test

lint: $(STAMPS)/dev $(STAMPS)/web
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports
	cd web && npm run --silent check && npm run --silent lint

bench: $(STAMPS)/dev $(STAMPS)/warm $(STAMPS)/chromium $(BUILT)
	$(BIN)/python -m bench

# with the demo being served
screenshots: $(STAMPS)/dev $(STAMPS)/chromium
	$(BIN)/python docs/take_screenshots.py http://127.0.0.1:$(PORT)

# the types of the front end, from the API's own schema
types: $(STAMPS)/dev $(STAMPS)/web
	$(BIN)/python -m jade_lantern.studio.contract > web/openapi.json
	cd web && npm run --silent types

set-up: $(STAMPS)/warm $(BUILT)

$(BIN)/python:
	$(PYTHON) -m venv .venv

$(STAMPS)/python: requirements.lock pyproject.toml | $(BIN)/python
	@mkdir -p $(STAMPS)
	@echo "Installing the Python packages: about a minute …"
	@$(call ticking,$(PIP) -r requirements.lock)
	@$(PIP) --editable .
	@touch $@

$(STAMPS)/dev: requirements-dev.lock $(STAMPS)/python
	@echo "Installing what tests need …"
	@$(call ticking,$(PIP) -r requirements-dev.lock)
	@touch $@

$(STAMPS)/chromium:
	@mkdir -p $(STAMPS)
	@test -x /usr/bin/chromium || { apt-get update -qq && apt-get install -y -qq chromium; }
	@touch $@

$(STAMPS)/web: web/package-lock.json
	@mkdir -p $(STAMPS)
	@echo "Installing what the front end is built with …"
	@$(call ticking,(cd web && npm ci --loglevel=error --no-audit --no-fund))
	@touch $@

$(BUILT): $(STAMPS)/web $(shell find web/src web/public -type f) web/index.html web/vite.config.ts
	@echo "Building the front end …"
	@$(call ticking,(cd web && npm run --silent build -- --logLevel error))
	@touch $@

# A kernel's cache does not notice a change in another file that it inlines from. Kernels call those
# of their own folder only, so the caches of a folder go with any change in it.
$(STAMPS)/kernels: $(shell grep -rlE '^from numba|^import numba' src --include='*.py')
	@mkdir -p $(STAMPS)
	@for file in $?; do rm -f "$$(dirname $$file)"/__pycache__/*.nb[ic]; done
	@touch $@

# Kernels are compiled here, so that nothing stalls later: those that a hand needs at once, or all.
$(STAMPS)/first: $(STAMPS)/python $(STAMPS)/kernels
	@$(BIN)/jade-lantern warm --first
	@touch $@

$(STAMPS)/warm: $(STAMPS)/python $(STAMPS)/kernels
	@$(BIN)/jade-lantern warm
	@touch $@ $(STAMPS)/first

clean:
	rm -rf .venv .stamps web/node_modules src/jade_lantern/studio/built
