# The two commands of the README: make demo, make test. Both set up first; both are quick the second time.
SALTUS := .venv/bin/saltus
PY := .venv/bin/python

.PHONY: setup install uninstall demo test lint attack bench coverage schema screenshots clean

setup:
	@bash tools/setup.sh run

install: setup
	@bash tools/install.sh

uninstall:
	@bash tools/install.sh remove

demo: setup
	@$(SALTUS) demo

test:
	@bash tools/setup.sh test
	@bash tools/check.sh

lint: setup
	@bash tools/check.sh lint

schema: setup
	@$(PY) -m saltus.notebook.schema docs/notebook.schema.json
	@$(PY) -m saltus.investigations.recipe.schema docs/investigation.schema.json

screenshots: setup
	@QT_QPA_PLATFORM=offscreen $(SALTUS) demo --tour docs/screenshots

attack: setup
	@$(PY) benchmarks/attack.py

bench: setup
	@$(PY) benchmarks/bench.py docs/bench.md

coverage: setup
	@$(PY) benchmarks/table_coverage.py docs/coverage.md
	@$(PY) benchmarks/following.py docs/following.md
	@$(PY) benchmarks/geometry.py docs/geometry.md
	@$(PY) benchmarks/measured.py docs/measured.md

clean:
	rm -rf .venv build *.egg-info .mypy_cache .ruff_cache .pytest_cache .hypothesis
