# Everything sets itself up: a machine needs Python 3.11 or newer, Git 2.38 or newer, and make.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin
READY := $(VENV)/.ready

.PHONY: help demo test quick check lock truth wild rehearse fuzz bench bench-compare screenshots format clean

help:  ## say what there is
	@sed -n 's/^\([a-z-]*\):.*  ## \(.*\)/make \1|\2/p' Makefile | awk -F'|' '{ printf "%-17s %s\n", $$1, $$2 }'

$(READY): requirements.lock pyproject.toml scripts/setup
	PYTHON='$(PYTHON)' scripts/setup

demo: $(READY)  ## the whole round with a class of thirty made-up learners, in build/demo
	rm -rf build/demo
	mkdir -p build
	$(BIN)/muddled demo build/demo

test: check  ## all tests and checks, as CI runs them
	scripts/sandbox
	scripts/browser
	scripts/compiled src $(VENV)/lib
	scripts/in-memory $(BIN)/pytest --numprocesses $$(($$(nproc 2>/dev/null || echo 2) + 1)) --dist worksteal --cov --cov-report=  # most of them wait for Git
	@echo "core: $$($(BIN)/coverage report --format=total) % of lines and branches are reached by tests of their own"

quick: check  ## the checks and the quick tests, first what the change touches: for the inner loop
	$(BIN)/pytest --quick --exitfirst --numprocesses $$(($$(nproc 2>/dev/null || echo 2) + 1))

check: $(READY)  ## format, lint, types and the import contract, without the tests
	$(BIN)/ruff format --check .
	$(BIN)/ruff check .
	$(BIN)/mypy
	$(BIN)/lint-imports

# Verdicts known by construction: TRUTH random histories in each group; TRUTH_SEED does the same ones again.
truth: $(READY)  ## many random histories against verdicts known by construction (TRUTH=1000, TRUTH_SEED=N)
	TRUTH=$${TRUTH:-1000} $(BIN)/pytest --numprocesses auto -s tests/test_truth.py

# Random scenarios, each held against itself: WILD of them; WILD_SEED does the same ones again.
wild: $(READY)  ## many random scenarios: whoever carries one out agrees with whoever grades it (WILD=300, WILD_SEED=N)
	$(BIN)/python -m tests.wild --count $${WILD:-300} $${WILD_SEED:+--seed $$WILD_SEED}
	EVERY=1 $(BIN)/pytest --numprocesses auto tests/test_walkthrough.py
	$(BIN)/python -m tests.wild_histories --count $$(($${WILD:-300} / 3)) $${WILD_SEED:+--seed $$WILD_SEED}

rehearse: $(READY)  ## every learner on every bundled scenario; the tests act out a third of them
	$(BIN)/muddled rehearse src/muddled_orchard/catalogue --run-rules --keep build/surprises

# Mutated submissions, mutated files of instructors, and kills at any moment; ROUNDS of each.
fuzz: $(READY)  ## hostile submissions, files and kills at random (ROUNDS=30)
	$(BIN)/python -m tests.fuzz --rounds $${ROUNDS:-30}

bench: $(READY)  ## speed beside plain git commands; the figures also go to build/bench.json
	mkdir -p build && rm -f build/bench.json
	$(BIN)/python -m benchmarks.start
	$(BIN)/python -m benchmarks.stages
	$(BIN)/python -m benchmarks
	$(BIN)/python -m benchmarks.classes
	$(BIN)/python -m benchmarks.after_grading
	$(BIN)/python -m benchmarks.demonstrating
	$(BIN)/python -m benchmarks.trees
	$(BIN)/python -m benchmarks.growth
	$(BIN)/python -m benchmarks.packages build/wheels
	$(BIN)/python -m benchmarks.cluster
	$(BIN)/python -m benchmarks.host

bench-compare: $(READY)  ## two runs of it beside each other, with the noise in view (BEFORE=FILE AFTER=FILE)
	$(BIN)/python -m benchmarks.compare $(BEFORE) $${AFTER:-build/bench.json}

screenshots: $(READY)  ## renew docs/screenshots
	scripts/screenshots

lock: $(READY)  ## renew requirements.lock: the newest versions that pyproject.toml allows, for Python 3.11 and later
	$(BIN)/python -m uv pip compile --quiet --universal --python-version 3.11 --all-extras --generate-hashes --no-header --upgrade --output-file requirements.lock pyproject.toml

format: $(READY)  ## mend what ruff can mend
	$(BIN)/ruff format .
	$(BIN)/ruff check --fix .

clean:  ## remove build and the virtual environment
	rm -rf build $(VENV)
