#!/bin/sh
# Checks the scripts with eslint (npm, dev-only, pinned by its lock file).
set -eu
cd "$(dirname "$0")/lint"
if ! [ node_modules/.package-lock.json -nt package-lock.json ]; then
	npm ci --no-fund --no-audit --no-update-notifier --ignore-scripts >/dev/null
	touch node_modules/.package-lock.json
fi
# eslint looks at what is below its configuration alone.
rm -rf static
cp -r ../../web/static static
rm -rf static/vendor
npx eslint --max-warnings 0 static
rm -rf static
