# Every target makes the virtual environment it needs, so that a fresh machine with
# python3 and make can go straight to `make demo` or `make test`.
PYTHON ?= python3
VENV   := .venv
BIN    := $(VENV)/bin

.PHONY: help demo test nightly quick checked lint traces mutants fuzz-core reached bench docs site wheel fuzz screenshots toolchain clean

help:                        ## what there is to make
	@grep -E '^[a-z-]+:.*##' $(MAKEFILE_LIST) | sed -E 's/:[^#]*## */\t/' | awk -F '\t' '{printf "  make %-12s %s\n", $$1, $$2}'

$(VENV)/ready: pyproject.toml
	$(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --editable .
	touch $@

$(VENV)/ready-dev: pyproject.toml
	$(PYTHON) -m venv $(VENV)
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --editable '.[dev]'
	touch $(VENV)/ready $@

$(VENV)/ready-site: $(VENV)/ready-dev
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --editable '.[dev,site]'
	touch $@

demo: $(VENV)/ready          ## the shipped example, start to end, no hardware
	$(BIN)/nuvrik demo

test: $(VENV)/ready-dev      ## every test; what runs in real time comes last, one browser at a time
	@status=0; \
	$(BIN)/python -m pytest -m "not live" -n 2 --durations=10 || status=1; \
	$(BIN)/python -m pytest -m live -n 2 --dist loadgroup --durations=10 || status=1; \
	exit $$status

nightly: $(VENV)/ready-dev   ## what takes hours: every test with all that it can look at, long lives, mutants, fuzzing
	NUVRIK_NIGHTLY=1 NUVRIK_THOROUGH=1 $(MAKE) test checked
	$(MAKE) reached mutants traces
	FUZZ_SECONDS=3600 $(MAKE) fuzz-core

quick: $(VENV)/ready-dev     ## the tests that take a moment, while you work
	$(BIN)/python -m pytest -m "not live and not slow" -n 2 --durations=10

# Where core lives the most varied lives; NUVRIK_NIGHTLY looks at every test.
CHECKED := test_core test_corners test_failsafe test_keys test_styles test_wire test_messages test_backward test_jog \
           test_requests test_routines test_every_way_is_safe test_loads_and_places test_handset_end test_on_time \
           test_levels_and_shaping test_outputs test_inputs test_infrared
checked: $(VENV)/ready-dev   ## core's own tests, with the range of every number in it asserted
	NUVRIK_CHECKED=1 $(BIN)/python -m pytest -m "not live and not slow" -n 2 \
	    $(if $(NUVRIK_NIGHTLY),,$(wildcard $(CHECKED:%=tests/%.py)))

lint: $(VENV)/ready-dev      ## style, types, direction of imports, the subset of core, generated files up to date
	$(BIN)/ruff check .
	$(BIN)/ruff format --check .
	$(BIN)/mypy
	$(BIN)/lint-imports --no-logo
	$(BIN)/python -m nuvrik.export.subset
	$(BIN)/python tools/make_docs.py --check
	$(BIN)/python tools/make_demo_data.py --check
	$(BIN)/python tools/check_js.py

bench: $(VENV)/ready-dev     ## the figures, each a ratio to a bare floor in the same run
	$(BIN)/python benchmarks/bench.py

docs: $(VENV)/ready-dev      ## what is generated from the code: C, documents, demo data
	$(BIN)/python tools/make_docs.py
	$(BIN)/python tools/make_demo_data.py

site: $(VENV)/ready-site     ## guide, formats, commands and API in one place, searchable: build/site/index.html
	$(BIN)/python tools/make_site.py

wheel: $(VENV)/ready-dev     ## wheel and source distribution, tried in an environment of their own
	$(BIN)/python tools/try_wheel.py

FUZZ_SECONDS ?= 60
fuzz: $(VENV)/ready-dev      ## every decoder against inputs that a coverage-guided fuzzer makes up
	$(BIN)/python -m pip install --quiet --disable-pip-version-check --editable '.[fuzz]'
	$(BIN)/python tools/fuzz.py -max_total_time=$(FUZZ_SECONDS) -max_len=600 -rss_limit_mb=1500

fuzz-core: $(VENV)/ready-dev   ## core as C against such inputs, with sanitizers (wants `make toolchain`)
	$(BIN)/python tools/fuzz_core.py $(FUZZ_SECONDS)

mutants: $(VENV)/ready-dev     ## core and the translator broken in 104 places, an hour or two: does anything notice?
	$(BIN)/python tools/mutants.py

reached: $(VENV)/ready-dev     ## the lines and branches of core that no random life comes to, five minutes
	$(BIN)/python tools/core_coverage.py

traces: $(VENV)/ready-dev       ## lives of 200,000 steps in Python, C and MicroPython, for hours (wants `make toolchain`)
	$(BIN)/python tools/traces.py

screenshots: $(VENV)/ready-dev ## one picture per main command and figure (wants `make toolchain` first)
	$(BIN)/python tools/make_screenshots.py

toolchain:                   ## Debian packages for pictures, and for tests through compilers and real servers; needs root
	apt-get update -qq
	DEBIAN_FRONTEND=noninteractive apt-get install -y -qq arduino-core-avr avr-libc chromium clang cppcheck fonts-dejavu-core gcc gcc-arm-none-eabi gcc-avr g++ imagemagick libclang-rt-14-dev libelf-dev libsimavr-dev openbox picolibc-arm-none-eabi qemu-system-arm ser2net simavr socat xterm xvfb

clean:                       ## what can be made again
	rm -rf $(VENV) marram-demo build dist
