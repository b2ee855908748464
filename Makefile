# Two commands do everything on a fresh machine: `make demo` and `make test`.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
LOCK := requirements.lock
STAMP := $(VENV)/.ready-$(shell cat pyproject.toml $(LOCK) | cksum | cut -d' ' -f1)
PREPARED := $(VENV)/.prepared-$(shell cat pyproject.toml $(LOCK) src/estompe/kernels/*.py src/estompe/kernels/*/*.py | cksum | cut -d' ' -f1)
DEMO := build/demo
# Versions that the lock allows, for any of the Pythons that are supported.
COMPILE := $(VENV)/bin/uv pip compile --quiet --universal --python-version 3.11 --generate-hashes --no-emit-index-url --custom-compile-command "make lock" pyproject.toml
KIND ?=
# Hundreds of processes that tests start would each translate all modules where Python may not keep them.
export PYTHONDONTWRITEBYTECODE :=

.PHONY: setup prepared install uninstall demo test check quick fuzz mutants walks bench screenshots reference schema licences lock newest clean

setup: $(STAMP)

$(STAMP): pyproject.toml $(LOCK)
	@sh scripts/system_packages.sh
	@test -x $(BIN)/python || $(PYTHON) -m venv $(VENV)
	$(BIN)/pip install --quiet --disable-pip-version-check --require-hashes -r $(LOCK)
	$(BIN)/pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e .
	@echo "Compiling what the first picture needs for this machine, once; the rest follows while you work."
	@$(BIN)/estompe prepare --first
	@touch $@

# All kernels, which tests and benchmarks would else compile one after the other.
prepared: $(PREPARED)

$(PREPARED): $(STAMP)
	@echo "Compiling the kernels for this machine, once; this takes some minutes."
	@$(BIN)/estompe prepare
	@touch $@

install: setup
	$(BIN)/python scripts/install_desktop.py

uninstall: setup
	$(BIN)/python scripts/install_desktop.py --remove

demo: setup
	@if [ -n "$$DISPLAY$$WAYLAND_DISPLAY" ]; then \
	  $(BIN)/estompe --sample lantern-amphora; \
	else \
	  echo "There is no display, so no window can be shown. Baking the sample instead."; \
	  mkdir -p $(DEMO) && \
	  $(BIN)/estompe sample lantern-amphora --save $(DEMO)/lantern-amphora.estompe && \
	  $(BIN)/estompe bake $(DEMO)/lantern-amphora.estompe --out $(DEMO)/lantern-amphora.usdc && \
	  $(BIN)/estompe render $(DEMO)/lantern-amphora.estompe --frame 62 --show strength --falloff "Lantern glow" --out $(DEMO)/lantern-amphora.png && \
	  echo "The scene:    $(CURDIR)/$(DEMO)/lantern-amphora.estompe" && \
	  echo "The animation: $(CURDIR)/$(DEMO)/lantern-amphora.usdc" && \
	  echo "A picture:     $(CURDIR)/$(DEMO)/lantern-amphora.png"; \
	fi

# Nothing is renewed here: what is generated and stale is an error that names the command.
check: setup
	$(BIN)/python -m scripts.stale
	$(BIN)/ruff check src tests bench scripts
	$(BIN)/ruff format --check src tests bench scripts
	$(BIN)/mypy
	$(BIN)/lint-imports

test: check prepared
	QT_QPA_PLATFORM=offscreen $(BIN)/python -m pytest --numprocesses 2 --dist worksteal

quick: check prepared
	QT_QPA_PLATFORM=offscreen $(BIN)/python -m pytest -q --numprocesses 2 --dist worksteal -m "not thorough" $(if $(KIND),-k "$(KIND)" tests,tests/document tests/evaluation tests/falloffs tests/effects tests/geometry tests/test_layout.py)

# Mutated files of every format, and random scenes and the evaluation tests with bounds checks compiled into all kernels.
fuzz: setup
	ESTOMPE_FUZZ=20000 $(BIN)/python -m pytest -q tests/exchange/test_fuzz.py
	NUMBA_BOUNDSCHECK=1 NUMBA_CACHE_DIR=build/bounds-checked $(BIN)/python -m tests.random_scenes --count 300 --every
	NUMBA_BOUNDSCHECK=1 NUMBA_CACHE_DIR=build/bounds-checked QT_QPA_PLATFORM=offscreen $(BIN)/python -m pytest -q --numprocesses 2 --dist worksteal --timeout 1200 tests/evaluation tests/effects tests/falloffs

# A number of changed spots, drawn at random, of which the tests of their own folder should notice nearly all.
mutants: prepared
	$(BIN)/python -m scripts.mutants --count 200

# Twelve random walks of 3,000 events each through the real window; takes an hour or two.
walks: prepared
	QT_QPA_PLATFORM=offscreen $(BIN)/python -m scripts.walks --events 3000

bench: prepared
	$(BIN)/pip install --quiet --disable-pip-version-check --require-hashes -r requirements-bench.lock
	$(BIN)/python -m bench

screenshots: prepared
	QT_QPA_PLATFORM=offscreen $(BIN)/python scripts/screenshots.py

reference: setup
	$(BIN)/python scripts/reference.py
	$(BIN)/python scripts/api.py

schema: setup
	$(BIN)/python scripts/schema.py
	$(BIN)/python -m scripts.scripting

licences: setup
	$(BIN)/python -m scripts.third_party

# Take the newest versions into the lock files.
lock: setup
	$(BIN)/pip install --quiet --disable-pip-version-check uv
	$(COMPILE) --upgrade --extra test -o $(LOCK)
	$(COMPILE) --upgrade --extra test --extra bench -o requirements-bench.lock

# The tests with the newest of everything, in an environment of its own: what the lock does not allow yet.
newest:
	$(PYTHON) -m venv --clear build/newest
	build/newest/bin/pip install --quiet --disable-pip-version-check --upgrade -e '.[test]'
	build/newest/bin/estompe prepare
	QT_QPA_PLATFORM=offscreen build/newest/bin/python -m pytest --numprocesses 2 --dist worksteal

clean:
	rm -rf $(VENV) build
