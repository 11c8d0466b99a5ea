# Two commands do everything on a fresh machine: make demo, make test. See README.md.
PY := .venv/bin/python
MANAGE := $(PY) manage.py
PORT ?= 8000

.PHONY: demo demo-fresh test both attack any-day steady lint bench load ledger screenshots styles lock

# What is asked of Debian while Python's packages are installed; each target asks once more for what it needs.
demo: DEBIAN := run
test: DEBIAN := test

demo: .venv/.installed
	@sh scripts/debian.sh run
	@sh scripts/demo.sh $(PORT)

demo-fresh: .venv/.installed
	@rm -rf var/wainwright.sqlite3* var/queue.sqlite3* var/files var/anchors var/clock var/cache var/tour var/demo-unfinished
	@$(MAKE) --no-print-directory demo

test: .venv/.installed
	@sh scripts/debian.sh test
	@sh scripts/test.sh

# What odd roads and an attack would find: every address by everybody, hostile forms, processes killed midway. An hour.
attack: .venv/.installed
	@sh scripts/debian.sh run
	@$(PY) -m tests.attack.run $(if $(SEED),--seed $(SEED))

# Everything on each difficult day and on days of four years drawn by a printed seed (SEED=… draws them again). Hours.
any-day: .venv/.installed
	@sh scripts/debian.sh test
	@sh scripts/any-day.sh $(SEED)

# The browser tests ten times in a row, with one core busy beside them; says how often what failed.
steady: .venv/.installed
	@sh scripts/debian.sh test
	@$(PY) -m tests.steady

# Every test that has a database on PostgreSQL as well, not only what each run tries there. A quarter of an hour.
both: .venv/.installed
	@sh scripts/debian.sh test
	@sh scripts/on-postgres.sh tests.apps

lint: .venv/.installed
	@sh scripts/lint.sh

bench: .venv/.installed
	@sh scripts/debian.sh run
	@$(PY) -m tests.bench.run

# A large firm under load, on SQLite and on PostgreSQL, beside the bare framework. SCALE=0.1 builds a tenth. Half an hour.
load: .venv/.installed
	@sh scripts/debian.sh test
	@PYTHONPATH=. $(PY) -m tests.load.run

screenshots: .venv/.installed
	@sh scripts/debian.sh test
	@$(PY) -m tests.browser.screenshots

styles:
	@npm ci --no-audit --no-fund
	@sh scripts/styles.sh

# The ledger stand-in as a process of its own, over HTTP: what a firm's own ledger would be reached by.
ledger: .venv/.installed
	@WAINWRIGHT_DEMO=1 $(PY) manage.py ledger_server --port 8090

lock:
	@$(PY) -m piptools compile -q --generate-hashes --no-emit-index-url --no-emit-find-links --no-emit-trusted-host \
	  --strip-extras --allow-unsafe -o requirements.lock requirements-dev.in
	@$(PY) -m piptools compile -q --generate-hashes --no-emit-index-url --no-emit-find-links --no-emit-trusted-host \
	  --strip-extras --allow-unsafe -o requirements-installer.lock requirements-installer.in

.venv/.installed: requirements.lock requirements-installer.lock
	@sh scripts/python.sh $(DEBIAN)
	@touch $@
