#!/bin/sh
# Removes the demo's data, and nothing else.
set -eu
dir=${1:?name the data folder}
if [ -f "$dir/postgres/data/postmaster.pid" ]; then
	pid=$(head -n 1 "$dir/postgres/data/postmaster.pid")
	if kill -0 "$pid" 2>/dev/null; then
		echo "The demo is running (database process $pid): stop it first, with Ctrl-C." >&2
		exit 1
	fi
fi
rm -rf "$dir/postgres" "$dir/blobs" "$dir/website"
# The place that is used where user postgres cannot reach $dir.
other="/var/tmp/incipit$(cd "$(dirname "$dir")" && pwd | tr / -)-$(basename "$dir")-postgres"
[ ! -d "$other" ] || rm -rf "$other"
