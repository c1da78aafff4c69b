# make demo and make test do everything on a fresh machine; a second call takes seconds.
PYTHON ?= python3.11
PY := $(if $(shell command -v $(PYTHON)),$(PYTHON),python3)
VENV := .venv
BIN := $(VENV)/bin
HOME_DIR ?= $(CURDIR)/.home
PORT ?= 4173
ARGS ?=

WEB_SOURCES := $(shell find web/src -type f) web/index.html web/vite.config.ts web/tsconfig.json

.PHONY: format setup setup-test demo test proofs bench lint unit client schema soak playing fuzz margins

setup: $(VENV)/.installed underkettle/server/web/index.html

$(VENV)/.installed: requirements.txt pyproject.toml
	@test -x $(BIN)/python || $(PY) -m venv $(VENV)
	$(BIN)/pip install --quiet --disable-pip-version-check -r requirements.txt
	$(BIN)/pip install --quiet --disable-pip-version-check --no-deps --editable .
	@touch $@

$(VENV)/.installed-test: requirements-test.txt $(VENV)/.installed
	$(BIN)/pip install --quiet --disable-pip-version-check -r requirements-test.txt
	@touch $@

web/node_modules/.installed: web/package.json web/package-lock.json
	cd web && npm install --no-save --no-fund --no-audit --loglevel=error
	@touch $@

underkettle/server/web/index.html: web/node_modules/.installed $(WEB_SOURCES)
	cd web && npm run --silent build -- --logLevel warn
	@touch $@

setup-test: setup $(VENV)/.installed-test
	@command -v chromium >/dev/null || (apt-get update -qq && apt-get install -y -qq chromium)

demo: setup
	$(BIN)/kettle demo --home $(HOME_DIR) --port $(PORT)

lint: setup-test
	$(BIN)/ruff check underkettle tests proofs
	$(BIN)/mypy
	$(BIN)/ruff format --check --quiet underkettle tests proofs
	cd web && npm run --silent check

# Lays Python and the page's code out as the gate wants them.
format: setup-test
	$(BIN)/ruff format --quiet underkettle tests proofs
	cd web && npm run --silent format

unit: setup-test
	cd web && npm run --silent test
	$(BIN)/python -m tests.run $(ARGS)

test: lint unit

# A hundred kills at random; the short one is part of the tests.
soak: setup-test
	$(BIN)/python -m tests.soak $(ARGS)

# Generated requests at the API, for ten minutes or ARGS seconds; a short run is part of the tests.
fuzz: setup-test
	$(BIN)/python -m tests.fuzz $(ARGS)

# How many margins hold, over the proofs' cases on coarser grids.
margins: setup-test
	$(BIN)/python -m tests.margins $(ARGS)

# How Read plays 2000 frames of 512 x 512 cells for ten minutes: frames a second, memory.
playing: setup-test
	$(BIN)/python -m tests.playing $(ARGS)

proofs: setup
	$(BIN)/kettle prove $(ARGS)

$(VENV)/.installed-bench: requirements-bench.txt $(VENV)/.installed
	$(BIN)/pip install --quiet --disable-pip-version-check -r requirements-bench.txt
	@touch $@

# Brings the peers that speed is compared with; without them `kettle bench` leaves their columns out.
bench: setup $(VENV)/.installed-bench
	$(BIN)/kettle bench $(ARGS)

# Made again whenever routes or the case format change; tests compare them with the program.
client: setup
	$(BIN)/python -m underkettle.server.describe docs
	cd web && npm run --silent client
