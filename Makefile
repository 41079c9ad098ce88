# Deft Bench. `make demo` and `make test` do everything on a fresh Debian machine with Python.
PY := .venv/bin/python
RUN := .venv/bin/deft-bench

.PHONY: demo test check quick stats bench vendor lock schema sbom audit calibrate train-buzz listen campaign screenshots clean

.venv/ready-run: requirements.lock pyproject.toml scripts/setup.sh
	sh scripts/setup.sh run

.venv/ready-dev: requirements-dev.lock pyproject.toml scripts/setup.sh
	sh scripts/setup.sh dev

demo: .venv/ready-run          ## set up, make the demo data once, start, print the URL
	$(RUN) demo

test: .venv/ready-dev          ## set up, then lint, types, layers and every test
	sh scripts/chromium.sh
	$(MAKE) --no-print-directory check

check: quick                   ## everything that `make test` checks, without the set-up
	$(PY) -m pytest

quick:                         ## lint, format, templates, complexity, types, layers, docs/schema.md, docs/sbom.cdx.json
	$(PY) -m ruff check .
	$(PY) -m ruff format --check .
	$(PY) -m djlint --quiet --lint src
	$(PY) scripts/complexity.py
	$(PY) -m mypy
	.venv/bin/lint-imports --no-cache
	$(PY) scripts/schema.py --check
	$(PY) scripts/sbom.py --check

stats:                         ## lines of product code and test code, and their ratio
	@python3 scripts/stats.py

bench: .venv/ready-dev         ## ratios against a reference run in the same process
	$(PY) benchmarks/run.py

vendor:                        ## refresh static/vendor from the npm registry (needs npm)
	sh scripts/vendor.sh

schema:                        ## write docs/schema.md from the migrations again
	$(PY) scripts/schema.py

sbom: .venv/ready-dev          ## write docs/sbom.cdx.json from the lock file and the vendored files again
	$(PY) scripts/sbom.py

audit:                         ## look for advisories against the locked dependencies (needs a network)
	sh scripts/audit.sh

lock:                          ## re-resolve the pinned dependencies (needs uv)
	sh scripts/lock.sh

calibrate: .venv/ready-dev     ## check the likely neck against known necks (docs/methods/neck-evidence.md)
	$(PY) scripts/calibrate.py 60

train-buzz: .venv/ready-dev    ## teach the machine's ear again on simulated strings (docs/methods/buzz-ear.md)
	$(PY) scripts/train_buzz.py

listen: .venv/ready-dev        ## play whole passes to the browser's fake microphone, in real time: leave the machine alone meanwhile
	REAL_TIME=1 $(PY) -m pytest -n 1 tests/browser/test_play_through.py -k by_the_microphone

campaign: .venv/ready-dev      ## the fault campaign: 1,000 kills, 100,000 inputs, prints what was lost (half an hour)
	PYTHONPATH=tests $(PY) -m campaign $(CAMPAIGN)

screenshots: .venv/ready-dev   ## take docs/screenshots/ again from the demo data
	$(PY) scripts/screenshots.py

clean:
	rm -rf .venv var
