# Two commands do all set-up: `make demo` and `make test`.
PYTHON ?= python3
VENV := .venv
BIN := $(VENV)/bin

.PHONY: demo test bench lint screenshots bytecode clean

demo: $(VENV)/ready bytecode
	$(BIN)/puddle demo

test: $(VENV)/ready bytecode
	$(BIN)/python -m tests

bench: $(VENV)/ready bytecode
	$(BIN)/pip install --quiet --constraint constraints.txt --editable '.[bench]' || echo 'no library to compare with could be installed: ours runs alone'
	$(BIN)/python -m tools.bench
	$(BIN)/python -m tools.bench_library

lint: $(VENV)/ready
	$(BIN)/ruff check puddle tests tools
	$(BIN)/ruff format --check puddle tests tools
	$(BIN)/mypy
	$(BIN)/lint-imports

screenshots: $(VENV)/ready bytecode
	$(BIN)/python -m tools.screenshots docs/screenshots

# Python may be told not to write it: then every start would compile 350 modules (0.4 s).
bytecode: $(VENV)/ready
	@$(BIN)/python -m compileall -q puddle tests tools

$(VENV)/ready: pyproject.toml constraints.txt tools/setup
	sh tools/setup $(PYTHON) $(VENV)

clean:
	rm -rf $(VENV) build *.egg-info
