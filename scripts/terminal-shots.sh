#!/bin/sh
# Makes the README's pictures of commands: each runs in a terminal window on a display of its own.
# usage: scripts/terminal-shots.sh DIRECTORY
set -eu
out=$1
here=$(cd "$(dirname "$0")/.." && pwd)
scratch=$(mktemp -d)
PATH="$here/bin:$PATH"
export PATH URBO_SERVER="unix:$scratch/house/urbo.sock" DISPLAY=:97 NO_COLOR=1

Xvfb $DISPLAY -screen 0 1280x800x24 >/dev/null 2>&1 &
display=$!
urbo demo --listen 127.0.0.1:0 --data "$scratch/house" >/dev/null 2>&1 &
house=$!
trap 'kill $house $display 2>/dev/null; wait 2>/dev/null; rm -rf "$scratch"' EXIT

# wait_for FILE: until it is there, for a minute and a half at most.
wait_for() {
	n=0
	while [ ! -e "$1" ] && [ $n -lt 900 ]; do n=$((n + 1)); sleep 0.1; done
	[ -e "$1" ] || { echo "terminal-shots: $1 never came" >&2; exit 1; }
}

# shot NAME COMMANDS: a picture of a terminal once the commands are through.
shot() {
	rm -f "$scratch/through"
	printf '%s\ntouch %s/through\nsleep 60\n' "$2" "$scratch" >"$scratch/commands"
	xterm -geometry 156x45+0+0 -fa 'Liberation Mono' -fs 10 -bg '#F7F5F0' -fg '#1B2330' -b 12 -e sh "$scratch/commands" &
	window=$!
	wait_for "$scratch/through"
	sleep 0.5
	import -window root "$out/$1.png"
	kill $window
	wait $window 2>/dev/null || true
}

wait_for "$scratch/house/urbo.sock"
show='show() { echo "\$ $*"; "$@"; echo; }'
shot command-tour "$show; echo '\$ urbo demo --tour'; urbo demo --tour | tail -n 43"
shot command-devices "$show; show urbo device list; show urbo device show boardwalk; show urbo press boardwalk/power; show urbo press boardwalk/purple; show urbo set dew power on"
shot command-set "$show; show urbo state; show urbo set amplifier power on volume 18 input 2; show urbo set boardwalk breathe on </dev/null; show urbo set radio power on channel 47 --dry"
shot command-journal "$show; cd $scratch; urbo press boardwalk/red >/dev/null; urbo device remove dew-a --yes >/dev/null; show urbo device restore dew-a; show urbo journal --count 5; show urbo journal today --search dew --count 2; show urbo device code boardwalk/power nec 0x9c6340bf; show urbo backup saltmarsh.backup"
# press HANDSET KEY: pushes a key of a handset on the stage.
press() {
	curl -s --unix-socket "$scratch/house/urbo.sock" -X POST "http://urbo/api/stage/handsets/$1/keys/$2/press"
	sleep 1
}
# A lesson takes the whole terminal, so the handset is pressed from outside.
printf '%s\n' 'NO_COLOR= COLORTERM=truecolor urbo learn projector' >"$scratch/commands"
xterm -geometry 156x45+0+0 -fa 'Liberation Mono' -fs 10 -bg '#F7F5F0' -fg '#1B2330' -b 12 -e sh "$scratch/commands" &
window=$!
sleep 1.5
for key in on on off off on; do press projector $key; done
import -window root "$out/command-learn.png"
kill $window
wait $window 2>/dev/null || true
a='2960/1480 1110/740 370/740 1110/740 1110/740 370/740 370/740 1110/740 370/740 370/740 1110/740 1110/740 370/740 370/740 370/740 370/740 1110/740 370/740 1110/740 370/31000'
b='2350/1175 890/590 295/590 890/590 890/590 295/590 295/590 890/590 295/590 295/590 890/590 890/590 295/590 295/590 295/590 295/590 890/590 295/590 890/590 295/25000'
echo "$a $a $a" >"$scratch/mine.txt"
echo "$b $b $b" >"$scratch/theirs.txt"
urbo bench compare "$scratch/mine.txt" "$scratch/theirs.txt" --out "$out/command-compare.png" >/dev/null
