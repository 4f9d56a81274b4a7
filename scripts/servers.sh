# Starts private database servers on free loopback ports in a temporary folder,
# and stops them when the shell ends. To be sourced.

servers_dir=$(mktemp -d)
chmod 755 "$servers_dir"

stop_servers() {
    if [ -f "$servers_dir/pg/postmaster.pid" ]; then
        as_user "$pg_bin/pg_ctl" -D "$servers_dir/pg" -m immediate stop >/dev/null 2>&1 || true
    fi
    if [ -n "${mariadb_pid:-}" ]; then
        kill -9 "$mariadb_pid" 2>/dev/null || true
        wait "$mariadb_pid" 2>/dev/null || true
    fi
    rm -rf "$servers_dir"
}
trap stop_servers EXIT
trap 'exit 130' INT TERM

# as_user runs a command as an ordinary user: the server refuses to run as root.
as_user() {
    if [ "$(id -u)" = 0 ]; then
        (cd / && setpriv --reuid=nobody --regid="$(id -g nobody)" --clear-groups -- "$@")
    else
        "$@"
    fi
}

free_port() { go run ./scripts/freeport; }

# certify puts certificates into the folder of a server.
certify() {
    go run ./scripts/certificate "$1"
    cp "$1/authority.pem" "$servers_dir/$2-authority.pem"
    chmod 644 "$servers_dir/$2-authority.pem"
    [ "$(id -u)" != 0 ] || chown nobody "$1"/server.* "$1/authority.pem"
}

start_postgres() {
    pg_bin=$(ls -d /usr/lib/postgresql/*/bin 2>/dev/null | sort -V | tail -1)
    if [ -z "$pg_bin" ]; then
        echo "installing PostgreSQL" >&2
        apt-get update -qq >&2 && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq postgresql >&2
        pg_bin=$(ls -d /usr/lib/postgresql/*/bin | sort -V | tail -1)
    fi
    local port
    port=$(free_port)
    mkdir "$servers_dir/pg"
    [ "$(id -u)" != 0 ] || chown nobody "$servers_dir/pg"
    as_user "$pg_bin/initdb" -D "$servers_dir/pg" -U curator -A trust -E UTF8 --locale=C.UTF-8 -N >/dev/null
    certify "$servers_dir/pg" pg
    as_user "$pg_bin/pg_ctl" -D "$servers_dir/pg" -w -l "$servers_dir/pg/log" \
        -o "-p $port -c listen_addresses=127.0.0.1 -c unix_socket_directories='' -c ssl=on -c ssl_cert_file=server.pem -c ssl_key_file=server.key ${pg_options:-}" start >/dev/null
    export AMBERTRAY_TEST_POSTGRES="postgres://curator@127.0.0.1:$port/postgres"
    export AMBERTRAY_TEST_POSTGRES_CA="$servers_dir/pg-authority.pem"
}

start_mariadb() {
    if ! command -v mariadbd >/dev/null; then
        echo "installing MariaDB" >&2
        apt-get update -qq >&2 && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq mariadb-server >&2
    fi
    local port data="$servers_dir/mariadb" owner
    port=$(free_port)
    owner=$(id -un)
    mkdir "$data"
    if [ "$(id -u)" = 0 ]; then
        owner=nobody
        chown nobody "$data"
    fi
    as_user mariadb-install-db --no-defaults --datadir="$data" --auth-root-authentication-method=normal --skip-test-db >/dev/null 2>&1
    certify "$data" mariadb
    mariadbd --no-defaults --ssl-cert="$data/server.pem" --ssl-key="$data/server.key" --ssl-ca="$data/authority.pem" --user="$owner" --datadir="$data" --port="$port" --bind-address=127.0.0.1 --socket="$data/socket" \
        --pid-file="$data/pid" --log-error="$data/log" ${mariadb_options:-} >/dev/null 2>&1 &
    mariadb_pid=$!
    for _ in $(seq 100); do
        if mariadb --no-defaults -u root -S "$data/socket" -e 'CREATE DATABASE IF NOT EXISTS museum' 2>/dev/null; then
            export AMBERTRAY_TEST_MYSQL="mysql://root@127.0.0.1:$port/museum"
            export AMBERTRAY_TEST_MYSQL_CA="$servers_dir/mariadb-authority.pem"
            return
        fi
        sleep 0.1
    done
    cat "$data/log" >&2
    return 1
}
