#!/bin/sh
# Before the package is removed: the service ends. An update goes on to run until the new version takes its place.
set -e
[ "$1" = remove ] && [ -d /run/systemd/system ] && systemctl disable --now urbo.service
exit 0
