#!/usr/bin/env bash
# Does all set-up and runs all tests: format, vet, linter, builds of all platforms, tests
# against private servers that it starts and stops. Arguments go to go test.
set -euo pipefail
cd "$(dirname "$0")"

unformatted=$(gofmt -l .)
if [ -n "$unformatted" ]; then
    echo "not formatted: $unformatted" >&2
    exit 1
fi
go mod tidy -diff
go vet ./...
go tool staticcheck ./...
for system in linux darwin windows; do
    for processor in amd64 arm64; do # whether it builds, not how fast it is
        CGO_ENABLED=0 GOOS=$system GOARCH=$processor go build -gcflags='all=-N -l' -o /dev/null ./cmd/ambertray
    done
done

. scripts/servers.sh
need_sqlite
for kind in TEST FAULT NODE1 NODE2; do # all but the first may be killed; the nodes hold parts of tables
    start_postgres ${kind}_POSTGRES
    start_mariadb ${kind}_MYSQL
done
start_standin TEST_SQLSERVER
start_standin FAULT_SQLSERVER
need_clients
need_wine

race=""
if command -v gcc >/dev/null; then race=-race; fi
go test $race "$@" ./...
