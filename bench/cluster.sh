#!/usr/bin/env bash
# Measures tables that lie on one, two and three other servers: ./bench/cluster.sh [-records N] [-only NAME]
set -euo pipefail
cd "$(dirname "$0")/.."
. scripts/servers.sh
for kind in TEST NODE1 NODE2 NODE3; do
    start_postgres ${kind}_POSTGRES
    start_mariadb ${kind}_MYSQL
done
CGO_ENABLED=0 go build -o "$servers_dir/ambertray" ./cmd/ambertray
CGO_ENABLED=0 go build -o "$servers_dir/bench" ./bench
"$servers_dir/bench" cluster -program "$servers_dir/ambertray" -dir "$servers_dir" "$@"
