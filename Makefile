# Two commands do all set-up: `make demo` serves the demo study, `make test` runs every test.
SHELL := /bin/bash
PYTHON ?= python3.11
PORT ?= 8787
BIN := .venv/bin
UI_SOURCES := $(shell find ui/src ui/index.html ui/vite.config.ts -type f)

# Compiled modules are kept, also where the surroundings say not to: else each process compiles two thousand of them anew.
unexport PYTHONDONTWRITEBYTECODE

.PHONY: demo test test-python-text test-front-end setup bench fuzz kill load check check-python check-front-end screenshots types wording demo-data lock clean
.DEFAULT_GOAL := help

help:
	@echo "make demo         serve the demo study on http://127.0.0.1:$(PORT)"
	@echo "make test         run every test: core, server, front end, real browser"
	@echo "make check        format, lint, types and quick tests, in a minute"
	@echo "make setup        install what 'demo' needs; afterwards .venv/bin/awl works"
	@echo "make bench        print the benchmark table"
	@echo "make fuzz         send 100,000 random requests; 'make kill' and 'make load' try crashes and crowds"
	@echo "make screenshots  make docs/screenshots anew from the demo data"

# Both halves at once: the front end is built while packages are installed and kernels compiled.
TWO_AT_ONCE := $(MAKE) -j2 -Otarget --no-print-directory

setup:
	$(TWO_AT_ONCE) .venv/.run ui/dist/index.html .venv/.warm

demo: setup
	$(BIN)/awl demo --port $(PORT)

test:
	$(TWO_AT_ONCE) test-python-text test-front-end .venv/.warm .venv/.browser
	$(BIN)/python -m pytest -n auto --dist loadfile --no-loadscope-reorder --durations=30

test-python-text: .venv/.test
	$(BIN)/ruff check .
	$(BIN)/ruff format --check awl demo bench tests scripts setup.py
	$(BIN)/mypy

test-front-end: ui/dist/index.html
	cd ui && npx --no-install tsc --noEmit && npx --no-install eslint src && npx --no-install vitest run

# What one runs before every commit: both halves at once, looking anew only at what changed; `test` looks at all.
check: .venv/.test ui/node_modules/.installed .venv/.warm
	$(TWO_AT_ONCE) check-python check-front-end

check-python:
	$(BIN)/ruff check .
	$(BIN)/ruff format --check awl demo bench tests scripts setup.py
	$(BIN)/mypy
	AWL_SHARE=0.02 $(BIN)/python -m pytest -q tests/test_architecture.py tests/io tests/study/test_cql.py tests/core/test_basics.py \
		tests/core/test_rules.py tests/core/test_measures.py

check-front-end:
	cd ui && npx --no-install tsc --noEmit --incremental --tsBuildInfoFile node_modules/.cache/types.json \
		&& npx --no-install eslint --cache --cache-strategy content --cache-location node_modules/.cache/lint src

# Proofs that take long: random requests, kills at random moments, many people at once.
fuzz: .venv/.test .venv/.warm
	$(BIN)/python -m tests.fuzz --count 100000

kill: .venv/.test .venv/.warm
	$(BIN)/python -m tests.kill --count 200

load: .venv/.test .venv/.warm
	$(BIN)/python -m tests.load --people 50 --seconds 300

bench: .venv/.test .venv/.warm ui/dist/index.html .venv/.browser
	$(BIN)/python -m bench

screenshots: .venv/.test ui/dist/index.html .venv/.browser
	$(BIN)/python -m scripts.screenshots docs/screenshots

# Types of the web API for the front end, from the server's own OpenAPI document.
types: .venv/.run ui/node_modules/.installed
	$(BIN)/python -m scripts.openapi ui/src
	cd ui && npx --no-install openapi-typescript src/api/openapi.json --default-non-nullable false -o src/api/schema.d.ts

# Every text of the interface, gathered from where it is used.
wording: ui/node_modules/.installed
	cd ui && npm run --silent wording

demo-data: .venv/.test
	$(BIN)/python -m demo.ferrow demo/data tests/data
	$(BIN)/python -m demo.transit demo/data

.venv/.run: requirements.txt pyproject.toml
	scripts/need-python "$(PYTHON)"
	test -x $(BIN)/python || $(PYTHON) -m venv .venv
	scripts/install-packages $(BIN)/python -r requirements.txt
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --no-deps -e .
	touch $@

.venv/.test: .venv/.run requirements-dev.txt
	scripts/install-packages $(BIN)/python -r requirements-dev.txt
	touch $@

# Compiled kernels are cached beside their sources; warming them here means the server compiles nothing.
.venv/.warm: .venv/.run $(shell find awl/core awl/io/osm_pbf awl/io/gtfs -name '*.py')
	$(BIN)/python -m awl.warm
	touch $@

.venv/.browser: .venv/.run
	scripts/need-browser
	touch $@

ui/node_modules/.installed: ui/package-lock.json
	scripts/need-node
	cd ui && npm ci --no-audit --no-fund --loglevel=error
	touch $@

ui/dist/index.html: ui/node_modules/.installed $(UI_SOURCES)
	cd ui && npx --no-install vite build --logLevel warn
	touch $@

# Locks made again from what is needed; a package is raised by writing another bound there, or by taking its lines out here.
LOCK := $(BIN)/uv pip compile --quiet --generate-hashes --python-version 3.11 --no-annotate --no-header

lock: .venv/.test
	$(LOCK) requirements.in -o requirements.txt
	$(LOCK) requirements-dev.in -c requirements.txt -o requirements-dev.txt

clean:
	rm -rf .venv ui/node_modules ui/dist .cache
