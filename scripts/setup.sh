#!/bin/sh
# Makes .venv with the locked dependencies. Argument: run (the application) or dev (with the test tools).
set -eu
kind=${1:-run}
if ! python3 -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
    echo "Deft Bench needs Python 3.11 or newer as python3." >&2
    exit 1
fi
if [ ! -x .venv/bin/python ] || ! .venv/bin/python -m pip --version >/dev/null 2>&1; then
    if ! python3 -c 'import ensurepip, venv' 2>/dev/null; then
        echo "Python's venv module is missing." >&2
        if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
            apt-get update -q && apt-get install -y -q python3-venv
        else
            echo "Install it with: sudo apt-get install python3-venv" >&2
            exit 1
        fi
    fi
    python3 -m venv --clear .venv
fi
if [ "$kind" = dev ]; then lock=requirements-dev.lock; else lock=requirements.lock; fi
.venv/bin/python -m pip install -q --disable-pip-version-check --require-hashes -r "$lock"
if [ "$kind" = dev ]; then
    .venv/bin/python -m pip install -q --disable-pip-version-check --no-deps --no-build-isolation -e .
else
    .venv/bin/python -m pip install -q --disable-pip-version-check --no-deps -e .
fi
# so that the first start need not compile, nor every one where nothing may be written
.venv/bin/python -m compileall -q src
touch ".venv/ready-$kind"
if [ "$kind" = dev ]; then touch .venv/ready-run; fi
