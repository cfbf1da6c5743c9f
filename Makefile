# Two commands do all set-up on a fresh Debian machine: `make demo` and `make test`.
PYTHON ?= python3.11
VENV := .venv
BIN := $(VENV)/bin
APT := mariadb-server chromium libllvm19 libpangoft2-1.0-0 poppler-utils
# Tests in a browser that need no running application, so that two can go on at once.
VIEWERS := tests/web/test_web_viewer.py tests/web/test_independent_viewer.py
# Of two processes beside each other, each keeps every library to one thread: more would spin in each other's way.
ONE_THREAD := FENRAIN_ENGINE_THREADS=1 OPENBLAS_NUM_THREADS=1 OMP_NUM_THREADS=1
SUDO := $(shell [ "$$(id -u)" = 0 ] || echo sudo)

.PHONY: setup demo stop test check pages bench client lock

setup: $(VENV)/.apt $(VENV)/.python $(VENV)/.warm web/node_modules/.package-lock.json web/dist/index.html

demo: setup
	@exec $(BIN)/fenrain demo

stop:
	@test -x $(BIN)/fenrain && $(BIN)/fenrain stop || echo "Nothing is set up here."

test: setup check pages
	$(ONE_THREAD) $(BIN)/pytest -q -n 2 --dist worksteal tests/core
	$(ONE_THREAD) $(BIN)/pytest -q -n 2 --dist loadfile --no-loadscope-reorder $(VIEWERS) tests/jobs tests/api tests/store
	$(BIN)/pytest -q tests/web $(VIEWERS:%=--ignore=%)

# Beside the checks of Python, where make may do two things at once.
pages: setup
	cd web && npm run --silent test

# What must hold before a commit: style, types, the layers, the client in step with the server.
check: setup
	$(BIN)/ruff check .
	$(BIN)/mypy
	$(BIN)/lint-imports --no-cache
	$(BIN)/python -m fenrain.api.openapi --check
	cd web && npm run --silent lint

bench: setup
	$(BIN)/python -m bench

client: setup
	$(BIN)/python -m fenrain.api.openapi

# The lock holds hashes of every wheel and no address.
lock: $(VENV)/.python
	$(BIN)/pip install --quiet uv
	$(BIN)/uv pip compile --quiet --generate-hashes --no-annotate --no-header --no-emit-index-url --no-emit-find-links --python-version 3.11 --extra dev -o requirements.lock pyproject.toml

$(VENV)/.apt:
	@command -v $(PYTHON) >/dev/null || { echo "Python 3.11 is missing: install it, or set PYTHON."; exit 1; }
	@command -v npm >/dev/null || { echo "Node 20 with npm is missing: install it."; exit 1; }
	@for package in $(APT); do dpkg -s $$package >/dev/null 2>&1 || missing="$$missing $$package"; done; \
	if [ -n "$$missing" ]; then echo "Installing$$missing …"; \
	  $(SUDO) apt-get update -qq && DEBIAN_FRONTEND=noninteractive $(SUDO) apt-get install -y -qq --no-install-recommends $$missing >/dev/null \
	  || { echo "Could not install$$missing. Install it by hand (needs root), then try again."; exit 1; }; fi
	@test -d $(VENV) || $(PYTHON) -m venv $(VENV)
	@touch $@

$(VENV)/.python: requirements.lock pyproject.toml | $(VENV)/.apt
	@echo "Installing Python packages …"
	@$(BIN)/pip install --quiet --no-compile --require-hashes -r requirements.lock
	@$(BIN)/pip install --quiet --no-deps --no-build-isolation -e .
	@touch $@

# Kernels for pictures are kept under the home folder: a second checkout on the same machine finds them there.
$(VENV)/.warm: $(VENV)/.python
	@echo "Compiling what pictures need …"
	@$(BIN)/fenrain warm || echo "No pictures can be made here; everything else works."
	@touch $@

web/node_modules/.package-lock.json: web/package-lock.json | $(VENV)/.apt
	@echo "Installing web packages …"
	@cd web && npm ci --silent --no-audit --no-fund

web/dist/index.html: web/node_modules/.package-lock.json web/index.html web/vite.config.ts $(shell find web/src -type f)
	@echo "Building the web pages …"
	@cd web && npm run --silent build >/dev/null
	@touch $@
