#!/bin/sh
# Resolves pyproject.toml into the two lock files with hashes, for Python 3.11 and newer.
set -eu
uv --no-config pip compile pyproject.toml --generate-hashes --universal --python-version 3.11 \
    --no-header --no-annotate -q -o requirements.lock
uv --no-config pip compile pyproject.toml --extra dev --generate-hashes --universal --python-version 3.11 \
    --no-header --no-annotate -q -o requirements-dev.lock
