# Everything sets itself up: a machine needs Python 3.11 or newer, Git 2.38 or newer, and make.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
READY := $(VENV)/.ready

.PHONY: demo test truth fuzz bench screenshots format clean

$(READY): pyproject.toml
	$(PYTHON) -c 'import sys; sys.exit("Muddled Orchard needs Python 3.11 or newer") if sys.version_info < (3, 11) else None'
	$(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --editable '.[dev]'
	touch $@

demo: $(READY)
	rm -rf build/demo
	mkdir -p build
	$(BIN)/muddled demo build/demo

test: $(READY)
	$(BIN)/ruff format --check .
	$(BIN)/ruff check .
	$(BIN)/mypy
	$(BIN)/lint-imports
	$(BIN)/pytest --numprocesses auto

# Verdicts known by construction: TRUTH random histories in each group; TRUTH_SEED does the same ones again.
truth: $(READY)
	TRUTH=$${TRUTH:-1000} $(BIN)/pytest --numprocesses auto -s tests/test_truth.py

# Mutated submissions, mutated files of instructors, and kills at any moment; ROUNDS of each.
fuzz: $(READY)
	$(BIN)/python -m tests.fuzz --rounds $${ROUNDS:-30}

bench: $(READY)
	$(BIN)/python -m benchmarks
	$(BIN)/python -m benchmarks.classes

screenshots: $(READY)
	scripts/screenshots

format: $(READY)
	$(BIN)/ruff format .
	$(BIN)/ruff check --fix .

clean:
	rm -rf build $(VENV)
