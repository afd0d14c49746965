# Two targets are all that a newcomer needs: `make demo` and `make test`.
PYTHON ?= python3
VENV ?= .venv
BIN := $(VENV)/bin
PIP := $(BIN)/python -m pip --disable-pip-version-check --quiet

# Where compiled modules aren't kept, each command compiles the tool anew: a tenth of a second.
export PYTHONDONTWRITEBYTECODE :=

.PHONY: help demo test test-all expected man fuzz lint bench bench-scale bench-console bench-truth bench-experiments bench-video bench-many clean

help:
	@echo "make demo      install Tavolan into $(VENV) and walk through the sample project"
	@echo "make test      install the test tools too and run all tests"
	@echo "make test-all  all tests, then those that are long, random or killing, and the tests in an odd place"
	@echo "make expected  store the documents of tests/expected anew; read the difference before it's committed"
	@echo "make man       write the manual pages of all commands into build/man"
	@echo "make fuzz      search for MINUTES (10) at random for what breaks a property that the tests assert"
	@echo "make lint      check format, style, types, and who imports whom"
	@echo "make bench     measure speed, as ratios within one run; bench-many renders 2,000 pictures, bench-scale shows growth,"
	@echo "               bench-console sends a project of 50 locales to a console, against curl,"
	@echo "               bench-truth measures how often intervals of effects hold what was planted,"
	@echo "               bench-video the preview video against the ffmpeg program, and one more language against the first,"
	@echo "               bench-experiments how often verdicts under daily looks are right"
	@echo "make clean     remove $(VENV), kilnary and build results"

$(BIN)/python:
	$(PYTHON) -m venv $(VENV)

$(VENV)/installed: pyproject.toml | $(BIN)/python
	$(PIP) install --editable .
	sh scripts/system-libraries $(BIN)/python
	@touch $@

$(VENV)/installed-dev: pyproject.toml | $(VENV)/installed
	$(PIP) install --editable '.[dev]'
	sh scripts/system-libraries $(BIN)/python
	@touch $@

demo: $(VENV)/installed
	@$(BIN)/tavolan demo kilnary

test: $(VENV)/installed-dev
	$(BIN)/python -m pytest -n auto --dist worksteal

test-all: $(VENV)/installed-dev test
	sh scripts/test-all $(BIN)/python

expected: $(VENV)/installed-dev
	TAVOLAN_EXPECTED=write $(BIN)/python -m pytest tests/test_expected.py

man: $(VENV)/installed
	@$(BIN)/python scripts/man-pages build/man

fuzz: $(VENV)/installed-dev
	sh scripts/fuzz $(BIN)/python $(or $(MINUTES),10)

lint: $(VENV)/installed-dev
	$(BIN)/ruff format --check .
	$(BIN)/ruff check .
	$(BIN)/mypy
	$(BIN)/lint-imports

bench: $(VENV)/installed-dev
	@$(BIN)/python bench/bench.py

bench-scale: $(VENV)/installed-dev
	@$(BIN)/python bench/scale.py

bench-experiments: $(VENV)/installed-dev
	@$(BIN)/python bench/experiments.py

bench-video: $(VENV)/installed-dev
	@$(BIN)/python bench/video.py

bench-console: $(VENV)/installed-dev
	@$(BIN)/python bench/console_network.py 5

bench-truth: $(VENV)/installed-dev
	@$(BIN)/python bench/truth.py

bench-many: $(VENV)/installed-dev
	@$(BIN)/python bench/bench.py many

clean:
	rm -rf $(VENV) kilnary build dist .pytest_cache .mypy_cache .ruff_cache .hypothesis
