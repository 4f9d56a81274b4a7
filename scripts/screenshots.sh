#!/usr/bin/env bash
# Renews docs/screenshots/: runs each main command on the demo data in a
# real terminal window on a virtual display, and pages in a browser. Needs xvfb, xterm,
# xdotool, imagemagick, chromium and sqlite3.
set -euo pipefail
cd "$(dirname "$0")/.."
out=$PWD/docs/screenshots
dir=$(mktemp -d)
trap 'kill $display_pid 2>/dev/null || true; rm -rf "$dir"' EXIT
CGO_ENABLED=0 go build -o "$dir/bin/ambertray" ./cmd/ambertray
cp demo/*.csv demo/*.tsv demo/*.txt demo/*.xlsx "$dir"
cd "$dir"
export PATH="$dir/bin:$PATH" DISPLAY=:97
Xvfb "$DISPLAY" -screen 0 1300x820x24 >/dev/null 2>&1 &
display_pid=$!
sleep 1

# shot NAME COMMAND...: the last screenful of what the command prints.
shot() {
    local name=$1
    shift
    printf 'clear; printf "\\033[2m$\\033[0m \\033[38;5;214m%%s\\033[0m\\n\\n" "%s"; %s; touch done; sleep 30\n' "$*" "$*" >run.sh
    rm -f done
    xterm -fa "DejaVu Sans Mono" -fs 10 -geometry 156x46 -bg '#16130f' -fg '#e8e2d6' +sb -e bash run.sh &
    local pid=$!
    for _ in $(seq 100); do [ -e done ] && break; sleep 0.1; done
    sleep 0.7
    import -window root -crop 1280x800+0+0 "$out/$name.png"
    kill "$pid"
    wait "$pid" 2>/dev/null || true
}

# keyed NAME KEYS COMMAND...: a full screen after some keys.
keyed() {
    local name=$1 keys=$2 key
    shift 2
    xterm -tn xterm-256color -fa "DejaVu Sans Mono" -fs 10 -geometry 156x46 -bg '#16130f' -fg '#e8e2d6' +sb -e "$@" &
    local pid=$!
    sleep 1
    xdotool mousemove 300 300
    for key in $keys; do
        case $key in
        4) xdotool type 'decimal(4,2)' ;;
        *) xdotool key "$key" ;;
        esac
        sleep 0.3
    done
    sleep 1.5
    import -window root -crop 1280x800+0+0 "$out/$name.png"
    kill "$pid"
    wait "$pid" 2>/dev/null || true
}

# page NAME ARGUMENTS...: the first screen of the page that report writes.
page() {
    local name=$1
    shift
    ambertray report "$@" --out "$name.html" >/dev/null
    chromium --headless --no-sandbox --disable-gpu --user-data-dir="$dir/chromium" --hide-scrollbars --window-size=1280,800 \
        --screenshot="$out/$name.png" "file://$dir/$name.html" >/dev/null 2>&1
}

if [ $# -gt 0 ]; then
    shot "$@"
    exit
fi
shot survey ambertray survey specimens.csv
shot draft ambertray draft reports.tsv
keyed review 'Down Down Down Down Down t ctrl+u 4 Return' ambertray review loans.csv
ambertray draft specimens.csv >/dev/null
shot ddl ambertray ddl specimens.tray --dialect postgresql
shot handover ambertray handover loans.csv --dialect oracle --out loans-for-harrow
shot check ambertray check loans.csv --to museum.db
shot load ambertray load loans.csv --to museum.db
ambertray load loans.csv --to museum.db --existing append --again >/dev/null || true # with rejects
sed -i 's/31\/02\/2026,282/28\/02\/2026,282/' loans.tray/loads/0001/rejects.csv
shot mend ambertray mend loans.tray --load 0001 --to museum.db
sed 's/Harrow College/Harrow Institute/; s/^005/795/' loans.csv >spring.csv
sed 's/,[0-9.]*,true$/,n\/a,true/; s/2026/2036/; s/^005/705/' loans.csv >autumn.csv
shot changes ambertray check loans.tray autumn.csv --to museum.db
shot merge ambertray load spring.csv --table loans --existing merge --yes --to museum.db
ambertray load specimens.tray --to museum.db >/dev/null
shot verify ambertray verify specimens.tray --to museum.db
ambertray load loans-2026.xlsx --sheet '2026-*' --drift fill --table monthly_loans --to museum.db >/dev/null
sqlite3 museum.db "UPDATE specimens SET name = replace(name, 'beetle', 'beatle') WHERE specimen_no < 'KB-00100'; DELETE FROM specimens WHERE specimen_no = 'KB-00007'"
shot differs ambertray verify specimens.tray --to museum.db
shot export ambertray export specimens.tray --from museum.db --out again.csv
page report specimens.tray --to museum.db
awk -F, 'NF == 7 && NR > 1 && NR != 38 { print $1 "," $4 "," $6 "," $7 }' loans.csv | tr -d '\r' | grep -v '"' >taken.csv
sqlite3 museum.db "CREATE TABLE taken_over (loan_no text, lent_on text, fee varchar(255), insured text)" ".import --csv taken.csv taken_over"
shot tighten ambertray tighten taken_over --to museum.db
printf 'no,name\n1,ant\n2,bee,x\n' >visits.csv
shot each ambertray load visits.csv loans.csv reports.tsv loans-2026.xlsx missing.csv --each --jobs 2 --to gallery.db
shot history ambertray history --to museum.db
shot demo ambertray demo
cd - >/dev/null
. scripts/servers.sh
start_mariadb TEST_MYSQL
trap 'kill $display_pid 2>/dev/null || true; stop_servers; rm -rf "$dir"' EXIT
mariadb --no-defaults -u root -S "$servers_dir/test_mysql/socket" -e "CREATE USER visitor; GRANT SELECT ON museum.* TO visitor; SET GLOBAL local_infile = OFF"
mkdir -p "$dir/ambertray"
echo "museum: ${AMBERTRAY_TEST_MYSQL/root@/visitor@}" >"$dir/ambertray/targets.yaml"
export XDG_CONFIG_HOME=$dir
cd "$dir"
shot targets ambertray targets test museum
