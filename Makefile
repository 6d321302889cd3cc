# Each target does all its own set-up; see README.
PYTHON ?= python3
VENV := .venv
RUN := $(VENV)/bin

.PHONY: demo test lint bench mutants worlds oks kills powerloss fuzz tables walks frames monkey turns growth long docs setup lock pictures clean

demo: setup $(VENV)/.kernel
	$(RUN)/nipper --demo

test: setup lint
	$(RUN)/pytest -q -n auto --dist loadfile

lint: setup
	$(RUN)/ruff check src tests
	$(RUN)/ruff format --check src tests
	$(RUN)/basedpyright
	$(RUN)/lint-imports

bench: setup
	$(RUN)/pytest -q tests/bench --override-ini addopts= --benchmark-only --benchmark-sort=name --benchmark-columns=min,median,max,rounds
	$(RUN)/python -m tests.bench.bounds
	$(RUN)/python -m tests.bench.score

worlds: setup
	$(RUN)/python -m tests.bench.worlds
	$(RUN)/python -m tests.bench.cycles
	$(RUN)/python -m tests.bench.banks
	$(RUN)/python -m tests.bench.meters
	$(RUN)/python -m tests.bench.lives
	$(RUN)/python -m tests.bench.pairs
	$(RUN)/python -m tests.bench.behind
	$(RUN)/python -m tests.bench.spm
	$(RUN)/python -m tests.bench.ranges 0 4

oks: setup
	$(RUN)/python -m tests.bench.oks 1000

mutants: setup
	$(RUN)/python -m tests.bench.mutants rules 60
	$(RUN)/python -m tests.bench.mutants imbalance 40

kills: setup
	$(RUN)/python -m tests.bench.kills 1000

powerloss: setup
	$(RUN)/python -m tests.bench.powerloss 1000

fuzz: setup
	FUZZ_SEED=$${FUZZ_SEED:-$$(date +%Y%m%d)} $(RUN)/python -m tests.bench.fuzz 1000000

walks: setup
	WALKS=20000 $(RUN)/pytest -q -n auto tests/core/test_walk.py

tables: setup
	$(RUN)/python -m tests.bench.tables 5000

frames: setup
	$(RUN)/python -m tests.bench.frames 10000000

monkey: setup
	QT_QPA_PLATFORM=offscreen $(RUN)/python -m tests.bench.monkey 20000

turns: setup
	$(RUN)/python -m tests.bench.turns

growth: setup
	$(RUN)/python -m tests.bench.growth

long: setup
	$(RUN)/python -m tests.bench.long

docs: setup
	$(RUN)/python -m nipper.core.report.rulebook > docs/rules.md
	$(RUN)/nipper schema > docs/setup.schema.json
	$(RUN)/python -m nipper.core.language.extract > docs/nipper.pot
	$(RUN)/pytest -q tests/core/test_language.py -k german

pictures: setup $(VENV)/.kernel
	$(RUN)/nipper --demo --pictures docs/screenshots

setup: $(VENV)/.done

$(VENV)/.done: requirements.lock pyproject.toml scripts/system-packages.sh
	sh scripts/system-packages.sh
	$(PYTHON) -m venv $(VENV)
	$(RUN)/python -m pip install --quiet --require-hashes -r requirements.lock
	$(RUN)/python -m pip install --quiet --no-deps --no-build-isolation -e .
	touch $@

# the simulator, so that nobody who opens the application waits for it
$(VENV)/.kernel: $(VENV)/.done $(wildcard src/nipper/core/simulate/*.py)
	@echo "Compiling the simulator, once: a minute or two."
	$(RUN)/python -m nipper.core.simulate.compiled
	touch $@

# refreshes the lock; needs pip-tools (python -m pip install pip-tools)
lock:
	pip-compile --quiet --extra dev --generate-hashes --allow-unsafe --strip-extras --no-header \
	  --no-emit-index-url --no-emit-trusted-host --no-emit-find-links -o requirements.lock pyproject.toml

clean:
	rm -rf $(VENV) .pytest_cache .ruff_cache .hypothesis .benchmarks build dist
