#!/bin/sh
# Checks the pages as they are served, with html-validate (npm, dev-only).
set -eu
command -v npx >/dev/null 2>&1 || { echo "html-validate needs Node.js and npm: apt-get install nodejs npm" >&2; exit 1; }
dir=$(mktemp -d)
trap 'rm -rf "$dir"' EXIT
INCIPIT_PAGES="$dir" go test -count 1 -run TestPagesForLint ./e2e
npx --yes html-validate@10.17.0 --config .htmlvalidate.json "$dir"/*.html
echo "html-validate: $(ls "$dir" | wc -l) pages are well"
