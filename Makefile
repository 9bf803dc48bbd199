# make demo   set everything up and run the demonstration
# make test   lint, types, tests and examples, as CI does
# make bench  measure, as ratios within one run
# make screenshots  draw docs/screenshots anew (needs Xvfb, xterm, ImageMagick and Chromium)

PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
PIP := $(BIN)/python -m pip install --quiet --disable-pip-version-check --prefer-binary --no-compile
# On all processors, and without what no test imports: a third of the time that pip takes.
COMPILE := $(BIN)/python -m compileall -q -j 0 -x '/(_?tests?|distutils|signal|dataframe|pip|fontTools|pygments|Cython|setuptools|narwhals|devtools|bidi)/' $(VENV)/lib src tests conftest.py || true

# What builds the loops, which is needed for running them as well: so it is not installed twice.
TO_BUILD = $(shell $(PYTHON) -c "import tomllib; print(*map(repr, tomllib.load(open('pyproject.toml', 'rb'))['build-system']['requires']))")

# There are no large matrices here, and threads for them wait busily.
export OPENBLAS_NUM_THREADS := 1

.PHONY: demo test lint types tests bench screenshots clean

demo: $(VENV)/.ready
	$(BIN)/snelk demo croft

test: lint
	$(MAKE) --no-print-directory --jobs 2 types tests

lint: $(VENV)/.ready-dev
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .

types: $(VENV)/.ready-dev
	$(BIN)/pyrefly check --summary=none

tests: $(VENV)/.ready-dev
	$(BIN)/pytest -n auto --dist loadfile --no-loadscope-reorder --assert=plain --showlocals

bench: $(VENV)/.ready-dev
	$(PIP) -e '.[dev]'
	$(BIN)/python benchmarks/line_of_sight.py
	$(BIN)/python benchmarks/ticks.py
	$(BIN)/python benchmarks/scaling.py
	$(BIN)/python benchmarks/sweeps.py
	$(BIN)/python benchmarks/sneaking.py
	$(BIN)/python benchmarks/cluster.py
	$(BIN)/python benchmarks/start.py
	$(BIN)/python benchmarks/answers.py
	$(BIN)/python benchmarks/page.py
	$(BIN)/python benchmarks/tuning.py
	$(BIN)/python benchmarks/serving.py

screenshots: $(VENV)/.ready-dev
	$(BIN)/python scripts/make_screenshots.py

$(VENV)/bin/python:
	@$(PYTHON) -c 'import sys; sys.exit(sys.version_info < (3, 11))' || \
		{ echo "Snelk needs Python 3.11 or newer; try: make PYTHON=python3.12 $(MAKECMDGOALS)"; exit 1; }
	$(PYTHON) -m venv --without-pip $(VENV)
	@# A new pip, which installs twice as fast as the one that Python 3.11 brings: from the pip that is
	@# there, in a third of the time; where there is none, or an old one, from the one that Python brings.
	@$(PYTHON) -m pip --python $(BIN)/python $(wordlist 4,99,$(PIP)) 'pip>=25' 2>/dev/null || \
		{ $(BIN)/python -m ensurepip && $(PIP) --upgrade 'pip>=25'; }

LOOPS := setup.py src/snelk/config/syntax.py $(wildcard src/snelk/*/*.pxd) $(patsubst %.pxd,%.py,$(wildcard src/snelk/*/*.pxd))

$(VENV)/.ready: pyproject.toml $(LOOPS) | $(VENV)/bin/python
	$(PIP) $(TO_BUILD)
	$(PIP) --no-build-isolation -e .
	@$(COMPILE)
	@touch $@

$(VENV)/.ready-dev: pyproject.toml $(LOOPS) | $(VENV)/bin/python
	$(PIP) $(TO_BUILD)
	$(PIP) --no-build-isolation -e '.[dev]'
	@$(COMPILE)
	@touch $@ $(VENV)/.ready

clean:
	rm -rf $(VENV) .pytest_cache .ruff_cache .hypothesis build dist src/snelk/_built.txt src/snelk/config/_syntax.bin
	find src -name '*.so' -delete
	find src -name __pycache__ -prune -exec rm -rf {} +
