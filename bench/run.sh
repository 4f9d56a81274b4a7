#!/usr/bin/env bash
# Measures Amber Tray against the floor of each target: ./bench/run.sh [-runs N] [-records N] [-only NAME] [-against PROGRAM]
set -euo pipefail
cd "$(dirname "$0")/.."
. scripts/servers.sh
start_postgres TEST_POSTGRES
start_mariadb TEST_MYSQL
start_standin TEST_SQLSERVER
need "$sqlite_packages"
CGO_ENABLED=0 go build -pgo scripts/release/cpu.pprof -o "$servers_dir/ambertray" ./cmd/ambertray # as releases are built
CGO_ENABLED=0 go build -o "$servers_dir/bench" ./bench
c=()
if echo '#include <sqlite3.h>' | cc -E - >/dev/null 2>&1; then # else without the floor in C
    cc -O2 -o "$servers_dir/floor" bench/sqlite/floor.c -lsqlite3
    c=(-c "$servers_dir/floor")
fi
"$servers_dir/bench" "${c[@]}" -program "$servers_dir/ambertray" -dir "$servers_dir" "$@"
