#!/usr/bin/env bash
# Opens the demo shoot; without a display it says so, with HEADLESS=1 it writes a screenshot instead.
set -euo pipefail
cd "$(dirname "$0")/.."
if [ "${HEADLESS:-}" = 1 ]; then exec bash tools/virtual-screen.sh .venv/bin/velkin --demo --screenshot "${OUT:-velkin-demo.png}"; fi
if [ -z "${DISPLAY:-}" ] && [ -z "${WAYLAND_DISPLAY:-}" ] && [ -z "${QT_QPA_PLATFORM:-}" ]; then
  echo "No display here. For a screenshot from a virtual screen: make demo HEADLESS=1" >&2
  exit 1
fi
exec .venv/bin/velkin --demo
