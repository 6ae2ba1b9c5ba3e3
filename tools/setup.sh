#!/usr/bin/env bash
# Makes .venv from requirements.lock and sees to the system libraries Qt needs.
# Usage: setup.sh run|test   (test also needs a virtual screen and a way to press real keys)
set -euo pipefail
cd "$(dirname "$0")/.."
what=${1:-run}

# library file -> Debian package
libraries="libGL.so.1:libgl1 libEGL.so.1:libegl1 libglib-2.0.so.0:libglib2.0-0 libxkbcommon.so.0:libxkbcommon0
libdbus-1.so.3:libdbus-1-3 libfontconfig.so.1:libfontconfig1 libxcb-cursor.so.0:libxcb-cursor0
libxcb-icccm.so.4:libxcb-icccm4 libxcb-keysyms.so.1:libxcb-keysyms1 libxcb-image.so.0:libxcb-image0
libxcb-randr.so.0:libxcb-randr0 libxcb-render-util.so.0:libxcb-render-util0 libxcb-shape.so.0:libxcb-shape0
libxcb-xkb.so.1:libxcb-xkb1 libxkbcommon-x11.so.0:libxkbcommon-x11-0 libX11-xcb.so.1:libx11-xcb1"

# the system's own comes before any other on the path: it is what most people have, and it is built for speed
find_python() {
  for candidate in ${PYTHON:-} /usr/bin/python3.11 python3.11 python3 python3.12 python3.13; do
    "$candidate" -c 'import sys, venv, ensurepip; sys.exit(not (3, 11) <= sys.version_info[:2] <= (3, 13))' \
      >/dev/null 2>&1 && { echo "$candidate"; return; }
  done
}

missing=""
known=$(PATH="$PATH:/sbin:/usr/sbin" ldconfig -p 2>/dev/null || true)
for pair in $libraries; do
  case "$known" in *"${pair%%:*}"*) ;; *) missing="$missing ${pair##*:}" ;; esac
done
[ -n "$(find_python)" ] || missing="$missing python3 python3-venv"
if [ "$what" = test ]; then
  command -v Xvfb >/dev/null || missing="$missing xvfb"
  command -v xdotool >/dev/null || missing="$missing xdotool"
fi
if [ -n "$missing" ]; then
  root=""
  [ "$(id -u)" = 0 ] || root="sudo"
  if command -v apt-get >/dev/null && { [ -z "$root" ] || sudo -n true 2>/dev/null || [ -t 0 ]; }; then
    echo "Installing system libraries:$missing"
    $root apt-get update -qq
    DEBIAN_FRONTEND=noninteractive $root apt-get install -y -qq --no-install-recommends $missing >/dev/null
  else
    echo "Some system libraries are missing. Ask whoever looks after this machine to run:" >&2
    echo "  sudo apt-get install --no-install-recommends$missing" >&2
    exit 1
  fi
fi

python=$(find_python)
if [ -z "$python" ]; then
  echo "Saltus needs Python 3.11, 3.12 or 3.13 with its venv module; none was found. Set PYTHON=/path/to/python3." >&2
  exit 1
fi
stamp=$("$python" -c 'import hashlib, sys
h = hashlib.sha256(sys.version.encode())
for name in ("requirements.lock", "pyproject.toml", "tools/setup.sh"):
    h.update(open(name, "rb").read())
print(h.hexdigest())')
if [ "$(cat .venv/stamp 2>/dev/null || true)" != "$stamp$PWD" ]; then
  echo "Setting up .venv (about a minute the first time)"
  rm -rf .venv
  "$python" -m venv .venv
  .venv/bin/python -m pip install -q --disable-pip-version-check --require-hashes -r requirements.lock
  .venv/bin/python -m pip install -q --disable-pip-version-check --no-deps --no-build-isolation -e .
  printf '%s' "$stamp$PWD" > .venv/stamp
fi

# The loops of following are compiled once, so that nobody waits for it in the window.
loops=$(cat saltus/core/following/*_loops.py | sha256sum)
if [ "$(cat .venv/loops 2>/dev/null || true)" != "$loops" ]; then
  .venv/bin/python -m saltus.core.following.made_ready
  printf '%s' "$loops" > .venv/loops
fi

# So is everything else: the first start and the first visit of a stage wait for no compiler.
.venv/bin/python -m compileall -q saltus
