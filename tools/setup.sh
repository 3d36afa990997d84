#!/usr/bin/env bash
# Everything Velkin needs on a fresh Debian-like machine with Python, make and git. Says what it does; stops with one line.
set -euo pipefail
cd "$(dirname "$0")/.."
say() { printf 'set-up: %s\n' "$*"; }
stop() { printf 'set-up cannot go on: %s\n' "$*" >&2; exit 1; }

python=${PYTHON:-python3}
"$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null || stop "Python 3.11 or newer is needed (found: $("$python" --version 2>&1))"

# library or program -> Debian package
needs=(libEGL.so.1:libegl1 libGL.so.1:libgl1 libxkbcommon.so.0:libxkbcommon0 libxkbcommon-x11.so.0:libxkbcommon-x11-0
  libdbus-1.so.3:libdbus-1-3 libfontconfig.so.1:libfontconfig1 libxcb-cursor.so.0:libxcb-cursor0 libxcb-icccm.so.4:libxcb-icccm4
  libxcb-image.so.0:libxcb-image0 libxcb-keysyms.so.1:libxcb-keysyms1 libxcb-randr.so.0:libxcb-randr0
  libxcb-render-util.so.0:libxcb-render-util0 libxcb-shape.so.0:libxcb-shape0 libxcb-xinerama.so.0:libxcb-xinerama0
  libxcb-xkb.so.1:libxcb-xkb1)
known=$(PATH="$PATH:/sbin:/usr/sbin" ldconfig -p 2>/dev/null || true)
missing=()
for need in "${needs[@]}"; do grep -qF "${need%%:*} " <<<"$known" || missing+=("${need##*:}"); done
command -v Xvfb >/dev/null || missing+=(xvfb)
command -v xauth >/dev/null || missing+=(xauth)
"$python" -c 'import ensurepip, venv' 2>/dev/null || missing+=(python3-venv)
if [ ${#missing[@]} -gt 0 ]; then
  sudo=""
  if [ "$(id -u)" -ne 0 ]; then
    sudo -n true 2>/dev/null || stop "install these system packages first: ${missing[*]}"
    sudo="sudo -n"
  fi
  command -v apt-get >/dev/null || stop "install these system packages first: ${missing[*]}"
  say "system packages: ${missing[*]}"
  $sudo apt-get update -qq
  DEBIAN_FRONTEND=noninteractive $sudo apt-get install -y -qq "${missing[@]}" >/dev/null || stop "apt could not install: ${missing[*]}"
fi

if [ ! -x .venv/bin/python ]; then say "virtual environment in .venv"; "$python" -m venv .venv; fi
say "pinned packages from requirements.lock"
.venv/bin/python -m pip install --quiet --disable-pip-version-check -r requirements.lock 2> >(grep -v '^WARNING: Location' >&2) \
  || stop "the packages in requirements.lock could not be installed (is the package registry reachable?)"
.venv/bin/python -m pip install --quiet --disable-pip-version-check --no-deps --no-build-isolation -e . || stop "velkin itself could not be installed"
say "compiling the loops over pixels, once (about half a minute)"
.venv/bin/python tools/warm.py || say "they could not be compiled now; they will be when they are first used"
say "ready"
