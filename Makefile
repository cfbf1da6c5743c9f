# Two commands do all set-up on a fresh Debian machine: `make demo` and `make test`.
PYTHON ?= python3.11
VENV := .venv
BIN := $(VENV)/bin
# Installs and locks packages.
UV := 0.13.9
APT := mariadb-server chromium libllvm19 libpangoft2-1.0-0 poppler-utils
# Of two processes beside each other, each keeps every library to one thread: more would spin in each other's way.
ONE_THREAD := FENRAIN_ENGINE_THREADS=1 OPENBLAS_NUM_THREADS=1 OMP_NUM_THREADS=1
# Whatever the shell says: every process would compile all that it imports anew, which takes longer than most of them run.
unexport PYTHONDONTWRITEBYTECODE
SUDO := $(shell [ "$$(id -u)" = 0 ] || echo sudo)
# Packages of Python and of the web, and the pages, are made beside each other.
BESIDE := @$(MAKE) --no-print-directory -j 2
# $(call timed,what it is at,command): says what it is at, and how long that took.
timed = @begun=$$(date +%s); echo "$(1) …"; { $(2); } && echo "$(1): $$(( $$(date +%s) - begun )) s"

.PHONY: setup demo stop test test-long check check-web pages bench client lock

setup:
	$(BESIDE) $(VENV)/.python web/dist/index.html

demo: setup
	@exec $(BIN)/fenrain demo

stop:
	@test -x $(BIN)/fenrain && $(BIN)/fenrain stop || echo "Nothing is set up here."

test:
	$(BESIDE) pages check-web check
	$(ONE_THREAD) $(BIN)/pytest -q -n 2 --dist loadfile --no-loadscope-reorder tests

# What measures populations, damages files, kills processes and asks other viewers, at length.
test-long: setup $(VENV)/.dev
	@cd web && FENRAIN_TESTS=long npm run --silent lint
	FENRAIN_TESTS=long $(ONE_THREAD) $(BIN)/pytest -q -n 2 --dist worksteal -m "population or fuzz or pictures" tests
	FENRAIN_TESTS=long $(BIN)/pytest -q -m "faults or viewers or journey" tests

# Tests of the pages.
pages: web/dist/index.html
	@cd web && npm run --silent test

# What must hold before a commit: style, types, the layers, the client in step with the server.
check: $(VENV)/.dev web/node_modules/.package-lock.json
	$(BIN)/ruff check .
	$(BIN)/mypy
	$(BIN)/lint-imports --no-cache
	$(BIN)/python -m fenrain.api.openapi --check

check-web: web/node_modules/.package-lock.json
	@cd web && npm run --silent lint

bench: setup $(VENV)/.dev
	$(BIN)/python -m bench

client: $(VENV)/.dev web/node_modules/.package-lock.json
	$(BIN)/python -m fenrain.api.openapi

# The locks hold hashes of every wheel and no address: what the application needs, and what tests need as well.
COMPILE := $(BIN)/uv pip compile --quiet --generate-hashes --no-annotate --no-header --no-emit-index-url --no-emit-find-links --python-version 3.11
lock: $(VENV)/.python
	$(COMPILE) --extra here -o requirements.lock pyproject.toml
	$(COMPILE) --extra dev -c requirements.lock -o requirements-dev.lock pyproject.toml

$(VENV)/.apt:
	@command -v $(PYTHON) >/dev/null || { echo "Python 3.11 is missing: install it, or set PYTHON."; exit 1; }
	@missing=""; for package in $(APT); do dpkg -s $$package >/dev/null 2>&1 || missing="$$missing $$package"; done; \
	if [ -n "$$missing" ]; then begun=$$(date +%s); echo "Installing$$missing …"; \
	  $(SUDO) apt-get update -qq && DEBIAN_FRONTEND=noninteractive $(SUDO) apt-get install -y -qq --no-install-recommends $$missing >/dev/null \
	  || { echo "Could not install$$missing. Install it by hand (needs root), then try again."; exit 1; }; \
	  echo "Debian packages: $$(( $$(date +%s) - begun )) s"; fi
	@test -d $(VENV) || $(PYTHON) -m venv $(VENV)
	@touch $@

# uv takes a fifth of pip's time, but does not read a mirror from pip's configuration: where it reaches nothing, pip does.
install = { $(BIN)/uv pip install --quiet --python $(BIN)/python --no-deps --require-hashes -r $(1) 2>/dev/null || $(PIP) --require-hashes -r $(1); }
PIP := $(BIN)/pip install --quiet --disable-pip-version-check --no-compile --no-deps
$(VENV)/.python: requirements.lock pyproject.toml | $(VENV)/.apt
	$(call timed,Python packages,$(PIP) uv==$(UV) && $(call install,requirements.lock) && $(PIP) --no-build-isolation -e .)
	@touch $@

$(VENV)/.dev: requirements-dev.lock | $(VENV)/.python
	$(call timed,Python packages for tests,$(call install,requirements-dev.lock))
	@touch $@

web/node_modules/.package-lock.json: web/package-lock.json
	@command -v npm >/dev/null || { echo "Node 20 with npm is missing: install it."; exit 1; }
	$(call timed,Web packages,cd web && npm ci --silent --no-audit --no-fund --ignore-scripts)

web/dist/index.html: web/node_modules/.package-lock.json web/index.html web/vite.config.ts $(shell find web/src -type f)
	$(call timed,Web pages,cd web && npm run --silent build >/dev/null)
	@touch $@
