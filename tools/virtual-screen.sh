#!/usr/bin/env bash
# Runs a command on a virtual screen of its own, at 1280 x 800.
set -euo pipefail
export QT_QPA_PLATFORM=${QT_QPA_PLATFORM:-xcb}
exec xvfb-run --auto-servernum --server-args="-screen 0 1280x800x24" "$@"
