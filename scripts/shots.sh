#!/usr/bin/env bash
# Takes the pictures of docs/screenshots from fresh demo data: the console in
# Chromium, the terminal in a terminal window.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/setup.sh test
for p in xvfb:Xvfb xterm:xterm imagemagick:import; do
	command -v "${p#*:}" >/dev/null || apt-get -o DPkg::Lock::Timeout=600 -qq install -y --no-install-recommends "${p%%:*}" >/dev/null
done
work=$(mktemp -d)
chmod 711 "$work"
out=$PWD/docs/screenshots
mkdir -p "$out"
bin/roundhouse demo --data "$work/data" --ready-file "$work/ready.json" --port 18300 >"$work/demo.log" 2>&1 &
demo=$!
Xvfb :97 -screen 0 1280x800x24 >/dev/null 2>&1 &
screen=$!
trap 'kill -INT $demo 2>/dev/null; kill $screen 2>/dev/null; wait $demo 2>/dev/null; rm -rf "$work"' EXIT
for _ in $(seq 300); do [ -e "$work/ready.json" ] && break; sleep 0.2; done
field() { sed -E "s/.*\"$1\":\"([^\"]*)\".*/\1/" <<<"$2"; }
first=$(sed -E 's/.*"people":\[(\{[^}]*\}).*/\1/' "$work/ready.json")
url=$(sed -E 's/.*"url":"([^"]*)".*/\1/' "$work/ready.json")
token=$(field token "$first")
terminal() { # file, commands
	DISPLAY=:97 ROUNDHOUSE_URL=$url ROUNDHOUSE_TOKEN=$token TZ=Europe/Oslo PATH=$PWD/bin:$PATH \
		xterm -geometry 156x51+0+0 -fa "DejaVu Sans Mono" -fs 9 -bg "#fffdf9" -fg "#1b2430" -b 12 -e bash -c "$2; sleep 20" &
	local window=$!
	sleep 4
	DISPLAY=:97 import -window root "$out/$1"
	kill $window 2>/dev/null || true
	wait $window 2>/dev/null || true
}
terminal terminal-today.png 'printf "\$ roundhouse today\n"; roundhouse today'
name=$(ROUNDHOUSE_URL=$url ROUNDHOUSE_TOKEN=$token bin/roundhouse case list --words "Drive 14" -o json | sed -nE 's/.*"number": "(C-[0-9]+)".*/\1/p' | head -1)
terminal terminal-case.png "printf '\$ roundhouse case show $name\n'; roundhouse case show $name | head -31; printf '\n\$ roundhouse case deadlines $name --explain\n'; roundhouse case deadlines $name --explain | head -15"
go run ./e2e/shots "$work/ready.json" "$out"
