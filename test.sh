#!/usr/bin/env bash
# Does all set-up and runs all tests: format, vet, linter, static build, tests
# against private servers that it starts and stops. Arguments go to go test.
set -euo pipefail
cd "$(dirname "$0")"

unformatted=$(gofmt -l .)
if [ -n "$unformatted" ]; then
    echo "not formatted: $unformatted" >&2
    exit 1
fi
go vet ./...
go tool staticcheck ./...
CGO_ENABLED=0 go build -o /dev/null ./cmd/ambertray

. scripts/servers.sh
need_sqlite
start_postgres
start_mariadb
start_postgres pg-faults # servers that a test may kill
start_mariadb mariadb-faults

race=""
if command -v gcc >/dev/null; then race=-race; fi
go test $race "$@" ./...
