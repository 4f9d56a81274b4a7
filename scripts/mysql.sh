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

mariadb_packages=/bin/sh # nothing of MariaDB is needed
mysqld=$mysql_root/mysqld
init_mysqld() { as_user "$mysqld" --no-defaults --initialize-insecure --basedir="$mysql_root/usr" --datadir="$1" ${mysql_options:-}; }
mariadb_options="--basedir=$mysql_root/usr --character-sets-dir=$mysql_root/usr/share/mysql/charsets --mysqlx=OFF --secure-file-priv= --disable-log-bin"
mariadb_options+=" --local-infile=ON --max-allowed-packet=16M ${mysql_options:-}" # packets as short as MariaDB's, which the tests expect

need "$sqlite_packages"
fetch_mysql
for kind in TEST FAULT; do
    start_postgres ${kind}_POSTGRES
    start_mariadb ${kind}_MYSQL
    start_standin ${kind}_SQLSERVER
done
"$@"
