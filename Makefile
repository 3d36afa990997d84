# make demo   set up everything, make the demo shoot, open the window on it   (HEADLESS=1: write a screenshot, exit)
# make test   the same set-up, then all tests under a virtual screen
PY := .venv/bin/python
STAMP := .venv/.velkin-ready

.PHONY: demo test lint bench trials accuracy screenshots install setup clean

setup: $(STAMP)

$(STAMP): requirements.lock pyproject.toml tools/setup.sh
	@bash tools/setup.sh
	@touch $(STAMP)

demo: $(STAMP)
	@HEADLESS=$(HEADLESS) bash tools/demo.sh

test: $(STAMP)
	@bash tools/virtual-screen.sh $(PY) -m pytest

lint: $(STAMP)
	@.venv/bin/ruff check src tests benchmarks tools
	@.venv/bin/ruff format --check src tests benchmarks tools
	@.venv/bin/mypy
	@.venv/bin/lint-imports --no-cache

bench: $(STAMP)
	@QT_QPA_PLATFORM=offscreen $(PY) benchmarks/run.py

trials: $(STAMP)
	@$(PY) tools/trials.py

accuracy: $(STAMP)
	@$(PY) tools/accuracy.py

screenshots: $(STAMP)
	@QT_QPA_PLATFORM=offscreen $(PY) tools/screenshots.py

install: $(STAMP)
	@bash tools/install.sh

clean:
	rm -rf .venv
