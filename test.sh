#!/usr/bin/env bash
# Does all set-up and runs all tests: format, vet, linter, builds of all platforms, tests
# against private servers that it starts and stops. Arguments go to go test.
set -euo pipefail
cd "$(dirname "$0")"
# As in a release, so that nothing is compiled twice for it. Only the race detector needs cgo.
export GOFLAGS=-trimpath CGO_ENABLED=0
export GOGC=400 # compilers and linter take a fifth less time with more memory
. scripts/servers.sh
need_all & # while the code is compiled
packages=$!
race=""
if command -v gcc >/dev/null; then
    # The engine of SQLite is not instrumented: it is C translated to Go, and would take three times as long.
    race="-race -gcflags=modernc.org/...=-race=false"
fi
as_tested() { # runs a command that compiles, in the mode of the tests, so that nothing is compiled twice for it
    if [ -n "$race" ]; then
        CGO_ENABLED=1 GOFLAGS="$GOFLAGS $race" "$@"
    else
        "$@"
    fi
}
{ as_tested go build std && go build std; } & # while modules are downloaded
std=$!

unformatted=$(gofmt -l .)
if [ -n "$unformatted" ]; then
    echo "not formatted: $unformatted" >&2
    exit 1
fi
go mod tidy -diff
builds=()
for pair in "linux/arm64 darwin/amd64" "darwin/arm64 windows/arm64"; do # whether it builds, not how fast it is; the others are built and run below
    for platform in $pair; do
        GOOS=${platform%/*} GOARCH=${platform#*/} go build -gcflags='all=-N -l -dwarf=false' -o "$servers_dir/ambertray-${platform/\//-}" ./cmd/ambertray
    done &
    builds+=($!)
done
wait $std
as_tested go vet ./...
go -C scripts/release vet .
as_tested "$(go tool -n staticcheck)" ./...

# A release, twice, has the same bytes. Its packages are installed where that is allowed.
for time in first second; do
    go -C scripts/release run . -version 0.0.1 -only linux/amd64 -profile=false -out "$servers_dir/$time"
done
cmp "$servers_dir/first/SHA256SUMS" "$servers_dir/second/SHA256SUMS"
for build in "${builds[@]}"; do
    wait "$build"
done
as_tested go build ./... & # while packages are tried and servers start
compiled=$!
wait $packages
if [ "$(id -u)" = 0 ]; then
    dpkg -i "$servers_dir"/first/*.deb >/dev/null
    (cd / && ambertray version | grep -q 'ambertray 0.0.1' && zcat /usr/share/man/man1/ambertray-load.1.gz | grep -q -- --lanes && ambertray demo >/dev/null)
    dpkg -r ambertray >/dev/null
    fedora=(rpm --root "$servers_dir/fedora" --dbpath /var/lib/rpm) # in a folder of its own, without Fedora's packages
    "${fedora[@]}" --install --nodeps "$servers_dir"/first/*.rpm 2>/dev/null
    "$servers_dir/fedora/usr/bin/ambertray" version | grep -q 'ambertray 0.0.1'
    "${fedora[@]}" --erase ambertray 2>/dev/null
    left=$(find "$servers_dir/fedora" -name '*ambertray*')
    [ -z "$left" ] || { echo "the package leaves $left" >&2; exit 1; }
fi
qemu-aarch64 "$servers_dir/ambertray-linux-arm64" demo >/dev/null # the one foreign processor that is emulated
rm "$servers_dir"/ambertray-*
for kind in TEST FAULT NODE1 NODE2; do # all but the first may be killed; the nodes hold parts of tables
    start_postgres ${kind}_POSTGRES
    start_mariadb ${kind}_MYSQL
done
start_pool
start_standin TEST_SQLSERVER
start_standin FAULT_SQLSERVER
start_clients
start_wine

wait $compiled
unset GOGC
[ -z "$race" ] || export CGO_ENABLED=1
go test -vet=off -timeout 40m $race "$@" ./... # vet has run; a busy machine may need more than the usual 10 minutes
