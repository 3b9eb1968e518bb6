# Two commands do everything: `make demo` and `make test`.
SHELL := /bin/bash
BIN := .venv/bin

.PHONY: attack audit mutate demo test pytest test-long bench accuracy lint screenshots stop setup

setup:
	@tools/setup.sh

demo: setup
	@$(BIN)/ypomoni demo

# Side by side: browsers leave a core idle now and then.
test: setup
	@$(MAKE) --no-print-directory -j2 lint pytest

# Where the environment forbids Python to keep its bytecode, every process would rewrite every test anew.
# Each process solves what is small: threads of the solver would take a core from the others.
PYTEST := PYTHONDONTWRITEBYTECODE= OPENBLAS_NUM_THREADS=1 $(BIN)/python -m pytest --dist worksteal

pytest: setup
	@$(PYTEST) -n 3

# Five hundred random plans against trying every placement; some minutes.
test-long: setup
	@$(PYTEST) -n 2 -m long

lint: setup
	@$(BIN)/ruff check src tests tools
	@$(BIN)/ruff format --check src tests tools
	@$(BIN)/lint-imports --no-cache > .venv/lint-imports.log || { cat .venv/lint-imports.log; exit 1; }
	@$(BIN)/python -m pyright

# Every attack in full; about an hour.
attack: setup
	@$(BIN)/python tools/attack.py

audit: setup
	@$(BIN)/python tools/audit_dependencies.py

bench: setup
	@$(BIN)/python tools/bench.py

accuracy: setup
	@$(BIN)/python tools/accuracy.py

mutate: setup
	@$(BIN)/python tools/mutate.py

screenshots: setup
	@$(BIN)/python tools/screenshots.py

stop: setup
	@$(BIN)/ypomoni stop
