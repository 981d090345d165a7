#!/bin/sh
# Runs every test against the database that internal/testkit/withdb names. The race detector
# (which needs a C compiler) looks where a package's own code shares state: where it starts
# something, locks or counts; it has those packages computed ten times as long, and finds
# nothing elsewhere. What computes alone and starts nothing (the rules, images, sums) is not
# watched there either: it is most of the time, and none of what is shared. Their engine's
# workers are the product's own binary: an instrumented one is slow. Tests of them that take
# their time (pace.Long), or do one thing after the other (pace.Unraced), run without it, by
# name. All other packages run once, as they are.
# Browser tests wait more than they compute: they run beside all others, in three parts
# beside each other, each with a browser of its own. What starts the program many times
# comes after the browser in one of them, the rules in another. Compilers and what reads
# the source give way to what runs: a test that waits for an answer is not to starve.
set -u
go=${GO:-go}
export GOFLAGS="${GOFLAGS:-} '-toolexec=nice -n 15'"
kept=$(mktemp -d)
trap 'rm -rf "$kept"' EXIT
rules=$("$go" list ./internal/core/... | grep -v '/core/share$')
# The longest first: none is left to run alone. They wait, too, so one more than there are
# processors runs at a time. They begin while the browser tests are linked.
shares() {
	grep -rlE '"sync"|"sync/atomic"|/errgroup"|/semaphore"|go func|^[[:space:]]go [a-z]' --include='*.go' internal web demo |
		grep -v _test.go | xargs -n 1 dirname | sort -u | sed 's,^,incipit/,'
}
long="incipit/internal/reader incipit/internal/intake incipit/internal/desk incipit/internal/app incipit/internal/pdf/sandbox"
shared=$(shares)
raced="$long $(echo "$shared" | grep -v -x -F -e "$rules" -e "$(echo "$long" | tr ' ' '\n')")"
plain=$("$go" list ./... | grep -v -x -F -e incipit/e2e -e incipit/cmd/incipit -e "$rules" -e "$(echo "$raced" | tr ' ' '\n')")
# unraced gives each raced package with the tests that the race pass leaves out.
unraced() {
	# shellcheck disable=SC2086
	for package in $raced; do
		names=$(awk '/^func /{name=$2; sub(/\(.*/, "", name)} /pace\.(Long|Unraced)\(t\)|testing\.Short\(\)/{print name}' "${package#incipit/}"/*_test.go 2>/dev/null | sort -u | paste -s -d '|')
		[ -z "$names" ] || echo "$package $names"
	done
}
unwatched="-gcflags=image/...=-race=false -gcflags=compress/...=-race=false -gcflags=hash/...=-race=false \
	-gcflags=incipit/internal/core/...=-race=false -gcflags=incipit/internal/core/share=-race"
begun=$(date +%s)
took() { echo "$1 took $(($(date +%s) - begun)) s from the start"; }
others() {
	one=0
	# shellcheck disable=SC2086
	CGO_ENABLED=1 INCIPIT_TEST_WORKER="$PWD/bin/incipit" "$go" test -race $unwatched -short -p 3 -vet=off -timeout 45m $raced || one=1
	took "what shares state"
	# shellcheck disable=SC2086
	"$go" test -p 3 -vet=off -timeout 45m $plain || one=1
	took "what does not"
	unraced >"$kept/unraced"
	while read -r package names; do
		"$go" test -vet=off -timeout 45m -run "^($names)\$" "$package" || one=1
	done <"$kept/unraced"
	took "what is left out of the race pass"
	return "$one"
}
others &
others=$!
if "$go" test -c -vet=off -o "$kept/e2e.test" ./e2e; then (cd e2e && "$kept/e2e.test" -test.list .) | grep '^Test' >"$kept/names"; fi
[ -s "$kept/names" ] || { wait "$others"; exit 1; }

# browser N runs the tests of a part, and then what is given.
browser() {
	one=0
	part=$(awk -v n="$1" 'NR % 3 == n' "$kept/names" | paste -s -d '|')
	shift
	(cd e2e && "$kept/e2e.test" -test.timeout 45m -test.run "^($part)\$") || one=1
	took "a part of the browser's"
	if [ $# -gt 0 ]; then "$@" || one=1; fi
	return "$one"
}
browser 0 "$go" test -vet=off -timeout 45m ./cmd/incipit >"$kept/0" 2>&1 &
first=$!
browser 1 >"$kept/1" 2>&1 &
second=$!
# shellcheck disable=SC2086
browser 2 "$go" test -vet=off -timeout 45m $rules >"$kept/2" 2>&1 &
third=$!
# What reads the source alone has a fourth place, and the least of the processors.
lint() {
	one=0
	nice -n 15 sh scripts/lint-scripts.sh || one=1
	nice -n 15 "$go" vet ./... || one=1
	nice -n 15 "$go" tool staticcheck ./... || one=1
	took "reading the source"
	return "$one"
}
lint >"$kept/lint" 2>&1 &
fourth=$!
status=0
for part in "$others" "$first" "$second" "$third" "$fourth"; do wait "$part" || status=1; done
cat "$kept"/[012] "$kept/lint"
exit "$status"
