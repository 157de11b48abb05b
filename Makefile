# Kavrel: `make demo` starts it with the demo lab, `make test` runs every check.
PORT ?= 8321
# Compiled once and kept, not at each start of a command: the tests start some hundreds.
unexport PYTHONDONTWRITEBYTECODE
PYTHON ?= $(shell for p in python3 python3.14 python3.13 python3.12 python3.11; do \
  $$p -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null && echo $$p && break; done)
SOURCES := $(shell find web/src web/index.html web/*.ts -type f 2>/dev/null)

help: ## list the targets
	@awk -F':.*## ' '/^[a-z-]+:.*## /{printf "  make %-12s %s\n", $$1, $$2}' $(MAKEFILE_LIST)

setup: .venv/ready web/dist/index.html ## make .venv with the kavrel command, and the front end

demo: setup ## serve the demo lab on 127.0.0.1 (PORT=8321)
	@.venv/bin/kavrel demo --database var/demo.db --port $(PORT)

test: setup .venv/test-ready ## lint, types, import contract, unit, outside and browser tests
	@tools/test-tools.sh
	@tools/check.sh

check: setup .venv/test-ready ## the quick things only: lint, types, contracts, front-end unit tests
	@tools/check.sh quick

wheel: setup ## build/wheel/dist: what pip, pipx or uv installs, the page inside
	@tools/wheel.sh

lock: ## make the lock files anew, within the bounds of pyproject.toml and package.json
	@tools/lock.sh

prove: setup .venv/test-ready ## what takes long for good reason: each step killed, on real file systems
	@tools/test-tools.sh
	@KAVREL_CALLS=15 .venv/bin/pytest -n 2 tests/api/test_document.py
	@.venv/bin/pytest -n 5 --dist worksteal -m prove

bench: setup .venv/test-ready ## measure, as ratios against a reference in the same run
	@tools/test-tools.sh
	@.venv/bin/python -m tools.bench

screenshots: setup .venv/test-ready ## draw docs/screenshots anew from the demo lab
	@tools/test-tools.sh
	@.venv/bin/python -m tools.screenshots

clean: ## remove what was built; plans in var/ stay
	rm -rf .venv web/dist web/node_modules

.venv/ready: requirements.txt pyproject.toml
	@test -n "$(PYTHON)" || { echo "Python 3.11 or newer is needed" >&2; exit 1; }
	@test -x .venv/bin/python || $(PYTHON) -m venv .venv
	@echo "setting up Python packages"
	@.venv/bin/python -m pip install -q --require-hashes -r requirements.txt
	@.venv/bin/python -m pip install -q --no-deps --no-build-isolation -e .
	@touch $@

.venv/test-ready: requirements-test.txt .venv/ready
	@echo "setting up test packages"
	@.venv/bin/python -m pip install -q --require-hashes -r requirements-test.txt
	@touch $@

web/node_modules/ready: web/package-lock.json .venv/ready
	@echo "setting up front-end packages"
	@cd web && PATH="$$(../tools/node.sh):$$PATH" && npm ci --silent --no-progress
	@touch $@

web/dist/index.html: web/node_modules/ready $(SOURCES)
	@echo "building the front end"
	@cd web && PATH="$$(../tools/node.sh):$$PATH" && for try in 1 2 3; do \
	  timeout 120 npm run --silent build -- --logLevel warn && exit 0; \
	  test $$? = 124 || exit 1; done; exit 1 # the bundler's threads can wait for one another
	@touch $@

.PHONY: help setup demo test check wheel lock prove bench screenshots clean
