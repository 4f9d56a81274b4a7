#!/usr/bin/env bash
# Measures Amber Tray against the floor of each target: ./bench/run.sh [-runs N] [-records N] [-only NAME]
set -euo pipefail
cd "$(dirname "$0")/.."
. scripts/servers.sh
start_postgres TEST_POSTGRES
start_mariadb TEST_MYSQL
start_standin TEST_SQLSERVER
need_sqlite
CGO_ENABLED=0 go build -o "$servers_dir/ambertray" ./cmd/ambertray
CGO_ENABLED=0 go build -o "$servers_dir/bench" ./bench
"$servers_dir/bench" -program "$servers_dir/ambertray" -dir "$servers_dir" "$@"
