#!/usr/bin/env bash
# Runs a command, such as "go test ./internal/database/mysql ./cmd/ambertray", with MySQL in place of MariaDB
# and without the servers that only MariaDB can be. Debian has MySQL in its unstable release only: it is unpacked
# into a temporary folder, with all its libraries. ./test.sh does not depend on it.
set -euo pipefail
cd "$(dirname "$0")/.."
. scripts/servers.sh
mysql_root=$servers_dir/mysql

# fetch_mysql unpacks the server and its client from the machine's Debian mirror. The tests call the
# client by the name of MariaDB's.
fetch_mysql() {
    local apt=$servers_dir/apt options package program
    mkdir -p "$apt/lists/partial" "$apt/cache/archives/partial" "$mysql_root"
    echo "deb $(apt-get indextargets --format '$(REPO_URI)' | grep -m1 '/debian/*$') unstable main" >"$apt/sources.list"
    : >"$apt/status"
    options=(-qq -o "Dir::Etc::sourcelist=$apt/sources.list" -o Dir::Etc::sourceparts=- -o "Dir::State::lists=$apt/lists"
        -o "Dir::State::status=$apt/status" -o "Dir::Cache=$apt/cache" -o APT::Sandbox::User=root)
    apt-get "${options[@]}" update
    apt-get "${options[@]}" install -y --no-install-recommends --download-only mysql-server-core mysql-client-core
    for package in "$apt"/cache/archives/*.deb; do
        dpkg-deb --extract "$package" "$mysql_root"
    done
    rm -rf "$apt"
    for program in mysqld=sbin/mysqld mariadb=bin/mysql; do
        printf '#!/bin/sh\nexec %s --library-path %s %s "$@"\n' "$mysql_root/usr/lib64/ld-linux-x86-64.so.2" "$mysql_root/usr/lib/x86_64-linux-gnu" \
            "$mysql_root/usr/${program#*=}" >"$mysql_root/${program%=*}"
        chmod +x "$mysql_root/${program%=*}"
    done
    PATH=$mysql_root:$PATH
}

# start_mysql NAME: like start_mariadb. Its packets are as short as MariaDB's, which the tests expect.
start_mysql() {
    local port name=${1,,} data
    data=$servers_dir/$name
    port=$(free_port)
    mkdir "$data"
    certify "$data" "$name"
    [ "$(id -u)" != 0 ] || chown nobody "$data"
    as_user "$mysql_root/mysqld" --no-defaults --initialize-insecure ${mysql_options:-} --basedir="$mysql_root/usr" --datadir="$data/data" >/dev/null 2>&1
    cat >"$servers_dir/$name.start" <<EOF
$(declare -f as_user)
as_user "$mysql_root/mysqld" --no-defaults --basedir="$mysql_root/usr" --character-sets-dir="$mysql_root/usr/share/mysql/charsets" --datadir="$data/data" \
    --port="$port" --bind-address=127.0.0.1 --socket="$data/socket" --mysqlx=OFF --secure-file-priv= --pid-file="$data/pid" --local-infile=ON --max-allowed-packet=16M \
    --ssl-cert="$data/server.pem" --ssl-key="$data/server.key" --ssl-ca="$data/authority.pem" --disable-log-bin ${mysql_options:-} >"$data/log" 2>&1 &
for _ in \$(seq 300); do
    mariadb --no-defaults -u root -S "$data/socket" -e 'CREATE DATABASE IF NOT EXISTS museum' 2>/dev/null && exit
    sleep 0.1
done
cat "$data/log" >&2
exit 1
EOF
    bash "$servers_dir/$name.start"
    export "AMBERTRAY_$1=mysql://root@127.0.0.1:$port/museum" "AMBERTRAY_${1}_DATA=$data" "AMBERTRAY_${1}_CA=$servers_dir/$name-authority.pem"
}

need "$sqlite_packages"
fetch_mysql
for kind in TEST FAULT; do
    start_postgres ${kind}_POSTGRES
    start_mysql ${kind}_MYSQL
    start_standin ${kind}_SQLSERVER
done
"$@"
