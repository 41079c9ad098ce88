#!/bin/sh
# The browser tests drive Debian's Chromium. Installs it when it is missing and this user may.
set -eu
if command -v chromium >/dev/null; then exit 0; fi
if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
    apt-get update -q && apt-get install -y -q --no-install-recommends chromium
elif command -v sudo >/dev/null && sudo -n true 2>/dev/null; then
    sudo apt-get update -q && sudo apt-get install -y -q --no-install-recommends chromium
else
    echo "Chromium is missing. Install it with: sudo apt-get install chromium" >&2
    exit 1
fi
