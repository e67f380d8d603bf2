#!/bin/sh
# Installs the package, lets its program run as its user, updates it, removes and purges it, and looks after each step.
# usage, as root on a Debian machine without Urbo: make dist ARCHES=amd64 && packaging/check.sh dist/urbo_*_amd64.deb
set -eu
package=$1
fail() { echo "FAILED: $*" >&2; exit 1; }
[ "$(id -u)" = 0 ] || fail "run it as root"
dpkg -s urbo >/dev/null 2>&1 && fail "urbo is installed: this removes it with its data"

dpkg -i "$package"
/usr/bin/urbo version || fail "it does not run"
getent passwd urbo >/dev/null || fail "there is no user"
if [ -d /run/systemd/system ]; then
	systemctl is-active --quiet urbo || fail "the service does not run"
else
	install -d -o urbo -g urbo -m 700 /var/lib/urbo # the unit makes it
	su -s /bin/sh urbo -c 'URBO_DATA=/var/lib/urbo timeout 5 urbo serve --listen 127.0.0.1:0' | grep -q '^http://' ||
		fail "it does not serve as its user"
fi
echo '# ours' >> /etc/urbo/urbo.env
dpkg -i "$package"
grep -q '^# ours' /etc/urbo/urbo.env || fail "an update took the configuration away"
dpkg -r urbo
[ ! -e /usr/bin/urbo ] || fail "the program stayed"
[ -d /var/lib/urbo ] || fail "removing it took the data away"
dpkg -P urbo
[ ! -e /var/lib/urbo ] && [ ! -e /etc/urbo ] || fail "purging it left something"
getent passwd urbo >/dev/null && fail "purging it left the user"
echo "The package installs, runs, updates, is removed and purged."
