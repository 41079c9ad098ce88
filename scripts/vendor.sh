#!/bin/sh
# Refreshes src/deft_bench/web/static/vendor from the npm registry, at the versions named here.
set -eu
bulma=1.0.4 htmx=2.0.11 font=5.3.0 sass=1.108.2
here=$(cd "$(dirname "$0")/.." && pwd)
out=$here/src/deft_bench/web/static/vendor
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
cd "$work"
npm init -y >/dev/null
npm install --silent --no-fund --no-audit "bulma@$bulma" "htmx.org@$htmx" \
    "@fontsource-variable/atkinson-hyperlegible-next@$font" "sass@$sass"
mkdir -p "$out/bulma" "$out/htmx" "$out/atkinson-hyperlegible-next"
# Bulma whole is over 600 kB: only the parts in use are compiled, from its own sources.
npx --no-install sass --no-source-map --style=compressed --quiet --load-path=node_modules \
    "$here/scripts/bulma-parts.scss" "$out/bulma/bulma-parts.min.css"
cp node_modules/bulma/LICENSE "$out/bulma/LICENSE"
cp node_modules/htmx.org/dist/htmx.min.js "$out/htmx/htmx.min.js"
cp node_modules/htmx.org/LICENSE "$out/htmx/LICENSE"
f=node_modules/@fontsource-variable/atkinson-hyperlegible-next
cp "$f/files/atkinson-hyperlegible-next-latin-wght-normal.woff2" "$out/atkinson-hyperlegible-next/"
cp "$f/LICENSE" "$out/atkinson-hyperlegible-next/LICENSE"
cat > "$out/README.md" <<END
# Vendored files

Refreshed by \`make vendor\` (scripts/vendor.sh); not edited by hand.

| folder | package | version | licence |
|---|---|---|---|
| bulma | Bulma, the parts named in scripts/bulma-parts.scss | $bulma | MIT |
| htmx | htmx | $htmx | 0BSD |
| atkinson-hyperlegible-next | Atkinson Hyperlegible Next, variable, latin | $font | OFL 1.1 |
END
