#!/bin/sh
# Installs the oEmbed consumer that tests try our answers on: npm, pinned by its
# lock file, for tests alone.
set -eu
cd "$(dirname "$0")/../e2e/testdata/oembed"
[ node_modules/.package-lock.json -nt package-lock.json ] && exit 0
npm ci --no-fund --no-audit --no-update-notifier --ignore-scripts >/dev/null
touch node_modules/.package-lock.json
