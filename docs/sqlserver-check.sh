#!/usr/bin/env bash
# Holds a SQL Server against what Amber Tray expects of one: docs/sqlserver-check.sh URL. The database that
# the URL names must not exist: it is made, and left for you to look at and to drop. What the steps print is
# compared with sqlserver-check.txt. The program is the ambertray in the PATH, or $AMBERTRAY.
set -uo pipefail
to=$1
here=$(cd "$(dirname "$0")" && pwd)
program=${AMBERTRAY:-ambertray}
dir=$(mktemp -d)
trap 'rm -rf "$dir"' EXIT
cd "$dir" || exit 1

name=$(sed -E 's/.*[?&]database=([^&]*).*/\1/' <<<"$to")

# steady leaves out what differs from one run to the next: times, ids, names of the database and its server.
steady() {
    sed -E -e 's/20[0-9]{2}-[0-9]{2}-[0-9]{2} [0-9:]{5,8} UTC/WHEN/g' -e "s/$name on [^ ,:]+/DATABASE/g" -e "s/\"$name\"/DATABASE/g" -e 's/in [0-9.]+ m?s.*/in TIME/' \
        -e 's/[0-9]{8}-[0-9]{6}-[0-9a-f]{8}/LOAD/g' -e "s/database $name was created on .*/database DATABASE was created/" -e "s|'sqlserver:[^']*'|TARGET|g" -e 's/ +$//'
}

# step prints what a command does, and its exit status.
step() {
    echo "== $1"
    shift
    case $1 in
    export) set -- "$@" --from "$to" ;;
    targets) set -- "$@" "$to" ;;
    *) set -- "$@" --to "$to" ;;
    esac
    "$program" "$@" 2>&1 | steady | grep -vE '^  (server|login|encrypted|schema|compatibility level|collation|recovery model|snapshot isolation|data file|log file|triggers)  '
    echo "status ${PIPESTATUS[0]}"
}

cat >types.csv <<'END'
no,small,wide,amount,ratio,open,day,clock,moment,code,name,note
1,-32768,9223372036854775807,-99999.99,0.1,true,0001-01-01,23:59:59.999999,9999-12-31 23:59:59.999999,00123,Müller,plain
2,32767,-9223372036854775808,0.01,-2.5e-7,false,9999-12-31,00:00:00,0001-01-01 00:00:00,99999,Søn,"two
lines"
3,0,,12.50,1e300,,,,,00000,ant,
END
cat >finds.csv <<'END'
no,mark,pieces,shelf
1,a,1,A1
2,b,1,Z9
3,c,0,A1
4,a,1,
5,e,2,A1
5,g,1,A1
6,h,3,A1
END
cat >more.csv <<'END'
no,mark,pieces,shelf
7,i,1,A1
1,j,5,A1
END
cat >beetles.csv <<'END'
no,name
1,жук
2,甲虫 in amber
3,🪲🪲
END
cat >shelf.csv <<'END'
code
A1
B2
END

steps() {
    step "every type, in a new database" load types.csv --table types --create-database
    step "every type, verified" verify types.tray
    step "every type, its definition" ddl types.tray
    step "every type, exported" export types --out -
    step "Unicode" load beetles.csv --table beetles
    step "Unicode, read back" export --query "SELECT no, name FROM beetles ORDER BY no" --out -
    step "the shelves" load shelf.csv --change key=code
    step "a foreign key that does not hold" load finds.csv --change 'shelf.references=shelf(code)' --change key=no
    step "a key that is repeated" load finds.csv --change 'shelf.references=' --change key=no
    step "the same again" load finds.tray
    step "a merge" load more.csv --table finds --existing merge --change key=no
    step "a merge, read back" export --query "SELECT no, mark, pieces, shelf FROM finds ORDER BY no" --out -
    step "checkpoints" load finds.csv --tray parts.tray --table parts --change key=no --commit-every 2
    step "existing keys" load types.csv --tray more_types.tray --table types --existing append --again
    step "an undo" undo "$("$program" history --to "$to" --json | grep -B3 '"table": ".*\.beetles"' | sed -n 's/.*"id": "\(.*\)".*/\1/p')"
    step "what a load needs" targets test
}

steps >got.txt
if diff -u "$here/sqlserver-check.txt" got.txt; then
    echo "All is as expected. The database $name may be dropped."
fi
