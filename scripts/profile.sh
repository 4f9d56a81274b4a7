#!/usr/bin/env bash
# Renews scripts/release/cpu.pprof, by which releases are optimised: where the main commands
# spend their time on a million records, against private servers.
set -euo pipefail
cd "$(dirname "$0")/.."
. scripts/servers.sh
start_postgres TEST_POSTGRES
start_mariadb TEST_MYSQL
work=$servers_dir/work
mkdir "$work"
CGO_ENABLED=0 go build -trimpath -o "$work/bench" ./bench
program=$PWD
cd "$work"
./bench make . "${1:-1000000}"
count=0
run() {
    count=$((count + 1))
    ./bench profile "$count.pprof" "$@"
}
run draft specimens.csv
run survey specimens.csv
run check specimens.tray
for target in museum.db "$AMBERTRAY_TEST_POSTGRES" "$AMBERTRAY_TEST_MYSQL"; do
    run load specimens.tray --to "$target"
    run export --from "$target" specimens --out "$count.csv"
done
run handover specimens.tray --dialect postgresql --out handover
run survey specimens.csv.xlsx
go tool pprof -proto ./*.pprof >"$program/scripts/release/cpu.pprof"
