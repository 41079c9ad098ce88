#!/bin/sh
# Looks for known advisories against the locked dependencies (pip-audit, in an environment of its own). Needs a network;
# where the advisories cannot be reached nothing was checked, and it says so and fails.
set -eu
here=.venv/audit
if [ ! -x "$here/bin/pip-audit" ]; then
    python3 -m venv --clear "$here"
    "$here/bin/python" -m pip install -q --disable-pip-version-check pip-audit==2.10.1
fi
for lock in requirements.lock requirements-dev.lock; do
    if ! "$here/bin/pip-audit" --strict --disable-pip --require-hashes --progress-spinner off -r "$lock"; then
        echo "$lock: an advisory above, or the advisories were not reached: it is not passed." >&2
        exit 1
    fi
done
echo "Files in static/vendor are not in that database: see their projects' own pages for advisories."
