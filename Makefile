# Everything here works on a fresh machine with Python 3.11, Node 20 and make.
PY := .venv/bin/python
STAMPS := .stamps
UI_SOURCES := $(shell find ui/src ui/public -type f 2>/dev/null) ui/index.html ui/vite.config.ts ui/package.json
DATA_DIR ?=
PORT ?= 8737
ARGS := $(if $(DATA_DIR),--data-dir $(DATA_DIR),) --port $(PORT)

.PHONY: demo serve dev build test check bench fuzz screenshots client clean browser

demo: build
	$(PY) -m yavik.cli demo $(ARGS)

serve: build
	$(PY) -m yavik.cli serve $(ARGS)

# The server on 8737 and the interface, reloading, on 5173.
dev: build
	export YAVIK_KEY=$${YAVIK_KEY:-$$($(PY) -c "import secrets; print(secrets.token_urlsafe(24))")}; \
	$(PY) -m yavik.cli demo --reload & trap "kill $$!" EXIT; cd ui && npm run dev

build: $(STAMPS)/python $(STAMPS)/fonts $(STAMPS)/ui

$(STAMPS)/python: pyproject.toml constraints.txt
	@mkdir -p $(STAMPS)
	test -x $(PY) || python3 -m venv .venv
	# Only files that hash to what constraints.txt says, what the project is built with among them.
	$(PY) -m pip install -q --require-hashes -r constraints.txt
	$(PY) -m pip install -q --no-deps --no-build-isolation -e .
	$(PY) -m pip check
	@touch $@

$(STAMPS)/node: ui/package.json ui/package-lock.json
	@mkdir -p $(STAMPS)
	# Where a registry lacks what the lock names for other machines, what is there is taken; the lock stays as it is.
	cd ui && (npm ci --silent --no-audit --no-fund || npm install --no-save --silent --no-audit --no-fund)
	@touch $@

$(STAMPS)/fonts: $(STAMPS)/python $(STAMPS)/node tools/build_fonts.py
	$(PY) tools/build_fonts.py
	@touch $@

$(STAMPS)/ui: $(STAMPS)/node $(UI_SOURCES)
	cd ui && npm run --silent build
	@touch $@

browser:
	@test -x /usr/bin/chromium || (apt-get update -qq && apt-get install -y -qq chromium)

# Ruff, types, import rules, TypeScript and its lint.
check: build
	.venv/bin/ruff check src tests bench tools
	.venv/bin/ruff format --check src tests bench tools
	.venv/bin/mypy
	.venv/bin/lint-imports
	cd ui && npm run --silent types && npm run --silent lint

test: check browser
	cd ui && npm run --silent test
	$(PY) -m pytest -n 2 --dist worksteal

# Ten minutes of whatever may be sent, each time from another seed.
fuzz: build
	FUZZ_SECONDS=600 $(PY) -m pytest tests/server/test_fuzz.py

bench: build
	$(PY) bench/run.py

screenshots: build browser
	$(PY) tools/screenshots.py

# The TypeScript client from the OpenAPI document; a test fails when either is stale.
client: $(STAMPS)/python $(STAMPS)/node
	$(PY) tools/write_openapi.py
	cd ui && npm run --silent client

clean:
	rm -rf .venv $(STAMPS) ui/node_modules src/yavik/server/static src/yavik/core/figures/fonts
