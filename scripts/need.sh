#!/bin/sh
# Sees to it that commands are there, and installs Debian's packages for those that are not.
# usage: scripts/need.sh go node npm cc chromium
#        scripts/need.sh --may avr-gcc simavr    what can be done without, where it cannot be installed
set -eu

may=""
if [ "$1" = --may ]; then
	may=1
	shift
fi
missing=""
for command in "$@"; do
	if [ "$command" = simavr ]; then # a library, not a command
		[ -e /usr/include/simavr/sim_avr.h ] && [ -e /usr/include/libelf.h ] && continue
	fi
	if [ "$command" = pocketsphinx_continuous ]; then # a model, and recordings of people, too
		[ ! -e /usr/share/pocketsphinx/model/en-us/en-us ] || [ ! -e /usr/share/pocketsphinx/test/data/cards ] ||
			{ command -v "$command" >/dev/null 2>&1 && continue; }
	elif command -v "$command" >/dev/null 2>&1; then
		continue
	fi
	case "$command" in
	go) package=golang-go ;;
	node) package=nodejs ;;
	npm) package=npm ;;
	cc) package="gcc libc6-dev" ;;
	chromium) package="chromium fonts-liberation" ;;
	Xvfb) package=xvfb ;;
	xterm) package=xterm ;;
	import) package=imagemagick ;;
	curl) package=curl ;;
	mosquitto) package="mosquitto mosquitto-clients" ;;
	mosquitto_pub) package=mosquitto-clients ;;
	avr-gcc) package="gcc-avr avr-libc binutils-avr" ;;
	python3) package=python3 ;;
	systemd-analyze) package=systemd ;;
	pocketsphinx_continuous) package="pocketsphinx pocketsphinx-en-us pocketsphinx-testdata" ;;
	espeak-ng) package=espeak-ng ;;
	avahi-browse) package="avahi-daemon avahi-utils dbus" ;;
	ip) package=iproute2 ;;
	simavr) package="libsimavr-dev libelf-dev" ;;
	*) echo "need.sh: no package known for $command" >&2; exit 1 ;;
	esac
	missing="$missing $package"
done
[ -z "$missing" ] && exit 0

as_root=""
if [ "$(id -u)" != 0 ]; then
	if command -v sudo >/dev/null 2>&1 && sudo -n true 2>/dev/null; then
		as_root="sudo"
	else
		[ -n "$may" ] && echo "Missing:$missing. The tests that need it are skipped." >&2 && exit 0
		echo "Missing:$missing. Install them and try again: apt-get install$missing" >&2
		exit 1
	fi
fi
echo "Installing$missing" >&2
export DEBIAN_FRONTEND=noninteractive
$as_root apt-get update -qq >&2
# shellcheck disable=SC2086 # the list is meant to be split
$as_root apt-get install -y -qq --no-install-recommends $missing >&2
