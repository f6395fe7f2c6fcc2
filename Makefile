# Two commands do everything on a fresh machine: `make demo` and `make test`.
PYTHON ?= $(shell command -v python3.11 || command -v python3.12 || command -v python3.13 || command -v python3)
# What was compiled is kept: hundreds of short processes would compile it anew.
unexport PYTHONDONTWRITEBYTECODE
VENV ?= .venv
SEED ?= $(shell date +%s)
TESTS ?=
BIN := $(VENV)/bin
READY := $(VENV)/ready

.PHONY: setup demo test lint fmt bench campaign mutants shots install uninstall wheel package clean

setup: $(READY)

$(READY): requirements.lock pyproject.toml tools/system-libraries
	tools/system-libraries
	test -x $(BIN)/python || $(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check -r requirements.lock
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --no-deps -e .
	$(BIN)/python -m peel.matte.warm
	touch $(READY)

demo: setup
	$(BIN)/peel demo

# The order of the tests is another each time; `make test SEED=...` repeats one.
test: setup
	@echo "tests in the order of SEED=$(SEED)"
	QT_QPA_PLATFORM=offscreen $(BIN)/python -m pytest -q -n auto --randomly-seed=$(SEED) $(TESTS)

lint: setup
	$(BIN)/ruff format --check src tests bench campaign mutants tools
	$(BIN)/ruff check src tests bench campaign mutants tools
	$(BIN)/mypy
	$(BIN)/lint-imports

fmt: setup
	$(BIN)/ruff format src tests bench campaign mutants tools
	$(BIN)/ruff check --fix src tests bench campaign mutants tools

bench: setup
	$(BIN)/python -m bench $(BENCH)

campaign: setup
	QT_QPA_PLATFORM=offscreen $(BIN)/python -m campaign $(CAMPAIGN)

mutants: setup
	QT_QPA_PLATFORM=offscreen $(BIN)/python -m mutants $(MUTANTS)

shots: setup
	QT_QPA_PLATFORM=offscreen $(BIN)/python tools/shots.py

install: setup
	tools/desktop-entry install

uninstall:
	tools/desktop-entry uninstall

wheel: setup
	rm -rf dist
	$(BIN)/python -m pip wheel --quiet --disable-pip-version-check --no-deps --wheel-dir dist .
	$(BIN)/python -m build --sdist --outdir dist .

package: setup
	tools/package

clean:
	rm -rf $(VENV) build dist demo-large .pytest_cache .mypy_cache .ruff_cache .hypothesis .import_linter_cache
	find src tests bench -name __pycache__ -type d -prune -exec rm -rf {} +
