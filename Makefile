# Two commands do everything: `make demo` serves the application with its demo, `make test` checks it.
SHELL := /bin/bash
PYTHON ?= python3
BIN := .venv/bin
STAMPS := .stamps
BUILT := src/jade_lantern/studio/built/index.html
PORT ?= 8000

.PHONY: demo test bench screenshots lint types set-up clean

demo: $(STAMPS)/warm $(BUILT)
	@echo "Starting …"
	@$(BIN)/jade-lantern demo --port $(PORT)

test: $(STAMPS)/dev $(STAMPS)/warm $(STAMPS)/chromium $(BUILT) lint
	cd web && npm run --silent test
	$(BIN)/python -m pytest tests/core tests/studio -n 2 --dist worksteal
	$(BIN)/python -m pytest tests/browser -n 2 --dist worksteal

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
	@$(BIN)/python -m pip install --quiet --disable-pip-version-check -r requirements.lock
	@$(BIN)/python -m pip install --quiet --disable-pip-version-check --no-deps --editable .
	@touch $@

$(STAMPS)/dev: requirements-dev.lock $(STAMPS)/python
	@echo "Installing what tests need …"
	@$(BIN)/python -m pip install --quiet --disable-pip-version-check -r requirements-dev.lock
	@touch $@

$(STAMPS)/chromium:
	@mkdir -p $(STAMPS)
	@test -x /usr/bin/chromium || { apt-get update -qq && apt-get install -y -qq chromium; }
	@touch $@

$(STAMPS)/web: web/package-lock.json
	@mkdir -p $(STAMPS)
	@echo "Installing what the front end is built with …"
	@cd web && npm ci --loglevel=error --no-audit --no-fund
	@touch $@

$(BUILT): $(STAMPS)/web $(shell find web/src web/public -type f) web/index.html web/vite.config.ts
	@echo "Building the front end …"
	@cd web && npm run --silent build -- --logLevel error
	@touch $@

# a kernel's cache does not know of a change in a file that it inlines from
$(STAMPS)/kernels: $(shell grep -rlE '^from numba|^import numba' src --include='*.py')
	@mkdir -p $(STAMPS)
	@find src -name '*.nb[ic]' -delete
	@touch $@

# kernels are compiled here, so that nothing stalls later
$(STAMPS)/warm: $(STAMPS)/python $(STAMPS)/kernels
	@$(BIN)/jade-lantern warm
	@touch $@

clean:
	rm -rf .venv .stamps .cache web/node_modules src/jade_lantern/studio/built
