#!/usr/bin/env bash
# Set-up on a fresh Debian-like machine with Python, make and git: finds a Python that is new enough and hands over to tools/setup.py.
#   tools/setup.sh [demo|test]    test also brings what tests, lint and types need
set -euo pipefail
cd "$(dirname "$0")/.."
stop() { printf 'set-up cannot go on: %s\n' "$*" >&2; exit 1; }
python=${PYTHON:-python3}
command -v "$python" >/dev/null || stop "there is no $python here; install Python 3.11 or newer (sudo apt-get install python3)"
"$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' \
  || stop "Python 3.11 or newer is needed, and $python is $("$python" --version 2>&1); name another one: make PYTHON=/path/to/python3 ${1:-demo}"
exec "$python" -B tools/setup.py "${1:-demo}"
