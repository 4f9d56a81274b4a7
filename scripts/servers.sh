# Starts private database servers on free loopback ports in a temporary folder,
# and stops them when the shell ends. To be sourced.

servers_dir=$(mktemp -d)
chmod 755 "$servers_dir"

stop_servers() {
    local name
    for name in "$servers_dir"/*postgres*/postmaster.pid; do
        [ ! -f "$name" ] || as_user "$pg_bin/pg_ctl" -D "${name%/*}" -m immediate stop >/dev/null 2>&1 || true
    done
    for name in "$servers_dir"/*mysql*/pid "$servers_dir"/*sqlserver*/pid "$servers_dir"/pool/pid; do
        [ ! -f "$name" ] || kill -9 "$(cat "$name")" 2>/dev/null || true
    done
    wait 2>/dev/null || true
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

# need 'FILE PACKAGE...'... installs, at once, the packages of which the file does not exist, without
# what they only recommend: of some that is ten times as much.
need() {
    local file packages missing=()
    while [ $# != 0 ]; do
        read -r file packages <<<"$1"
        # shellcheck disable=SC2086,SC2206 # the file may be a pattern, and the packages are words
        ls $file >/dev/null 2>&1 || missing+=($packages)
        shift
    done
    [ ${#missing[@]} != 0 ] || return 0
    echo "installing ${missing[*]}" >&2
    apt-get update -qq >&2
    DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}" >&2
}

postgres_packages='/usr/lib/postgresql/*/bin/initdb postgresql'
pool_packages='/usr/sbin/pgbouncer pgbouncer'
mariadb_packages='/usr/lib/mysql/plugin/ha_spider.so mariadb-server mariadb-plugin-spider'
sqlite_packages='/usr/bin/sqlite3 sqlite3' # the client, through which scripts are tested
client_packages=(                          # of SQL Server that are not ours, with which the stand-in is tested, and a browser
    '/usr/bin/tsql freetds-bin' '/usr/bin/npm nodejs npm' '/usr/bin/chromium chromium fonts-dejavu-core'
)
wine_packages=('/usr/lib/wine/wine64 wine64' '/usr/bin/x86_64-w64-mingw32-gcc-win32 gcc-mingw-w64-x86-64-win32')
other_packages=('/usr/bin/rpm rpm' '/usr/bin/qemu-aarch64 qemu-user') # to install a package for Fedora, and to run the program for ARM

need_all() { need "$postgres_packages" "$pool_packages" "$mariadb_packages" "$sqlite_packages" "${client_packages[@]}" "${wine_packages[@]}" "${other_packages[@]}"; }

free_port() { go run ./scripts/freeport; }

# certify puts certificates into the folder of a server.
certify() {
    go run ./scripts/certificate "$1"
    cp "$1/authority.pem" "$servers_dir/$2-authority.pem"
    chmod 644 "$servers_dir/$2-authority.pem"
    [ "$(id -u)" != 0 ] || chown nobody "$1"/server.* "$1/authority.pem"
}

# start_postgres NAME: its URL is in AMBERTRAY_NAME, its folder in
# AMBERTRAY_NAME_DATA, and the certificate of its authority in AMBERTRAY_NAME_CA.
# A script called like the folder, with .start added, starts it again.
start_postgres() {
    need "$postgres_packages"
    pg_bin=$(ls -d /usr/lib/postgresql/*/bin | sort -V | tail -1)
    local port name=${1,,} data
    data=$servers_dir/$name
    port=$(free_port)
    mkdir "$data"
    [ "$(id -u)" != 0 ] || chown nobody "$data"
    as_user "$pg_bin/initdb" -D "$data" -U curator -A trust -E UTF8 --locale=C.UTF-8 -N >/dev/null
    certify "$data" "$name"
    {
        declare -f as_user
        printf 'as_user %q -D %q -w -l %q -o "%s" start\n' "$pg_bin/pg_ctl" "$data" "$data/log" \
            "-p $port -c listen_addresses=127.0.0.1 -c unix_socket_directories='' -c ssl=on -c ssl_cert_file=server.pem -c ssl_key_file=server.key ${pg_options:-}"
    } >"$servers_dir/$name.start"
    bash "$servers_dir/$name.start" >/dev/null
    export "AMBERTRAY_$1=postgres://curator@127.0.0.1:$port/postgres" "AMBERTRAY_${1}_DATA=$data" "AMBERTRAY_${1}_CA=$servers_dir/$name-authority.pem"
}

# start_pool: a pool before the server AMBERTRAY_TEST_POSTGRES, which runs each transaction in another
# session, in AMBERTRAY_TEST_POOL; its database "sessions" keeps them apart.
start_pool() {
    need "$pool_packages"
    local port data=$servers_dir/pool server=${AMBERTRAY_TEST_POSTGRES##*:}
    port=$(free_port)
    mkdir "$data"
    server="host=127.0.0.1 port=${server%%/*} dbname=postgres user=curator"
    cat >"$data/pool.ini" <<EOF
[databases]
postgres = $server
sessions = $server pool_mode=session
[pgbouncer]
listen_addr = 127.0.0.1
listen_port = $port
unix_socket_dir =
auth_type = any
pool_mode = transaction
ignore_startup_parameters = search_path
logfile = $data/log
pidfile = $data/pid
EOF
    [ "$(id -u)" != 0 ] || chown -R nobody "$data"
    as_user /usr/sbin/pgbouncer --quiet --daemon "$data/pool.ini"
    export "AMBERTRAY_TEST_POOL=postgres://curator@127.0.0.1:$port/postgres"
}

# The server that start_mariadb starts, and how its folder is filled. scripts/mysql.sh has MySQL instead.
mysqld=mariadbd
init_mysqld() { as_user mariadb-install-db --no-defaults --datadir="$1" --auth-root-authentication-method=normal --skip-test-db; }

# start_mariadb NAME: like start_postgres. Each server has a folder for temporary tables of its own: one that starts
# removes those it finds, also those of its neighbours.
start_mariadb() {
    need "$mariadb_packages"
    local port name=${1,,} data owner
    data=$servers_dir/$name
    port=$(free_port)
    owner=$(id -un)
    mkdir "$data" "$data.tmp"
    if [ "$(id -u)" = 0 ]; then
        owner=nobody
        chown nobody "$data" "$data.tmp"
    fi
    init_mysqld "$data" >/dev/null 2>&1
    certify "$data" "$name"
    cat >"$servers_dir/$name.start" <<EOF
"$mysqld" --no-defaults --user="$owner" --datadir="$data" --tmpdir="$data.tmp" --port="$port" --bind-address=127.0.0.1 --socket="$data/socket" \
    --pid-file="$data/pid" --log-error="$data/log" --ssl-cert="$data/server.pem" --ssl-key="$data/server.key" --ssl-ca="$data/authority.pem" \
    ${mariadb_options:-} >/dev/null 2>&1 &
for _ in \$(seq 200); do
    mariadb --no-defaults -u root -S "$data/socket" -e 'CREATE DATABASE IF NOT EXISTS museum' 2>/dev/null && exit
    sleep 0.1
done
cat "$data/log" >&2
exit 1
EOF
    bash "$servers_dir/$name.start"
    export "AMBERTRAY_$1=mysql://root@127.0.0.1:$port/museum" "AMBERTRAY_${1}_DATA=$data" "AMBERTRAY_${1}_CA=$servers_dir/$name-authority.pem"
}

# start_standin NAME: starts the stand-in for SQL Server, like the servers.
start_standin() {
    local port name=${1,,} data
    data=$servers_dir/$name
    port=$(free_port)
    mkdir "$data"
    certify "$data" "$name"
    [ "$(id -u)" != 0 ] || chown -R nobody "$data"
    [ -x "$servers_dir/standin" ] || go build -o "$servers_dir/standin" ./cmd/sqlserver-standin
    cat >"$servers_dir/$name.start" <<EOF
$(declare -f as_user)
rm -f "$data/pid"
as_user "$servers_dir/standin" --dir "$data" --listen 127.0.0.1:$port --pid "$data/pid" --certificate "$data/server.pem" --key "$data/server.key" >"$data/log" 2>&1 &
for _ in \$(seq 100); do
    [ ! -f "$data/pid" ] || exit 0
    sleep 0.1
done
cat "$data/log" >&2
exit 1
EOF
    bash "$servers_dir/$name.start"
    export "AMBERTRAY_$1=sqlserver://sa@127.0.0.1:$port?database=museum&certificate=$servers_dir/$name-authority.pem" "AMBERTRAY_${1}_DATA=$data" \
        "AMBERTRAY_${1}_CA=$servers_dir/$name-authority.pem"
}

# start_clients makes the driver tedious for Node.js and readers of our files ready; their folder
# is in AMBERTRAY_TEDIOUS.
start_clients() {
    need "${client_packages[@]}"
    export AMBERTRAY_TEDIOUS=$servers_dir/clients
    mkdir "$AMBERTRAY_TEDIOUS"
    echo '{"overrides":{"antlr4ts":"0.5.0-alpha.4"}}' >"$AMBERTRAY_TEDIOUS/package.json" # a later one does not load
    for _ in 1 2 3; do # a registry may hang for once
        (cd "$AMBERTRAY_TEDIOUS" && timeout 120 npm install --silent --no-audit --no-fund --prefix . tedious@19.2.2 hyparquet@1.31.5 hyparquet-compressors@1.1.2 antlr4ts-sql@1.1.0 >&2) && return
    done
    return 1
}

# start_wine makes ready to run the program for Windows: its path is in AMBERTRAY_TEST_WINDOWS, and the command
# that runs it in AMBERTRAY_TEST_WINE. Wine 8 lacks a library that Go's runtime asks for random numbers, for
# which there is a stand-in.
start_wine() {
    need "${wine_packages[@]}"
    wine=/usr/lib/wine/wine64
    export WINEPREFIX=$servers_dir/wine WINEDEBUG=-all AMBERTRAY_TEST_WINE=$wine AMBERTRAY_TEST_WINDOWS=$servers_dir/ambertray.exe
    CGO_ENABLED=0 GOOS=windows GOARCH=amd64 go build -gcflags='all=-N -l -dwarf=false' -o "$AMBERTRAY_TEST_WINDOWS" ./cmd/ambertray
    export AMBERTRAY_TEST_HOLDOPEN=$servers_dir/holdopen.exe
    CGO_ENABLED=0 GOOS=windows GOARCH=amd64 go build -gcflags='all=-N -l -dwarf=false' -o "$AMBERTRAY_TEST_HOLDOPEN" ./scripts/holdopen
    "$wine" wineboot -i >/dev/null 2>&1 </dev/null
    x86_64-w64-mingw32-gcc-win32 -shared -O2 -o "$WINEPREFIX/drive_c/windows/system32/bcryptprimitives.dll" scripts/standin/bcryptprimitives.c -ladvapi32
}
