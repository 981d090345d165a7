#!/bin/sh
# Checks the scripts with eslint and with TypeScript's checker (npm, dev-only, pinned by
# their lock file). Where npm cannot fetch them, make test says so and goes on with all
# else; make lint, which is for this, does not.
set -eu
cd "$(dirname "$0")/../web/testdata/lint"
if ! [ node_modules/.package-lock.json -nt package-lock.json ]; then
	if ! npm ci --no-fund --no-audit --no-update-notifier --ignore-scripts >/dev/null; then
		echo "THE SCRIPTS WERE NOT CHECKED: npm cannot fetch eslint and typescript" >&2
		[ "${1:-}" = must ] && exit 1
		exit 0
	fi
	touch node_modules/.package-lock.json
fi
# Both look at what is below their configuration alone; what is vendored is not ours.
trap 'rm -rf static' EXIT
rm -rf static
cp -r ../../static static
rm -rf static/vendor
mkdir -p static/vendor/alpine
echo 'declare const Alpine: any; export default Alpine;' >static/vendor/alpine/alpine-csp.min.d.ts
mkdir -p static/vendor/tus
echo 'export {};' >static/vendor/tus/tus.min.d.ts
npx eslint --max-warnings 0 static
npx tsc -p .
