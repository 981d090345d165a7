#!/bin/sh
# Checks the scripts with eslint and with TypeScript's checker (npm, dev-only, pinned by
# their lock file).
set -eu
cd "$(dirname "$0")/../web/testdata/lint"
if ! [ node_modules/.package-lock.json -nt package-lock.json ]; then
	npm ci --no-fund --no-audit --no-update-notifier --ignore-scripts >/dev/null
	touch node_modules/.package-lock.json
fi
# Both look at what is below their configuration alone; what is vendored is not ours.
trap 'rm -rf static' EXIT
rm -rf static
cp -r ../../static static
rm -rf static/vendor
mkdir -p static/vendor/alpine
echo 'declare const Alpine: any; export default Alpine;' >static/vendor/alpine/alpine-csp.min.d.ts
npx eslint --max-warnings 0 static
npx tsc -p .
