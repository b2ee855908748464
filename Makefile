# Two commands do everything on a fresh machine: `make demo` and `make test`.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
STAMP := $(VENV)/.ready-$(shell cat pyproject.toml | cksum | cut -d' ' -f1)
DEMO := build/demo

.PHONY: setup install uninstall demo test check quick fuzz bench screenshots reference schema clean

setup: $(STAMP)

$(STAMP): pyproject.toml
	@sh scripts/system_packages.sh
	@test -x $(BIN)/python || $(PYTHON) -m venv $(VENV)
	$(BIN)/pip install --quiet --disable-pip-version-check -e '.[test]'
	@echo "Compiling the kernels for this machine, once; this takes a minute or two."
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

# What is made from the registry is renewed where it is out of date; the tests of it say so too.
CURRENT := "from scripts import api, reference, schema; import sys; sys.exit(schema.TARGET.read_text() != schema.text() or reference.PAGE.read_text() != reference.text() or api.PAGE.read_text() != api.text())"

check: setup
	@$(BIN)/python -c $(CURRENT) || $(MAKE) schema reference
	$(BIN)/python scripts/schema.py --check || $(MAKE) schema reference
	$(BIN)/ruff check src tests bench scripts
	$(BIN)/ruff format --check src tests bench scripts
	$(BIN)/mypy
	$(BIN)/lint-imports

test: check
	QT_QPA_PLATFORM=offscreen $(BIN)/python -m pytest --numprocesses 2 --dist worksteal

quick: check
	QT_QPA_PLATFORM=offscreen $(BIN)/python -m pytest -q --numprocesses 2 --dist worksteal -m "not thorough" tests/document tests/evaluation tests/falloffs tests/effects tests/geometry tests/test_layout.py

fuzz: setup
	ESTOMPE_FUZZ=20000 $(BIN)/python -m pytest -q tests/exchange/test_fuzz.py

bench: setup
	$(BIN)/pip install --quiet --disable-pip-version-check -e '.[bench]'
	$(BIN)/python -m bench

screenshots: setup
	QT_QPA_PLATFORM=offscreen $(BIN)/python scripts/screenshots.py

reference: setup
	$(BIN)/python scripts/reference.py
	$(BIN)/python scripts/api.py

schema: setup
	$(BIN)/python scripts/schema.py

clean:
	rm -rf $(VENV) build
