#!/bin/sh
# After the package is unpacked: its user is there, and the service runs, or runs anew.
set -e
[ "$1" = configure ] || exit 0
if ! getent passwd urbo >/dev/null; then
	useradd --system --user-group --home-dir /var/lib/urbo --no-create-home --shell /usr/sbin/nologin urbo
fi
for group in dialout video; do # of serial ports and infrared devices
	getent group "$group" >/dev/null || groupadd --system "$group"
done
[ -d /run/systemd/system ] || exit 0
systemctl daemon-reload
if [ -z "$2" ]; then # it is new
	systemctl enable --now urbo.service
	echo "Urbo runs at http://127.0.0.1:8433. To sign in: sudo -u urbo URBO_DATA=/var/lib/urbo urbo person link"
elif systemctl is-active --quiet urbo.service; then # it is an update
	systemctl restart urbo.service
fi
