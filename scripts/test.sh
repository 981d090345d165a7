#!/bin/sh
# Runs every test against the database that internal/testkit/withdb names. All
# packages but the browser's run under the race detector, which needs a C compiler
# (their engine's workers are the product's own binary: an instrumented one is slow),
# and but the rules of the job (internal/core), pure functions that start nothing:
# of these core/share alone has a lock. What takes its time (pace.Long), what does one
# thing after the other (pace.Unraced), and what starts the program as a process of its
# own, with limits, runs without it: those packages run a second time, as they are.
# Browser tests wait more than they compute: they run beside all others, in three parts
# beside each other, each with a browser of its own. What starts the program many times
# comes after the browser in two of them, the rules in the third. Compilers and what reads
# the source give way to what runs: a test that waits for an answer is not to starve.
set -u
go=${GO:-go}
export GOFLAGS="${GOFLAGS:-} '-toolexec=nice -n 15'"
kept=$(mktemp -d)
trap 'rm -rf "$kept"' EXIT
rules=$("$go" list ./internal/core/... | grep -v '/core/share$')
# All others under the race detector, the longest first: none is left to run alone. They
# wait, too, so one more than there are processors runs at a time. They begin while the
# browser tests are linked.
long="incipit/internal/reader incipit/internal/intake incipit/internal/desk incipit/internal/pdf/sandbox incipit/demo"
raced="$long $("$go" list ./... | grep -v -x -F -e incipit/e2e -e incipit/cmd/incipit -e "$rules" -e "$(echo "$long" | tr ' ' '\n')")"
twice=$(grep -rlE 'pace\.(Long|Unraced)\(t\)|testing\.Short\(\)' --include='*_test.go' internal demo | xargs -n 1 dirname | sort -u | sed 's,^,./,')
others() {
	one=0
	# shellcheck disable=SC2086
	CGO_ENABLED=1 INCIPIT_TEST_WORKER="$PWD/bin/incipit" "$go" test -race -short -p 3 -vet=off -timeout 45m $raced || one=1
	# shellcheck disable=SC2086
	"$go" test -p 3 -vet=off -timeout 45m $twice || one=1
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
	if [ $# -gt 0 ]; then "$@" || one=1; fi
	return "$one"
}
browser 0 "$go" test -vet=off -timeout 45m ./cmd/incipit >"$kept/0" 2>&1 &
first=$!
browser 1 env CGO_ENABLED=1 "$go" test -race -short -vet=off -timeout 45m ./cmd/incipit >"$kept/1" 2>&1 &
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
	return "$one"
}
lint >"$kept/lint" 2>&1 &
fourth=$!
status=0
for part in "$others" "$first" "$second" "$third" "$fourth"; do wait "$part" || status=1; done
cat "$kept"/[012] "$kept/lint"
exit "$status"
