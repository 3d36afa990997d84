# make demo   set up everything, make the demo shoot, open the window on it   (HEADLESS=1: write a screenshot, exit)
# make test   the same set-up, then all tests under a virtual screen
# make install, make uninstall   for this user; make lint, bench, performance, corpus, trials, fuzz, mutants, accuracy, screenshots, clean   for who works on it
PY := .venv/bin/python
STAMP := .venv/.velkin-ready
TEST_STAMP := .venv/.velkin-ready-test
SCREEN := $(PY) tools/virtual_screen.py
# two workers, each on a screen of its own; a module's tests stay together
WORKERS := --dist loadscope --tx '2*popen//python=env -u QT_QPA_PLATFORM $(SCREEN) $(PY)'
SETUP := requirements.lock requirements-dev.lock pyproject.toml tools/setup.sh tools/setup.py $(wildcard tools/setting_up/*.py)

.PHONY: demo test lint bench performance corpus trials fuzz mutants accuracy screenshots install uninstall setup clean

setup: $(STAMP)

$(STAMP): $(SETUP)
	@bash tools/setup.sh demo

$(TEST_STAMP): $(SETUP)
	@bash tools/setup.sh test

demo:
	@MAKE="$(MAKE)" HEADLESS=$(HEADLESS) bash tools/demo.sh

test: $(TEST_STAMP)
	@$(PY) -m pytest $(WORKERS)

lint: $(TEST_STAMP)
	@.venv/bin/python -m ruff check src tests benchmarks tools
	@.venv/bin/python -m ruff format --check src tests benchmarks tools
	@.venv/bin/python -m mypy
	@.venv/bin/lint-imports --no-cache

performance: $(TEST_STAMP)
	@QT_QPA_PLATFORM=offscreen $(PY) benchmarks/run.py $(PARTS) --page=docs/performance.md

bench: $(TEST_STAMP)
	@QT_QPA_PLATFORM=offscreen $(PY) benchmarks/run.py $(PARTS)

corpus: $(TEST_STAMP)
	@$(PY) tools/corpus.py

trials: $(TEST_STAMP)
	@$(PY) tools/trials.py

fuzz: $(TEST_STAMP)
	@$(PY) tools/fuzz.py $(or $(CASES),10000)

mutants: $(TEST_STAMP)
	@$(PY) -m pip install -q -r requirements-mutants.lock
	@PER_MODULE=$(or $(PER_MODULE),12) $(PY) tools/mutants.py "$(MODULES)"

accuracy: $(TEST_STAMP)
	@$(PY) tools/accuracy.py

screenshots: $(STAMP)
	@QT_QPA_PLATFORM=offscreen $(PY) tools/screenshots.py

install: $(STAMP)
	@bash tools/install.sh

uninstall:
	@bash tools/install.sh --remove

clean:
	rm -rf .venv
