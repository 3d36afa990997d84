#!/usr/bin/env bash
# Sets up what is missing and opens the demo shoot; without a display it says so, with HEADLESS=1 it writes a screenshot instead.
set -euo pipefail
cd "$(dirname "$0")/.."
python=$PWD/.venv/bin/python
if [ "${HEADLESS:-}" = 1 ]; then
  "${MAKE:-make}" --no-print-directory setup
  exec "$python" tools/virtual_screen.py "$python" -m velkin --demo --screenshot "${OUT:-velkin-demo.png}"
fi
if [ -z "${DISPLAY:-}" ] && [ -z "${WAYLAND_DISPLAY:-}" ] && [ -z "${QT_QPA_PLATFORM:-}" ]; then
  echo "No display here. For a screenshot from a virtual screen: make demo HEADLESS=1" >&2
  exit 1
fi
"${MAKE:-make}" --no-print-directory setup
exec "$python" -m velkin --demo
