# Two commands do all set-up: `make demo` and `make test`.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin

.PHONY: demo test bench lint screenshots clean

demo: $(VENV)/ready
	$(BIN)/puddle demo

test: $(VENV)/ready
	$(BIN)/python -m tests

bench: $(VENV)/ready
	$(BIN)/pip install --quiet --constraint constraints.txt --editable '.[bench]' || echo 'no library to compare with could be installed: ours runs alone'
	$(BIN)/python -m tools.bench
	$(BIN)/python -m tools.bench_library

lint: $(VENV)/ready
	$(BIN)/ruff check puddle tests tools
	$(BIN)/ruff format --check puddle tests tools
	$(BIN)/mypy
	$(BIN)/lint-imports

screenshots: $(VENV)/ready
	$(BIN)/python -m tools.screenshots docs/screenshots

$(VENV)/ready: pyproject.toml constraints.txt tools/setup
	sh tools/setup $(PYTHON) $(VENV)

clean:
	rm -rf $(VENV) build *.egg-info
