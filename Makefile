.DEFAULT_GOAL := help
PORT ?= 8000
PYTHON ?= python3
BIN := .venv/bin
export PIP_DISABLE_PIP_VERSION_CHECK := 1

help:  ## what can be made here
	@grep -hE '^[a-z-]+:.*##' $(MAKEFILE_LIST) | sed -E 's/:.*## /\t/' | expand -t 14

demo: install  ## build The Salt Ferry and serve it on 127.0.0.1:8000 (PORT=8123 for another)
	@$(BIN)/python manage.py prepare
	@$(BIN)/python manage.py build_demo
	@$(BIN)/python manage.py serve --port $(PORT)

serve: install  ## serve without building the demo
	@$(BIN)/python manage.py prepare
	@$(BIN)/python manage.py serve --port $(PORT)

install: .venv/installed

.venv/installed: requirements.lock pyproject.toml
	@$(PYTHON) -c 'import sys; sys.exit(sys.version_info < (3, 11) and "Dactyl needs Python 3.11 or newer.")'
	@test -x $(BIN)/python || $(PYTHON) -m venv .venv
	@echo "Installing what Dactyl needs ..."
	@$(BIN)/pip install --quiet --requirement requirements.lock
	@$(BIN)/pip install --quiet --no-deps --editable .
	@touch $@

chromium:
	@test -x /usr/bin/chromium || (apt-get update -qq && apt-get install -y -qq chromium) >/dev/null

test: install chromium  ## all tests, those in the browser too
	@$(BIN)/python manage.py test --parallel

HAND_SECONDS ?= 3600
hand: install  ## a hand at random for HAND_SECONDS, with new seeds, against the laws it may not break
	@HAND_SECONDS=$(HAND_SECONDS) $(BIN)/python manage.py test dactyl.site.tests.test_hand

FUZZ ?= 20000
FUZZ_FIRST ?= $(shell date +%s)
fuzz: install  ## FUZZ broken files for each reader, with new seeds
	@FUZZ=$(FUZZ) FUZZ_FIRST=$(FUZZ_FIRST) $(BIN)/python manage.py test dactyl.core.tests.test_strangers

lint: install node_modules/installed  ## formatting, habits, the direction of imports, types of scripts
	@npm exec --offline --silent tsc
	$(BIN)/ruff format --check .
	$(BIN)/ruff check .
	$(BIN)/lint-imports
	$(BIN)/python manage.py makemigrations --check --dry-run
	@! grep -rnE --exclude=*.svg '.{200}' dactyl/*/templates frontend || { echo "Lines have fewer than 200 characters." >&2; exit 1; }

assets: node_modules/installed  ## build styles and scripts into the site (needs npm)
	@npm run --silent build

node_modules/installed: package-lock.json
	@npm ci --silent
	@touch $@

bench: install  ## speed, as ratios against a floor measured in the same run
	@$(BIN)/python -m benchmarks

screenshots: install chromium  ## renew docs/screenshots from the demo
	@$(BIN)/python docs/screenshots.py

words: install  ## every label and sentence of the pages in one file, to be read as a whole
	@$(BIN)/python docs/words.py

clean:  ## forget the environment and the built demo
	rm -rf .venv node_modules data

.PHONY: help demo serve install chromium test hand fuzz lint assets bench screenshots words clean
