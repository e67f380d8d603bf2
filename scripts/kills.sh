#!/bin/sh
# Cuts the power of the built service 300 times under load, and looks each time whether anything acknowledged was lost.
# usage: scripts/kills.sh [HOW OFTEN]
set -eu
cd "$(dirname "$0")/.."
make build
URBO_BIN="$PWD/bin/urbo" go test ./e2e -count 1 -timeout 60m -run TestKill_AtAnyMoment -kills "${1:-300}" -v
