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
for kind in TEST FAULT NODE1 NODE2; do # all but the first may be killed; the nodes hold parts of tables
    start_postgres ${kind}_POSTGRES
    start_mariadb ${kind}_MYSQL
done

race=""
if command -v gcc >/dev/null; then race=-race; fi
go test $race "$@" ./...
