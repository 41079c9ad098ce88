#!/bin/sh
# Refreshes src/deft_bench/web/static/vendor from the npm registry, at the versions named here.
set -eu
bulma=1.0.4 htmx=2.0.11 font=5.3.0 sass=1.108.2 purgecss=7.0.2 axe=4.14.1
here=$(cd "$(dirname "$0")/.." && pwd)
out=$here/src/deft_bench/web/static/vendor
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
cd "$work"
npm init -y >/dev/null
npm install --silent --no-fund --no-audit "bulma@$bulma" "htmx.org@$htmx" \
    "@fontsource-variable/atkinson-hyperlegible-next@$font" "sass@$sass" \
    "purgecss@$purgecss" "axe-core@$axe"
mkdir -p "$out/bulma" "$out/htmx" "$out/atkinson-hyperlegible-next"
# Bulma whole is over 600 kB: the parts in use are compiled from its own sources, and of these only what some page uses
# is kept. Run this again after a page takes up another of its classes.
npx --no-install sass --no-source-map --style=compressed --quiet --load-path=node_modules \
    "$here/scripts/bulma-parts.scss" parts.css
cat > keep.mjs <<'END'
import { writeFileSync } from "node:fs";
import { PurgeCSS } from "purgecss";
const [css, web, out] = process.argv.slice(2);
const content = ["html", "py", "js"].map((kind) => `${web}/**/*.${kind}`);
const [kept] = await new PurgeCSS().purge({ css: [css], content, variables: true, keyframes: true });
writeFileSync(out, kept.css);
END
node keep.mjs parts.css "$here/src/deft_bench/web" "$out/bulma/bulma-parts.min.css"
cp node_modules/bulma/LICENSE "$out/bulma/LICENSE"
cp node_modules/htmx.org/dist/htmx.min.js "$out/htmx/htmx.min.js"
cp node_modules/htmx.org/LICENSE "$out/htmx/LICENSE"
f=node_modules/@fontsource-variable/atkinson-hyperlegible-next
cp "$f/files/atkinson-hyperlegible-next-latin-wght-normal.woff2" "$out/atkinson-hyperlegible-next/"
tests=$here/tests/vendor/axe-core
mkdir -p "$tests"
cp node_modules/axe-core/axe.min.js node_modules/axe-core/LICENSE "$tests/"
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
