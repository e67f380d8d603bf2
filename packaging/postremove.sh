#!/bin/sh
# After the package is removed. Its data stays until it is purged.
set -e
[ -d /run/systemd/system ] && systemctl daemon-reload
if [ "$1" = purge ]; then
	rm -rf /var/lib/urbo /etc/urbo
	if getent passwd urbo >/dev/null; then userdel urbo; fi
	if getent group urbo >/dev/null; then groupdel urbo; fi
fi
exit 0
